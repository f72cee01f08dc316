"""Compiled loops of Tone where areas are.

What they change comes as a map and is computed for each pixel; the loops run over the areas alone.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

import numpy as np
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.bands.kernels import (
    FLOOR,
    HIGHEST_STOPS,
    TABLE_SIZE,
    spread,
)
from oatmeal.core.colour.lanes import (
    Table,
    cube_root,
    decode_inside,
    encode_one,
    exp2,
    find_places,
    log2_one,
    pairs_of_two,
)
from oatmeal.core.loops import inline_rows, parallel, rows_of
from oatmeal.core.maps import Box, Maps
from oatmeal.core.tone.kernels import LOW, PER_STOP

_f = np.float32

Plane = NDArray[np.float32]
Curve = NDArray[np.float64]

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


@inline_rows
def _split(line, wide, place, begin, light, base, middle):  # type: ignore[no-untyped-def]
    """A row's logarithm, its base and its middle band, between two rows of coefficients."""
    rows = wide.shape[1]
    place = min(max(place, 0.0), rows - 1.0)
    above = min(int(place), max(rows - 2, 0))
    below = min(above + 1, rows - 1)
    t = _f(place - above)
    end = begin + line.shape[0]
    for x in range(line.shape[0]):
        light[x] = log2_one(line[x] + FLOOR)
    one, two = wide[0, above, begin:end], wide[0, below, begin:end]
    three, four = wide[1, above, begin:end], wide[1, below, begin:end]
    for x in range(line.shape[0]):
        slope = one[x] + t * (two[x] - one[x])
        base[x] = slope * light[x] + three[x] + t * (four[x] - three[x])
    one, two = wide[2, above, begin:end], wide[2, below, begin:end]
    three, four = wide[3, above, begin:end], wide[3, below, begin:end]
    for x in range(line.shape[0]):
        slope = one[x] + t * (two[x] - one[x])
        middle[x] = slope * light[x] + three[x] + t * (four[x] - three[x])


@inline_rows
def _find(base, most, index, between):  # type: ignore[no-untyped-def]
    """Where a row's base lies in the tables: the entry below, and how far beyond it."""
    for x in range(base.shape[0]):
        between[x] = (base[x] - LOW) * PER_STOP
    find_places(between, most, index, between)


@inline_rows
def _raise(light, middle, index, between, tables, amounts, found):  # type: ignore[no-untyped-def]
    """Add amounts of what the tables of gain and factor say there, :func:`pairs_of_two`."""
    width = light.shape[0]
    for x in range(width):
        found[x] = tables[np.uint32(index[x])]
    four = found.view(np.float32)
    for x in range(width):
        gain = four[4 * x] + between[x] * (four[4 * x + 2] - four[4 * x])
        factor = four[4 * x + 1] + between[x] * (four[4 * x + 3] - four[4 * x + 1])
        light[x] += amounts[x] * (gain + factor * middle[x])


@parallel
def _moved(  # type: ignore[no-untyped-def]
    chunk, grey, wide, first, step, curves, amounts, fine, used,
    shift, detail, veil, veil_light, inside, spans, left, top, unit, out,
):  # fmt: skip
    most = inside.shape[1]
    lights, bases = np.empty(most, np.float32), np.empty(most, np.float32)
    middles, ones = np.empty(most, np.float32), np.ones(most, np.float32)
    places, parts = np.empty(most, np.int32), np.empty(most, np.float32)
    pairs = np.empty(most, np.complex128)
    for row in rows_of(chunk, spans.shape[0]):
        a, b = spans[row, 0], spans[row, 1]
        y, begin, end = row + top, a + left, b + left
        width = b - a
        if width <= 0:
            continue
        light, base, middle = lights[:width], bases[:width], middles[:width]
        _split(grey[y, begin:end], wide, first + step * y, begin, light, base, middle)
        moved = shift[row, a:b]
        for x in range(width):
            base[x] += moved[x]
            light[x] += moved[x]
        index, between, found = places[:width], parts[:width], pairs[:width]
        _find(base, curves.shape[1] - 1, index, between)
        for one in range(curves.shape[0]):
            share = amounts[one - 1, row, a:b] if one > 0 else ones[:width]
            _raise(light, middle, index, between, curves[one], share, found)
        if used[0]:
            line = veil[row, a:b]
            for x in range(width):
                amount = line[x] * _f(0.01)
                stops = min(max(base[x], LOW), _f(HIGHEST_STOPS))
                removed = min(max(amount, _f(0.0)) * veil_light * exp2(moved[x]), _MOST)
                added = max(-amount, _f(0.0)) * _ADDED
                kept = max(_f(1.0) - removed * exp2(-stops), _LEAST) / (_f(1.0) - removed)
                laid = _f(1.0) - added + added * exp2(-stops)
                light[x] += log2_one(kept) + log2_one(laid)
        if used[1]:
            line, band = detail[row, a:b], fine[y, begin:end]
            for x in range(width):
                amount = line[x] * _f(0.01)
                light[x] += amount * (_f(1.5) if amount > _f(0.0) else _f(1.0)) * band[x]
        belongs, result = inside[row, a:b], out[y, begin:end]
        for x in range(width):
            made = max(exp2(light[x]) - FLOOR * exp2(moved[x]), _f(0.0)) * unit
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


def moved(
    result: Plane,
    grey: Plane,
    exposure: float,
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    tables: tuple[Plane, Plane],
    curves: Mapping[str, tuple[Curve, Curve]],
    fine: Plane | None,
    detail: float,
    veil_light: float,
    maps: Maps,
    unit: float,
) -> Plane:
    """What :func:`local` made, with other settings where areas are; elsewhere the same numbers.

    Parameters
    ----------
    result : float32 (H, W)
        What is there without areas.
    curves : mapping
        Of the settings that there are maps of, what each does at 100, in the form of the tables.
    veil_light : float
        Light of the picture's veil, for a map of ``veil``.
    maps : Maps
        Planes that stand in the place of a setting's number: ``exposure`` in stops, ``detail``,
        ``veil``, and those that have curves. The tables hold the rest.
    unit : float
        Factor on what is computed.
    """
    out = result.copy()
    step = wide.shape[1] / window[3]
    none = np.zeros((1, 1), np.float32)
    every: list[tuple[Table, Table]] = [tables, *curves.values()]
    pairs = np.stack([pairs_of_two(gain, factor) for gain, factor in every])
    amounts = np.empty((len(curves), *maps.box.shape), np.float32)
    for plane, name in zip(amounts, curves, strict=True):
        np.multiply(maps.planes[name], _f(0.01), out=plane)
    shift = maps.planes.get("exposure")
    if shift is None:
        shift = np.full(maps.box.shape, exposure, np.float32)
    hazy, fines = maps.planes.get("veil"), maps.planes.get("detail")
    if detail and fines is None:
        fines = np.full(maps.box.shape, detail, np.float32)
    used = np.array([hazy is not None, fines is not None])
    _moved(
        grey, wide, (0.5 + window[1]) * step - 0.5, step, pairs, amounts,
        grey if fine is None else fine, used, shift, none if fines is None else fines,
        none if hazy is None else hazy, _f(veil_light), maps.inside, maps.spans,
        *maps.box.corner, _f(unit), out,
    )  # fmt: skip
    return out


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
    moved(grey, grey, 0.0, wide, whole, (table, table), {}, grey, 1.0, 0.1, own, 1.0)
    exposed(grey, grey, own, 1.0)
    through_mapped_scale(grey, 1.0, (0.0, 255.0, 0.0, 1.0), 1.0, False, table, own, grey.copy())
