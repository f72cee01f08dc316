"""Spots: small faults painted over with what lies near them.

The source is brought to the place of the fault, and what it differs by at the border is carried
inside, so that neither tone nor colour shows a seam. Encoded values are joined, as they are seen.

References
----------
P. Pérez, M. Gangnet and A. Blake, "Poisson Image Editing", ACM TOG 22 (2003); the difference is
carried by weights over the distance instead of an equation: Z. Farbman et al., "Coordinates for
Instant Image Cloning", ACM TOG 28 (2009).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.picture import Rectangle, Window
from oatmeal.core.prepare import spot_kernels as kernels
from oatmeal.core.recipe import Spot
from oatmeal.core.recipe.paths import places

Colour = NDArray[np.float32]
Points = NDArray[np.float64]

#: ``look(rectangle)``: linear colour of a rectangle ``(x, y, width, height)`` of the whole.
Look = Callable[[Rectangle], Colour]

#: The border that is carried inside: so many pixels from where the spot ends.
BORDER: Final = 1.0

#: A spot that is smaller than this in a reduced picture still covers the pixel that it lies in.
_LEAST_RADIUS: Final = 0.75

#: Pixels that a source may lie beyond the picture in a reduced one, where whole ones are counted.
_ROUNDED: Final = 2

#: A border with more places than this is averaged in cells.
_MOST_PLACES: Final = 600

#: How soft the edge of what is copied as it is, in shares of the radius.
_SOFT_COPY: Final = 0.3


@dataclass(frozen=True)
class Laid:
    """A spot as it lies on the whole picture, in its pixels.

    Attributes
    ----------
    points : float64 (n, 2)
        Of its path, x and y.
    radius : float
    source : (int, int)
        From where it lies to where it is taken from, x and y.
    copied : bool
    """

    points: Points
    radius: float
    source: tuple[int, int]
    copied: bool

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Left, top, right, bottom of what it covers and of its border."""
        low = np.floor(self.points.min(axis=0) - self.radius - BORDER - 1).astype(int)
        high = np.ceil(self.points.max(axis=0) + self.radius + BORDER + 1).astype(int)
        return int(low[0]), int(low[1]), int(high[0]), int(high[1])

    def distance(self, rectangle: Rectangle) -> NDArray[np.float64]:
        """Of pixels' middles from the path, in pixels ``(height, width)``."""
        x, y, width, height = rectangle
        across, down = np.meshgrid(x + np.arange(width) + 0.5, y + np.arange(height) + 0.5)
        found = np.full((height, width), np.inf)
        ends = self.points[1:] if len(self.points) > 1 else self.points
        for begin, end in zip(self.points, ends, strict=False):
            way = end - begin
            length = float(way @ way)
            along = (across - begin[0]) * way[0] + (down - begin[1]) * way[1]
            share = np.clip(along / length, 0, 1) if length else np.zeros_like(along)
            off = np.hypot(across - begin[0] - share * way[0], down - begin[1] - share * way[1])
            np.minimum(found, off, out=found)
        return found


def laid(spot: Spot, window: Window) -> Laid:
    """A spot on the whole picture that a window belongs to."""
    path = places(spot.path)
    beside = np.array([[0.0, 0.0], [spot.radius, 0.0], [0.0, spot.radius], spot.source])
    whole = Window(0, 0, window.width, window.height, window.layout)
    points = whole.places(np.concatenate([path, path[:1] + beside]))
    origin, across, down, source = points[len(path) :]
    turn = np.stack([across - origin, down - origin])
    radius = max(_LEAST_RADIUS, float(np.sqrt(abs(np.linalg.det(turn)))))
    way = np.rint(source - origin).astype(int)
    return Laid(points[: len(path)], radius, (int(way[0]), int(way[1])), spot.copied)


def healed(rgb_linear: Colour, look: Look, spots: Sequence[Spot], window: Window) -> Colour:
    """Linear colour ``(H, W, 3)`` of a window with its spots painted over, one after the other.

    Parameters
    ----------
    look : callable
        Gives the picture before that anywhere in the whole, for sources beyond the window.
    """
    height, width = rgb_linear.shape[:2]
    corner = round(window.x), round(window.y)
    work = Healing(look, [laid(one, window) for one in spots if one.on], window)
    out = rgb_linear.copy()
    work.paste(out, (*corner, width, height), len(work.spots))
    return out


