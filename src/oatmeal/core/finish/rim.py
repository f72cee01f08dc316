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
    for rows, columns in (
        (slice(0, y0), slice(0, width)), (slice(y1, height), slice(0, width)),
        (slice(y0, y1), slice(0, x0)), (slice(y0, y1), slice(x1, width)),
    ):  # fmt: skip
        size = (rows.stop - rows.start, columns.stop - columns.start)
        if min(size) > 0:
            corner = (left + columns.start, top + rows.start)
            kept[rows, columns], added[rows, columns] = _part(
                uneven, window, corner, size, photograph
            )
    return kept, added


def _part(
    uneven: Uneven, window: Window, corner: tuple[int, int], shape: tuple[int, int], photograph: int
) -> tuple[Plane, Plane]:
    unit = max(window.width, window.height) / 1000
    band = uneven.width * unit
    rough = uneven.roughness / 50
    seed = zlib.crc32(f"rim {photograph} {uneven.seed}".encode())
    chance = generator("rim", uneven.seed, photograph)
    tilts, insets = 0.002 * rough * chance.normal(0, 1, 4), 1 + 0.1 * rough * chance.normal(0, 1, 4)
    x: Numbers = np.arange(shape[1], dtype=np.float64) + (corner[0] + 0.5)
    y: Numbers = np.arange(shape[0], dtype=np.float64) + (corner[1] + 0.5)

    def walk(number: int, first: int, count: int, wide_px: float, gain: float) -> Numbers:
        octaves = 5 if wide_px > band else 2
        own = (seed + 101 * number) % 2**32
        return np.asarray(cloud((first, 0), (1, count), wide_px, own, octaves, gain)[0], np.float64)

    def side(number: int, along: Numbers, first: int, middle: float, how: _Frame) -> Numbers:
        own = number + how.number
        far = walk(own, first, len(along), 3.2 * band + 6 * unit, 0.5)
        near = walk(own + 4, first, len(along), 0.35 * band + 0.8 * unit, 0.6)
        moved = how.far * far + how.near * near - 0.9 * how.far * np.maximum(far - 1, 0)
        turned = tilts[number] * how.turn * (along - middle)
        return np.asarray(how.inset * insets[number] + turned - band * rough * moved)

    def inside(how: _Frame) -> Numbers:
        """Distance inward from a slightly crooked frame with round corners."""
        wide, high = window.width, window.height
        from_left = x - side(0, y, corner[1], high / 2, how)[:, None]
        from_right = wide - x - side(1, y, corner[1], high / 2, how)[:, None]
        from_top = y[:, None] - side(2, x, corner[0], wide / 2, how)
        from_bottom = high - y[:, None] - side(3, x, corner[0], wide / 2, how)
        across, down = np.minimum(from_left, from_right), np.minimum(from_top, from_bottom)
        over_x, over_y = np.maximum(how.round - across, 0), np.maximum(how.round - down, 0)
        in_corner = (over_x > 0) & (over_y > 0)
        round_off = how.round - np.sqrt(over_x * over_x + over_y * over_y)
        return np.asarray(np.where(in_corner, round_off, np.minimum(across, down)))

    torn = cloud(corner, shape, 0.5 * band + 1.2 * unit, seed ^ 0x51F3, 2, 0.7)
    black = 0.25 + 0.6 * uneven.black / 100
    gate = inside(_Frame(0, band, 0.32 * band, 1.0, 0.022, 0.012)) + 0.01 * rough * band * torn
    carrier = inside(_Frame(8, band * (1 - black), 0.28 * band, 2.0, 0.1, 0.012))
    carrier = np.maximum(carrier + 0.015 * rough * band * torn, gate + 0.12 * band)
    ink = 1 - np.clip(gate / max(0.30 * unit, 0.6) * 0.5 + 0.5, 0, 1)
    bare = 1 - np.clip(carrier / max(0.45 * unit, 0.6) * 0.5 + 0.5, 0, 1)
    leak = 0.1 * rough * (1 - np.clip(gate / max(1.1 * band, 1e-6), 0, 1)) ** 4
    kept = (1 - leak) * (1 - ink) * (1 - bare)
    added = ink * INK * (1 - bare) + bare * PAPER
    return kept.astype(np.float32), added.astype(np.float32)


def rimmed(encoded: Plane, made: tuple[Plane, Plane]) -> Plane:
    """Encoded values ``(H, W)`` within an uneven edge."""
    kept, added = made
    out: Plane = encoded * kept + added
    return out
