"""The compiled loop of the fine band: a guided filter of a plane by itself, in one pass.

K. He, J. Sun, X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013), with sums over boxes that go
along as the rows do.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numba import prange
from numpy.typing import NDArray

from oatmeal.core.bands.kernels import FLOOR
from oatmeal.core.colour.lanes import inline, log2_one, parallel

_f = np.float32

#: Digest of lanes.py, see there.
LANES: Final = "86297a4278c2"

#: Rows that one thread works on at a time; the sums begin anew with each of these.
_ROWS: Final = 96

Plane = NDArray[np.float32]


@inline
def _across(column, radius, out):  # type: ignore[no-untyped-def]
    """Sums of ``2 * radius + 1`` neighbours of a row that has ``radius`` more at either end."""
    width = out.shape[0]
    for x in range(radius):
        column[x] = column[radius]
        column[width + radius + x] = column[width + radius - 1]
    for x in range(width):
        out[x] = column[x]
    for step in range(1, 2 * radius + 1):
        shifted = column[step : step + width]
        for x in range(width):
            out[x] += shifted[x]


@parallel
def _fine(grey, radius, edge, out):  # type: ignore[no-untyped-def]
    height, width = grey.shape
    share = _f(1.0) / _f((2 * radius + 1) ** 2)
    for part in prange((height + _ROWS - 1) // _ROWS):
        first, last = part * _ROWS, min((part + 1) * _ROWS, height)
        # rows whose coefficients are needed, and rows that those need
        low, high = max(first - radius, 0), min(last + radius, height)
        top, bottom = max(low - radius, 0), min(high + radius, height)
        light = np.empty((bottom - top, width), np.float32)
        for y in range(top, bottom):
            line, result = grey[y], light[y - top]
            for x in range(width):
                result[x] = log2_one(line[x] + FLOOR)
        slopes = np.empty((high - low, width), np.float32)
        offsets = np.empty((high - low, width), np.float32)
        sums = np.zeros(width + 2 * radius, np.float32)
        squares = np.zeros(width + 2 * radius, np.float32)
        inside, within = sums[radius : radius + width], squares[radius : radius + width]
        mean = np.empty(width, np.float32)
        spread = np.empty(width, np.float32)
        for step in range(-radius, radius):
            line = light[min(max(low + step, 0), height - 1) - top]
            for x in range(width):
                inside[x] += line[x]
            for x in range(width):
                within[x] += line[x] * line[x]
        for y in range(low, high):
            coming = light[min(y + radius, height - 1) - top]
            for x in range(width):
                inside[x] += coming[x]
            for x in range(width):
                within[x] += coming[x] * coming[x]
            _across(sums, radius, mean)
            _across(squares, radius, spread)
            slope, offset = slopes[y - low], offsets[y - low]
            for x in range(width):
                middle = mean[x] * share
                variance = max(spread[x] * share - middle * middle, _f(0.0))
                slope[x] = variance / (variance + edge)
                offset[x] = middle * (_f(1.0) - slope[x])
            going = light[max(y - radius, 0) - top]
            for x in range(width):
                inside[x] -= going[x]
            for x in range(width):
                within[x] -= going[x] * going[x]
        for x in range(width + 2 * radius):
            sums[x] = _f(0.0)
            squares[x] = _f(0.0)
        for step in range(-radius, radius):
            place = min(max(first + step, 0), height - 1) - low
            slope, offset = slopes[place], offsets[place]
            for x in range(width):
                inside[x] += slope[x]
            for x in range(width):
                within[x] += offset[x]
        for y in range(first, last):
            place = min(y + radius, height - 1) - low
            slope, offset = slopes[place], offsets[place]
            for x in range(width):
                inside[x] += slope[x]
            for x in range(width):
                within[x] += offset[x]
            _across(sums, radius, mean)
            _across(squares, radius, spread)
            line, result = light[y - top], out[y]
            for x in range(width):
                result[x] = line[x] - (mean[x] * line[x] + spread[x]) * share
            place = max(y - radius, 0) - low
            slope, offset = slopes[place], offsets[place]
            for x in range(width):
                inside[x] -= slope[x]
            for x in range(width):
                within[x] -= offset[x]


def fine_band(grey: Plane, radius: int, edge_variance: float) -> Plane:
    """What is finer than edges and the means round each pixel, in stops.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear, not negative.
    radius : int
        Of the square windows, at least 1.
    edge_variance : float
        Variance from which on what changes is an edge and stays out, in squared stops.

    Returns
    -------
    float32 (H, W)
    """
    out = np.empty_like(grey)
    _fine(grey, radius, _f(edge_variance), out)
    return out


def warm() -> Any:
    """Compile, or load from the cache."""
    return fine_band(np.full((4, 4), 0.2, dtype=np.float32), 1, 0.05)
