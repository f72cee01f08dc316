"""A base and lifts in one pass over light or over a file's own codes: a compiled loop."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numba import types
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.colour.kernels import plane_of
from oatmeal.core.colour.lanes import (
    decode_row,
    encode_row,
    hue_steps,
    oklab,
    pairs_of,
)
from oatmeal.core.colour.ranges import HUE_TABLE_SIZE
from oatmeal.core.loops import parallel, rows_of, serial
from oatmeal.core.mix.kernels import lift_room, lift_row

_f = np.float32

#: Rows that one thread mixes, and columns that it takes at a time, with all between in its own
#: memory: as many as there are, for asking for memory is where threads wait for each other.
_ROWS: Final = 16
_COLUMNS: Final = 8192

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]

#: In the place of a table of lifts where there is none.
_NOTHING: Final[Plane] = np.zeros(HUE_TABLE_SIZE + 1, dtype=np.float32)


def _take_apart(line, table, red, green, blue):  # type: ignore[no-untyped-def]
    """Linear channels of a row ``(W, 3)``: of light, or of codes with a table from them to it."""
    light = line if table is None else table[line]
    red[:], green[:], blue[:] = light[:, 0], light[:, 1], light[:, 2]


@overload(_take_apart, inline="always")
def _taken_apart(line, table, red, green, blue):  # type: ignore[no-untyped-def]
    if isinstance(table, types.NoneType):

        def light(line, table, red, green, blue):  # type: ignore[no-untyped-def]
            for x in range(red.shape[0]):
                red[x], green[x], blue[x] = line[x, 0], line[x, 1], line[x, 2]

        return light

    def codes(line, table, red, green, blue):  # type: ignore[no-untyped-def]
        for x in range(red.shape[0]):
            red[x] = table[line[x, 0]]
            green[x] = table[line[x, 1]]
            blue[x] = table[line[x, 2]]

    return codes


@serial
def _six_row(red, green, blue, parts, room, out):  # type: ignore[no-untyped-def]
    """Loops over few rows each: over many the compiler does not work on eight pixels at a time.

    Nor would it with more rows from outside, which could overlap for all it knows.
    """
    width = out.shape[0]
    red_part, green_part, blue_part = parts[0], parts[1], parts[2]
    cyan_part, magenta_part, yellow_part = parts[3], parts[4], parts[5]
    low, middle, high = room[0, :width], room[1, :width], room[2, :width]
    low_part, high_part = room[3, :width], room[4, :width]
    for x in range(width):
        r, g, b = red[x], green[x], blue[x]
        low[x], high[x] = min(min(r, g), b), max(max(r, g), b)
        middle[x] = max(min(r, g), min(max(r, g), b))
    # the secondary is named by the channel it lacks, the lowest one
    for x in range(width):
        lacking = magenta_part if green[x] == low[x] else cyan_part
        low_part[x] = yellow_part if blue[x] == low[x] else lacking
    for x in range(width):
        primary = green_part if green[x] == high[x] else blue_part
        high_part[x] = red_part if red[x] == high[x] else primary
    encode_row(low, low)
    encode_row(middle, middle)
    encode_row(high, high)
    for x in range(width):
        between = middle[x] - low[x]
        low[x] = low[x] + between * low_part[x] + (high[x] - middle[x]) * high_part[x]
    decode_row(low, out)


@serial
def _polar_row(red, green, blue, hue, chroma):  # type: ignore[no-untyped-def]
    for x in range(hue.shape[0]):
        _, a, b = oklab(red[x], green[x], blue[x])
        hue[x] = hue_steps(a, b)
        chroma[x] = math.sqrt(a * a + b * b)


@serial
def _mixed_rows(source, table, parts, lifting, pairs, low, scale, first, last, out):  # type: ignore[no-untyped-def]
    width = out.shape[1]
    room = min(width, _COLUMNS)
    red, green, blue = (
        np.empty(room, np.float32),
        np.empty(room, np.float32),
        np.empty(room, np.float32),
    )
    base, hue, chroma = (
        np.empty(room, np.float32),
        np.empty(room, np.float32),
        np.empty(room, np.float32),
    )
    lift, six = lift_room(room), np.empty((5, room), np.float32)
    for y in range(first, last):
        for left in range(0, width, room):
            count = min(room, width - left)
            r, g, b, result = red[:count], green[:count], blue[:count], out[y, left : left + count]
            _take_apart(source[y, left : left + count], table, r, g, b)
            grey = base[:count] if lifting else result
            if parts.shape[0] == 6:
                _six_row(r, g, b, parts, six, grey)
            else:
                for x in range(count):
                    light = parts[0] * r[x] + parts[1] * g[x] + parts[2] * b[x]
                    grey[x] = max(light, _f(0.0))
            if lifting:
                _polar_row(r, g, b, hue[:count], chroma[:count])
                lift_row(grey, hue[:count], chroma[:count], pairs, low, scale, None, lift, result)


@parallel
def _mixed(chunk, source, table, parts, lifting, pairs, low, high, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    for block in rows_of(chunk, (out.shape[0] + _ROWS - 1) // _ROWS):
        first = block * _ROWS
        last = min(first + _ROWS, out.shape[0])
        _mixed_rows(source, table, parts, lifting, pairs, low, scale, first, last, out)


def mixed(
    source: NDArray[Any],
    parts: Sequence[float],
    table: Plane | None = None,
    lifts: tuple[Plane, float, float] | None = None,
) -> Plane:
    """Linear grey of weighted or six colours, and of lifted ranges, in one pass.

    What the passes for each part of it would give (``weighted`` of
    :mod:`oatmeal.core.mix.kernels`, then the planes of
    :func:`oatmeal.core.colour.kernels.colours` and ``lift``), bit for bit.

    Parameters
    ----------
    source : float32 (H, W, 3), or uint8 or uint16 (H, W, 3)
        Linear colour, or codes.
    parts : three or six floats
        Weights of linear red, green and blue; or what six colours become: red, green, blue, cyan,
        magenta, yellow.
    table : float32 (N,)
        From codes to light.
    lifts : (table, low, high), optional
        As ``lift`` takes them.
    """
    out = plane_of(source)
    stops, low, high = lifts or (_NOTHING, 0.0, 1.0)
    shares = np.array(parts, dtype=np.float32)
    _mixed(source, table, shares, lifts is not None, pairs_of(stops), _f(low), _f(high), out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    mixed(np.full((2, 2, 3), 0.5, dtype=np.float32), (0.3, 0.6, 0.1))
    for dtype in (np.uint8, np.uint16):
        mixed(np.zeros((2, 2, 3), dtype=dtype), (0.3, 0.6, 0.1), _NOTHING)
