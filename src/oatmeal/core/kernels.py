"""Compiled loops: one numba function for one pass over the picture.

All release the GIL, are compiled once and cached on disk, and run over rows in parallel. The
transfer functions are read from tables over the square root (encode) or the value itself (decode)
with linear interpolation; the error stays below 2e-8 of the scale inside 0 to 1, and outside it
the exact power is taken. Plain numpy twins live in the tests.
"""

from __future__ import annotations

import math
from typing import Any, Final

import numba
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LMS_TO_OKLAB, LUMINANCE_WEIGHTS, SRGB_TO_LMS, encode_srgb
from oatmeal.core.colour import decode_srgb as _decode_exact
from oatmeal.core.ranges import HUE_TABLE_SIZE

_N: Final = 16384
_ENCODE: Final = encode_srgb((np.arange(_N + 2) / _N) ** 2)
_DECODE: Final = _decode_exact(np.arange(_N + 2) / _N)
_RED_Y, _GREEN_Y, _BLUE_Y = LUMINANCE_WEIGHTS
_LMS = SRGB_TO_LMS
_LAB = LMS_TO_OKLAB
_HUE_STEPS: Final = HUE_TABLE_SIZE / (2 * math.pi)

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]

_parallel: Any = numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")
_inline: Any = numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")


@_inline
def _encode(linear, table):  # type: ignore[no-untyped-def]
    size = abs(linear)
    if size <= 1.0:
        place = math.sqrt(size) * _N
        index = int(place)
        value = table[index] + (table[index + 1] - table[index]) * (place - index)
    else:
        value = 1.055 * size ** (1.0 / 2.4) - 0.055
    return value if linear >= 0.0 else -value


@_inline
def _decode_clamped(encoded, table):  # type: ignore[no-untyped-def]
    if encoded <= 0.0:
        return 0.0
    if encoded <= 1.0:
        place = encoded * _N
        index = int(place)
        return table[index] + (table[index + 1] - table[index]) * (place - index)
    return ((encoded + 0.055) / 1.055) ** 2.4


