"""The stages of Prepare."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import Ends, find_bands, find_ends
from oatmeal.core.guard import Analysis, Settling, analyse
from oatmeal.core.guard.kernels import BRIGHTEST
from oatmeal.core.guard.settling import SMALLEST
from oatmeal.core.maps import Masks
from oatmeal.core.prepare import edges, light, noise, spots, threads
from oatmeal.core.recipe import REST, Recipe, Threads
from oatmeal.core.stages import SOURCE, Place, stage, value_of
from oatmeal.core.trust import FINE

_WHITE = (
    "prepare.light.warmth", "prepare.light.tint", "prepare.light.exposure", "prepare.light.colour",
)  # fmt: skip
_ENDS = ("prepare.light.highlights", "prepare.light.shadows")

_NOISE = ("prepare.noise.light", "prepare.noise.colour")
_EDGES = ("prepare.edge_colour.purple", "prepare.edge_colour.green")
_SPOTS = "prepare.spots"
_THREADS = "prepare.threads"
_CAMERA = "prepare.light.camera"

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]


@stage(
    "cleaned",
    reads=("prepare.noise.level",),
    needs=(SOURCE,),
    when=lambda recipe: bool(recipe.prepare.noise.light or recipe.prepare.noise.colour),
    margin=lambda recipe, place: noise.MARGIN,
    grid=lambda place: noise.GRID,
)
def cleaned(recipe: Recipe, place: Place, rgb_linear: Colour) -> noise.Cleaned | None:
    """What the picture would be without its noise; kept while only the amounts change."""
    return noise.cleaned(rgb_linear, place, recipe.prepare.noise)


@stage("denoised", reads=_NOISE, needs=(SOURCE, "cleaned"), moved_by=_NOISE)
def denoised(
    recipe: Recipe, place: Place, rgb_linear: Colour, clean: noise.Cleaned | None
) -> Colour:
    """Linear colour with less noise."""
    return noise.denoised(rgb_linear, clean, recipe.prepare.noise)


@stage(
    "edge_ground",
    reads=("prepare.edge_colour.width",),
    needs=("denoised",),
    when=lambda recipe: bool(recipe.prepare.edge_colour.purple or recipe.prepare.edge_colour.green),
    whole=True,
)
def edge_ground(recipe: Recipe, place: Place, rgb_linear: Colour) -> edges.Ground:
    """Which colours belong beside strong edges, in the whole picture."""
    return edges.ground(rgb_linear, recipe.prepare.edge_colour, place.window)


@stage("freed", reads=_EDGES, needs=("denoised", "edge_ground"), moved_by=_EDGES)
def freed(recipe: Recipe, place: Place, rgb_linear: Colour, found: edges.Ground) -> Colour:
    """Linear colour without coloured lines at edges."""
    return edges.freed(rgb_linear, found, recipe.prepare.edge_colour, place.window)


@stage("healed", reads=(_SPOTS,), needs=("freed",), moved_by=(_SPOTS,), roams=True)
def healed(recipe: Recipe, place: Place, look: spots.Look, rgb_linear: Colour) -> Colour:
    """Linear colour with its spots painted over; a sample of colours has none."""
    if not place.picture.scale:
        return rgb_linear
    return spots.healed(rgb_linear, look, recipe.prepare.spots, place.window)


def _settling(recipe: Recipe, place: Place) -> Settling:
    """How colour is settled here; what is small enough need not ask what its file is like."""
    trust = place.picture.trust() if place.picture.scale >= SMALLEST else FINE
    return Settling(trust.wanted(recipe.mix.guard), place.picture.scale)


#: What makes the light of the grey from channels, and what else makes it depend on colour.
_OF_CHANNELS = (
    "prepare.light.warmth", "prepare.light.tint", "prepare.light.colour", _THREADS, "areas.led",
    "mix.base",
)  # fmt: skip
_BY_COLOUR = (
    *_OF_CHANNELS, "mix.lifts", "mix.picked", "areas.lifted", "areas.coloured", "finish.kept",
)  # fmt: skip


def _rest(recipe: Recipe, paths: Sequence[str]) -> bool:
    return all(value_of(recipe, path) == value_of(REST, path) for path in paths)


def _by_light_alone(recipe: Recipe) -> bool:
    """True where settling, which keeps luminance, would change nothing."""
    return recipe.mix.guard == 0 or _rest(recipe, _BY_COLOUR)


def _settled_margin(recipe: Recipe, place: Place) -> int:
    settling = _settling(recipe, place)
    return settling.margin if settling.acts else 0


@stage(
    "settled",
    reads=("mix.guard",),
    needs=("healed",),
    idle=_by_light_alone,
    margin=_settled_margin,
    grid=lambda place: Settling(FINE, place.picture.scale).grid,
)
def settled(recipe: Recipe, place: Place, rgb_linear: Colour) -> Colour:
    """Linear colour as far as the file can be trusted with it; luminance stays."""
    return _settling(recipe, place).colour(rgb_linear)


@stage("lit", reads=_WHITE, needs=("settled",), moved_by=_WHITE)
def lit(recipe: Recipe, place: Place, rgb_linear: Colour) -> Colour:
    """Linear colour with its light taken out and its exposure."""
    return light.lit(rgb_linear, recipe.prepare.light)


@stage("rendered", reads=(_CAMERA,), needs=("lit",), moved_by=(_CAMERA,))
def rendered(recipe: Recipe, place: Place, rgb_linear: Colour) -> Colour:
    """Linear colour with the tones that the camera meant."""
    return light.rendered(rgb_linear, recipe.prepare.light.camera)


def _ends_move(recipe: Recipe) -> bool:
    return bool(recipe.prepare.light.highlights or recipe.prepare.light.shadows)


@stage("light_small", needs=("rendered",), when=_ends_move, whole=True)
def light_small(recipe: Recipe, place: Place, rgb_linear: Colour) -> Plane:
    """The luminance of the whole picture, small."""
    return light.small_of(rgb_linear)


@stage("light_bands", needs=("light_small",), when=_ends_move, whole=True)
def light_bands(recipe: Recipe, place: Place, small: Plane) -> Plane:
    """Coefficients of the base of the whole picture, which highlights and shadows follow."""
    return find_bands(small, light.CHARACTER, place.window.enlarged)


@stage("light_ends", needs=("light_small",), when=_ends_move, whole=True, uncropped=True)
def light_ends(recipe: Recipe, place: Place, small: Plane) -> Ends:
    """Black and white of the picture's luminance."""
    return find_ends(small)


