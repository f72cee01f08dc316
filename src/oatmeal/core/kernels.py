"""Compiled loops: one numba function for one pass over the picture.

All release the GIL, are compiled once and cached on disk, and run over rows in parallel. Rows of
colour are first taken apart where that lets the compiler work on eight pixels at a time. Plain
numpy twins live in the tests.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Final

import numba
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS
from oatmeal.core.lanes import DECODE_TABLE, decode_row, encode_one, exp2, hue_steps, oklab
from oatmeal.core.ranges import HUE_TABLE_SIZE

_f = np.float32
_RED_Y, _GREEN_Y, _BLUE_Y = (_f(weight) for weight in LUMINANCE_WEIGHTS)

_LOG2_E = _f(math.log2(math.e))

#: Digest of lanes.py, see there.
LANES: Final = "cd62a841ecd7"

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]

_parallel: Any = numba.njit(
    parallel=True, nogil=True, cache=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"}
)


@_parallel
def _luminance(rgb, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = _RED_Y * rgb[y, x, 0] + _GREEN_Y * rgb[y, x, 1] + _BLUE_Y * rgb[y, x, 2]
            out[y, x] = max(value, _f(0.0))


@_parallel
def _weighted_linear(rgb, red, green, blue, offset, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = red * rgb[y, x, 0] + green * rgb[y, x, 1] + blue * rgb[y, x, 2]
            out[y, x] = max(value, _f(0.0)) if offset == _f(0.0) else value
        if offset != _f(0.0):
            grey = np.empty(rgb.shape[1], np.float32)
            for x in range(rgb.shape[1]):
                grey[x] = encode_one(out[y, x]) + offset
            decode_row(grey, decode, out[y])


@_parallel
def _weighted_encoded(rgb, red, green, blue, offset, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        shown = np.empty(rgb.shape[1] * 3, np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        row = rgb[y].reshape(-1)
        for i in range(shown.shape[0]):
            shown[i] = encode_one(row[i])
        for x in range(rgb.shape[1]):
            value = red * shown[3 * x] + green * shown[3 * x + 1] + blue * shown[3 * x + 2]
            grey[x] = value + offset
        decode_row(grey, decode, out[y])


@_parallel
def _extremes(rgb, share_of_max, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        low = np.empty(rgb.shape[1], np.float32)
        high = np.empty(rgb.shape[1], np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            low[x], high[x] = min(r, g, b), max(r, g, b)
        for x in range(rgb.shape[1]):
            dark, light = encode_one(low[x]), encode_one(high[x])
            grey[x] = dark + (light - dark) * share_of_max
        decode_row(grey, decode, out[y])


@_parallel
def _six(rgb, primaries, secondaries, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        shown = np.empty(rgb.shape[1] * 3, np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        row = rgb[y].reshape(-1)
        for i in range(shown.shape[0]):
            shown[i] = encode_one(row[i])
        for x in range(rgb.shape[1]):
            r, g, b = shown[3 * x], shown[3 * x + 1], shown[3 * x + 2]
            high = max(r, g, b)
            low = min(r, g, b)
            middle = max(min(r, g), min(max(r, g), b))
            primary = primaries[0] if r == high else (primaries[1] if g == high else primaries[2])
            # the secondary is named by the channel it lacks, the lowest one
            lacking = secondaries[1] if g == low else secondaries[0]
            secondary = secondaries[2] if b == low else lacking
            grey[x] = low + (middle - low) * secondary + (high - middle) * primary
        decode_row(grey, decode, out[y])


@_parallel
def _colours(rgb, lightness, a_axis, b_axis):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        width = rgb.shape[1]
        red = np.empty(width, np.float32)
        green = np.empty(width, np.float32)
        blue = np.empty(width, np.float32)
        for x in range(width):
            red[x], green[x], blue[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
        for x in range(width):
            light, a, b = oklab(red[x], green[x], blue[x])
            lightness[y, x] = light
            a_axis[y, x] = a
            b_axis[y, x] = b


@_parallel
def _polar(a_axis, b_axis, hue, chroma):  # type: ignore[no-untyped-def]
    for y in numba.prange(hue.shape[0]):
        for x in range(hue.shape[1]):
            a, b = a_axis[y, x], b_axis[y, x]
            hue[y, x] = hue_steps(a, b)
            chroma[y, x] = math.sqrt(a * a + b * b)


@_parallel
def _cell_means(plane, cell, out):  # type: ignore[no-untyped-def]
    height, width = plane.shape
    for row in numba.prange(out.shape[0]):
        sums = np.zeros(out.shape[1] * cell, np.float32)
        for step in range(cell):
            line = plane[min(row * cell + step, height - 1)]
            for x in range(width):
                sums[x] += line[x]
            for x in range(width, sums.shape[0]):
                sums[x] += line[width - 1]
        for column in range(out.shape[1]):
            total = _f(0.0)
            for step in range(cell):
                total += sums[column * cell + step]
            out[row, column] = total / _f(cell * cell)


@_parallel
def _box_means(planes, radius, out):  # type: ignore[no-untyped-def]
    count, height, width = planes.shape
    share = _f(1.0) / _f((2 * radius + 1) ** 2)
    for place in numba.prange(count * height):
        plane, y = place // height, place % height
        # slices instead of shifted places, which would have to be checked one by one
        column = np.zeros(width + 2 * radius, np.float32)
        inside = column[radius : radius + width]
        for step in range(-radius, radius + 1):
            line = planes[plane, min(max(y + step, 0), height - 1)]
            for x in range(width):
                inside[x] += line[x]
        for x in range(radius):
            column[x] = column[radius]
            column[width + radius + x] = column[width + radius - 1]
        row = np.zeros(width, np.float32)
        for step in range(2 * radius + 1):
            shifted = column[step : step + width]
            for x in range(width):
                row[x] += shifted[x]
        result = out[plane, y]
        for x in range(width):
            result[x] = row[x] * share


@_parallel
def _products(light, a_axis, b_axis, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(light.shape[0]):
        one, two, three = light[y], a_axis[y], b_axis[y]
        for x in range(light.shape[1]):
            out[0, y, x] = one[x]
            out[1, y, x] = two[x]
            out[2, y, x] = three[x]
        for x in range(light.shape[1]):
            out[3, y, x] = one[x] * one[x]
            out[4, y, x] = one[x] * two[x]
            out[5, y, x] = one[x] * three[x]
        for x in range(light.shape[1]):
            out[6, y, x] = two[x] * two[x]
            out[7, y, x] = three[x] * three[x]


@_parallel
def _weighted_fit(means, flat, good, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(means.shape[1]):
        for x in range(means.shape[2]):
            light, a, b = means[0, y, x], means[1, y, x], means[2, y, x]
            variance = max(means[3, y, x] - light * light, _f(0.0)) + flat
            with_a = means[4, y, x] - light * a
            with_b = means[5, y, x] - light * b
            slope_a, slope_b = with_a / variance, with_b / variance
            residual = max(means[6, y, x] - a * a - slope_a * with_a, _f(0.0))
            residual += max(means[7, y, x] - b * b - slope_b * with_b, _f(0.0))
            weight = _f(1.0) / ((residual + good) * (residual + good))
            out[0, y, x] = weight
            out[1, y, x] = slope_a * weight
            out[2, y, x] = slope_b * weight
            out[3, y, x] = (a - slope_a * light) * weight
            out[4, y, x] = (b - slope_b * light) * weight
            out[5, y, x] = residual * weight


@_parallel
def _settled_fit(averaged, own_from, own_at, out):  # type: ignore[no-untyped-def]
    span = _f(1.0) / (own_at - own_from)
    for y in numba.prange(out.shape[1]):
        for x in range(out.shape[2]):
            share = _f(1.0) / averaged[0, y, x]
            out[0, y, x] = averaged[1, y, x] * share
            out[1, y, x] = averaged[2, y, x] * share
            out[2, y, x] = averaged[3, y, x] * share
            out[3, y, x] = averaged[4, y, x] * share
            t = (averaged[5, y, x] * share - own_from) * span
            t = min(max(t, _f(0.0)), _f(1.0))
            out[4, y, x] = t * t * (_f(3.0) - _f(2.0) * t)


@_parallel
def _follow_light(light, one, two, fit, cell, strength, out_one, out_two):  # type: ignore[no-untyped-def]
    rows = fit.shape[1]
    for y in numba.prange(light.shape[0]):
        place = max((y + 0.5) / cell - 0.5, 0.0)
        above = min(int(place), rows - 1)
        below = min(above + 1, rows - 1)
        t = _f(place - above)
        width = light.shape[1]
        share = np.empty(width, np.float32)
        for x in range(width):
            kept = fit[4, above, x] + t * (fit[4, below, x] - fit[4, above, x])
            share[x] = strength * (_f(1.0) - kept)
        # two short loops: with more arrays in one, the compiler gives up on many pixels at a time
        for x in range(width):
            slope = fit[0, above, x] + t * (fit[0, below, x] - fit[0, above, x])
            offset = fit[2, above, x] + t * (fit[2, below, x] - fit[2, above, x])
            own = one[y, x]
            out_one[y, x] = own + share[x] * (slope * light[y, x] + offset - own)
        for x in range(width):
            slope = fit[1, above, x] + t * (fit[1, below, x] - fit[1, above, x])
            offset = fit[3, above, x] + t * (fit[3, below, x] - fit[3, above, x])
            own = two[y, x]
            out_two[y, x] = own + share[x] * (slope * light[y, x] + offset - own)


@_parallel
def _lift(base, hue, chroma, table, low, high, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    last = np.int32(HUE_TABLE_SIZE - 1)
    for y in numba.prange(base.shape[0]):
        for x in range(base.shape[1]):
            t = min(max((chroma[y, x] - low) * scale, _f(0.0)), _f(1.0))
            full = t * t * (_f(3.0) - _f(2.0) * t)
            place = hue[y, x]
            index = min(np.int32(place), last)
            stops = table[index] + (table[index + 1] - table[index]) * (place - _f(index))
            out[y, x] = base[y, x] * exp2(full * stops)


@_parallel
def _lift_picked(base, lightness, a_axis, b_axis, picked, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(base.shape[0]):
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


@_parallel
def _nearness(lightness, a_axis, b_axis, colour, out):  # type: ignore[no-untyped-def]
    light, a, b, steep = colour[0], colour[1], colour[2], colour[3] * _LOG2_E
    for y in numba.prange(out.shape[0]):
        for x in range(out.shape[1]):
            d0, d1, d2 = lightness[y, x] - light, a_axis[y, x] - a, b_axis[y, x] - b
            far = min((d0 * d0 + d1 * d1 + d2 * d2) * steep, _f(60.0))
            out[y, x] = exp2(-far)


@_parallel
def _through_table(grey, places_per_root, table, top, out):  # type: ignore[no-untyped-def]
    last = np.int32(table.shape[0] - 2)
    limit = _f(table.shape[0] - 1)
    for y in numba.prange(grey.shape[0]):
        for x in range(grey.shape[1]):
            place = min(math.sqrt(grey[y, x]) * places_per_root, limit)
            index = min(np.int32(place), last)
            value = table[index] + (table[index + 1] - table[index]) * (place - _f(index))
            out[y, x] = value * top + _f(0.5)


@_parallel
def _counts(codes, partial):  # type: ignore[no-untyped-def]
    bands = partial.shape[0]
    for band in numba.prange(bands):
        for y in range(band * codes.shape[0] // bands, (band + 1) * codes.shape[0] // bands):
            for x in range(codes.shape[1]):
                partial[band, codes[y, x]] += 1


@_parallel
def _display(rgb, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        row, shown = rgb[y].reshape(-1), out[y].reshape(-1)
        for i in range(row.shape[0]):
            value = min(max(row[i], _f(0.0)), _f(1.0))
            shown[i] = encode_one(value) * _f(255.0) + _f(0.5)


@_parallel
def _look_up(codes, table, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(codes.shape[0]):
        for x in range(codes.shape[1]):
            for channel in range(codes.shape[2]):
                out[y, x, channel] = table[codes[y, x, channel]]


@_parallel
def _look_up_sum(codes, tables, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(codes.shape[0]):
        for x in range(codes.shape[1]):
            red, green, blue = codes[y, x, 0], codes[y, x, 1], codes[y, x, 2]
            for channel in range(3):
                value = tables[0, red, channel] + tables[1, green, channel]
                out[y, x, channel] = value + tables[2, blue, channel]


def luminance(rgb_linear: Colour) -> Plane:
    """Luminance Y of linear colour ``(H, W, 3)``, clamped at 0 (IEC 61966-2-1)."""
    out = _plane(rgb_linear)
    _luminance(rgb_linear, out)
    return out


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
    out = _plane(rgb_linear)
    kernel = _weighted_encoded if encoded else _weighted_linear
    red, green, blue = (_f(weight) for weight in weights)
    kernel(rgb_linear, red, green, blue, _f(offset), DECODE_TABLE, out)
    return out


def extremes(rgb_linear: Colour, share_of_max: float) -> Plane:
    """Linear grey between the lowest (0) and the highest (1) encoded channel."""
    out = _plane(rgb_linear)
    _extremes(rgb_linear, _f(share_of_max), DECODE_TABLE, out)
    return out


def six(
    rgb_linear: Colour,
    primaries: tuple[float, float, float],
    secondaries: tuple[float, float, float],
) -> Plane:
    """Linear grey of six weighted colours: (red, green, blue), (cyan, magenta, yellow)."""
    out = _plane(rgb_linear)
    pure, mixed = np.array(primaries, dtype=_f), np.array(secondaries, dtype=_f)
    _six(rgb_linear, pure, mixed, DECODE_TABLE, out)
    return out


def colours(rgb_linear: Colour) -> tuple[Plane, Plane, Plane]:
    """OKLab L, a and b (Ottosson 2020) of linear colour ``(H, W, 3)``, as planes."""
    planes = _plane(rgb_linear), _plane(rgb_linear), _plane(rgb_linear)
    _colours(rgb_linear, *planes)
    return planes


def polar(a_axis: Plane, b_axis: Plane) -> tuple[Plane, Plane]:
    """Hue (in steps of 360 / HUE_TABLE_SIZE degrees) and chroma of OKLab a and b."""
    hue, chroma = np.empty_like(a_axis), np.empty_like(a_axis)
    _polar(a_axis, b_axis, hue, chroma)
    return hue, chroma


def cell_means(plane: Plane, cell: int) -> Plane:
    """Means of a plane ``(H, W)`` over square cells, the last ones continued past the edge."""
    height, width = plane.shape
    out = np.empty((-(-height // cell), -(-width // cell)), dtype=np.float32)
    _cell_means(plane, cell, out)
    return out


def box_means(planes: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    """Means over squares of ``2 * radius + 1`` pixels a side, of planes ``(n, H, W)``."""
    out = np.empty_like(planes)
    _box_means(planes, radius, out)
    return out


def light_fit(
    planes: Sequence[Plane], radius: int, flat: float, good: float, own: tuple[float, float]
) -> NDArray[np.float32]:
    """Local linear fits of two colour planes over the light, averaged by how well they fit.

    Parameters
    ----------
    planes : three float32 (h, w)
        Light and two colours.
    radius : int
        Windows have ``2 * radius + 1`` pixels a side.
    flat : float
        Variance of light below which a window counts as flat.
    good : float
        Residual variance of a good fit; windows weigh by ``(residual + good) ** -2``.
    own : (from, at)
        Residual variance from which the own colour begins to count, and where it is kept.

    Returns
    -------
    float32 (5, h, w)
        Slopes of both, offsets of both, and how far (0 to 1) the own colour is kept.
    """
    products = np.empty((8, *planes[0].shape), dtype=np.float32)
    _products(*planes, products)
    weighted_fit = np.empty((6, *planes[0].shape), dtype=np.float32)
    _weighted_fit(box_means(products, radius), _f(flat), _f(good), weighted_fit)
    fit = np.empty((5, *planes[0].shape), dtype=np.float32)
    _settled_fit(box_means(weighted_fit, radius), _f(own[0]), _f(own[1]), fit)
    return fit


def follow_light(
    light: Plane, own: tuple[Plane, Plane], fit: Plane, cell: int, strength: float
) -> tuple[Plane, Plane]:
    """OKLab a and b moved toward a linear function of the light.

    Parameters
    ----------
    light : float32 (H, W)
    own : two float32 (H, W)
        The planes as they are.
    fit : float32 (5, h, W)
        One row for each ``cell`` rows of the picture, read between them in straight lines: slopes
        of both, offsets of both, and how far (0 to 1) the own value is kept.
    strength : float
        0 to 1.
    """
    one, two = np.empty_like(light), np.empty_like(light)
    _follow_light(light, *own, fit, cell, _f(strength), one, two)
    return one, two


def lift(base: Plane, hue: Plane, chroma: Plane, table: Plane, low: float, high: float) -> Plane:
    """Grey moved by the stops that ``table`` holds for its hue, faded in over chroma."""
    out = np.empty_like(base)
    _lift(base, hue, chroma, table, _f(low), _f(high), out)
    return out


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


def through_table(
    grey: Plane, gain: float, table: Plane, top_root: float, dtype: type[np.uint8] | type[np.uint16]
) -> NDArray[Any]:
    """Codes of a linear grey through a table over its square root.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear, not negative.
    gain : float
        Factor on the light before the table.
    table : float32 (N,)
        Encoded result at square roots from 0 to ``top_root``, evenly spaced.
    dtype : numpy.uint8 or numpy.uint16
        Depth of the codes, rounded to the nearest.
    """
    out = np.empty(grey.shape, dtype=dtype)
    places = (len(table) - 1) / top_root * math.sqrt(gain)
    _through_table(grey, _f(places), table, _f(np.iinfo(dtype).max), out)
    return out


def counts(codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Histogram of 8-bit codes, 256 counts."""
    partial = np.zeros((8, 256), dtype=np.int64)
    _counts(codes, partial)
    return np.asarray(partial.sum(axis=0))


