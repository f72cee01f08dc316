"""The rectangle of the frame on the canvas: as large as can be, or a share of that, and where.

The picture's outline on the canvas is held as half planes ``n · p <= d``. A rectangle with half
sides ``a`` and ``a / ratio`` lies inside where its middle fulfils ``n · c + a (|nx| + |ny| /
ratio) <= d``: the middles that are possible are a convex polygon, which shrinks as ``a`` grows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.prepare.setright import SetRight

Point = tuple[float, float]
#: ``nx, ny, d``.
HalfPlane = tuple[float, float, float]

#: Pieces that a side of the outline is cut into where the lens bends it.
_PIECES: Final = 24
_STEPS: Final = 48


@dataclass(frozen=True)
class Rectangle:
    """A frame on the canvas: its middle, and half its sides."""

    x: float
    y: float
    half_width: float
    half_height: float


def outline(right: SetRight) -> list[HalfPlane]:
    """Half planes whose common part lies inside the picture on the canvas.

    A side that the lens bends outward is followed; one that it bends inward is replaced by the line
    along its innermost point. A turned frame touches such a side elsewhere and could be a little
    larger: by half a hundredth where the lens bends by 3 %.
    """
    width, height = right.width, right.height
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], dtype=float)
    middle = right.canvas(np.array([width / 2, height / 2]))
    count = 1 if right.bend.straight else _PIECES
    planes: list[HalfPlane] = []
    for corner, following in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        share = np.linspace(0, 1, count + 1)[:, None]
        planes += _planes_of(right.canvas(corner + share * (following - corner)), middle)
    return planes


def _planes_of(side: NDArray[np.float64], middle: NDArray[np.float64]) -> list[HalfPlane]:
    chord = _normal(side[0], side[-1], middle)
    beyond = side @ chord[:2] - chord[2]
    if beyond.min() < -1e-9:
        return [(float(chord[0]), float(chord[1]), float(chord[2] + _lowest(beyond)))]
    pieces = pairwise(side)
    found = [_normal(one, other, middle) for one, other in pieces]
    return [(float(x), float(y), float(d)) for x, y, d in found]


def _lowest(values: NDArray[np.float64]) -> float:
    """The least of a curve that evenly spaced values tell: of the parabola through the lowest."""
    at = min(max(int(values.argmin()), 1), len(values) - 2)
    before, here, after = values[at - 1 : at + 2]
    curved = before - 2 * here + after
    return float(here - (before - after) ** 2 / (8 * curved)) if curved > 0 else float(here)


def _normal(
    one: NDArray[np.float64], other: NDArray[np.float64], middle: NDArray[np.float64]
) -> NDArray[np.float64]:
    along = other - one
    normal = np.array([along[1], -along[0]]) / np.hypot(*along)
    if normal @ (middle - one) > 0:
        normal = -normal
    return np.array([*normal, normal @ one])


def middles(planes: Sequence[HalfPlane], half_width: float, ratio: float) -> list[Point]:
    """Corners of the polygon in which a rectangle's middle may lie; none if it is too large."""
    far = 1e7
    polygon: list[Point] = [(-far, -far), (far, -far), (far, far), (-far, far)]
    for nx, ny, d in planes:
        room = d - half_width * (abs(nx) + abs(ny) / ratio)
        polygon = _clipped(polygon, nx, ny, room)
        if not polygon:
            break
    return polygon


def _clipped(polygon: list[Point], nx: float, ny: float, room: float) -> list[Point]:
    kept: list[Point] = []
    for place, (x, y) in enumerate(polygon):
        before_x, before_y = polygon[place - 1]
        here, before = nx * x + ny * y - room, nx * before_x + ny * before_y - room
        if (here > 0) != (before > 0):
            t = before / (before - here)
            kept.append((before_x + t * (x - before_x), before_y + t * (y - before_y)))
        if here <= 0:
            kept.append((x, y))
    return kept


def largest(planes: Sequence[HalfPlane], ratio: float) -> float:
    """Half the width of the largest rectangle of a ratio inside half planes."""
    low, high = 0.0, 2 * max(abs(d) for _, _, d in planes) * max(1.0, ratio) + 1.0
    for _ in range(_STEPS):
        middle = (low + high) / 2
        if middles(planes, middle, ratio):
            low = middle
        else:
            high = middle
    return low


def rectangle(
    planes: Sequence[HalfPlane], ratio: float, size: float, wanted: Point, inside: bool
) -> Rectangle:
    """The frame that is meant.

    Parameters
    ----------
    planes : sequence of half planes
        From :func:`outline`.
    ratio : float
        Width over height.
    size : float
        Share of the largest rectangle's sides.
    wanted : (x, y)
        The place on the canvas that its middle should have, or come nearest to.
    inside : bool
        True if it must lie inside.
    """
    half_width = largest(planes, ratio) * (min(size, 1.0) if inside else size)
    x, y = wanted
    if inside:
        x, y = nearest(middles(planes, half_width * (1 - 1e-9), ratio), wanted)
    return Rectangle(x, y, half_width, half_width / ratio)


def nearest(polygon: Sequence[Point], wanted: Point) -> Point:
    """The point of a convex polygon that is nearest to a place; the place itself if no polygon."""
    best: Point = wanted
    least = float("inf")
    turns = 0
    for place, (x, y) in enumerate(polygon):
        before_x, before_y = polygon[place - 1]
        along_x, along_y = x - before_x, y - before_y
        away_x, away_y = wanted[0] - before_x, wanted[1] - before_y
        turns += 1 if along_x * away_y - along_y * away_x >= 0 else -1
        length = along_x**2 + along_y**2
        t = min(1.0, max(0.0, (along_x * away_x + along_y * away_y) / length)) if length else 0.0
        near_x, near_y = before_x + t * along_x, before_y + t * along_y
        apart = (wanted[0] - near_x) ** 2 + (wanted[1] - near_y) ** 2
        if apart < least:
            least, best = apart, (near_x, near_y)
    return wanted if abs(turns) == len(polygon) else best
