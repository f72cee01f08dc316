"""Compiled loops of Tone where areas are.

What they change comes as a map and is computed for each pixel; the loops run over the areas alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any, Final

import numpy as np
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.bands import Ends
from oatmeal.core.bands.kernels import (
    FLOOR,
    HIGHEST_STOPS,
    TABLE_SIZE,
    band_row,
    spread,
)
from oatmeal.core.bands.light import (
    BLACK_STOPS,
    CURBED,
    LEAST_WAY,
    ROWS,
    WHITE_STOPS,
    light_rows,
    pressed,
)
from oatmeal.core.colour.lanes import (
    cube_root,
    decode_inside,
    encode_one,
    exp2,
    find_places,
    log2_one,
    pairs_of,
    pairs_of_rows,
    read_row,
)
from oatmeal.core.loops import inline_rows, parallel, rows_of
from oatmeal.core.maps import Box, Maps
from oatmeal.core.tone.kernels import FINE, LOW, PER_STOP, below_white

_f = np.float32

Plane = NDArray[np.float32]
Curve = NDArray[np.floating]

#: Light that a veil of -100 lays over the picture.
ADDED_VEIL: Final = 0.12

#: What is darker than the veil fades to this share of itself instead of falling without end.
LEAST_LEFT: Final = 0.12

#: A veil takes at most this share of white.
MOST_REMOVED: Final = 0.9

#: Part of the scale over which "hold ends" bends (0.05: the last 5 % at either end).
HELD_PART: Final = 0.05

_ADDED = _f(ADDED_VEIL)
_LEAST = _f(LEAST_LEFT)
_MOST = _f(MOST_REMOVED)
_HELD = _f(HELD_PART)
_WAY = _f(LEAST_WAY)
_LEAST_WAY, _MOST_WAY = _f(CURBED[0]), _f(CURBED[1])


@inline_rows
def _find(base, most, index, between):  # type: ignore[no-untyped-def]
    """Where a row's base lies in the tables: the entry below, and how far beyond it."""
    for x in range(base.shape[0]):
        between[x] = (base[x] - LOW) * PER_STOP
    find_places(between, most, index, between)


@inline_rows
def _find_ends(end, limits, count, rows, part):  # type: ignore[no-untyped-def]
    """The same among ``count`` curves for ends between two limits; a row's ends are held there."""
    low, high = limits[0], limits[1]
    per_stop = _f(count - 1) / (high - low)
    for x in range(end.shape[0]):
        end[x] = min(max(end[x], low), high)
        part[x] = (end[x] - low) * per_stop
    find_places(part, count - 2, rows, part)


@inline_rows
def _read(curves, rows, part, index, between, found, out):  # type: ignore[no-untyped-def]
    """Values between two of many curves, each as :func:`pairs_of` gives it."""
    width = out.shape[0]
    for x in range(width):
        found[x] = curves[np.uint32(rows[x]), np.uint32(index[x])]
    both = found.view(np.float32)
    for x in range(width):
        out[x] = both[2 * x] + between[x] * (both[2 * x + 1] - both[2 * x])
    for x in range(width):
        found[x] = curves[np.uint32(rows[x]) + np.uint32(1), np.uint32(index[x])]
    for x in range(width):
        there = both[2 * x] + between[x] * (both[2 * x + 1] - both[2 * x])
        out[x] += part[x] * (there - out[x])


@inline_rows
def _find_white(  # type: ignore[no-untyped-def]
    curves, base, limits, count, white, at, part, index, between, room
):
    """The curves for a row's whites, and where its base lies in them, from white on."""
    _find_ends(white, limits, count, at, part)
    for x in range(base.shape[0]):
        room[x] = base[x] - white[x]
    _find(room, curves.shape[1] - 1, index, between)