def display(rgb_linear: Colour) -> NDArray[np.uint8]:
    """8-bit sRGB codes of linear colour ``(H, W, 3)``, clipped to the gamut, for a screen."""
    out = np.empty(rgb_linear.shape, dtype=np.uint8)
    _display(rgb_linear, out)
    return out


def look_up(codes: NDArray[Any], tables: Plane) -> Colour:
    """Linear colour of integer codes.

    Parameters
    ----------
    codes : uint8 or uint16 (H, W, 3)
    tables : float32 (N,) or (3, N, 3)
        One table for every channel, or what each channel's code adds to linear red, green, blue.
    """
    out = np.empty(codes.shape, dtype=np.float32)
    (_look_up if tables.ndim == 1 else _look_up_sum)(codes, tables, out)
    return out


def _plane(rgb: Colour) -> Plane:
    return np.empty(rgb.shape[:2], dtype=np.float32)


def threading_layer() -> str:
    """Name of numba's threading layer; ``workqueue`` must not be entered from two threads."""
    warm()
    layer: Any = numba
    return str(layer.threading_layer())


def warm() -> None:
    """Compile every kernel, or load it from the cache, so that no drag waits for it."""
    rgb = np.full((2, 2, 3), 0.5, dtype=np.float32)
    base = luminance(rgb)
    weighted(rgb, (0.3, 0.6, 0.1), 0.0, encoded=True)
    weighted(rgb, (0.3, 0.6, 0.1), 0.0, encoded=False)
    extremes(rgb, 0.5)
    display(rgb)
    six(rgb, (0.3, 0.6, 0.1), (0.7, 0.4, 0.9))
    planes = colours(rgb)
    hue, chroma = polar(planes[1], planes[2])
    table = np.zeros(HUE_TABLE_SIZE + 1, dtype=np.float32)
    lift(base, hue, chroma, table, 0.005, 0.05)
    lift_picked(base, planes, np.ones((1, 5), dtype=np.float32))
    nearness(planes, np.ones(5, dtype=np.float32))
    light_fit([cell_means(plane, 2) for plane in planes], 1, 1e-4, 2e-5, (1e-4, 1e-3))
    fit = np.zeros((5, 1, 1), dtype=np.float32)
    follow_light(base, planes[1:], fit, 2, 1.0)
    ramp = np.linspace(0, 1, 16, dtype=np.float32)
    counts(through_table(base, 1.0, ramp, 1.0, np.uint8))
    through_table(base, 1.0, ramp, 1.0, np.uint16)
    for dtype in (np.uint8, np.uint16):
        codes = np.zeros((2, 2, 3), dtype=dtype)
        look_up(codes, ramp)
        look_up(codes, np.zeros((3, 4, 3), dtype=np.float32))
