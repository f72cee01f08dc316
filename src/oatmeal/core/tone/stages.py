"""The stages of Tone."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import Ends, find_bands, find_ends, small_light, spread
from oatmeal.core.maps import Maps
from oatmeal.core.recipe import DECLARED, Recipe
from oatmeal.core.recipe.tone import OF_SCALE
from oatmeal.core.stages import Place, stage
from oatmeal.core.tone import local as locally
from oatmeal.core.tone import scale as scales
from oatmeal.core.tone.scale import Scale

Plane = NDArray[np.float32]

_LOCAL = locally.LOCAL
#: What is compiled to one table.
_SCALE = DECLARED.of_step("tone", *OF_SCALE)
_EXPOSURE = DECLARED.of_step("tone", "exposure")


@stage("small", needs=("mixed",), whole=True)
def small(recipe: Recipe, place: Place, grey: Plane) -> Plane:
    """The light of the whole picture, small."""
    return small_light(grey)


@stage("bands", reads=("tone.character",), needs=("small",), whole=True)
def bands(recipe: Recipe, place: Place, light: Plane) -> Plane:
    """Coefficients of the base and the middle band, of the whole picture."""
    return find_bands(light, recipe.tone.character, place.window.enlarged)


@stage("ends", needs=("small",), whole=True, uncropped=True)
def ends(recipe: Recipe, place: Place, light: Plane) -> Ends:
    """The picture's black and white."""
    return find_ends(light)


@stage("wide", needs=("bands", "mixed"))
def wide(recipe: Recipe, place: Place, found: Plane, grey: Plane) -> NDArray[np.float32]:
    """The coefficients along the rows of the array that is worked on."""
    return spread(found, place.window, grey.shape)


@stage(
    "fine",
    needs=("mixed",),
    when=lambda recipe: recipe.tone.detail != 0 or bool(recipe.areas.changing("detail")),
    margin=lambda recipe, place: 2 * locally.fine_radius(place.long_side),
)
def fine(recipe: Recipe, place: Place, grey: Plane) -> Plane:
    """The fine band in stops, edges left out."""
    return locally.fine_band(grey, place.window)


@stage(
    "local",
    reads=(*_EXPOSURE, *_LOCAL),
    needs=("mixed", "ends", "wide", "fine"),
    moved_by=_LOCAL,
)
def local(
    recipe: Recipe, place: Place, grey: Plane, found: Ends, wide: Any, fine: Plane | None
) -> Plane:
    """Linear grey with its exposure and everything local; the mixed grey where all that rests."""
    return locally.apply(grey, recipe.tone, found, wide, fine, place.window)


@stage(
    "moved",
    reads=(*_EXPOSURE, *_LOCAL),
    needs=("local", "mixed", "ends", "wide", "fine", "light_maps"),
    moved_by=("areas.light",),
)
def moved(
    recipe: Recipe,
    place: Place,
    grey: Plane,
    mixed: Plane,
    found: Ends,
    wide: Any,
    fine: Plane | None,
    maps: Maps | None,
) -> Plane:
    """Linear grey with what areas do to light and to neighbourhoods; elsewhere the same."""
    if maps is None:
        return grey
    args = (recipe.tone, found, wide, fine, place.window)
    return locally.moved(grey, mixed, *args, maps, gain_left(recipe))


def gain_left(recipe: Recipe) -> float:
    """Factor on light that the local stage has left to the scale: the exposure, where it rests."""
    return 1.0 if local.works(recipe) else float(2.0**recipe.tone.exposure)


@stage("toned", reads=(*_EXPOSURE, *_LOCAL), needs=("moved",), moved_by=_EXPOSURE)
def toned(recipe: Recipe, place: Place, grey: Plane) -> Plane:
    """Linear grey after exposure and everything local, before the scale's table."""
    gain = gain_left(recipe)
    return grey if gain == 1.0 else grey * np.float32(gain)


@stage(
    "peak",
    reads=(*_EXPOSURE, *_LOCAL),
    needs=("mixed_peak", "ends"),
    when=lambda recipe: recipe.tone.hold_ends,
)
def peak(recipe: Recipe, place: Place, mixed_peak: float, found: Ends) -> float:
    """The highest linear grey that the scale can get, for holding the ends."""
    stops = recipe.tone.exposure
    if local.works(recipe):
        stops += locally.highest_gain(recipe.tone, found)
    return float(mixed_peak * 2.0**stops)


@stage("scale", reads=_SCALE, needs=("peak",))
def scale(recipe: Recipe, place: Place, peak: float | None) -> Scale:
    """Levels, contrast, curve and output limits as one table."""
    return scales.compile_scale(recipe.tone, peak or 1.0)


@stage("encoded", reads=_EXPOSURE, needs=("moved", "scale", "scale_maps", "light_maps"))
def encoded(
    recipe: Recipe, place: Place, grey: Plane, table: Scale, maps: Maps | None, light: Maps | None
) -> Plane:
    """The toned grey: encoded values, float32 ``(H, W)``, 0 to 1."""
    return scales.encoded(grey, table, gain_left(recipe), recipe.tone, maps, light)


STAGES = (small, bands, ends, wide, fine, local, moved, toned, peak, scale, encoded)
