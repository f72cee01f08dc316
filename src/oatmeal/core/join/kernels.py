"""Compiled loops of composing: light to its root, frames added up, codes."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.loops import alone, parallel, rows_of, serial

_f = np.float32

#: Codes over the square root of light; between its entries lies a line.
_ENTRIES: Final = 8192
_CODES: Final = (encode_srgb(np.linspace(0, 1, _ENTRIES + 1) ** 2) * 65535).astype(np.float32)

#: Pixels beyond a part that a place may be told at.
_BEYOND: Final = _f(4.0)

Colour = NDArray[np.float32]
Plane = NDArray[np.float32]


@alone
@serial
def largest(mask):  # type: ignore[no-untyped-def]
    """The largest rectangle of ones in a bool mask ``(h, w)``: ``x0, y0, x1, y1``.

    Over each row stand columns of ones; a stack keeps those that are still open, the lowest first.
    """
    height, width = mask.shape
    best, found = 0, (0, 0, width, height)
    tall = np.zeros(width + 1, np.int64)
    starts, heights = np.empty(width + 1, np.int64), np.empty(width + 1, np.int64)
    for y in range(height):
        open_ones = 0
        for x in range(width + 1):
            if x < width:
                tall[x] = tall[x] + 1 if mask[y, x] else 0
            start = x
            while open_ones and heights[open_ones - 1] >= tall[x]:
                open_ones -= 1
                start = starts[open_ones]
                area = heights[open_ones] * (x - start)
                if area > best:
                    best, found = area, (start, y - heights[open_ones] + 1, x, y + 1)
            starts[open_ones], heights[open_ones] = start, tall[x]
            open_ones += 1
    return found


@parallel
def _rooted(chunk, light, matrix, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, light.shape[0]):
        for x in range(light.shape[1]):
            red, green, blue = light[y, x, 0], light[y, x, 1], light[y, x, 2]
            for channel in range(3):
                value = matrix[channel, 0] * red + matrix[channel, 1] * green
                value = value + matrix[channel, 2] * blue
                out[y, x, channel] = np.sqrt(max(value, _f(0.0)))


@parallel
def _spread(chunk, grid, step, width, height, part, near, gain, there):  # type: ignore[no-untyped-def]
    one = _f(1.0)
    left_x, left_y, last_x, last_y = part
    for y in rows_of(chunk, gain.shape[0]):
        down = y // step + 1  # the grid begins a step before the part
        part_y = _f(y % step) / _f(step)
        for cell in range((gain.shape[1] + step - 1) // step):
            left = (one - part_y) * grid[down, cell + 1] + part_y * grid[down + 1, cell + 1]
            right = (one - part_y) * grid[down, cell + 2] + part_y * grid[down + 1, cell + 2]
            for x in range(cell * step, min(cell * step + step, gain.shape[1])):
                part_x = _f(x - cell * step) / _f(step)
                at_x = left[0] + (right[0] - left[0]) * part_x
                at_y = left[1] + (right[1] - left[1]) * part_x
                near[0, y, x] = min(max(at_x - left_x, -_BEYOND), last_x)
                near[1, y, x] = min(max(at_y - left_y, -_BEYOND), last_y)
                gain[y, x] = left[2] + (right[2] - left[2]) * part_x
                inside = (at_x > -0.5) & (at_y > -0.5)
                there[y, x] = inside & (at_x < width - _f(0.5)) & (at_y < height - _f(0.5))


@parallel
def _add(chunk, total, root, gain, correction, shape, weight):  # type: ignore[no-untyped-def]
    across, up, from_x, from_y = shape
    rows, columns = correction.shape[0], correction.shape[1]
    for y in rows_of(chunk, total.shape[0]):
        at_y = min(max(_f(y) * up + from_y, _f(0.0)), _f(rows - 1))
        top = min(int(at_y), max(rows - 2, 0))
        below = min(top + 1, rows - 1)
        part_y = at_y - _f(top)
        for x in range(total.shape[1]):
            share = weight[y, x]
            if share > 0:
                at_x = min(max(_f(x) * across + from_x, _f(0.0)), _f(columns - 1))
                left = min(int(at_x), max(columns - 2, 0))
                right = min(left + 1, columns - 1)
                part_x = at_x - _f(left)
                lit = gain[y, x]
                for channel in range(3):
                    one, other = correction[top, left, channel], correction[below, left, channel]
                    low = one + (other - one) * part_y
                    one, other = correction[top, right, channel], correction[below, right, channel]
                    high = one + (other - one) * part_y
                    value = root[y, x, channel] * lit + low + (high - low) * part_x
                    total[y, x, channel] += value * share


@parallel
def _code(chunk, root, there, table, out):  # type: ignore[no-untyped-def]
    last = table.shape[0] - 1
    for y in rows_of(chunk, root.shape[0]):
        for x in range(root.shape[1]):
            for channel in range(3):
                value = min(max(root[y, x, channel], _f(0.0)), _f(1.0)) * _f(last)
                index = min(int(value), last - 1)
                low = table[index]
                code = low + (table[index + 1] - low) * (value - _f(index)) + _f(0.5)
                out[y, x, channel] = np.uint16(code) if there[y, x] else np.uint16(0)


def rooted(light: Colour, matrix: Plane) -> Colour:
    """The square root of light in other primaries; what is below 0 there is 0."""
    out = np.empty_like(light)
    _rooted(light, matrix, out)
    return out


def spread(
    grid: Colour,
    step: int,
    size: tuple[int, int],
    part: tuple[int, int, int, int],
    shape: tuple[int, int],
) -> tuple[Colour, Plane, NDArray[np.bool_]]:
    """A coarse map at every pixel, linearly between.

    Parameters
    ----------
    grid : float32 (rows, columns, 3)
        Place in the frame, x and y, and gain, every ``step`` pixels from ``-step`` on.
    size : tuple of int
        Width and height of the frame.
    part : tuple of int
        What of the frame is read, ``x0, y0, x1, y1``: places are told in its pixels. Far off ones
        are told just beyond it, or filling up beyond the edge would spin.
    shape : tuple of int
        Height and width of the part.

    Returns
    -------
    places : float32 (2, h, w)
        x and y.
    gain : float32 (h, w)
    there : bool (h, w)
        Where the frame has a pixel.
    """
    places = np.empty((2, *shape), dtype=np.float32)
    gain = np.empty(shape, dtype=np.float32)
    there = np.empty(shape, dtype=np.bool_)
    x0, y0, x1, y1 = part
    within = (_f(x0), _f(y0), _f(x1 - x0) + _BEYOND, _f(y1 - y0) + _BEYOND)
    _spread(grid, step, _f(size[0]), _f(size[1]), within, places, gain, there)
    return places, gain, there


def add(
    total: Colour,
    root: Colour,
    gain: Plane,
    correction: Colour,
    laid: tuple[float, float, float, float],
    weight: Plane,
) -> None:
    """Add ``(root gain + correction) weight`` to the total.

    The correction is coarse: ``laid`` is its pixels for one of the total across and down, and where
    the total's first pixel lies in it.
    """
    _add(total, root, gain, correction, tuple(_f(one) for one in laid), weight)


def coded(root: Colour, there: NDArray[Any]) -> NDArray[np.uint16]:
    """Codes under sRGB's transfer curve (IEC 61966-2-1), 16 bits; 0 where nothing is."""
    out = np.empty(root.shape, dtype=np.uint16)
    _code(np.ascontiguousarray(root), np.ascontiguousarray(there), _CODES, out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    light = np.full((4, 4, 3), 0.25, dtype=np.float32)
    plane = np.ones((4, 4), dtype=np.float32)
    root = rooted(light, np.eye(3, dtype=np.float32))
    grid = np.ones((4, 4, 3), dtype=np.float32)
    spread(grid, 16, (4, 4), (0, 0, 4, 4), (4, 4))
    add(np.zeros_like(root), root, plane, root, (1.0, 1.0, 0.0, 0.0), plane)
    coded(root, plane > 0)
    largest(plane > 0)
