"""Compiled loops: one numba function for one pass over the picture.

All release the GIL, are compiled once and cached on disk, and run over rows in parallel. Each row
of colour is first taken apart into planes, so that the compiler can work on eight pixels at a time.
The sRGB curve is computed from cube roots; its inverse is read from a table with linear
interpolation inside 0 to 1. Errors stay below 3e-7 of the scale. Plain numpy twins live in the
tests.
"""

from __future__ import annotations

import math
from typing import Any, Final

import numba
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LMS_TO_OKLAB, LUMINANCE_WEIGHTS, SRGB_TO_LMS
from oatmeal.core.colour import decode_srgb as _decode_exact
from oatmeal.core.ranges import HUE_TABLE_SIZE

_f = np.float32
_N: Final = 8192
_DECODE: Final = _decode_exact(np.arange(_N + 2) / _N).astype(_f)
_PLACES: Final = _f(_N)

_RED_Y, _GREEN_Y, _BLUE_Y = (_f(weight) for weight in LUMINANCE_WEIGHTS)
_L0, _L1, _L2, _M0, _M1, _M2, _S0, _S1, _S2 = (_f(value) for value in SRGB_TO_LMS.ravel())
_A0, _A1, _A2, _B0, _B1, _B2 = (_f(value) for value in LMS_TO_OKLAB[1:].ravel())

#: Arc tangent on 0 to 1, error below 1e-5 (Abramowitz and Stegun 1964, 4.4.49), in hue steps.
_ATAN1, _ATAN3, _ATAN5, _ATAN7, _ATAN9 = (
    _f(value * HUE_TABLE_SIZE / (2 * math.pi))
    for value in (0.9998660, -0.3302995, 0.1801410, -0.0851330, 0.0208351)
)
_TURN: Final = _f(HUE_TABLE_SIZE)
_HALF_TURN: Final = _f(HUE_TABLE_SIZE / 2)
_QUARTER_TURN: Final = _f(HUE_TABLE_SIZE / 4)

#: Taylor series of 2**x on -0.5 to 0.5, error below 2e-7.
_E1, _E2, _E3, _E4, _E5, _E6 = (
    _f(math.log(2) ** n / math.factorial(n)) for n in (1, 2, 3, 4, 5, 6)
)

#: First guess of a cube root from a third of the float's bits (constant from memory; the
#: iterations after it remove its error).
_CUBE_ROOT_BITS: Final = np.int32(709921077)

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]

_parallel: Any = numba.njit(
    parallel=True, nogil=True, cache=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"}
)
_inline: Any = numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")


@_inline
def _cube_root(value):  # type: ignore[no-untyped-def]
    """Cube root by two Halley steps; works on many values at once."""
    size = np.float32(abs(value) + _f(1e-30))
    third = np.int32(np.float32(size.view(np.int32)) * _f(1.0 / 3.0))
    root = np.int32(third + _CUBE_ROOT_BITS).view(np.float32)
    cube = root * root * root
    root = root * (cube + size + size) / (cube + cube + size)
    cube = root * root * root
    root = root * (cube + size + size) / (cube + cube + size)
    return math.copysign(root, value)


@_inline
def _encode(linear):  # type: ignore[no-untyped-def]
    """sRGB encoding of linear light of any size: x ** (1 / 2.4) is cbrt(x) * cbrt(x) ** (1 / 4)."""
    size = abs(linear)
    root = _cube_root(size)
    power = _f(1.055) * (root * math.sqrt(math.sqrt(root))) - _f(0.055)
    return math.copysign(power if size > _f(0.0031308) else _f(12.92) * size, linear)


@_inline
def _decode_inside(encoded, table):  # type: ignore[no-untyped-def]
    """Light of an encoded value, clamped to 0 to 1."""
    place = min(max(encoded, _f(0.0)), _f(1.0)) * _PLACES
    index = np.int32(place)
    return table[index] + (table[index + 1] - table[index]) * (place - _f(index))


@_inline
def _decode_row(row, table, out):  # type: ignore[no-untyped-def]
    """Light of many encoded values, clamped at 0; without a branch where none is beyond 1."""
    largest = _f(0.0)
    for i in range(row.shape[0]):
        largest = max(largest, row[i])
    for i in range(row.shape[0]):
        out[i] = _decode_inside(row[i], table)
    if largest > _f(1.0):
        for i in range(row.shape[0]):
            if row[i] > _f(1.0):
                out[i] = ((row[i] + _f(0.055)) / _f(1.055)) ** _f(2.4)


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
                grey[x] = _encode(out[y, x]) + offset
            _decode_row(grey, decode, out[y])