@inline_rows
def _press(  # type: ignore[no-untyped-def]
    curves, at_white, amounts, base, limits, count,
    white, way, gain, at, part, index, between, found, room,
):  # fmt: skip
    """Highlights: their gain, where white comes to lie, and how much longer the way to it is."""
    width = base.shape[0]
    _find_white(curves, base, limits, count, white, at, part, index, between, room)
    for x in range(width):
        at[x] += np.int32(count) if amounts[x] > _f(0.0) else np.int32(0)
    _read(curves, at, part, index, between, found, gain)
    for x in range(width):
        share = abs(amounts[x])
        there = at_white[at[x]] + part[x] * (at_white[at[x] + 1] - at_white[at[x]])
        gain[x] *= share
        way[x] += (share * there - gain[x]) / max(white[x] - base[x], _WAY)
        white[x] += share * there


@inline_rows
def _open(  # type: ignore[no-untyped-def]
    curves, amounts, base, limits, count, black, gain, at, part, index, between, found
):
    """Shadows: what they add to the gain; what they read comes to lie in the place of black."""
    width = base.shape[0]
    _find_ends(black, limits, count, at, part)
    _find(base, curves.shape[1] - 1, index, between)
    for x in range(width):
        at[x] += np.int32(count) if amounts[x] > _f(0.0) else np.int32(0)
    _read(curves, at, part, index, between, found, black)
    for x in range(width):
        gain[x] += abs(amounts[x]) * black[x]


@inline_rows
def _deepen(  # type: ignore[no-untyped-def]
    curves, amounts, base, limits, count,
    white, way, gain, at, part, index, between, found, room,
):  # fmt: skip
    """Depth, at what highlights and shadows leave: its gain alone, and the way to white."""
    width = base.shape[0]
    _find_white(curves, base, limits, count, white, at, part, index, between, room)
    _read(curves, at, part, index, between, found, gain)
    for x in range(width):
        gain[x] *= amounts[x]
        way[x] *= _f(1.0) - gain[x] / max(white[x] - base[x], _WAY)


