"""Areas carried to another photograph: they lie where they lay in the framed picture."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.picture import Layout
from oatmeal.core.recipe.areas import (
    Alike,
    Areas,
    Ellipse,
    Fade,
    MaskPart,
    Outline,
    Stroke,
    Strokes,
)
from oatmeal.core.recipe.paths import path, places

Points = NDArray[np.float64]


class Placing:
    """From one framed photograph to another one.

    Parameters
    ----------
    here, there : Layout
        How each is framed.
    """

    def __init__(self, here: Layout, there: Layout) -> None:
        self._here, self._there = here, there
        self._sides = np.array(here.file) / max(here.file)
        self._new_sides = np.array(there.file) / max(there.file)

    def areas(self, areas: Areas) -> Areas:
        """The same areas for the other photograph; what falls outside it is left out."""
        moved = tuple(
            one.model_copy(
                update={
                    "move": (0.0, 0.0),
                    "mask": tuple(self._part(part, areas.move_of(one)) for part in one.mask),
                }
            )
            for one in areas.list
        )
        groups = tuple(one.model_copy(update={"move": (0.0, 0.0)}) for one in areas.groups)
        return areas.model_copy(update={"list": moved, "groups": groups})

    def _places(self, taken: Points) -> Points:
        """From shares of the one longer side to shares of the other one."""
        framed = self._here.framed(taken / self._sides)
        return np.asarray(self._there.taken(framed) * self._new_sides)

    def _place(self, place: tuple[float, float]) -> tuple[float, float]:
        x, y = self._places(np.array([place]))[0]
        return round(float(np.clip(x, -1, 2)), 5), round(float(np.clip(y, -1, 2)), 5)

    def _growth(self, place: Points) -> tuple[float, float]:
        """How much longer lengths at a place become, and by how much they turn, in degrees."""
        step = 1e-3
        around = place + np.array([[0, 0], [step, 0], [0, step]])
        here, across, down = self._places(around)
        one, other = across - here, down - here
        area = abs(one[0] * other[1] - one[1] * other[0])
        return math.sqrt(area) / step, math.degrees(math.atan2(one[1], one[0]))

    def _path(self, text: str, move: tuple[float, float]) -> str:
        points = self._places(places(text) + np.array(move))
        return path([(float(x), float(y)) for x, y in np.clip(points, 0, self._new_sides)])

    def _inside(self, text: str, move: tuple[float, float], reach: float) -> bool:
        points = self._places(places(text) + np.array(move))
        low, high = points.min(axis=0) + reach, points.max(axis=0) - reach
        return bool((low > 0).all() and (high < self._new_sides).all())

    def _part(self, part: MaskPart, move: tuple[float, float]) -> MaskPart:
        changed: dict[str, Any] = {}
        if isinstance(part, Strokes):
            strokes = [self._stroke(one, move) for one in part.strokes]
            changed = {"strokes": tuple(one for one in strokes if one is not None)}
        elif isinstance(part, Fade):
            changed = {"begin": self._place(_sum(part.begin, move)), "end": self._place(
                _sum(part.end, move))}  # fmt: skip
        elif isinstance(part, Ellipse):
            centre = _sum(part.centre, move)
            growth, turn = self._growth(np.array(centre))
            angle = (part.angle + turn + 180) % 360 - 180
            radii = tuple(round(min(max(one * growth, 0.002), 2.0), 5) for one in part.radii)
            changed = {"centre": self._place(centre), "radii": radii, "angle": round(angle, 2)}
        elif isinstance(part, Outline):
            growth, _ = self._growth(places(part.path).mean(axis=0) + np.array(move))
            feather = round(min(max(part.feather * growth, 0.0005), 0.5), 5)
            changed = {"path": self._path(part.path, move), "feather": feather}
        elif isinstance(part, Alike):
            changed = {
                name: tuple(
                    self._path(one, move)
                    for one in getattr(part, name)
                    if self._inside(one, move, 0.0)
                )
                for name in ("this", "others")
            }
        return part.model_copy(update=changed)

    def _stroke(self, one: Stroke, move: tuple[float, float]) -> Stroke | None:
        growth, _ = self._growth(places(one.path).mean(axis=0) + np.array(move))
        radius = round(min(max(one.radius * growth, 0.002), 0.5), 5)
        if not self._inside(one.path, move, radius):
            return None
        return one.model_copy(update={"path": self._path(one.path, move), "radius": radius})


def _sum(place: tuple[float, float], move: tuple[float, float]) -> tuple[float, float]:
    return place[0] + move[0], place[1] + move[1]


def placed(areas: Areas, here: Layout, there: Layout) -> Areas:
    """Areas of one framed photograph, placed on another one."""
    return Placing(here, there).areas(areas)
