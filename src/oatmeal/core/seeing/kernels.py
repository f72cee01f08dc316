"""Compiled loops of what is measured."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import find_places, pairs_of, read_row
from oatmeal.core.loops import alone, exact, parallel, rows_of

_f = np.float32

#: Parts of a picture that are counted by themselves.
_BANDS: Final = 8

#: Points that are looked at together.
_BLOCK: Final = 512


@parallel
def _counts(chunk, codes, partial):  # type: ignore[no-untyped-def]
    bands = partial.shape[0]
    for band in rows_of(chunk, bands):
        for y in range(band * codes.shape[0] // bands, (band + 1) * codes.shape[0] // bands):
            for x in range(codes.shape[1]):
                partial[band, codes[y, x]] += 1


@parallel
def _light_counts(chunk, light, step, places_per_root, pairs, partial):  # type: ignore[no-untyped-def]
    bands = partial.shape[0]
    rows, width = (light.shape[0] + step - 1) // step, (light.shape[1] + step - 1) // step
    index = np.empty(width, np.int32)
    place = np.empty(width, np.float32)
    found = np.empty(width, np.int64)
    for band in rows_of(chunk, bands):
        for row in range(band * rows // bands, (band + 1) * rows // bands):
            line = light[row * step]
            for x in range(width):
                place[x] = math.sqrt(line[x * step]) * places_per_root
            find_places(place, pairs.shape[0] - 1, index, place)
            read_row(pairs, index, place, found, place)
            for x in range(width):
                value = min(max(place[x], _f(0.0)), _f(1.0))
                partial[band, np.uint8(value * _f(255.0) + _f(0.5))] += 1


@exact
def _root(parent, run):  # type: ignore[no-untyped-def]
    """The first run of those that a run hangs together with; the way there is cut short."""
    while parent[run] != run:
        parent[run] = parent[parent[run]]
        run = parent[run]
    return run


@alone
@exact
def _in_areas(codes, step, least_code, least_size):  # type: ignore[no-untyped-def]
    rows, width = (codes.shape[0] + step - 1) // step, (codes.shape[1] + step - 1) // step
    most = rows * ((width + 1) // 2)
    begin, end = np.empty(most, np.int32), np.empty(most, np.int32)
    parent, size = np.empty(most, np.int32), np.empty(most, np.int64)
    count = above = 0
    for row in range(rows):
        line, first = codes[row * step], count
        x = 0
        while x < width:
            if line[x * step] < least_code:
                x += 1
                continue
            start = x
            while x < width and line[x * step] >= least_code:
                x += 1
            begin[count], end[count], parent[count], size[count] = start, x, count, x - start
            # runs of the row before that touch this one, corners too; the last may touch the next
            while above < first and end[above] < start:
                above += 1
            other = above
            while other < first and begin[other] <= x:
                one, two = _root(parent, other), _root(parent, count)
                if one != two:
                    parent[max(one, two)] = min(one, two)
                    size[min(one, two)] += size[max(one, two)]
                other += 1
            count += 1
        above = first
    found = 0
    for run in range(count):
        if parent[run] == run and size[run] >= least_size:
            found += size[run]
    return found


def in_areas(codes: NDArray[np.uint8], step: int, least_code: int, least_size: float) -> int:
    """How many pixels of at least a code lie in areas of at least a size, corners touching.

    Parameters
    ----------
    codes : uint8 (H, W)
    step : int
        Every how manieth pixel of a row, and row, is looked at.

    References
    ----------
    L. He, Y. Chao, K. Suzuki, "A Run-Based Two-Scan Labeling Algorithm", IEEE TIP 17 (2008); areas
    are added up while runs are joined, so that the second scan is one over the runs.
    """
    return int(_in_areas(codes, step, least_code, least_size))


def counts(codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Histogram of 8-bit codes, 256 counts."""
    partial = np.zeros((_BANDS, 256), dtype=np.int64)
    _counts(codes, partial)
    return np.asarray(partial.sum(axis=0))


def light_counts(
    light: NDArray[np.float32], step: int, gain: float, table: NDArray[np.float32], top_root: float
) -> NDArray[np.int64]:
    """Histogram of the 8-bit codes that light ``(H, W)`` gets from a table, 256 counts.

    Parameters
    ----------
    light : float32 (H, W)
        Linear, not negative.
    step : int
        Of so many rows and columns one is looked at.
    gain, table, top_root
        As for :func:`oatmeal.core.tone.kernels.through_scale`.
    """
    partial = np.zeros((_BANDS, 256), dtype=np.int64)
    places = np.float32((len(table) - 1) / top_root * math.sqrt(gain))
    _light_counts(light, step, places, pairs_of(table), partial)
    return np.asarray(partial.sum(axis=0))


@alone
@exact
def _squares(points, centre, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[1]):
        x, y, z = points[0, i] - centre[0], points[1, i] - centre[1], points[2, i] - centre[2]
        out[i] = x * x + y * y + z * z


@alone
@exact
def _assigned(points, centres, labels):  # type: ignore[no-untyped-def]
    """Labels anew; true where one differs from what it was."""
    changed = False
    nearest, number = np.empty(_BLOCK), np.empty(_BLOCK)  # numbers of one width go together
    for begin in range(0, points.shape[1], _BLOCK):
        size = min(_BLOCK, points.shape[1] - begin)
        along, across, up = (
            points[0, begin : begin + size],
            points[1, begin : begin + size],
            points[2, begin : begin + size],
        )
        nearest[:] = np.inf
        for k in range(centres.shape[0]):
            one, two, three, name = centres[k, 0], centres[k, 1], centres[k, 2], float(k)
            for i in range(size):
                x, y, z = along[i] - one, across[i] - two, up[i] - three
                square = x * x + y * y + z * z
                number[i] = name if square < nearest[i] else number[i]
                nearest[i] = min(square, nearest[i])
        for i in range(size):
            changed |= np.int32(number[i]) != labels[begin + i]
            labels[begin + i] = np.int32(number[i])
    return changed


def squared_distances(
    points: NDArray[np.float64], centre: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Squared distances ``(n,)`` of points ``(3, n)`` from one place ``(3,)``."""
    out = np.empty(points.shape[1])
    _squares(points, centre, out)
    return out


def assign(
    points: NDArray[np.float64], centres: NDArray[np.float64], labels: NDArray[np.int32]
) -> bool:
    """Label points ``(3, n)`` in place with the nearest of centres ``(k, 3)``.

    Returns
    -------
    bool
        Whether a label has changed.
    """
    return bool(_assigned(points, centres, labels))


def warm() -> None:
    """Compile, or load from the cache."""
    counts(np.zeros((2, 2), dtype=np.uint8))
    light_counts(np.zeros((2, 2), dtype=np.float32), 1, 1.0, np.zeros(2, np.float32), 1.0)
    in_areas(np.zeros((2, 2), dtype=np.uint8), 1, 255, 1.0)
    points = np.zeros((3, 2))
    squared_distances(points, points[:, 0].copy())
    assign(points, np.zeros((1, 3)), np.zeros(2, np.int32))