@parallel
def _moved(  # type: ignore[no-untyped-def]
    chunk, grey, wide, first, step, numbers, maps, of_map, factors, amounts, zones, curves,
    ends, limits, fine, used, veil_light, inside, spans, left, top, unit, out,
):  # fmt: skip
    highlights, at_white, shadows, depths = curves
    count, most = depths.shape[0], inside.shape[1]
    floats, given = np.empty((10, most), np.float32), np.empty((6, most), np.float32)
    places, rows, pairs = (
        np.empty(most, np.int32), np.empty(most, np.int32), np.empty(most, np.int64)
    )  # fmt: skip
    for row in rows_of(chunk, spans.shape[0]):
        a, b = spans[row, 0], spans[row, 1]
        y, begin, width = row + top, a + left, b - a
        end = begin + width
        if width <= 0:
            continue
        light, base, middle = floats[0, :width], floats[1, :width], floats[2, :width]
        between, part, gain = floats[3, :width], floats[4, :width], floats[5, :width]
        more, way, white = floats[6, :width], floats[7, :width], floats[8, :width]
        textured = floats[9, :width]
        index, at, found = places[:width], rows[:width], pairs[:width]
        for one in range(6):
            number = given[one]
            if of_map[one] < 0:
                for x in range(width):
                    number[x] = numbers[one]
            else:
                mapped = maps[of_map[one], row, a:b]
                for x in range(width):
                    number[x] = mapped[x]
        shift, high, low = given[0, :width], given[1, :width], given[2, :width]
        deep, veil, detail = given[3, :width], given[4, :width], given[5, :width]
        line = grey[y, begin:end]
        for x in range(width):
            light[x] = log2_one(line[x] + FLOOR)
        band_row(wide, 0, first + step * y, begin, light, base)
        band_row(wide, 2, first + step * y, begin, light, middle)
        for x in range(width):
            base[x] += shift[x]
            light[x] += shift[x]
            more[x] = middle[x] + FINE * (light[x] - base[x] - middle[x])
            way[x], textured[x] = _f(1.0), _f(0.0)
            white[x] = ends[1] + shift[x]
        _find(base, zones.shape[0] - 1, index, between)
        for one in range(factors.shape[0]):
            for x in range(width):
                found[x] = factors[one, np.uint32(index[x])]
            both, amount = found.view(np.float32), amounts[one, row, a:b]
            for x in range(width):
                factor = both[2 * x] + between[x] * (both[2 * x + 1] - both[2 * x])
                textured[x] += amount[x] * factor * middle[x]
        for x in range(width):
            gain[x] = _f(0.0)
        if used[0]:
            _press(
                highlights, at_white, high, base, limits[0], count,
                white, way, gain, at, part, index, between, found, middle,
            )  # fmt: skip
        if used[1]:
            for x in range(width):
                middle[x] = ends[0] + shift[x]
            _open(
                shadows, low, base, limits[1], count, middle, gain, at, part, index, between, found
            )
        if used[2]:
            for x in range(width):
                light[x] += gain[x]
                base[x] += gain[x]
            _deepen(
                depths, deep, base, limits[0], count,
                white, way, gain, at, part, index, between, found, middle,
            )  # fmt: skip
        for x in range(width):
            least = _LEAST_WAY if high[x] > _f(0.0) else _f(1.0)
            more[x] *= min(max(way[x], least), _MOST_WAY) - _f(1.0)
            light[x] += gain[x]
            base[x] += gain[x]
        if used[3]:
            _find(base, zones.shape[0] - 1, index, between)
            read_row(zones, index, between, found, gain)
            for x in range(width):
                light[x] += gain[x]
                base[x] += gain[x]
        if used[4]:
            for x in range(width):
                stops = min(max(base[x], LOW), _f(HIGHEST_STOPS))
                removed = min(max(veil[x], _f(0.0)) * veil_light * exp2(shift[x]), _MOST)
                added = max(-veil[x], _f(0.0)) * _ADDED
                kept = max(_f(1.0) - removed * exp2(-stops), _LEAST) / (_f(1.0) - removed)
                laid = _f(1.0) - added + added * exp2(-stops)
                light[x] += log2_one(kept) + log2_one(laid)
        for x in range(width):
            light[x] += below_white(textured[x], light[x]) + more[x]
        if used[5]:
            band = fine[y, begin:end]
            for x in range(width):
                light[x] += detail[x] * (_f(1.5) if detail[x] > _f(0.0) else _f(1.0)) * band[x]
        belongs, result = inside[row, a:b], out[y, begin:end]
        for x in range(width):
            made = max(exp2(light[x]) - FLOOR * exp2(shift[x]), _f(0.0)) * unit
            result[x] = made if belongs[x] > 0 else result[x]


@parallel
def _exposed(chunk, grey, shift, inside, spans, left, top, unit, out):  # type: ignore[no-untyped-def]
    for row in rows_of(chunk, spans.shape[0]):
        for x in range(spans[row, 0], spans[row, 1]):
            if inside[row, x]:
                light = grey[row + top, x + left] * exp2(shift[row, x])
                out[row + top, x + left] = light * unit


