"""Compiled loops of the bands: logarithms, coefficients along rows, gains by the base."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import exp2, find_places, log2_one, pairs_of_two, smooth
from oatmeal.core.colour.spaces import LUMINANCE_WEIGHTS
from oatmeal.core.loops import inline_rows, parallel, rows_of

_f = np.float32
_RED_Y, _GREEN_Y, _BLUE_Y = (_f(weight) for weight in LUMINANCE_WEIGHTS)

#: Tables over the base run over these stops around white.
LOWEST_STOPS: Final = -12.0
HIGHEST_STOPS: Final = 4.0
TABLE_SIZE: Final = 1025

_LOW: Final = _f(LOWEST_STOPS)
_PER_STOP: Final = _f((TABLE_SIZE - 1) / (HIGHEST_STOPS - LOWEST_STOPS))

#: Added to light before its logarithm, so that black has one.
FLOOR: Final = _f(2.0**-12)

Plane = NDArray[np.float32]


@parallel
def _log_light(chunk, grey, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, grey.shape[0]):
        line, result = grey[y], out[y]
        for x in range(grey.shape[1]):
            result[x] = log2_one(line[x] + FLOOR)


@parallel
def _spread(chunk, maps, first, last, left, part, out):  # type: ignore[no-untyped-def]
    rows = last - first
    for place in rows_of(chunk, maps.shape[0] * rows):
        plane, row = place // rows, first + place % rows
        line, result = maps[plane, row], out[plane, row]
        for x in range(left.shape[0]):
            here = left[x]
            result[x] = line[here] + part[x] * (line[here + 1] - line[here])


@inline_rows
def band_row(wide, plane, place, begin, light, out):  # type: ignore[no-untyped-def]
    """Base (plane 0) or middle band (plane 2) of a row's logarithm, between rows of coefficients.

    ``place`` is where the row lies among them, ``begin`` the column of ``wide`` that it begins at.
    """
    rows, end = wide.shape[1], begin + light.shape[0]
    place = min(max(place, 0.0), rows - 1.0)
    above = min(int(place), max(rows - 2, 0))
    below = min(above + 1, rows - 1)
    t = _f(place - above)
    one, two = wide[plane, above, begin:end], wide[plane, below, begin:end]
    three, four = wide[plane + 1, above, begin:end], wide[plane + 1, below, begin:end]
    for x in range(light.shape[0]):
        slope = one[x] + t * (two[x] - one[x])
        out[x] = slope * light[x] + three[x] + t * (four[x] - three[x])


@parallel
def _gradients(chunk, light, out):  # type: ignore[no-untyped-def]
    """Central differences of the means of 2 x 2 pixels, and their lengths."""
    height, width = out.shape[1:]
    last, end = light.shape[0] - 1, light.shape[1] - 1
    lines = np.empty((3, width + 2), np.float32)
    for y in rows_of(chunk, height):
        for k in range(3):
            here = min(max(y + k - 1, 0), height - 1)
            one, two = light[min(2 * here, last)], light[min(2 * here + 1, last)]
            line = lines[k]
            for x in range(width):
                p, q = min(2 * x, end), min(2 * x + 1, end)
                line[x + 1] = _f(0.25) * (one[p] + one[q] + two[p] + two[q])
            line[0], line[width + 1] = line[1], line[width]
        for x in range(width):
            across = _f(0.5) * (lines[1, x + 2] - lines[1, x])
            down = _f(0.5) * (lines[2, x + 1] - lines[0, x + 1])
            out[0, y, x], out[1, y, x] = across, down
            out[2, y, x] = math.sqrt(across * across + down * down)


@parallel
def _gates(chunk, sums, level, low, scale, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, out.shape[0]):
        for x in range(out.shape[1]):
            across, down = sums[0, y, x], sums[1, y, x]
            coherent = math.sqrt(across * across + down * down) / (sums[2, y, x] + level)
            out[y, x] = _f(1.0) - smooth(coherent, low, scale)


@parallel
def _through_matrix(chunk, rgb, matrix, out):  # type: ignore[no-untyped-def]
    a, b, c = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    d, e, f = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    g, h, i = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(rgb.shape[1]):
            red, green, blue = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            out[y, x, 0] = a * red + b * green + c * blue
            out[y, x, 1] = d * red + e * green + f * blue
            out[y, x, 2] = g * red + h * green + i * blue


@parallel
def _relit(chunk, rgb, wide, first, step, tables, fine, out):  # type: ignore[no-untyped-def]
    width = rgb.shape[1]
    light, base = np.empty(width, np.float32), np.empty(width, np.float32)
    middle = np.empty(width, np.float32)
    index, between = np.empty(width, np.int32), np.empty(width, np.float32)
    found = np.empty(width, np.complex128)
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(width):
            red, green, blue = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            seen = max(_RED_Y * red + _GREEN_Y * green + _BLUE_Y * blue, _f(0.0))
            light[x] = log2_one(seen + FLOOR)
        band_row(wide, 0, first + step * y, 0, light, base)
        band_row(wide, 2, first + step * y, 0, light, middle)
        for x in range(width):
            between[x] = (base[x] - _LOW) * _PER_STOP
        find_places(between, tables.shape[0] - 1, index, between)
        for x in range(width):
            found[x] = tables[np.uint32(index[x])]
        values = found.view(np.float32)
        for x in range(width):
            gain = values[4 * x] + between[x] * (values[4 * x + 2] - values[4 * x])
            more = values[4 * x + 1] + between[x] * (values[4 * x + 3] - values[4 * x + 1])
            finer = light[x] - base[x] - middle[x]
            light[x] = exp2(gain + more * (middle[x] + fine * finer))
        for x in range(width):
            out[y, x, 0] = rgb[y, x, 0] * light[x]
            out[y, x, 1] = rgb[y, x, 1] * light[x]
            out[y, x, 2] = rgb[y, x, 2] * light[x]


def log_light(grey: Plane) -> Plane:
    """``log2(grey + 2 ** -12)``, in stops around white."""
    out = np.empty_like(grey)
    _log_light(grey, out)
    return out


def gradients(light: Plane) -> NDArray[np.float32]:
    """Gradients of a plane ``(h, w)`` in pixels of half its size: along x, along y, their length.

    Returns
    -------
    float32 (3, ceil(h / 2), ceil(w / 2))
    """
    out = np.empty((3, (light.shape[0] + 1) // 2, (light.shape[1] + 1) // 2), np.float32)
    _gradients(light, out)
    return out


def gates(sums: NDArray[np.float32], level: float, fading: tuple[float, float]) -> Plane:
    """1 where mean gradients, as :func:`gradients` orders them, are those of texture, 0 on slopes.

    Parameters
    ----------
    sums : float32 (3, h, w)
    level : float
        Mean length below which nothing counts as a slope.
    fading : (float, float)
        Coherence, 0 to 1, from which on the gate closes, and where it is closed.
    """
    out = np.empty(sums.shape[1:], np.float32)
    _gates(sums, _f(level), _f(fading[0]), _f(1 / (fading[1] - fading[0])), out)
    return out


def spread(
    maps: NDArray[np.float32],
    window: tuple[float, float, float, float],
    width: int,
    height: int | None = None,
) -> NDArray[np.float32]:
    """Maps ``(n, h, w)`` of a whole picture, read along the rows of a window: ``(n, h, width)``.

    The window is ``(x, y, whole width, whole height)`` in pixels of the part. Where its ``height``
    is given, rows that no pixel of it lies between are left as they come.
    """
    count, rows, columns = maps.shape
    across = (np.arange(width) + 0.5 + window[0]) * (columns / window[2]) - 0.5
    across = np.clip(across, 0, columns - 1)
    left = np.minimum(across.astype(np.int32), max(columns - 2, 0))
    padded = np.pad(maps, ((0, 0), (0, 0), (0, 1)), mode="edge")
    wide = np.empty((count, rows, width), dtype=np.float32)
    first, last = 0, rows
    if height is not None:
        step = rows / window[3]
        # one row more at either end than the pixels lie between, for rounding
        first = max(0, math.floor((0.5 + window[1]) * step - 0.5) - 1)
        last = min(rows, math.floor((height - 0.5 + window[1]) * step - 0.5) + 3)
    _spread(padded, first, last, left, (across - left).astype(np.float32), wide)
    return wide


def through_matrix(
    rgb_linear: NDArray[np.float32], matrix: NDArray[np.float64]
) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` through a matrix ``(3, 3)``."""
    out = np.empty_like(rgb_linear)
    _through_matrix(rgb_linear, matrix.astype(np.float32), out)
    return out


