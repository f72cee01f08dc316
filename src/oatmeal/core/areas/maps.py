"""Maps: what the areas add to the settings of the other steps, pixel by pixel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.areas import kernels
from oatmeal.core.maps import FULL, Box, Maps, Masks, Stored, in_character, not_empty
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.areas import ADDED, SAME
from oatmeal.core.stages import value_of

Plane = NDArray[np.float32]
Keep = Callable[..., Any]


def maps(recipe: Recipe, names: Sequence[str], masks: Masks, keep: Keep) -> Maps | None:
    """For each of these settings that some area changes, its value at every pixel.

    What an area adds to clarity in a character of its own is a plane by itself, see
    :func:`~oatmeal.core.maps.in_character`.
    """
    wanted = [
        (masks[name], amount, _named(dict(zip((*names, "character"), values, strict=True))))
        for name, amount, *values in recipe.areas.changing(*names, "character")
        if not_empty(masks, name)
    ]
    if not any(any(values.values()) for _, _, values in wanted):
        return None
    box = Box(0, 0, 0, 0)
    for mask, _, _ in wanted:
        box = box.with_(mask.box)
    own = [mask for mask, _, _ in wanted]
    inside, spans = keep(("inside", *map(id, own)), partial(_inside, box, own))
    planes = {}
    for name in dict.fromkeys(name for _, _, values in wanted for name in values):
        weights = [
            (mask, values[name] * amount / FULL)
            for mask, amount, values in wanted
            if values.get(name)
        ]
        if not weights:
            continue
        rest = float(value_of(recipe, ADDED[name].path)) if name in ADDED else 0.0
        key = (name, box, rest, *((id(mask), weight) for mask, weight in weights))
        planes[name] = keep(key, partial(_folded, name, box, rest, weights))
    return Maps(box, inside, spans, planes)


def _named(values: dict[str, Any]) -> dict[str, float]:
    """The numbers of an area by the planes that they belong to."""
    character = values.pop("character")
    if character != SAME and "clarity" in values:
        values[in_character(character)] = values.pop("clarity")
    return values


def _inside(box: Box, masks: Sequence[Stored]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    inside = np.zeros(box.shape, np.uint8)
    spans = np.zeros((box.shape[0], 2), np.int64)
    for mask in masks:
        rows, columns = mask.box.inside(box)
        kernels.mark(mask.plane, inside[rows, columns])
        part = spans[rows]
        none = part[:, 1] == 0
        part[:, 0] = np.where(none, columns.start, np.minimum(part[:, 0], columns.start))
        part[:, 1] = np.maximum(part[:, 1], columns.stop)
    return inside, spans


def _folded(name: str, box: Box, rest: float, weights: Sequence[tuple[Stored, float]]) -> Plane:
    out = np.full(box.shape, rest, np.float32)
    for mask, weight in weights:
        kernels.add(mask.plane, weight, out[mask.box.inside(box)])
    ends = ADDED[name].sum if name in ADDED else None
    if ends is not None:
        np.clip(out, *ends, out=out)
    return out