@parallel
def _scale_mapped(  # type: ignore[no-untyped-def]
    chunk, grey, gain, black, white, contrast, power, peak, held, rest,
    inside, spans, left, top, out,
):  # fmt: skip
    last = np.int32(rest.shape[0] - 2)
    for row in rows_of(chunk, spans.shape[0]):
        y = row + top
        for column in range(spans[row, 0], spans[row, 1]):
            if not inside[row, column]:
                continue
            x = column + left
            low = black[row, column] * _f(1.0 / 255.0)
            span = max(white[row, column] * _f(1.0 / 255.0) - low, _f(1.0 / 255.0))
            value = (encode_one(grey[y, x] * gain) - low) / span
            if held:
                value = _bent(value, (peak[row, column] - low) / span)
                value = _f(1.0) - _bent(_f(1.0) - value, _f(1.0) + low / span)
            value = min(max(value, _f(0.0)), _f(1.0))
            if power != _f(1.0) and value > _f(0.0):
                value = min(exp2(power * log2_one(value)), _f(1.0))
            steep = contrast[row, column]
            if steep != _f(0.0) and value > _f(0.0) and value < _f(1.0):
                light = decode_inside(value)
                share = _f(1.16) * cube_root(light) - _f(0.16)
                share = share if light > _f(216.0 / 24389.0) else light * _f(243.89 / 27.0)
                odds = log2_one(share) - log2_one(_f(1.0) - share)
                odds = min(max(exp2(steep * _f(0.02)) * odds, _f(-60.0)), _f(60.0))
                share = _f(1.0) / (_f(1.0) + exp2(-odds))
                root = (share + _f(0.16)) * _f(1.0 / 1.16)
                light = root * root * root if share > _f(0.08) else share * _f(27.0 / 243.89)
                value = encode_one(light)
            place = value * _f(last + 1)
            index = max(min(np.int32(place), last), np.int32(0))
            out[y, x] = rest[index] + (place - _f(index)) * (rest[index + 1] - rest[index])


def _bent(value, excess):  # type: ignore[no-untyped-def]
    """What lies between the shoulder and ``excess``, pressed into the end of the scale."""
    raise NotImplementedError


@overload(_bent, inline="always")
def _bent_compiled(value, excess):  # type: ignore[no-untyped-def]
    def bend(value, excess):  # type: ignore[no-untyped-def]
        shoulder = _f(1.0) - _HELD
        if excess <= _f(1.0) or value <= shoulder:
            return value
        steepness = (excess - shoulder) / _HELD
        part = (value - shoulder) / (excess - shoulder)
        return shoulder + _HELD * steepness * part / (_f(1.0) + (steepness - _f(1.0)) * part)

    return bend


#: What is a number or a map, in the kernel's order.
NUMBERS: Final = ("exposure", "highlights", "shadows", "depth", "veil", "detail")


def moved(
    result: Plane,
    grey: Plane,
    numbers: Mapping[str, float],
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    zones: Curve,
    factors: Sequence[tuple[Curve, float | Curve]],
    fine: Plane | None,
    ends: Ends,
    maps: Maps,
    unit: float,
) -> Plane:
    """What the whole's loop made, with other settings where areas are; elsewhere the same numbers.

    Parameters
    ----------
    result : float32 (H, W)
        What is there without areas.
    numbers : mapping
        Exposure in stops; highlights, shadows, depth, veil and detail, -100 to 100.
    zones : (TABLE_SIZE,)
        Gain of the zones in stops.
    factors : sequence of ((TABLE_SIZE,), number or float32 (h, w))
        Factors on the middle band over the base, and how much of each.
    ends : Ends
        Of the picture.
    maps : Maps
        Planes that stand in the place of a number.
    unit : float
        Factor on what is computed.
    """
    out = result.copy()
    step = wide.shape[1] / window[3]
    planes = [maps.planes[name] for name in NUMBERS if name in maps.planes]
    of_map = np.array([name in maps.planes for name in NUMBERS])
    shares = np.array([1.0, *[0.01] * (len(NUMBERS) - 1)], np.float32)
    given = np.array([numbers[name] for name in NUMBERS], np.float32) * shares
    used = of_map | (given != 0)
    stacked = np.empty((len(planes), *maps.box.shape), np.float32)
    for plane, own, share in zip(stacked, planes, shares[of_map], strict=True):
        np.multiply(own, share, out=plane)
    amounts = np.empty((len(factors), *maps.box.shape), np.float32)
    for plane, (_, amount) in zip(amounts, factors, strict=True):
        plane[:] = amount
    tables = np.zeros((len(factors), TABLE_SIZE), np.float32)
    for table, (factor, _) in zip(tables, factors, strict=True):
        table[:] = factor
    _moved(
        grey, wide, (0.5 + window[1]) * step - 0.5, step,
        given, stacked, np.where(of_map, np.cumsum(of_map) - 1, -1),
        pairs_of_rows(tables), amounts, pairs_of(zones), _light_curves(),
        (_f(ends.black), _f(ends.white)), _LIMITS, grey if fine is None else fine,
        np.array([*used[1:4], bool(np.any(zones)), used[4], used[5] and fine is not None]),
        _f(ends.veil), maps.inside, maps.spans, *maps.box.corner, _f(unit), out,
    )  # fmt: skip
    return out