def relit(
    rgb_linear: NDArray[np.float32],
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    tables: tuple[Plane, Plane],
    fine: float = 1.0,
) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` with a gain, in stops, that its base says; hue is kept.

    Parameters
    ----------
    wide : float32 (4, h, W)
        Slopes and offsets of base and middle band, as :func:`spread` gives them.
    window : (x, y, width, height)
        Corner of the colour in the whole picture, and the whole's size in the same pixels.
    tables : two float32 (TABLE_SIZE,)
        Over the base, from LOWEST_STOPS to HIGHEST_STOPS: gain, and how much of what stands out
        from the base is added to it.
    fine : float
        Share of what is finer than the middle band that is added along.
    """
    step = wide.shape[1] / window[3]
    out = np.empty_like(rgb_linear)
    _relit(
        rgb_linear, wide, (0.5 + window[1]) * step - 0.5, step, pairs_of_two(*tables), _f(fine), out
    )
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    rgb = np.full((4, 4, 3), 0.2, dtype=np.float32)
    log_light(np.ascontiguousarray(rgb[..., 0]))
    window = (0.0, 0.0, 4.0, 4.0)
    wide = spread(np.zeros((4, 2, 2), dtype=np.float32), window, 4)
    gates(gradients(np.ascontiguousarray(rgb[..., 0])), 0.01, (0.2, 0.5))
    none = np.zeros(TABLE_SIZE, dtype=np.float32)
    relit(rgb, wide, window, (none, none))
    through_matrix(rgb, np.eye(3))
