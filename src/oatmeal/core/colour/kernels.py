"""Compiled loops of colour science: luminance, OKLab, display codes, look-ups.

Rows of colour are first taken apart where that lets the compiler work on eight pixels at a time.
Plain numpy twins live in the tests.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import loading as loading  # before any loop is called
from oatmeal.core.colour.lanes import decode_row, encode_inside, hue_steps, oklab
from oatmeal.core.colour.spaces import LUMINANCE_WEIGHTS
from oatmeal.core.loops import inline_rows, parallel, rows_of

_f = np.float32
_RED_Y, _GREEN_Y, _BLUE_Y = (_f(weight) for weight in LUMINANCE_WEIGHTS)

#: The largest number that half precision is asked to hold, exactly one of its own.
LARGEST_HALF: Final = 60_000.0

#: New rows that one thread makes of a reduced picture, one after the other.
_AVERAGED_ROWS: Final = 16

#: A share of a pixel that does not count for another one's average, from rounding.
_CROSSED: Final = 1e-6

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]


@parallel
def _luminance(chunk, rgb, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(rgb.shape[1]):
            value = _RED_Y * rgb[y, x, 0] + _GREEN_Y * rgb[y, x, 1] + _BLUE_Y * rgb[y, x, 2]
            out[y, x] = max(value, _f(0.0))


@parallel
def _colours(chunk, rgb, lightness, a_axis, b_axis):  # type: ignore[no-untyped-def]
    width = rgb.shape[1]
    red = np.empty(width, np.float32)
    green = np.empty(width, np.float32)
    blue = np.empty(width, np.float32)
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(width):
            red[x], green[x], blue[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
        for x in range(width):
            light, a, b = oklab(red[x], green[x], blue[x])
            lightness[y, x] = light
            a_axis[y, x] = a
            b_axis[y, x] = b


@parallel
def _polar(chunk, a_axis, b_axis, hue, chroma):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, hue.shape[0]):
        for x in range(hue.shape[1]):
            a, b = a_axis[y, x], b_axis[y, x]
            hue[y, x] = hue_steps(a, b)
            chroma[y, x] = math.sqrt(a * a + b * b)


@parallel
def _display(chunk, rgb, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, rgb.shape[0]):
        row, shown = rgb[y].reshape(-1), out[y].reshape(-1)
        for i in range(row.shape[0]):
            value = min(max(row[i], _f(0.0)), _f(1.0))
            shown[i] = encode_inside(value) * _f(255.0) + _f(0.5)


@parallel
def _encode(chunk, light, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, light.shape[0]):
        line, result = light[y], out[y]
        for x in range(line.shape[0]):
            result[x] = encode_inside(min(max(line[x], _f(0.0)), _f(1.0)))


@parallel
def _decode(chunk, encoded, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, encoded.shape[0]):
        decode_row(encoded[y], out[y])


@parallel
def _look_up(chunk, codes, table, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, codes.shape[0]):
        for x in range(codes.shape[1]):
            for channel in range(codes.shape[2]):
                out[y, x, channel] = table[codes[y, x, channel]]


@parallel
def _look_up_sum(chunk, codes, tables, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, codes.shape[0]):
        for x in range(codes.shape[1]):
            red, green, blue = codes[y, x, 0], codes[y, x, 1], codes[y, x, 2]
            for channel in range(3):
                value = tables[0, red, channel] + tables[1, green, channel]
                out[y, x, channel] = value + tables[2, blue, channel]


@parallel
def _averaged(chunk, codes, table, across, across_weights, down, down_weights, out):  # type: ignore[no-untyped-def]
    """Each row is averaged to the new width once, and added to one or two new rows."""
    height, width = out.shape[:2]
    narrow = np.empty(width * 3, np.float32)
    for block in rows_of(chunk, (height + _AVERAGED_ROWS - 1) // _AVERAGED_ROWS):
        held = -1
        top = block * _AVERAGED_ROWS
        for row in range(top, min(top + _AVERAGED_ROWS, height)):
            result = out[row].reshape(-1)
            result[:] = _f(0.0)
            begin, end = down[row, 0], down[row, 1]
            for y in range(begin, end + 1):
                if y != held:
                    held = y
                    _narrowed(codes[y].reshape(-1), table, across, across_weights, narrow)
                weight = down_weights[row, 0 if y == begin else 2 if y == end else 1]
                for i in range(result.shape[0]):
                    result[i] += weight * narrow[i]


@inline_rows
def _narrowed(line, table, across, weights, out):  # type: ignore[no-untyped-def]
    """A row of codes as light, averaged over the width of each new pixel."""
    three, one, two = np.uint64(3), np.uint64(1), np.uint64(2)
    for x in range(across.shape[0]):
        begin, end = np.uint64(across[x, 0]) * three, np.uint64(across[x, 1]) * three
        red = green = blue = _f(0.0)
        for at in range(begin + three, end, three):
            red += table[line[at]]
            green += table[line[at + one]]
            blue += table[line[at + two]]
        first, inner, last = weights[x, 0], weights[x, 1], weights[x, 2]
        red = red * inner + first * table[line[begin]] + last * table[line[end]]
        green = green * inner + first * table[line[begin + one]] + last * table[line[end + one]]
        blue = blue * inner + first * table[line[begin + two]] + last * table[line[end + two]]
        out[3 * x], out[3 * x + 1], out[3 * x + 2] = red, green, blue


@parallel
def _plane_averaged(chunk, plane, across, across_weights, down, down_weights, out):  # type: ignore[no-untyped-def]
    """The rows of each new row are added, then averaged to the new width."""
    wide = np.empty(plane.shape[1], np.float32)
    for row in rows_of(chunk, out.shape[0]):
        for x in range(wide.shape[0]):
            wide[x] = _f(0.0)
        begin, end = down[row, 0], down[row, 1]
        for y in range(begin, end + 1):
            line = plane[y]
            weight = down_weights[row, 0 if y == begin else 2 if y == end else 1]
            for x in range(wide.shape[0]):
                wide[x] += weight * line[x]
        for x in range(across.shape[0]):
            first, last = np.uint64(across[x, 0]), np.uint64(across[x, 1])
            inner = _f(0.0)
            for at in range(first + np.uint64(1), last):
                inner += wide[at]
            ends = across_weights[x, 0] * wide[first] + across_weights[x, 2] * wide[last]
            out[row, x] = ends + across_weights[x, 1] * inner


@parallel
def _from_half(chunk, words, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, words.shape[0]):
        row, result = words[y].reshape(-1), out[y].reshape(-1)
        for i in range(row.shape[0]):
            word = np.int32(row[i])
            # the exponent of single precision is 112 larger
            size = np.int32((word & np.int32(0x7FFF)) << np.int32(13)).view(np.float32)
            sign = _f(-(2.0**112)) if word >= np.int32(0x8000) else _f(2.0**112)
            result[i] = size * sign


@parallel
def _to_half(chunk, words, most, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, words.shape[0]):
        row, result = words[y].reshape(-1), out[y].reshape(-1)
        for i in range(row.shape[0]):
            word = row[i]
            size = np.int32(min(word & np.int32(0x7FFFFFFF), most))
            # 13 digits fewer, a half rounded to even; the exponent is 112 smaller
            odd = np.int32((size >> np.int32(13)) & np.int32(1))
            normal = np.int32(size + np.int32(0xFFF - (112 << 23)) + odd) >> np.int32(13)
            # below 2^-14 it counts steps of 2^-24: added to 2^23 they are the last digits
            steps = _f(size.view(np.float32) * _f(2.0**24) + _f(2.0**23))
            tiny = np.int32(steps.view(np.int32) - np.int32(0x4B000000))
            half = tiny if size < np.int32(113 << 23) else normal
            result[i] = np.uint16(half | ((word >> np.int32(16)) & np.int32(0x8000)))


def luminance(rgb_linear: Colour) -> Plane:
    """Luminance Y of linear colour ``(H, W, 3)``, clamped at 0 (IEC 61966-2-1)."""
    out = plane_of(rgb_linear)
    _luminance(rgb_linear, out)
    return out


def colours(rgb_linear: Colour) -> tuple[Plane, Plane, Plane]:
    """OKLab L, a and b (Ottosson 2020) of linear colour ``(H, W, 3)``, as planes."""
    planes = plane_of(rgb_linear), plane_of(rgb_linear), plane_of(rgb_linear)
    _colours(rgb_linear, *planes)
    return planes


def polar(a_axis: Plane, b_axis: Plane) -> tuple[Plane, Plane]:
    """Hue (in steps of 360 / HUE_TABLE_SIZE degrees) and chroma of OKLab a and b."""
    hue, chroma = np.empty_like(a_axis), np.empty_like(a_axis)
    _polar(a_axis, b_axis, hue, chroma)
    return hue, chroma


def display(rgb_linear: Colour) -> NDArray[np.uint8]:
    """8-bit sRGB codes of linear colour ``(H, W, 3)``, clipped to the gamut, for a screen."""
    out = np.empty(rgb_linear.shape, dtype=np.uint8)
    _display(rgb_linear, out)
    return out


def encoded(light: Plane) -> Plane:
    """sRGB-encoded values of linear light ``(H, W)``, clipped to 0 to 1."""
    out = np.empty_like(light)
    _encode(light, out)
    return out


def decoded(values: Plane) -> Plane:
    """Linear light of sRGB-encoded values ``(H, W)``, clamped at 0."""
    out = np.empty_like(values)
    _decode(values, out)
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


def averaged(codes: NDArray[Any], table: Plane, width: int, height: int) -> Colour:
    """Linear colour of integer codes, averaged over the area of each of fewer pixels.

    The light of all pixels at their full size is never in memory.

    Parameters
    ----------
    codes : uint8 or uint16 (H, W, 3)
    table : float32 (N,)
        From codes to light.
    width, height : int
        Of the result, at most those of ``codes``.

    Returns
    -------
    float32 (height, width, 3)
        As :func:`look_up` reduced by OpenCV's ``INTER_AREA``.
    """
    out = np.empty((height, width, 3), dtype=np.float32)
    _averaged(codes, table, *_areas(codes.shape[1], width), *_areas(codes.shape[0], height), out)
    return out


def plane_averaged(plane: Plane, width: int, height: int) -> Plane:
    """A plane averaged over the area of each of fewer pixels, as OpenCV's ``INTER_AREA``.

    Parameters
    ----------
    plane : float32 (H, W)
    width, height : int
        Of the result, at most those of ``plane``.

    Returns
    -------
    float32 (height, width)
    """
    out = np.empty((height, width), dtype=np.float32)
    across, down = _areas(plane.shape[1], width), _areas(plane.shape[0], height)
    _plane_averaged(np.ascontiguousarray(plane), *across, *down, out)
    return out


@lru_cache(maxsize=8)
def _areas(old: int, new: int) -> tuple[NDArray[np.int64], Plane]:
    """What each of ``new`` pixels averages of ``old`` ones.

    Returns
    -------
    int64 (new, 2)
        The first pixel and the last.
    float32 (new, 3)
        Weights of the first, of each between, and of the last; the last has none where it is the
        first.
    """
    scale = old / new
    left = np.arange(new) * scale
    right = np.minimum(left + scale, old)
    first = np.floor(left + _CROSSED).astype(np.int64)
    last = np.maximum(np.ceil(right - _CROSSED).astype(np.int64) - 1, first)
    weights = np.stack([np.minimum(first + 1, right) - left, np.ones(new), right - last], axis=1)
    weights[last == first, 2] = 0
    return np.stack([first, last], axis=1), (weights / scale).astype(np.float32)


def from_half(values: NDArray[np.float16]) -> Colour:
    """Finite numbers ``(H, W, 3)`` of half precision (IEEE 754 binary16) in single precision."""
    out = np.empty(values.shape, dtype=np.float32)
    _from_half(values.view(np.uint16), out)
    return out


def to_half(values: Colour) -> NDArray[np.float16]:
    """Numbers ``(H, W, 3)`` in half precision (IEEE 754 binary16), the nearest, ties to even.

    What is beyond :data:`LARGEST_HALF` either way becomes that.
    """
    out = np.empty(values.shape, dtype=np.float16)
    most = np.float32(LARGEST_HALF).view(np.int32)
    _to_half(np.ascontiguousarray(values).view(np.int32), most, out.view(np.uint16))
    return out


def plane_of(rgb: Colour) -> Plane:
    """An empty plane of a picture's size."""
    return np.empty(rgb.shape[:2], dtype=np.float32)


def warm() -> None:
    """Compile, or load from the cache, so that no drag waits for it."""
    rgb = np.full((2, 2, 3), 0.5, dtype=np.float32)
    decoded(encoded(luminance(rgb)))
    display(rgb)
    polar(*colours(rgb)[1:])
    from_half(to_half(rgb))
    plane_averaged(rgb[..., 0], 1, 1)
    for dtype in (np.uint8, np.uint16):
        codes = np.zeros((2, 2, 3), dtype=dtype)
        look_up(codes, np.zeros(16, dtype=np.float32))
        averaged(codes, np.zeros(16, dtype=np.float32), 1, 1)
        look_up(codes, np.zeros((3, 4, 3), dtype=np.float32))
