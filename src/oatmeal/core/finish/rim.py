"""The uneven edge of a print: a black rim as of a filed negative carrier, and bare paper beyond.

Each side is moved by a walk of its own along it, the carrier's edge more than the film gate's.
"""

from __future__ import annotations

import zlib
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish.lattice import cloud
from oatmeal.core.finish.marks import generator
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import Uneven

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: Encoded greys of bare paper and of the rim.
PAPER: Final = 0.955
INK: Final = 0.045

#: Beyond so many widths and thousandths from the sides the picture is as it was.
_WIDTHS: Final = 2.8
_UNITS: Final = 8.0


class _Frame(NamedTuple):
    """One of the two frames; inset and corner in pixels, unevenness in shares of the edge."""

    number: int
    inset: float
    round: float
    turn: float
    far: float
    near: float


def rim(
    uneven: Uneven, window: Window, shape: tuple[int, int], photograph: int
) -> tuple[Plane, Plane]:
    """What is kept of each pixel's encoded value and what is added, float32 ``(H, W)`` each.

    A part is bit-equal to that part of the whole.
    """
    height, width = shape
    kept, added = np.ones(shape, dtype=np.float32), np.zeros(shape, dtype=np.float32)
    unit = max(window.width, window.height) / 1000
    reach = int(np.ceil(_WIDTHS * uneven.width * unit + _UNITS * unit))
    left, top = round(window.x), round(window.y)
    x0, x1 = (int(np.clip(end - left, 0, width)) for end in (reach, round(window.width) - reach))
    y0, y1 = (int(np.clip(end - top, 0, height)) for end in (reach, round(window.height) - reach))
    x1, y1 = max(x0, x1), max(y0, y1)
    edge = _Edge(uneven, window, (left, top), shape, photograph)
    for rows, columns in (
        (slice(0, y0), slice(0, width)), (slice(y1, height), slice(0, width)),
        (slice(y0, y1), slice(0, x0)), (slice(y0, y1), slice(x1, width)),
    ):  # fmt: skip
        if rows.stop > rows.start and columns.stop > columns.start:
            kept[rows, columns], added[rows, columns] = edge.part(rows, columns)
    return kept, added


class _Edge:
    """An uneven edge on an array: the four sides of both frames, drawn part by part."""

    def __init__(
        self, uneven: Uneven, window: Window, corner: tuple[int, int], shape: tuple[int, int],
        photograph: int,
    ) -> None:  # fmt: skip
        self._size = window.width, window.height
        self._unit = max(self._size) / 1000
        self._band = uneven.width * self._unit
        self._rough = uneven.roughness / 50
        self._seed = zlib.crc32(f"rim {photograph} {uneven.seed}".encode())
        chance = generator("rim", uneven.seed, photograph)
        self._tilts = 0.002 * self._rough * chance.normal(0, 1, 4)
        self._insets = 1 + 0.1 * self._rough * chance.normal(0, 1, 4)
        self._corner = corner
        self._x: Numbers = np.arange(shape[1], dtype=np.float64) + (corner[0] + 0.5)
        self._y: Numbers = np.arange(shape[0], dtype=np.float64) + (corner[1] + 0.5)
        black = 0.25 + 0.6 * uneven.black / 100
        band = self._band
        self._gate = _Frame(0, band, 0.32 * band, 1.0, 0.022, 0.012)
        self._carrier = _Frame(8, band * (1 - black), 0.28 * band, 2.0, 0.1, 0.012)
        self._sides = {how: self._all_sides(how) for how in (self._gate, self._carrier)}

    def _all_sides(self, how: _Frame) -> list[Numbers]:
        """How far left, right, top and bottom stand inward, along each of them."""
        (x0, y0), (width, height) = self._corner, self._size
        upright = [self._side(number, self._y, y0, height / 2, how) for number in (0, 1)]
        return upright + [self._side(number, self._x, x0, width / 2, how) for number in (2, 3)]

    def _side(
        self, number: int, along: Numbers, first: int, middle: float, how: _Frame
    ) -> Numbers:  # fmt: skip
        def walk(own: int, wide_px: float, octaves: int, gain: float) -> Numbers:
            seed = (self._seed + 101 * own) % 2**32
            found = cloud((first, 0), (1, len(along)), wide_px, seed, octaves, gain)
            return np.asarray(found[0], dtype=np.float64)

        band, own = self._band, number + how.number
        far = walk(own, 3.2 * band + 6 * self._unit, 5, 0.5)
        near = walk(own + 4, 0.35 * band + 0.8 * self._unit, 2, 0.6)
        moved = how.far * far + how.near * near - 0.9 * how.far * np.maximum(far - 1, 0)
        turned = self._tilts[number] * how.turn * (along - middle)
        return np.asarray(how.inset * self._insets[number] + turned - band * self._rough * moved)

    def _inside(self, how: _Frame, rows: slice, columns: slice) -> Numbers:
        """Distance inward from a slightly crooked frame with round corners."""
        (wide, high), (left, right, top, bottom) = self._size, self._sides[how]
        x, y = self._x[columns], self._y[rows, None]
        from_left, from_right = x - left[rows, None], wide - x - right[rows, None]
        from_top, from_bottom = y - top[columns], high - y - bottom[columns]
        across, down = np.minimum(from_left, from_right), np.minimum(from_top, from_bottom)
        over_x, over_y = np.maximum(how.round - across, 0), np.maximum(how.round - down, 0)
        in_corner = (over_x > 0) & (over_y > 0)
        round_off = how.round - np.sqrt(over_x * over_x + over_y * over_y)
        return np.asarray(np.where(in_corner, round_off, np.minimum(across, down)))

    def part(self, rows: slice, columns: slice) -> tuple[Plane, Plane]:
        """What is kept and what is added in a part of the array."""
        unit, band, rough = self._unit, self._band, self._rough
        corner = (self._corner[0] + columns.start, self._corner[1] + rows.start)
        shape = (rows.stop - rows.start, columns.stop - columns.start)
        torn = cloud(corner, shape, 0.5 * band + 1.2 * unit, self._seed ^ 0x51F3, 2, 0.7)
        gate = self._inside(self._gate, rows, columns) + 0.01 * rough * band * torn
        carrier = self._inside(self._carrier, rows, columns) + 0.015 * rough * band * torn
        carrier = np.maximum(carrier, gate + 0.12 * band)
        ink = 1 - np.clip(gate / max(0.30 * unit, 0.6) * 0.5 + 0.5, 0, 1)
        bare = 1 - np.clip(carrier / max(0.45 * unit, 0.6) * 0.5 + 0.5, 0, 1)
        light = 1 - np.clip(gate / max(1.1 * band, 1e-6), 0, 1)
        leak = 0.1 * rough * (light * light) ** 2
        kept = (1 - leak) * (1 - ink) * (1 - bare)
        added = ink * INK * (1 - bare) + bare * PAPER
        return kept.astype(np.float32), added.astype(np.float32)


def rimmed(encoded: Plane, made: tuple[Plane, Plane]) -> Plane:
    """Encoded values ``(H, W)`` within an uneven edge."""
    kept, added = made
    out: Plane = encoded * kept + added
    return out
