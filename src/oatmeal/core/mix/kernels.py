"""Compiled loops of Mix: weighing the light, lifting ranges and picked colours."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numba import prange, types
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.colour.kernels import plane_of
from oatmeal.core.colour.lanes import (
    decode_row,
    encode_row,
    exp2,
    find_places,
    hue_steps,
    oklab,
    pairs_of,
    parallel,
    read_row,
    serial,
)
from oatmeal.core.colour.ranges import HUE_TABLE_SIZE

_f = np.float32
_LOG2_E = _f(math.log2(math.e))

#: Digest of lanes.py, see there.
LANES: Final = "5e6dca936b50"

#: Rows that one thread mixes, and columns that it takes at a time, with all between in its own
#: memory: as many as there are, for asking for memory is where threads wait for each other.
_ROWS: Final = 16
_COLUMNS: Final = 8192

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]

#: In the place of a table of lifts where there is none.
_NOTHING: Final[Plane] = np.zeros(HUE_TABLE_SIZE + 1, dtype=np.float32)


@parallel
def _weighted_linear(rgb, red, green, blue, offset, out):  # type: ignore[no-untyped-def]
    for y in prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = red * rgb[y, x, 0] + green * rgb[y, x, 1] + blue * rgb[y, x, 2]
            out[y, x] = max(value, _f(0.0)) if offset == _f(0.0) else value
        if offset != _f(0.0):
            grey = np.empty(rgb.shape[1], np.float32)
            encode_row(out[y], grey)
            for x in range(rgb.shape[1]):
                grey[x] += offset
            decode_row(grey, out[y])


@parallel
def _weighted_encoded(rgb, red, green, blue, offset, out):  # type: ignore[no-untyped-def]
    for y in prange(rgb.shape[0]):
        shown = np.empty(rgb.shape[1] * 3, np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        row = rgb[y].reshape(-1)
        encode_row(row, shown)
        for x in range(rgb.shape[1]):
            value = red * shown[3 * x] + green * shown[3 * x + 1] + blue * shown[3 * x + 2]
            grey[x] = value + offset
        decode_row(grey, out[y])


@parallel
def _extremes(rgb, share_of_max, out):  # type: ignore[no-untyped-def]
    for y in prange(rgb.shape[0]):
        low = np.empty(rgb.shape[1], np.float32)
        high = np.empty(rgb.shape[1], np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            low[x], high[x] = min(r, g, b), max(r, g, b)
        encode_row(low, low)
        encode_row(high, high)
        for x in range(rgb.shape[1]):
            grey[x] = low[x] + (high[x] - low[x]) * share_of_max
        decode_row(grey, out[y])


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
def _six_row(red, green, blue, parts, out):  # type: ignore[no-untyped-def]
    """Loops over few rows each: over many the compiler does not work on eight pixels at a time.

    Nor would it with more rows from outside, which could overlap for all it knows.
    """
    width = out.shape[0]
    red_part, green_part, blue_part = parts[0], parts[1], parts[2]
    cyan_part, magenta_part, yellow_part = parts[3], parts[4], parts[5]
    low, middle, high, low_part, high_part = (
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
    )
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
def _lift_row(base, hue, chroma, pairs, low, scale, more, out):  # type: ignore[no-untyped-def]
    width = out.shape[0]
    index = np.empty(width, np.int32)
    stops = np.empty(width, np.float32)
    found = np.empty(width, np.int64)
    find_places(hue, pairs.shape[0] - 1, index, stops)
    read_row(pairs, index, stops, found, stops)
    if more is not None:
        for x in range(width):
            stops[x] += more[x]
    for x in range(width):
        t = min(max((chroma[x] - low) * scale, _f(0.0)), _f(1.0))
        full = t * t * (_f(3.0) - _f(2.0) * t)
        out[x] = base[x] * exp2(full * stops[x])


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
    for y in range(first, last):
        for left in range(0, width, room):
            count = min(room, width - left)
            r, g, b, result = red[:count], green[:count], blue[:count], out[y, left : left + count]
            _take_apart(source[y, left : left + count], table, r, g, b)
            grey = base[:count] if lifting else result
            if parts.shape[0] == 6:
                _six_row(r, g, b, parts, grey)
            else:
                for x in range(count):
                    light = parts[0] * r[x] + parts[1] * g[x] + parts[2] * b[x]
                    grey[x] = max(light, _f(0.0))
            if lifting:
                _polar_row(r, g, b, hue[:count], chroma[:count])
                _lift_row(grey, hue[:count], chroma[:count], pairs, low, scale, None, result)


@parallel
def _mixed(source, table, parts, lifting, pairs, low, high, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    for block in prange((out.shape[0] + _ROWS - 1) // _ROWS):
        first = block * _ROWS
        last = min(first + _ROWS, out.shape[0])
        _mixed_rows(source, table, parts, lifting, pairs, low, scale, first, last, out)


@parallel
def _lift(base, hue, chroma, pairs, low, high, more, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    for y in prange(base.shape[0]):
        if more is None:
            _lift_row(base[y], hue[y], chroma[y], pairs, low, scale, None, out[y])
        else:
            _lift_row(base[y], hue[y], chroma[y], pairs, low, scale, more[y], out[y])


@parallel
def _added_over_hue(mask, hue, table, weight, out):  # type: ignore[no-untyped-def]
    last = np.int32(table.shape[0] - 2)
    for y in prange(mask.shape[0]):
        for x in range(mask.shape[1]):
            index = max(min(np.int32(hue[y, x]), last), np.int32(0))
            stops = table[index] + (table[index + 1] - table[index]) * (hue[y, x] - _f(index))
            out[y, x] += weight * _f(mask[y, x]) * stops


@parallel
def _lift_picked(base, lightness, a_axis, b_axis, picked, out):  # type: ignore[no-untyped-def]
    for y in prange(base.shape[0]):
        stops = np.zeros(base.shape[1], np.float32)
        for place in range(picked.shape[0]):
            light, a, b = picked[place, 0], picked[place, 1], picked[place, 2]
            steep, lift = picked[place, 3] * _LOG2_E, picked[place, 4]
            for x in range(base.shape[1]):
                d0, d1, d2 = lightness[y, x] - light, a_axis[y, x] - a, b_axis[y, x] - b
                far = min((d0 * d0 + d1 * d1 + d2 * d2) * steep, _f(60.0))
                stops[x] += lift * exp2(-far)
        for x in range(base.shape[1]):
            out[y, x] = base[y, x] * exp2(stops[x])


@parallel
def _nearness(lightness, a_axis, b_axis, colour, out):  # type: ignore[no-untyped-def]
    light, a, b, steep = colour[0], colour[1], colour[2], colour[3] * _LOG2_E
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            d0, d1, d2 = lightness[y, x] - light, a_axis[y, x] - a, b_axis[y, x] - b
            far = min((d0 * d0 + d1 * d1 + d2 * d2) * steep, _f(60.0))
            out[y, x] = exp2(-far)


def weighted(
    rgb_linear: Colour, weights: tuple[float, float, float], offset: float, *, encoded: bool
) -> Plane:
    """Linear grey of weighted channels.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
    weights : three floats
        Share of red, green and blue; 1.0 is all of it.
    offset : float
        Added to the encoded grey.
    encoded : bool
        Weigh sRGB-encoded channels (as luma does) instead of linear ones.
    """
    out = plane_of(rgb_linear)
    kernel = _weighted_encoded if encoded else _weighted_linear
    red, green, blue = (_f(weight) for weight in weights)
    kernel(rgb_linear, red, green, blue, _f(offset), out)
    return out


def extremes(rgb_linear: Colour, share_of_max: float) -> Plane:
    """Linear grey between the lowest (0) and the highest (1) encoded channel."""
    out = plane_of(rgb_linear)
    _extremes(rgb_linear, _f(share_of_max), out)
    return out


def mixed(
    source: NDArray[Any],
    parts: Sequence[float],
    table: Plane | None = None,
    lifts: tuple[Plane, float, float] | None = None,
) -> Plane:
    """Linear grey of weighted or six colours, and of lifted ranges, in one pass.

    What the passes for each part of it would give (:func:`weighted`, then the planes of
    :func:`oatmeal.core.colour.kernels.colours` and :func:`lift`), bit for bit.

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
        As :func:`lift` takes them.
    """
    out = plane_of(source)
    stops, low, high = lifts or (_NOTHING, 0.0, 1.0)
    shares = np.array(parts, dtype=np.float32)
    _mixed(source, table, shares, lifts is not None, pairs_of(stops), _f(low), _f(high), out)
    return out


def lift(
    base: Plane,
    hue: Plane,
    chroma: Plane,
    table: Plane,
    low: float,
    high: float,
    more: Plane | None = None,
) -> Plane:
    """Grey moved by the stops that ``table`` holds for its hue, faded in over chroma.

    ``more``, float32 ``(H, W)``, adds stops of its own to every pixel.
    """
    out = np.empty_like(base)
    _lift(base, hue, chroma, pairs_of(table), _f(low), _f(high), more, out)
    return out


def add_over_hue(mask: NDArray[Any], hue: Plane, table: Plane, weight: float, out: Plane) -> None:
    """``out += weight * mask * table[hue]``."""
    _added_over_hue(mask, hue, table, _f(weight), out)


def lift_picked(base: Plane, planes: tuple[Plane, Plane, Plane], picked: Plane) -> Plane:
    """Grey moved by lifts of picked colours.

    Parameters
    ----------
    base : float32 (H, W)
    planes : three float32 (H, W)
        OKLab L, a and b.
    picked : float32 (n, 5)
        For each colour OKLab, 1 / (2 reach^2), and the lift in stops.
    """
    out = np.empty_like(base)
    _lift_picked(base, *planes, picked, out)
    return out


def nearness(planes: tuple[Plane, Plane, Plane], colour: Plane) -> Plane:
    """``exp(-d^2 / (2 reach^2))`` for OKLab planes and one row as :func:`lift_picked` takes."""
    out = np.empty_like(planes[0])
    _nearness(*planes, colour, out)
    return out


def warm() -> None:
    """Compile, or load from the cache, so that no drag waits for it."""
    rgb = np.full((2, 2, 3), 0.5, dtype=np.float32)
    base = weighted(rgb, (0.3, 0.6, 0.1), 0.0, encoded=True)
    weighted(rgb, (0.3, 0.6, 0.1), 0.0, encoded=False)
    extremes(rgb, 0.5)
    table = np.zeros(HUE_TABLE_SIZE + 1, dtype=np.float32)
    lift(base, base, base, table, 0.005, 0.05)
    mixed(rgb, (0.3, 0.6, 0.1))
    for dtype in (np.uint8, np.uint16):
        mixed(np.zeros((2, 2, 3), dtype=dtype), (0.3, 0.6, 0.1), table)
    add_over_hue(
        np.zeros((4, 4), np.uint16)[:2, :2], base, table, 0.0, np.zeros((4, 4), _f)[:2, :2]
    )
    lift_picked(base, (base, base, base), np.ones((1, 5), dtype=np.float32))
    nearness((base, base, base), np.ones(5, dtype=np.float32))
