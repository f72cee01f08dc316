"""Means over cells and boxes, as compiled loops."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import parallel, rows_of

_f = np.float32

Plane = NDArray[np.float32]


@parallel
def _cell_means(chunk, plane, cell, out):  # type: ignore[no-untyped-def]
    height, width = plane.shape
    sums = np.empty(out.shape[1] * cell, np.float32)
    for row in rows_of(chunk, out.shape[0]):
        for x in range(sums.shape[0]):
            sums[x] = _f(0.0)
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


@parallel
def _box_means(chunk, planes, radius, out):  # type: ignore[no-untyped-def]
    count, height, width = planes.shape
    share = _f(1.0) / _f((2 * radius + 1) ** 2)
    # slices instead of shifted places, which would have to be checked one by one
    column, row = np.empty(width + 2 * radius, np.float32), np.empty(width, np.float32)
    inside = column[radius : radius + width]
    for place in rows_of(chunk, count * height):
        plane, y = place // height, place % height
        for x in range(width):
            inside[x] = _f(0.0)
        for step in range(-radius, radius + 1):
            line = planes[plane, min(max(y + step, 0), height - 1)]
            for x in range(width):
                inside[x] += line[x]
        for x in range(radius):
            column[x] = column[radius]
            column[width + radius + x] = column[width + radius - 1]
        for x in range(width):
            row[x] = _f(0.0)
        for step in range(2 * radius + 1):
            shifted = column[step : step + width]
            for x in range(width):
                row[x] += shifted[x]
        result = out[plane, y]
        for x in range(width):
            result[x] = row[x] * share


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


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((2, 2), dtype=np.float32)
    box_means(cell_means(plane, 2)[None], 1)