@stage("relit", reads=_ENDS, needs=("rendered", "light_bands", "light_ends"), moved_by=_ENDS)
def relit(recipe: Recipe, place: Place, rgb_linear: Colour, bands: Plane, ends: Ends) -> Colour:
    """Linear colour with its highlights and shadows."""
    return light.relit(rgb_linear, recipe.prepare.light, bands, ends, place.window)


@stage("photographed", needs=("relit",))
def photographed(recipe: Recipe, place: Place, rgb_linear: Colour) -> Analysis:
    """The colours that threads are told by."""
    return analyse(rgb_linear)


@stage("threaded", reads=(_THREADS,), needs=("relit", "photographed"), moved_by=(_THREADS,))
def threaded(recipe: Recipe, place: Place, rgb_linear: Colour, colours: Analysis) -> Colour:
    """Linear colour with its ranges led to where they shall be."""
    return threads.threaded(rgb_linear, colours, recipe.prepare.threads)


@stage(
    "prepared",
    reads=("areas.led",),
    needs=("threaded", "photographed", "masks"),
    moved_by=("areas.led",),
)
def prepared(
    recipe: Recipe, place: Place, rgb_linear: Colour, colours: Analysis, found: Masks | None
) -> Colour:
    """Linear colour ``(H, W, 3)`` as the mix gets it, with what areas lead elsewhere."""
    return threads.threaded_areas(recipe, found or {}, rgb_linear, colours)


@stage("brightest", reads=("prepare.light", "mix.guard", *_OF_CHANNELS), needs=("light_ends",))
def brightest(recipe: Recipe, place: Place, ends: Ends | None) -> float:
    """The highest linear channel that the mix can get, for what must hold it."""
    channel = light.brightest(recipe.prepare.light, ends)
    if not _rest(recipe, _OF_CHANNELS) and _settling(recipe, place).acts:
        channel *= BRIGHTEST
    settings = recipe.prepare.threads
    return channel if settings == Threads() else threads.brightest(settings, channel)


STAGES = (
    cleaned, denoised, edge_ground, freed, healed, settled, lit, rendered,
    light_small, light_bands, light_ends, relit, photographed, threaded, prepared, brightest,
)  # fmt: skip
