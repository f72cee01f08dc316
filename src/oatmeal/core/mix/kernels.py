"""Compiled loops of Mix: weighing the light, lifting ranges and picked colours."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.kernels import plane_of
from oatmeal.core.colour.lanes import (
    decode_row,
    encode_row,
    exp2,
    find_places,
    pairs_of,
    read_row,
)
from oatmeal.core.colour.ranges import HUE_TABLE_SIZE
from oatmeal.core.loops import inline, parallel, rows_of, serial

_f = np.float32
_LOG2_E = _f(math.log2(math.e))

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]


@parallel
def _weighted_linear(chunk, rgb, red, green, blue, offset, out):  # type: ignore[no-untyped-def]
    grey = np.empty(rgb.shape[1], np.float32)
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = red * rgb[y, x, 0] + green * rgb[y, x, 1] + blue * rgb[y, x, 2]
            out[y, x] = max(value, _f(0.0)) if offset == _f(0.0) else value
        if offset != _f(0.0):
            encode_row(out[y], grey)
            for x in range(rgb.shape[1]):
                grey[x] += offset
            decode_row(grey, out[y])


@parallel
def _weighted_encoded(chunk, rgb, red, green, blue, offset, out):  # type: ignore[no-untyped-def]
    shown = np.empty(rgb.shape[1] * 3, np.float32)
    grey = np.empty(rgb.shape[1], np.float32)
    for y in rows_of(chunk, rgb.shape[0]):
        row = rgb[y].reshape(-1)
        encode_row(row, shown)
        for x in range(rgb.shape[1]):
            value = red * shown[3 * x] + green * shown[3 * x + 1] + blue * shown[3 * x + 2]
            grey[x] = value + offset
        decode_row(grey, out[y])


@parallel
def _extremes(chunk, rgb, share_of_max, out):  # type: ignore[no-untyped-def]
    low = np.empty(rgb.shape[1], np.float32)
    high = np.empty(rgb.shape[1], np.float32)
    grey = np.empty(rgb.shape[1], np.float32)
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            low[x], high[x] = min(r, g, b), max(r, g, b)
        encode_row(low, low)
        encode_row(high, high)
        for x in range(rgb.shape[1]):
            grey[x] = low[x] + (high[x] - low[x]) * share_of_max
        decode_row(grey, out[y])


@inline
def lift_room(width):  # type: ignore[no-untyped-def]
    """What :func:`lift_row` scribbles on, asked for once: there threads wait for each other."""
    return np.empty(width, np.int32), np.empty(width, np.float32), np.empty(width, np.int64)


@serial
def lift_row(base, hue, chroma, pairs, low, scale, more, room, out):  # type: ignore[no-untyped-def]
    width = out.shape[0]
    index, stops, found = room[0][:width], room[1][:width], room[2][:width]
    find_places(hue, pairs.shape[0] - 1, index, stops)
    read_row(pairs, index, stops, found, stops)
    if more is not None:
        for x in range(width):
            stops[x] += more[x]
    for x in range(width):
        t = min(max((chroma[x] - low) * scale, _f(0.0)), _f(1.0))
        full = t * t * (_f(3.0) - _f(2.0) * t)
        out[x] = base[x] * exp2(full * stops[x])


@parallel
def _lift(chunk, base, hue, chroma, pairs, low, high, more, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    room = lift_room(base.shape[1])
    for y in rows_of(chunk, base.shape[0]):
        if more is None:
            lift_row(base[y], hue[y], chroma[y], pairs, low, scale, None, room, out[y])
        else:
            lift_row(base[y], hue[y], chroma[y], pairs, low, scale, more[y], room, out[y])


@parallel
def _added_over_hue(chunk, mask, hue, table, weight, out):  # type: ignore[no-untyped-def]
    last = np.int32(table.shape[0] - 2)
    for y in rows_of(chunk, mask.shape[0]):
        for x in range(mask.shape[1]):
            index = max(min(np.int32(hue[y, x]), last), np.int32(0))
            stops = table[index] + (table[index + 1] - table[index]) * (hue[y, x] - _f(index))
            out[y, x] += weight * _f(mask[y, x]) * stops


@parallel
def _lift_picked(chunk, base, lightness, a_axis, b_axis, picked, out):  # type: ignore[no-untyped-def]
    stops = np.empty(base.shape[1], np.float32)
    for y in rows_of(chunk, base.shape[0]):
        for x in range(base.shape[1]):
            stops[x] = _f(0.0)
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
def _nearness(chunk, lightness, a_axis, b_axis, colour, out):  # type: ignore[no-untyped-def]
    light, a, b, steep = colour[0], colour[1], colour[2], colour[3] * _LOG2_E
    for y in rows_of(chunk, out.shape[0]):
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
    add_over_hue(
        np.zeros((4, 4), np.uint16)[:2, :2], base, table, 0.0, np.zeros((4, 4), _f)[:2, :2]
    )
    lift_picked(base, (base, base, base), np.ones((1, 5), dtype=np.float32))
    nearness((base, base, base), np.ones(5, dtype=np.float32))
