"""What is seen of areas: their masks, contours to draw over the picture, and where a tag stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.maps import FULL
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.areas import Area, Areas
from oatmeal.core.recipe.paths import path

Plane = NDArray[np.float32]

#: Contours are drawn where a mask has these percentages.
LEVELS: Final = (25, 50, 75)

#: Longer side of the mask that contours are found on, and how often it is divided for them.
SIDE: Final = 480
_FINER: Final = 3

#: Contours shorter than this share of the longer side are specks and left out.
_SHORTEST: Final = 0.012
_STRAIGHT: Final = 1.0
_MOST_PLACES: Final = 1500

#: Longer side of the small masks of the list.
THUMB_SIDE: Final = 54


@dataclass(frozen=True)
class Seen:
    """What is drawn of one area.

    Attributes
    ----------
    contours : mapping from percent to paths
        In shares of the framed picture's sides, written as :mod:`oatmeal.core.recipe.paths` says.
    tag : (x, y) or None
        The place deepest inside, in shares of the sides; None where nothing of it is seen.
    share : float
        Of the picture that it holds.
    thumb : uint8 (h, w)
        The mask, small.
    """

    contours: dict[int, list[str]]
    tag: tuple[float, float] | None
    share: float
    thumb: NDArray[np.uint8]


def masks_of(pipeline: Pipeline, order: Order, names: Sequence[str]) -> dict[str, Plane]:
    """Masks of some areas over the whole array, 0 to 1, whether they act or not."""
    areas = order.given.areas
    known = [one for one in areas.list if one.id in names]
    found: dict[str, Plane] = {}
    for shield in (False, True):
        shown = [one for one in known if (one.kind == "shield") == shield]
        if shown:
            found |= _masks(pipeline, order.given, shown, shield)
    return {one.id: found[one.id] for one in known}


def _masks(
    pipeline: Pipeline, recipe: Recipe, shown: Sequence[Area], shield: bool
) -> dict[str, Plane]:
    """As if all of them acted; a shield is kept out of nothing."""
    acting = shown[0].values.model_copy(update={"exposure": 1.0})
    wanted = {one.id for one in shown}

    def as_seen(one: Area) -> Area:
        if one.id in wanted:
            return one.model_copy(
                update={"on": True, "kind": "area", "amount": 100.0, "values": acting}
            )
        return one.model_copy(update={"on": one.on and one.kind == "shield" and not shield})

    groups = tuple(
        one.model_copy(update={"on": True, "amount": 100.0}) for one in recipe.areas.groups
    )
    areas = recipe.areas.model_copy(
        update={"on": True, "groups": groups, "list": tuple(map(as_seen, recipe.areas.list))}
    )
    masks = pipeline.get("masks", recipe.model_copy(update={"areas": areas}))
    shape = pipeline.source.shape[:2]
    found = {}
    for one in shown:
        out = np.zeros(shape, np.float32)
        mask = masks[one.id]
        out[mask.box.y0 : mask.box.y1, mask.box.x0 : mask.box.x1] = mask.plane
        found[one.id] = out / np.float32(FULL)
    return found


def seen(mask: Plane) -> Seen:
    """What is drawn of a mask ``(H, W)``."""
    height, width = mask.shape
    thumb = max(1, round(width * THUMB_SIDE / max(mask.shape)))
    size = (thumb, max(1, round(height * THUMB_SIDE / max(mask.shape))))
    small = cv2.resize(mask, size, interpolation=cv2.INTER_AREA)
    return Seen(
        {level: contours(mask, level / 100) for level in LEVELS},
        _tag(mask),
        round(float(mask.mean()), 4),
        np.asarray(small * 255 + 0.5, dtype=np.uint8),
    )


def contours(mask: Plane, level: float) -> list[str]:
    """Lines along which a mask crosses a level; none along the picture's own sides."""
    height, width = mask.shape
    size = (width * _FINER, height * _FINER)
    fine = cv2.resize(cv2.GaussianBlur(mask, (0, 0), 0.8), size, interpolation=cv2.INTER_LINEAR)
    inside = np.asarray(fine >= level, dtype=np.uint8)
    lines, _ = cv2.findContours(inside, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    found = []
    for line in lines:
        points = line[:, 0, :].astype(np.float64)
        for part in _off_the_sides(points, size):
            if len(part) < _SHORTEST * max(size):
                continue
            plain = cv2.approxPolyDP(part.astype(np.float32), _STRAIGHT, closed=False)[:, 0, :]
            shares = np.clip((plain + 0.5) / np.array(size), 0, 1)[:_MOST_PLACES]
            found.append(path([(float(x), float(y)) for x, y in shares]))
    return found


def _off_the_sides(points: NDArray[np.float64], size: tuple[int, int]) -> list[NDArray[np.float64]]:
    """A closed line in parts that do not run along the sides of the picture."""
    last = np.array(size) - 1 - _FINER
    on_side = ((points <= _FINER) | (points >= last)).any(axis=1)
    if not on_side.any():
        return [np.concatenate([points, points[:1]])]
    if on_side.all():
        return []
    start = int(np.argmax(on_side))
    turned, sides = np.roll(points, -start, axis=0), np.roll(on_side, -start)
    edges = np.flatnonzero(np.diff(sides.astype(int)))
    bounds = np.concatenate([edges + 1, [len(turned)]])
    return [turned[begin:end] for begin, end in pairwise(bounds) if not sides[begin]]


def _tag(mask: Plane) -> tuple[float, float] | None:
    peak = float(mask.max())
    if peak < 0.02:
        return None
    inside = np.pad(np.asarray(mask >= 0.6 * peak, dtype=np.uint8), 1)
    away = cv2.distanceTransform(inside, cv2.DIST_L2, 5)[1:-1, 1:-1]
    # of the places that lie about as deep the one nearest to the middle of it all
    rows, columns = np.nonzero(away >= 0.9 * away.max())
    middle = [
        float((mask.sum(axis=1 - axis) @ np.arange(mask.shape[axis])) / mask.sum())
        for axis in (0, 1)
    ]
    nearest = int(np.argmin((rows - middle[0]) ** 2 + (columns - middle[1]) ** 2))
    return (
        round((float(columns[nearest]) + 0.5) / mask.shape[1], 4),
        round((float(rows[nearest]) + 0.5) / mask.shape[0], 4),
    )


def drawn(areas: Areas) -> tuple[str, ...]:
    """Ids of the areas that a printing map shows: those that are switched on."""
    off = {group.id for group in areas.groups if not group.on}
    return tuple(one.id for one in areas.list if one.on and one.group not in off)
