"""The compiled loop of the fine band: a guided filter of a plane by itself, in one pass.

K. He, J. Sun, X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013), with sums over boxes that go
along as the rows do.
"""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands.kernels import FLOOR
from oatmeal.core.colour.lanes import log2_one
from oatmeal.core.loops import inline_rows, parallel, rows_of, serial

_f = np.float32

#: Rows and columns that one thread works on at a time, with all between in its nearest memory; the
#: sums begin anew with each of these rows.
_ROWS: Final = 96
_COLUMNS: Final = 320

Plane = NDArray[np.float32]


@inline_rows
def _across(column, begin, end, radius, doubled, out):  # type: ignore[no-untyped-def]
    """Sums of ``2 * radius + 1`` neighbours of a row that has ``radius`` more at either end.

    What is known of it is from ``begin`` to ``end``; the edges go on beyond. Sums of 2, 4, 8 ...
    neighbours double one another; those that the size is made of are added.
    """
    width = out.shape[0]
    for x in range(begin):
        column[x] = column[begin]
    for x in range(end, width + 2 * radius):
        column[x] = column[end - 1]
    pairs, shifted = doubled[0], column[1:]
    for x in range(width + 2 * radius - 1):
        pairs[x] = column[x] + shifted[x]
    for x in range(width):
        out[x] = column[x]
    size, taken, reach, number = 2 * radius + 1, 1, 2, 0
    while reach <= size:
        if size & reach:
            shifted = doubled[number, taken:]
            for x in range(width):
                out[x] += shifted[x]
            taken += reach
        if 2 * reach <= size:
            # a row of its own for each, or the compiler would have to take one number at a time
            one, shifted, longer = doubled[number], doubled[number, reach:], doubled[number + 1]
            for x in range(width + 2 * radius + 1 - 2 * reach):
                longer[x] = one[x] + shifted[x]
        reach *= 2
        number += 1


@inline_rows
def _slide(sums, squares, coming, going):  # type: ignore[no-untyped-def]
    """Sums down the columns of a row and its squares, one row further."""
    for x in range(sums.shape[0]):
        sums[x] += coming[x] - going[x]
    for x in range(sums.shape[0]):
        squares[x] += coming[x] * coming[x] - going[x] * going[x]


@serial
def _fine_part(grey, first, left, radius, doublings, edge, out):  # type: ignore[no-untyped-def]
    """From a row and a column on, as many as one thread takes at a time."""
    height, width = grey.shape
    share = _f(1.0) / _f((2 * radius + 1) ** 2)
    last = min(first + _ROWS, height)
    right = min(left + _COLUMNS, width)
    # where coefficients are needed, and what those need
    low, high = max(first - radius, 0), min(last + radius, height)
    top, bottom = max(low - radius, 0), min(high + radius, height)
    begin, end = max(left - radius, 0), min(right + radius, width)
    start, stop = max(begin - radius, 0), min(end + radius, width)
    light = np.empty((bottom - top, stop - start), np.float32)
    for y in range(top, bottom):
        line, result = grey[y, start:stop], light[y - top]
        for x in range(line.shape[0]):
            result[x] = log2_one(line[x] + FLOOR)
    count = end - begin
    slopes = np.empty((high - low, count), np.float32)
    offsets = np.empty((high - low, count), np.float32)
    sums = np.zeros(count + 2 * radius, np.float32)
    squares = np.zeros(count + 2 * radius, np.float32)
    doubled = np.empty((doublings, count + 2 * radius), np.float32)
    mean = np.empty(count, np.float32)
    spread = np.empty(count, np.float32)
    none = np.zeros(stop - start, np.float32)
    one, two = start - begin + radius, stop - begin + radius
    inside, within = sums[one:two], squares[one:two]
    for step in range(-radius, radius + 1):
        _slide(inside, within, light[min(max(low + step, 0), height - 1) - top], none)
    for y in range(low, high):
        if y > low:
            coming = light[min(y + radius, height - 1) - top]
            _slide(inside, within, coming, light[max(y - radius - 1, 0) - top])
        _across(sums, one, two, radius, doubled, mean)
        _across(squares, one, two, radius, doubled, spread)
        slope, offset = slopes[y - low], offsets[y - low]
        for x in range(count):
            middle = mean[x] * share
            variance = max(spread[x] * share - middle * middle, _f(0.0))
            slope[x] = variance / (variance + edge)
            offset[x] = middle * (_f(1.0) - slope[x])
    one, two = begin - left + radius, end - left + radius
    inside, within = sums[one:two], squares[one:two]
    for x in range(count):
        inside[x] = _f(0.0)
        within[x] = _f(0.0)
    for step in range(-radius, radius + 1):
        place = min(max(first + step, 0), height - 1) - low
        slope, offset = slopes[place], offsets[place]
        for x in range(count):
            inside[x] += slope[x]
        for x in range(count):
            within[x] += offset[x]
    mean, spread = mean[: right - left], spread[: right - left]
    for y in range(first, last):
        if y > first:
            place, gone = min(y + radius, height - 1) - low, max(y - radius - 1, 0) - low
            slope, offset = slopes[place], offsets[place]
            lost, less = slopes[gone], offsets[gone]
            for x in range(count):
                inside[x] += slope[x] - lost[x]
            for x in range(count):
                within[x] += offset[x] - less[x]
        _across(sums, one, two, radius, doubled, mean)
        _across(squares, one, two, radius, doubled, spread)
        line, result = light[y - top, left - start : right - start], out[y, left:right]
        for x in range(right - left):
            result[x] = line[x] - (mean[x] * line[x] + spread[x]) * share


@parallel
def _fine(chunk, grey, radius, doublings, edge, out):  # type: ignore[no-untyped-def]
    across = (grey.shape[1] + _COLUMNS - 1) // _COLUMNS
    for place in rows_of(chunk, (grey.shape[0] + _ROWS - 1) // _ROWS * across):
        first, left = place // across * _ROWS, place % across * _COLUMNS
        _fine_part(grey, first, left, radius, doublings, edge, out)


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
    _fine(grey, radius, (2 * radius + 1).bit_length(), _f(edge_variance), out)
    return out


def warm() -> Any:
    """Compile, or load from the cache."""
    return fine_band(np.full((4, 4), 0.2, dtype=np.float32), 1, 0.05)
