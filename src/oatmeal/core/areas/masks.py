"""Masks: the parts of an area put together, as planes of an array."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.areas import kernels
from oatmeal.core.areas.likeness import Fits
from oatmeal.core.maps import Box, Stored
from oatmeal.core.picture import Window
from oatmeal.core.recipe.areas import (
    Alike,
    Area,
    Areas,
    Colours,
    Ellipse,
    Fade,
    MaskPart,
    OfArea,
    Outline,
    Stroke,
    Strokes,
    Tones,
)
from oatmeal.core.recipe.paths import places

Plane = NDArray[np.float32]
Points = NDArray[np.float64]
Keep = Callable[..., Any]

#: Paths are taken apart where a frame bends them, into pieces of this share of the longer side.
_PIECE: Final = 0.02
_ROUND: Final = 64


@dataclass(frozen=True, eq=False)
class Mask:
    """How far each pixel belongs, 0 to 1: a plane in a box, and one number beyond it."""

    box: Box
    plane: Plane
    beyond: float = 0.0

    def over(self, box: Box) -> Plane:
        """The plane in a box that holds this one."""
        if box == self.box:
            return self.plane
        out = np.full(box.shape, self.beyond, dtype=np.float32)
        if not self.box.empty:
            out[self.box.inside(box)] = self.plane
        return out

    def opposite(self) -> Mask:
        """What is left of it."""
        return Mask(self.box, 1 - self.plane, 1 - self.beyond)


class Painter:
    """Makes masks for one array.

    Parameters
    ----------
    window : Window
        Where the array lies.
    shape : (height, width)
        Of the array.
    fits : mapping from keys to Fits
        Of parts and strokes that look at the picture; see :func:`likeness_key`.
    guide : float32 (3, H, W) or None
        OKLab of the array as it was taken, where something looks at the picture.
    keep : callable
        Remembers parts from one run to the next.
    """

    def __init__(
        self,
        window: Window,
        shape: tuple[int, int],
        fits: dict[Any, Fits],
        guide: Plane | None,
        keep: Keep,
    ) -> None:
        self._window, self._shape = window, shape
        self._whole = Box(0, 0, shape[1], shape[0])
        self._fits, self._guide, self._keep = fits, guide, keep
        self._nodes: Plane | None = None

    def masks(self, areas: Areas, wanted: Sequence[Area]) -> dict[str, Stored]:
        """Finished masks of areas by their ids, with what shields keep out of them."""
        return {one.id: self._stored(areas, one) for one in wanted}

    def _stored(self, areas: Areas, one: Area) -> Stored:
        shields = areas.shields() if one.kind == "area" else ()
        key = ("stored", self.key(areas, one), *(self.key(areas, other) for other in shields))

        def make() -> Stored:
            kept_out = [self.own(areas, other) for other in shields]
            return _stored(self.own(areas, one), kept_out, self._whole)

        made: Stored = self._keep(key, make)
        return made

    def key(self, areas: Areas, one: Area) -> Any:
        """All that a mask depends on, but the picture and its place."""
        others = tuple(self.key(areas, areas.by_id(name)) for name in one.follows())
        return (one.mask, one.opposite, areas.move_of(one), others)

    def own(self, areas: Areas, one: Area) -> Mask:
        """The mask of an area, its opposite if that is wanted."""
        made: Mask = self._keep(("own", self.key(areas, one)), lambda: self._own(areas, one))
        return made

    def _own(self, areas: Areas, one: Area) -> Mask:
        move = areas.move_of(one)
        whole = Mask(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32))
        for part in one.mask:
            if not part.on:
                continue
            if isinstance(part, OfArea):
                made = self.own(areas, areas.by_id(part.area))
            else:
                made = self._part(part, move)
            whole = _joined(whole, made.opposite() if part.opposite else made, part.how)
        return whole.opposite() if one.opposite else whole

    def _part(self, part: MaskPart, move: tuple[float, float]) -> Mask:
        if isinstance(part, Strokes):
            return self._strokes(part.strokes, move)
        bare = part.model_copy(update={"how": "add", "opposite": False, "on": True})
        made: Mask = self._keep((bare, move), lambda: self._shape_of(part, move))
        return made

    def _shape_of(self, part: MaskPart, move: tuple[float, float]) -> Mask:
        if isinstance(part, Fade):
            out = np.empty(self._shape, np.float32)
            kernels.faded(self.nodes, _moved(part.begin, move), _moved(part.end, move), (0, 0), out)
            return Mask(self._whole, out)
        if isinstance(part, Ellipse):
            return self._ellipse(part, move)
        if isinstance(part, Outline):
            return self._outline(part, move)
        return self._likeness(part, move)

    @property
    def nodes(self) -> Plane:
        """The array's chart: shares of the longer side at every :data:`kernels.STEP` pixels."""
        if self._nodes is None:
            height, width = self._shape
            across = np.arange(math.ceil(width / kernels.STEP) + 1) * kernels.STEP
            down = np.arange(math.ceil(height / kernels.STEP) + 1) * kernels.STEP
            grid = np.stack(np.meshgrid(across, down), axis=-1).astype(np.float64)
            taken = self._window.taken(grid.reshape(-1, 2))
            self._nodes = taken.reshape(*grid.shape).astype(np.float32)
        return self._nodes

    def _boxed(self, points: Points, margin: float = 0.0) -> Box:
        low, high = points.min(axis=0) - margin, points.max(axis=0) + margin
        return Box(
            int(np.clip(math.floor(low[0]) - 1, 0, self._shape[1])),
            int(np.clip(math.floor(low[1]) - 1, 0, self._shape[0])),
            int(np.clip(math.ceil(high[0]) + 1, 0, self._shape[1])),
            int(np.clip(math.ceil(high[1]) + 1, 0, self._shape[0])),
        )

    def _ellipse(self, part: Ellipse, move: tuple[float, float]) -> Mask:
        angles = np.linspace(0, 2 * np.pi, _ROUND)
        turn = math.radians(part.angle)
        x, y = part.radii[0] * np.cos(angles), part.radii[1] * np.sin(angles)
        around = np.stack(
            [x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)],
            axis=-1,
        )
        centre = _moved(part.centre, move)
        border = self._window.places(np.array(centre) + around * 1.01)
        box = self._boxed(border)
        out = np.empty(box.shape, np.float32)
        if not box.empty:
            kernels.ellipse(
                self.nodes, centre, part.radii, part.angle, part.feather / 100, box.corner, out
            )
        return Mask(box, out)

    def _outline(self, part: Outline, move: tuple[float, float]) -> Mask:
        path = places(part.path) + np.array(move)
        if not self._straight:
            path = _finely(np.concatenate([path, path[:1]]))[:-1]
        points = self._window.places(path)
        feather = part.feather * self._window.long_side
        box = self._boxed(points, feather)
        out = np.zeros(box.shape, np.float32)
        if len(points) > 2 and not box.empty:
            kernels.enclosed(points, feather, box.corner, out)
        return Mask(box, out)

    @property
    def _straight(self) -> bool:
        """True where the frame leaves lines straight and circles round."""
        return self._window.layout is None or self._window.layout.as_taken

    def _laid(self, stroke: Stroke, move: tuple[float, float]) -> Points:
        """A stroke's places and radii in pixels, and its pressure, ``(n, 4)``."""
        path = places(stroke.path) + np.array(move)
        press = np.ones(len(path))
        if stroke.pressure:
            press = np.array(stroke.pressure.split(), dtype=np.float64) / 100
        if not self._straight and len(path) > 1:
            table = _finely(np.column_stack([path, press]))
            path, press = table[:, :2], table[:, 2]
        points = self._window.places(path)
        radius = np.full(len(path), stroke.radius * self._window.long_side)
        if not self._straight:
            radius = stroke.radius * self._stretch(path, points)
        return np.column_stack([points, radius, press])

    def _stretch(self, path: Points, points: Points) -> Points:
        """Pixels for one longer side at places of a frame: the root of the area's growth."""
        step = 1e-3
        across = self._window.places(path + np.array([step, 0])) - points
        down = self._window.places(path + np.array([0, step])) - points
        area = np.abs(across[:, 0] * down[:, 1] - across[:, 1] * down[:, 0])
        return np.asarray(np.sqrt(area) / step)

    def _strokes(self, strokes: Sequence[Stroke], move: tuple[float, float]) -> Mask:
        """Strokes over one another; what lies under the last one stays, for it is being drawn."""
        if not strokes:
            return Mask(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32))

        def painted(count: int, passing: bool = False) -> Mask:
            key = ("strokes", strokes[:count], move)
            made: Mask = self._keep(key, lambda: paint(count), passing=passing)
            return made

        def paint(count: int) -> Mask:
            under, begin = Mask(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32)), 0
            if count > 1 and count == len(strokes):
                under, begin = painted(count - 1, passing=True), count - 1
            return self._painted(under, strokes[begin:count], move)

        return painted(len(strokes))

    def _painted(self, under: Mask, strokes: Sequence[Stroke], move: tuple[float, float]) -> Mask:
        laid = [self._laid(stroke, move) for stroke in strokes]
        boxes = [self._boxed(points[:, :2], points[:, 2].max()) for points in laid]
        box = under.box
        for one in boxes:
            box = box.with_(one)
        out = np.ascontiguousarray(under.over(box)).copy()
        if box.empty:
            return Mask(box, out)
        begin = 0
        while begin < len(strokes):
            end = begin + 1
            if not strokes[begin].hold:
                while end < len(strokes) and not strokes[end].hold:
                    end += 1
                self._coat(laid[begin:end], strokes[begin:end], box, out, None)
            else:
                part = boxes[begin]
                if not part.empty:
                    like = self._guided(likeness_key(strokes[begin], move), part)
                    here = part.inside(box)
                    coated = np.ascontiguousarray(out[here])
                    self._coat(laid[begin:end], strokes[begin:end], part, coated, like)
                    out[here] = coated
            begin = end
        return Mask(box, out)

    def _coat(
        self,
        laid: Sequence[Points],
        strokes: Sequence[Stroke],
        box: Box,
        out: Plane,
        likeness: Plane | None,
    ) -> None:
        starts = np.concatenate([[0], np.cumsum([len(points) for points in laid])])
        brushes = np.array(
            [
                [one.hardness / 100, one.flow / 100, one.max / 100, float(one.erase)]
                for one in strokes
            ]
        )
        points = np.concatenate(laid)
        kernels.paint(points, starts.astype(np.int64), brushes, box.corner, out, likeness)

    def _likeness(self, part: MaskPart, move: tuple[float, float]) -> Mask:
        return Mask(self._whole, self._guided(likeness_key(part, move), self._whole))

    def _guided(self, key: Any, box: Box) -> Plane:
        out = np.zeros(box.shape, np.float32)
        fits = self._fits.get(key)
        if fits is not None and self._guide is not None and not box.empty:
            kernels.guided(
                self.nodes, self._guide, fits.planes, fits.cells, fits.cell, box.corner, out
            )
        return out