@_parallel
def _weighted_encoded(rgb, red, green, blue, offset, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        shown = np.empty(rgb.shape[1] * 3, np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        row = rgb[y].reshape(-1)
        for i in range(shown.shape[0]):
            shown[i] = _encode(row[i])
        for x in range(rgb.shape[1]):
            value = red * shown[3 * x] + green * shown[3 * x + 1] + blue * shown[3 * x + 2]
            grey[x] = value + offset
        _decode_row(grey, decode, out[y])


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
            dark, light = _encode(low[x]), _encode(high[x])
            grey[x] = dark + (light - dark) * share_of_max
        _decode_row(grey, decode, out[y])


@_parallel
def _six(rgb, primaries, secondaries, decode, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        shown = np.empty(rgb.shape[1] * 3, np.float32)
        grey = np.empty(rgb.shape[1], np.float32)
        row = rgb[y].reshape(-1)
        for i in range(shown.shape[0]):
            shown[i] = _encode(row[i])
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
        _decode_row(grey, decode, out[y])


@_inline
def _hue_steps(a_axis, b_axis):  # type: ignore[no-untyped-def]
    """Angle of OKLab a and b in steps of the hue table."""
    across, along = abs(a_axis), abs(b_axis)
    t = min(across, along) / (max(across, along) + _f(1e-30))
    u = t * t
    place = t * (_ATAN1 + u * (_ATAN3 + u * (_ATAN5 + u * (_ATAN7 + u * _ATAN9))))
    place = _QUARTER_TURN - place if along > across else place
    place = _HALF_TURN - place if a_axis < _f(0.0) else place
    return _TURN - place if b_axis < _f(0.0) else place


@_parallel
def _analyse(rgb, hue, chroma):  # type: ignore[no-untyped-def]
    for y in numba.prange(rgb.shape[0]):
        width = rgb.shape[1]
        red = np.empty(width, np.float32)
        green = np.empty(width, np.float32)
        blue = np.empty(width, np.float32)
        for x in range(width):
            red[x], green[x], blue[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
        for x in range(width):
            r, g, b = red[x], green[x], blue[x]
            long = _cube_root(_L0 * r + _L1 * g + _L2 * b)
            medium = _cube_root(_M0 * r + _M1 * g + _M2 * b)
            short = _cube_root(_S0 * r + _S1 * g + _S2 * b)
            a_axis = _A0 * long + _A1 * medium + _A2 * short
            b_axis = _B0 * long + _B1 * medium + _B2 * short
            hue[y, x] = _hue_steps(a_axis, b_axis)
            chroma[y, x] = math.sqrt(a_axis * a_axis + b_axis * b_axis)


@_inline
def _exp2(stops):  # type: ignore[no-untyped-def]
    """Two to the power of -100 to 100; exactly 1 at 0."""
    whole = np.int32(stops + _f(128.5)) - np.int32(128)
    part = stops - _f(whole)
    series = _E1 + part * (_E2 + part * (_E3 + part * (_E4 + part * (_E5 + part * _E6))))
    scale = np.int32((np.int32(whole) + np.int32(127)) << np.int32(23)).view(np.float32)
    return (_f(1.0) + part * series) * scale


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
            out[y, x] = base[y, x] * _exp2(full * stops)


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
            shown[i] = _encode(value) * _f(255.0) + _f(0.5)


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
    kernel(rgb_linear, red, green, blue, _f(offset), _DECODE, out)
    return out


def extremes(rgb_linear: Colour, share_of_max: float) -> Plane:
    """Linear grey between the lowest (0) and the highest (1) encoded channel."""
    out = _plane(rgb_linear)
    _extremes(rgb_linear, _f(share_of_max), _DECODE, out)
    return out


def six(
    rgb_linear: Colour,
    primaries: tuple[float, float, float],
    secondaries: tuple[float, float, float],
) -> Plane:
    """Linear grey of six weighted colours: (red, green, blue), (cyan, magenta, yellow)."""
    out = _plane(rgb_linear)
    pure, mixed = np.array(primaries, dtype=_f), np.array(secondaries, dtype=_f)
    _six(rgb_linear, pure, mixed, _DECODE, out)
    return out


def analyse(rgb_linear: Colour) -> tuple[Plane, Plane]:
    """Hue (in steps of 360 / HUE_TABLE_SIZE degrees) and chroma in OKLab (Ottosson 2020)."""
    hue, chroma = _plane(rgb_linear), _plane(rgb_linear)
    _analyse(rgb_linear, hue, chroma)
    return hue, chroma


def lift(base: Plane, hue: Plane, chroma: Plane, table: Plane, low: float, high: float) -> Plane:
    """Grey moved by the stops that ``table`` holds for its hue, faded in over chroma."""
    out = np.empty_like(base)
    _lift(base, hue, chroma, table, _f(low), _f(high), out)
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
