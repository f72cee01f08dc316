"""Compiled loops of Tone: what is set everywhere is folded into tables before the loop."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands.kernels import (
    FLOOR,
    HIGHEST_STOPS,
    LOWEST_STOPS,
    TABLE_SIZE,
    band_row,
    spread,
)
from oatmeal.core.bands.light import FINE_ALONG
from oatmeal.core.colour.lanes import (
    exp2,
    find_places,
    log2_one,
    pairs_of,
    pairs_of_two,
    read_row,
)
from oatmeal.core.loops import inline, parallel, rows_of

_f = np.float32

LOW: Final = _f(LOWEST_STOPS)
PER_STOP: Final = _f((TABLE_SIZE - 1) / (HIGHEST_STOPS - LOWEST_STOPS))

FINE: Final = _f(FINE_ALONG)

#: Factor on the middle band at clarity 100; 60 makes the texture 1.6 times as strong.
CLARITY_AT_100: Final = 1.47

Plane = NDArray[np.float32]
Tables = tuple[Plane, Plane, Plane]


@inline
def below_white(stops, light):  # type: ignore[no-untyped-def]
    """What raises light in stops around white, bent so that it stays below white."""
    room = max(-light, _f(1e-3))
    share = stops / room
    held = stops / math.sqrt(_f(1.0) + share * share)
    return held if stops > _f(0.0) else stops


@parallel
def _local(  # type: ignore[no-untyped-def]
    chunk, grey, wide, first, step, tables, more, spreads, fine, shift, strength, out
):
    """What :mod:`oatmeal.core.tone.area_kernels` does, in as few passes over a row."""
    width = grey.shape[1]
    floor, from_low = FLOOR * exp2(shift), shift - LOW
    light = np.empty(width, np.float32)
    base, middle = np.empty(width, np.float32), np.empty(width, np.float32)
    moved = np.empty(width, np.float32)
    between = np.empty(width, np.float32)
    index = np.empty(width, np.int32)
    found = np.empty(width, np.complex128)
    near = np.empty(width, np.int64)
    for y in rows_of(chunk, grey.shape[0]):
        line, result = grey[y], out[y]
        for x in range(width):
            light[x] = log2_one(line[x] + FLOOR)
        band_row(wide, 0, first + step * y, 0, light, base)
        band_row(wide, 2, first + step * y, 0, light, middle)
        for x in range(width):
            between[x] = (base[x] + from_low) * PER_STOP
        find_places(between, tables.shape[0] - 1, index, between)
        for x in range(width):
            found[x] = tables[np.uint32(index[x])]
        values = found.view(np.float32)
        for x in range(width):
            gain = values[4 * x] + between[x] * (values[4 * x + 2] - values[4 * x])
            factor = values[4 * x + 1] + between[x] * (values[4 * x + 3] - values[4 * x + 1])
            moved[x] = light[x] + shift + gain
            moved[x] += below_white(factor * middle[x], moved[x])
        if spreads:
            for x in range(width):
                near[x] = more[np.uint32(index[x])]
            both = near.view(np.float32)
            for x in range(width):
                there = both[2 * x] + between[x] * (both[2 * x + 1] - both[2 * x])
                moved[x] += there * (middle[x] + FINE * (light[x] - base[x] - middle[x]))
        if strength != _f(0.0):
            band = fine[y]
            for x in range(width):
                moved[x] += strength * band[x]
        for x in range(width):
            result[x] = max(exp2(moved[x]) - floor, _f(0.0))


@parallel
def _scale(chunk, grey, places_per_root, pairs, out):  # type: ignore[no-untyped-def]
    width = grey.shape[1]
    index = np.empty(width, np.int32)
    place = np.empty(width, np.float32)
    found = np.empty(width, np.int64)
    for y in rows_of(chunk, grey.shape[0]):
        line = grey[y]
        for x in range(width):
            place[x] = math.sqrt(line[x]) * places_per_root
        find_places(place, pairs.shape[0] - 1, index, place)
        read_row(pairs, index, place, found, out[y])


def local(
    grey: Plane,
    exposure: float,
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    tables: Tables,
    fine: Plane | None,
    detail: float,
) -> Plane:
    """Move a grey by what its base and bands ask for; see :mod:`oatmeal.core.tone.local`.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear.
    exposure : float
        Stops, the same everywhere; black stays black.
    wide : float32 (4, h, W)
        Slopes and offsets of base and middle band, as :func:`spread` gives them.
    window : (x, y, width, height)
        Corner of the grey in the whole picture, and the whole's size in the same pixels.
    tables : three float32 (n,)
        Over the base: gain in stops, how much of what stands out from it is added, and factor on
        the middle band.
    fine : float32 (H, W), optional
        Fine band, in stops; needed for detail.
    detail : float
        -100 to 100.
    """
    gain, more, factor = tables
    step = wide.shape[1] / window[3]
    out = np.empty_like(grey)
    _local(
        grey, wide, (0.5 + window[1]) * step - 0.5, step, pairs_of_two(gain, factor),
        pairs_of(more), bool(more.any()),
        grey if fine is None else fine, _f(exposure),
        _f(0.0 if fine is None else detail_factor(detail)), out,
    )  # fmt: skip
    return out


def detail_factor(detail: float) -> float:
    """Factor on the fine band."""
    return detail * (0.015 if detail > 0 else 0.01)


def through_scale(grey: Plane, gain: float, table: Plane, top_root: float) -> Plane:
    """Encoded values, float32 ``(H, W)``, of a linear grey through a table over its square root.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear, not negative.
    gain : float
        Factor on the light before the table.
    table : float32 (N,)
        Encoded result at square roots from 0 to ``top_root``, evenly spaced.
    """
    out = np.empty_like(grey)
    places = (len(table) - 1) / top_root * math.sqrt(gain)
    _scale(grey, _f(places), pairs_of(table), out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    grey = np.full((4, 4), 0.2, dtype=np.float32)
    table = np.zeros(TABLE_SIZE, dtype=np.float32)
    maps = np.zeros((4, 2, 2), dtype=np.float32)
    window = (0.0, 0.0, 4.0, 4.0)
    wide = spread(maps, window, 4)
    local(grey, 0.0, wide, window, (table, table, table), grey, 1.0)
    through_scale(grey, 1.0, table, 1.0)