#: Between which whites, and blacks, there are curves.
_LIMITS: Final = tuple((_f(low), _f(high)) for low, high in (WHITE_STOPS, BLACK_STOPS))


@cache
def _light_curves() -> tuple[Any, ...]:
    """Curves of highlights, their gains at white, curves of shadows and of depth."""
    highlights, shadows, depth = light_rows()
    whites = np.linspace(*WHITE_STOPS, ROWS)
    at_white = np.array([float(pressed(white, white)) for white in whites] + [0.0] * ROWS)
    one, two = (pairs_of_rows(each.reshape(-1, TABLE_SIZE)) for each in (highlights, shadows))
    return one, at_white.astype(np.float32), two, pairs_of_rows(depth)


def exposed(result: Plane, grey: Plane, maps: Maps, unit: float) -> Plane:
    """The same where areas change nothing but the exposure, and nothing else is set."""
    out = result.copy()
    shift = maps.planes["exposure"]
    _exposed(grey, shift, maps.inside, maps.spans, *maps.box.corner, _f(unit), out)
    return out


def through_mapped_scale(
    grey: Plane,
    gain: float,
    settings: tuple[Any, Any, Any, Any],
    power: float,
    hold_ends: bool,
    rest: Plane,
    maps: Maps,
    out: Plane,
) -> None:
    """Encoded values of a linear grey where areas change black, white or contrast, in place.

    Parameters
    ----------
    settings : (black, white, contrast, peak)
        Each a number or a map of the box; black and white in codes, the peak is the highest
        encoded value that comes in, for ``hold_ends``.
    power : float
        1 / middle.
    rest : float32 (N,)
        What comes after contrast, over encoded values from 0 to 1.
    out : float32 (H, W)
        What is there without areas.
    """
    planes = (
        one if isinstance(one, np.ndarray) else np.full(maps.box.shape, one, np.float32)
        for one in settings
    )
    black, white, contrast, peak = planes
    _scale_mapped(
        grey, _f(gain), black, white, contrast, _f(power), peak, hold_ends,
        rest, maps.inside, maps.spans, *maps.box.corner, out,
    )  # fmt: skip


def warm() -> None:
    """Compile, or load from the cache."""
    grey = np.full((4, 4), 0.2, dtype=np.float32)
    table = np.zeros(TABLE_SIZE, dtype=np.float32)
    wide = spread(np.zeros((4, 2, 2), dtype=np.float32), (0.0, 0.0, 4.0, 4.0), 4)
    spans = np.tile(np.array([0, 4]), (4, 1))
    own = Maps(Box(0, 0, 4, 4), np.ones((4, 4), np.uint8), spans, {"exposure": grey})
    whole = (0.0, 0.0, 4.0, 4.0)
    numbers = dict.fromkeys(NUMBERS, 1.0)
    ends = Ends(-7.0, 0.0)
    moved(grey, grey, numbers, wide, whole, table, [(table, 1.0)], grey, ends, own, 1.0)
    exposed(grey, grey, own, 1.0)
    through_mapped_scale(grey, 1.0, (0.0, 255.0, 0.0, 1.0), 1.0, False, table, own, grey.copy())