@_parallel
def _luminance(rgb, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = _RED_Y * rgb[y, x, 0] + _GREEN_Y * rgb[y, x, 1] + _BLUE_Y * rgb[y, x, 2]
            out[y, x] = max(value, 0.0)


@_parallel
def _weighted_linear(rgb, red, green, blue, offset, encode, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = red * rgb[y, x, 0] + green * rgb[y, x, 1] + blue * rgb[y, x, 2]
            if offset != 0.0:
                value = _decode_clamped(_encode(value, encode) + offset, decode)
            out[y, x] = max(value, 0.0)


@_parallel
def _weighted_encoded(rgb, red, green, blue, offset, encode, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            r = _encode(rgb[y, x, 0], encode)
            g = _encode(rgb[y, x, 1], encode)
            b = _encode(rgb[y, x, 2], encode)
            out[y, x] = _decode_clamped(red * r + green * g + blue * b + offset, decode)


@_parallel
def _extremes(rgb, share_of_max, encode, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            high = _encode(max(r, g, b), encode)
            low = _encode(min(r, g, b), encode)
            out[y, x] = _decode_clamped(low + (high - low) * share_of_max, decode)


@_parallel
def _six(rgb, primaries, secondaries, encode, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            r = _encode(rgb[y, x, 0], encode)
            g = _encode(rgb[y, x, 1], encode)
            b = _encode(rgb[y, x, 2], encode)
            high = max(r, g, b)
            low = min(r, g, b)
            middle = max(min(r, g), min(max(r, g), b))
            primary = 0 if r == high else (1 if g == high else 2)
            # the secondary is named by the channel it lacks, the lowest one
            lacking = 2 if b == low else (1 if g == low else 0)
            value = low
            value += (middle - low) * secondaries[lacking]
            value += (high - middle) * primaries[primary]
            out[y, x] = _decode_clamped(value, decode)


@_inline
def _cube_root(value):  # type: ignore[no-untyped-def]
    """Cube root by two Halley steps from the float's halved-by-three exponent."""
    if value == 0.0:
        return 0.0
    size = abs(value)
    fraction, exponent = math.frexp(size)
    shift = exponent % 3
    if shift:
        shift -= 3
    root = 0.3811 + 0.9235 * math.ldexp(fraction, shift)
    root -= 0.3046 * math.ldexp(fraction, shift) ** 2
    target = math.ldexp(fraction, shift)
    for _ in range(2):
        cube = root * root * root
        root *= (cube + target + target) / (cube + cube + target)
    root = math.ldexp(root, (exponent - shift) // 3)
    return root if value > 0.0 else -root


@_parallel
def _analyse(rgb, hue, chroma):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            r, g, b = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            long = _cube_root(_LMS[0, 0] * r + _LMS[0, 1] * g + _LMS[0, 2] * b)
            medium = _cube_root(_LMS[1, 0] * r + _LMS[1, 1] * g + _LMS[1, 2] * b)
            short = _cube_root(_LMS[2, 0] * r + _LMS[2, 1] * g + _LMS[2, 2] * b)
            a_axis = _LAB[1, 0] * long + _LAB[1, 1] * medium + _LAB[1, 2] * short
            b_axis = _LAB[2, 0] * long + _LAB[2, 1] * medium + _LAB[2, 2] * short
            place = math.atan2(np.float32(b_axis), np.float32(a_axis)) * _HUE_STEPS
            if place < 0.0:
                place += HUE_TABLE_SIZE
            hue[y, x] = place
            chroma[y, x] = math.sqrt(a_axis * a_axis + b_axis * b_axis)


@_parallel
def _lift(base, hue, chroma, table, low, high, out):  # type: ignore[no-untyped-def]
    scale = np.float32(1.0 / (high - low))
    low32 = np.float32(low)
    one = np.float32(1.0)
    for y in numba.prange(base.shape[0]):
        for x in range(base.shape[1]):
            t = (chroma[y, x] - low32) * scale
            if t <= 0.0:
                out[y, x] = base[y, x]
            else:
                t = min(t, one)
                place = hue[y, x]
                index = min(int(place), HUE_TABLE_SIZE - 1)
                part = place - np.float32(index)
                stops = table[index] + (table[index + 1] - table[index]) * part
                full = t * t * (np.float32(3.0) - np.float32(2.0) * t)
                out[y, x] = base[y, x] * np.exp2(full * stops)


@_parallel
def _through_table(grey, gain, table, places_per_root, top, out):  # type: ignore[no-untyped-def]
    last = table.shape[0] - 2
    gain32 = np.float32(gain)
    places = np.float32(places_per_root)
    limit = np.float32(last + 1)
    for y in numba.prange(grey.shape[0]):
        for x in range(grey.shape[1]):
            place = min(np.sqrt(grey[y, x] * gain32) * places, limit)
            index = min(int(place), last)
            value = table[index] + (table[index + 1] - table[index]) * (place - np.float32(index))
            out[y, x] = value * top + np.float32(0.5)


@_parallel
def _counts(codes, partial):  # type: ignore[no-untyped-def]
    bands = partial.shape[0]
    for band in numba.prange(bands):
        for y in range(band * codes.shape[0] // bands, (band + 1) * codes.shape[0] // bands):
            for x in range(codes.shape[1]):
                partial[band, codes[y, x]] += 1


@_parallel
def _display(rgb, encode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            for channel in range(rgb.shape[2]):
                value = min(max(rgb[y, x, channel], 0.0), 1.0)
                out[y, x, channel] = _encode(value, encode) * 255.0 + 0.5


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
    kernel(rgb_linear, *weights, offset, _ENCODE, _DECODE, out)
    return out


def extremes(rgb_linear: Colour, share_of_max: float) -> Plane:
    """Linear grey between the lowest (0) and the highest (1) encoded channel."""
    out = _plane(rgb_linear)
    _extremes(rgb_linear, share_of_max, _ENCODE, _DECODE, out)
    return out


def six(
    rgb_linear: Colour,
    primaries: tuple[float, float, float],
    secondaries: tuple[float, float, float],
) -> Plane:
    """Linear grey of six weighted colours: (red, green, blue), (cyan, magenta, yellow)."""
    out = _plane(rgb_linear)
    _six(rgb_linear, np.array(primaries), np.array(secondaries), _ENCODE, _DECODE, out)
    return out


def analyse(rgb_linear: Colour) -> tuple[Plane, Plane]:
    """Hue (in steps of 360 / HUE_TABLE_SIZE degrees) and chroma in OKLab (Ottosson 2020)."""
    hue, chroma = _plane(rgb_linear), _plane(rgb_linear)
    _analyse(rgb_linear, hue, chroma)
    return hue, chroma


def lift(base: Plane, hue: Plane, chroma: Plane, table: Plane, low: float, high: float) -> Plane:
    """Grey moved by the stops that ``table`` holds for its hue, faded in over chroma."""
    out = np.empty_like(base)
    _lift(base, hue, chroma, table, low, high, out)
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
    places = (len(table) - 1) / top_root
    _through_table(grey, gain, table, places, np.float32(np.iinfo(dtype).max), out)
    return out


def counts(codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Histogram of 8-bit codes, 256 counts."""
    partial = np.zeros((8, 256), dtype=np.int64)
    _counts(codes, partial)
    return np.asarray(partial.sum(axis=0))


def display(rgb_linear: Colour) -> NDArray[np.uint8]:
    """8-bit sRGB codes of linear colour ``(H, W, 3)``, clipped to the gamut, for a screen."""
    out = np.empty(rgb_linear.shape, dtype=np.uint8)
    _display(rgb_linear, _ENCODE, out)
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
    hue, chroma = analyse(rgb)
    table = np.zeros(HUE_TABLE_SIZE + 1, dtype=np.float32)
    lift(base, hue, chroma, table, 0.005, 0.05)
    ramp = np.linspace(0, 1, 16, dtype=np.float32)
    counts(through_table(base, 1.0, ramp, 1.0, np.uint8))
    through_table(base, 1.0, ramp, 1.0, np.uint16)
    for dtype in (np.uint8, np.uint16):
        codes = np.zeros((2, 2, 3), dtype=dtype)
        look_up(codes, ramp)
        look_up(codes, np.zeros((3, 4, 3), dtype=np.float32))
