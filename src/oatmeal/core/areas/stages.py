"""The stages of Areas."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.areas import likeness
from oatmeal.core.areas.likeness import Fits, Ground
from oatmeal.core.areas.maps import maps
from oatmeal.core.areas.masks import Painter, likeness_key, looks
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.maps import Box, Maps, Stored
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.areas import (
    ADDED,
    LAID_ON,
    LIGHT,
    SCALE,
    Alike,
    Area,
    Areas,
    Colours,
    MaskPart,
    Strokes,
    Tones,
)
from oatmeal.core.recipe.paths import places
from oatmeal.core.stages import SOURCE, Place, stage, value_of

Plane = NDArray[np.float32]
Keep = Callable[..., Any]


def _parts(areas: Areas) -> Iterator[tuple[Area, MaskPart]]:
    """Parts that are switched on of all masks that may be seen."""
    return ((one, part) for one in areas.list for part in one.mask if part.on)


def _looks(recipe: Recipe) -> bool:
    return any(looks(part) for _, part in _parts(recipe.areas))


@stage("ground", when=_looks, whole=True)
def ground(recipe: Recipe, place: Place) -> Ground:
    """A small copy of the picture as it was taken, ready for comparing."""
    return likeness.ground(place.picture.taken())


@stage(
    "likenesses", reads=("areas.shapes",), needs=("ground",), when=_looks, whole=True, keeps=True
)
def likenesses(recipe: Recipe, place: Place, keep: Keep, known: Ground) -> Mapping[Any, Fits]:
    """What looks alike on the small copy, for each part and stroke that asks for it."""
    areas = recipe.areas
    found: dict[Any, Fits] = {}
    for one, part in _parts(areas):
        move = areas.move_of(one)
        if isinstance(part, Strokes):
            for stroke in part.strokes:
                if stroke.hold:
                    key = likeness_key(stroke, move)
                    path = places(stroke.path) + np.array(move)
                    found[key] = keep(key, partial(likeness.held, known, stroke, path))
        elif isinstance(part, Alike | Tones | Colours):
            key = likeness_key(part, move)
            found[key] = keep(key, partial(_fits, known, part, move))
    return found


def _fits(known: Ground, part: MaskPart, move: tuple[float, float]) -> Fits:
    return likeness.fitted(known, _plane(known, part, move))


def _plane(known: Ground, part: MaskPart, move: tuple[float, float]) -> Plane:
    if isinstance(part, Alike):
        away = np.array(move)
        this = [places(path) + away for path in part.this]
        others = [places(path) + away for path in part.others]
        return likeness.alike(known, part, this, others)
    if isinstance(part, Tones):
        return likeness.tones(known, part)
    assert isinstance(part, Colours)
    return likeness.colours(known, part)


@stage("guide", needs=(SOURCE,), when=_looks)
def guide(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """OKLab of the picture as it was taken, float32 ``(3, H, W)``."""
    return np.stack(colour_kernels.colours(np.ascontiguousarray(np.maximum(rgb_linear, 0))))


@stage(
    "masks",
    reads=("areas.shapes",),
    needs=(SOURCE, "likenesses", "guide"),
    when=lambda recipe: bool(recipe.areas.moving()),
    keeps=True,
)
def masks(
    recipe: Recipe,
    place: Place,
    keep: Keep,
    rgb_linear: Plane,
    fits: Mapping[Any, Fits] | None,
    lab: Plane | None,
) -> Mapping[str, Stored]:
    """Masks of the areas that change something, by their ids; a sample of colours has none."""
    if not place.picture.scale:
        return {}
    painter = Painter(place.window, rgb_linear.shape[:2], dict(fits or {}), lab, keep)
    return painter.masks(recipe.areas, recipe.areas.moving())


@stage(
    "light_maps",
    reads=("areas.light", *(ADDED[name].path for name in LIGHT)),
    needs=("masks",),
    when=lambda recipe: bool(recipe.areas.light),
    keeps=True,
)
def light_maps(
    recipe: Recipe, place: Place, keep: Keep, found: Mapping[str, Stored]
) -> Maps | None:
    """What stands in the place of Tone's settings of light where areas change them."""
    return maps(recipe, LIGHT, found, keep)


@stage(
    "scale_maps",
    reads=("areas.scale", *(ADDED[name].path for name in SCALE)),
    needs=("masks",),
    when=lambda recipe: bool(recipe.areas.scale),
    keeps=True,
)
def scale_maps(
    recipe: Recipe, place: Place, keep: Keep, found: Mapping[str, Stored]
) -> Maps | None:
    """What stands in the place of the scale's settings where areas change them."""
    return maps(recipe, SCALE, found, keep)


@stage(
    "laid_on_maps",
    reads=("areas.laid_on", *(ADDED[name].path for name in LAID_ON)),
    needs=("masks",),
    when=lambda recipe: bool(recipe.areas.laid_on),
    whole=True,
)
def laid_on_maps(
    recipe: Recipe, place: Place, found: Mapping[str, Stored]
) -> Mapping[str, Plane] | None:
    """How much of what is laid on the print there is where areas change it, of the whole picture.

    The print has another size than the file: a small whole serves both.
    """
    made = maps(recipe, LAID_ON, found, lambda key, make: make())
    if made is None:
        return None
    size = place.window
    whole = Box(0, 0, round(size.width), round(size.height))
    return {
        name: made.over(whole, name, float(value_of(recipe, ADDED[name].path)))
        for name in made.planes
    }


STAGES = (ground, likenesses, guide, masks, light_maps, scale_maps, laid_on_maps)