class Healing:
    """Paints spots over, each on what those before it left.

    Parameters
    ----------
    look : callable
        Gives the picture without any of them.
    spots : sequence of Laid
    window : Window
        Its whole's size says where the picture ends.
    """

    def __init__(self, look: Look, spots: Sequence[Laid], window: Window) -> None:
        self._look = look
        self.spots = spots
        self._size = round(window.width), round(window.height)
        self._boxes = [self._inside(one.box) for one in spots]
        self._patches: dict[int, tuple[NDArray[np.bool_], Colour]] = {}

    def _inside(self, box: tuple[int, int, int, int]) -> Rectangle:
        left, top = max(0, box[0]), max(0, box[1])
        right, bottom = min(self._size[0], box[2]), min(self._size[1], box[3])
        return left, top, max(0, right - left), max(0, bottom - top)

    def paste(self, onto: Colour, rectangle: Rectangle, count: int) -> None:
        """Paint the first ``count`` spots over in an array that shows a rectangle."""
        x, y, width, height = rectangle
        for number in range(count):
            left, top, across, down = self._boxes[number]
            from_x, to_x = max(x, left), min(x + width, left + across)
            from_y, to_y = max(y, top), min(y + height, top + down)
            if from_x >= to_x or from_y >= to_y:
                continue
            covered, patch = self._patch(number)
            there = (slice(from_y - top, to_y - top), slice(from_x - left, to_x - left))
            part = onto[from_y - y : to_y - y, from_x - x : to_x - x]
            part[covered[there]] = patch[there][covered[there]]

    def read(self, rectangle: Rectangle, count: int) -> Colour:
        """A rectangle inside the picture, after the first ``count`` spots."""
        part = np.array(self._look(rectangle))
        self.paste(part, rectangle, count)
        return part

    def _source(self, number: int) -> Rectangle | None:
        """Where a spot is healed from; None where that is not in the picture."""
        (x, y), (left, top, width, height) = self.spots[number].source, self._boxes[number]
        room = self._size[0] - width, self._size[1] - height
        wanted = left + x, top + y
        inside = min(max(wanted[0], 0), room[0]), min(max(wanted[1], 0), room[1])
        if max(abs(inside[0] - wanted[0]), abs(inside[1] - wanted[1])) > _ROUNDED:
            return None
        return inside[0], inside[1], width, height

    def _patch(self, number: int) -> tuple[NDArray[np.bool_], Colour]:
        if number not in self._patches:
            self._patches[number] = self._made(number)
        return self._patches[number]

    def _made(self, number: int) -> tuple[NDArray[np.bool_], Colour]:
        """Which pixels of its box a spot covers, and the box with the spot painted over."""
        spot, box = self.spots[number], self._boxes[number]
        source = self._source(number)
        here = self.read(box, number)
        # what was cut away with its source is filled from the border alone
        there = self.read(source, number) if source else np.zeros_like(here)
        distance = spot.distance(box)
        if spot.copied and source:
            soft = max(1.0, _SOFT_COPY * spot.radius)
            share = np.clip((spot.radius - distance) / soft, 0, 1)
            return share > 0, _blend(here, there, share)
        covered = distance <= spot.radius
        border = ~covered & (distance <= spot.radius + BORDER)
        if not covered.any() or not border.any():
            return covered, here
        now, taken = encode_srgb(here), encode_srgb(there)
        at, by = _averaged(np.argwhere(border), (now - taken)[border])
        inside = np.argwhere(covered).astype(np.float32)
        taken[covered] += kernels.carried(inside, at, by)
        return covered, decode_srgb(taken).astype(np.float32)


def _averaged(at: NDArray[np.int64], by: NDArray[np.float64]) -> tuple[Colour, Colour]:
    """Places of a border and what it differs by there; means over cells where there are many."""
    if len(at) > _MOST_PLACES:
        cell = max(2, round(len(at) / _MOST_PLACES))
        keys = at // cell
        _, group = np.unique(keys[:, 0] * 1_000_000 + keys[:, 1], return_inverse=True)
        count = np.bincount(group)[:, None]
        columns = [np.bincount(group, column) for column in (*at.T, *by.T)]
        means = np.stack(columns, axis=1) / count
        return means[:, :2].astype(np.float32), means[:, 2:].astype(np.float32)
    return at.astype(np.float32), by.astype(np.float32)


def _blend(here: Colour, there: Colour, share: NDArray[np.float64]) -> Colour:
    return np.asarray(here + share[..., None] * (there - here), dtype=np.float32)
