"""Maps: what the areas add to the settings of the other steps, pixel by pixel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.areas import kernels
from oatmeal.core.maps import FULL, Box, Maps, Masks, Stored, not_empty
from oatmeal.core.recipe import Recipe

Plane = NDArray[np.float32]
Keep = Callable[..., Any]

#: Where the sum of an area's value and that of everywhere ends.
_LIMITS: Final = {
    "highlights": (-100.0, 100.0), "shadows": (-100.0, 100.0), "veil": (-100.0, 100.0),
    "clarity": (-100.0, 200.0), "detail": (-100.0, 200.0),
}  # fmt: skip


def everywhere(recipe: Recipe, name: str) -> float:
    """A setting of Tone as it is outside all areas."""
    part: Any = recipe.tone.levels if name in ("black", "white") else recipe.tone
    return float(getattr(part, name))


def maps(recipe: Recipe, names: Sequence[str], masks: Masks, keep: Keep) -> Maps | None:
    """For each of these settings of Tone that some area changes, its value at every pixel."""
    wanted = [
        (masks[name], amount, dict(zip(names, values, strict=True)))
        for name, amount, *values in recipe.areas.changing(*names)
        if not_empty(masks, name)
    ]
    if not wanted:
        return None
    box = Box(0, 0, 0, 0)
    for mask, _, _ in wanted:
        box = box.with_(mask.box)
    own = [mask for mask, _, _ in wanted]
    inside, spans = keep(("inside", *map(id, own)), partial(_inside, box, own))
    planes = {}
    for name in names:
        weights = [
            (mask, values[name] * amount / FULL) for mask, amount, values in wanted if values[name]
        ]
        if not weights:
            continue
        rest = everywhere(recipe, name)
        key = (name, box, rest, *((id(mask), weight) for mask, weight in weights))
        planes[name] = keep(key, partial(_folded, name, box, rest, weights))
    return Maps(box, inside, spans, planes)


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
    if name in _LIMITS:
        np.clip(out, *_LIMITS[name], out=out)
    return out