def likeness_key(what: MaskPart | Stroke, move: tuple[float, float]) -> Any:
    """What a part, or a stroke, that looks at the picture depends on."""
    if isinstance(what, Stroke):
        return ("held", what.path, what.radius, what.hold, move)
    return (what.model_copy(update={"how": "add", "opposite": False, "on": True}), move)


def looks(part: MaskPart) -> bool:
    """True for a part that looks at the picture's colours."""
    if isinstance(part, Strokes):
        return any(stroke.hold for stroke in part.strokes)
    return isinstance(part, Alike | Tones | Colours)


def _moved(place: tuple[float, float], move: tuple[float, float]) -> tuple[float, float]:
    return place[0] + move[0], place[1] + move[1]


def _finely(table: Points) -> Points:
    """A path, and what goes with its places, with so many of them that a frame's bend shows."""
    lengths = np.hypot(*np.diff(table[:, :2], axis=0).T)
    counts = np.maximum(1, np.ceil(lengths / _PIECE).astype(int))
    at = np.concatenate(
        [place + np.arange(count) / count for place, count in enumerate(counts)] + [[len(counts)]]
    )
    whole = np.arange(len(table))
    return np.stack([np.interp(at, whole, column) for column in table.T], axis=-1)


def _joined(whole: Mask, part: Mask, how: str) -> Mask:
    """Two masks as one: ``1-(1-m)(1-p)``, ``m(1-p)`` or ``mp``."""
    if how == "add" and whole.box.empty and not whole.beyond:
        return part
    if how != "add" and not whole.beyond:  # only what is there can become less
        box = whole.box
        if box.empty:
            return whole
        other = _cut(part, box)
    else:
        box = whole.box.with_(part.box)
        other = part.over(box)
    own = whole.over(box)
    if how == "add":
        return Mask(box, own + other - own * other, 1 - (1 - whole.beyond) * (1 - part.beyond))
    if how == "subtract":
        return Mask(box, own - own * other, whole.beyond * (1 - part.beyond))
    return Mask(box, own * other, whole.beyond * part.beyond)


def _cut(mask: Mask, box: Box) -> Plane:
    """A mask in a box that may lie elsewhere."""
    out = np.full(box.shape, mask.beyond, dtype=np.float32)
    both = box.and_(mask.box)
    if not both.empty:
        out[both.inside(box)] = mask.plane[both.inside(mask.box)]
    return out


def _stored(mask: Mask, shields: Sequence[Mask], whole: Box) -> Stored:
    for shield in shields:
        mask = _joined(mask, shield, "subtract")
    if mask.beyond:
        mask = Mask(whole, mask.over(whole))
    return Stored(mask.box, kernels.stored(mask.plane))
