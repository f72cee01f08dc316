"""Compiled loops of Tone.

Each setting that an area may have comes as a number or as a map ``(H, W)``. Numbers are folded into
tables before the loop; what a map asks for is computed for its pixel, and a loop without maps is
compiled without that.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Final

import numpy as np
from numba import prange, types
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.bands.kernels import (
    FLOOR,
    HIGHEST_STOPS,
    LOWEST_STOPS,
    TABLE_SIZE,
    spread,
)
from oatmeal.core.bands.split import HIGHLIGHTS_FADE, LIGHT_AT_100, SHADOWS_FADE
from oatmeal.core.colour.lanes import (
    DECODE_TABLE,
    at,
    cube_root,
    decode_inside,
    encode_one,
    exp2,
    log2_one,
    parallel,
)

_f = np.float32

_LOW: Final = _f(LOWEST_STOPS)
_PER_STOP: Final = _f((TABLE_SIZE - 1) / (HIGHEST_STOPS - LOWEST_STOPS))

#: Digest of lanes.py, see there.
LANES: Final = "e5d1d9e5624c"

#: Factor on the middle band at clarity 100; 60 makes the texture 1.6 times as strong.
CLARITY_AT_100: Final = 1.47

#: Light that a veil of -100 lays over the picture.
ADDED_VEIL: Final = 0.12

#: What is darker than the veil fades to this share of itself instead of falling without end.
LEAST_LEFT: Final = 0.12

#: A veil takes at most this share of white.
MOST_REMOVED: Final = 0.9

#: Part of the scale over which "hold ends" bends (0.05: the last 5 % at either end).
HELD_PART: Final = 0.05

Plane = NDArray[np.float32]
Maps = Mapping[str, Plane]

_LIGHT = _f(LIGHT_AT_100 / 100)
_SHADOWS_END = _f(SHADOWS_FADE[1])
_HIGHLIGHTS_BEGIN = _f(HIGHLIGHTS_FADE[0])
_CLARITY = _f(CLARITY_AT_100 / 100)
_ADDED = _f(ADDED_VEIL)
_LEAST = _f(LEAST_LEFT)
_MOST = _f(MOST_REMOVED)
_HELD = _f(HELD_PART)


def given(setting):  # type: ignore[no-untyped-def]
    """True for a map; known when a loop is compiled."""
    return isinstance(setting, np.ndarray)


@overload(given, inline="always")
def _given(setting):  # type: ignore[no-untyped-def]
    found = isinstance(setting, types.Array)
    return lambda setting: found


def number(setting):  # type: ignore[no-untyped-def]
    """A setting where it is the same everywhere; 0 where it is a map."""
    return _f(0.0) if isinstance(setting, np.ndarray) else setting


@overload(number, inline="always")
def _number(setting):  # type: ignore[no-untyped-def]
    if isinstance(setting, types.Array):
        return lambda setting: _f(0.0)
    return lambda setting: setting


@parallel
def _local(  # type: ignore[no-untyped-def]
    grey, wide, first, step, gains, factors, fine,
    shift, highlights, shadows, clarity, character, detail, veil, veil_light, out,
):  # fmt: skip
    rows = wide.shape[1]
    last = np.int32(gains.shape[0] - 2)
    width = grey.shape[1]
    for y in prange(grey.shape[0]):
        place = min(max(first + step * y, 0.0), rows - 1.0)
        above = min(int(place), max(rows - 2, 0))
        below = min(above + 1, rows - 1)
        t = _f(place - above)
        light = np.empty(width, np.float32)
        base = np.empty(width, np.float32)
        middle = np.empty(width, np.float32)
        line = grey[y]
        for x in range(width):
            light[x] = log2_one(line[x] + FLOOR)
        one, two, three, four = wide[0, above], wide[0, below], wide[1, above], wide[1, below]
        for x in range(width):
            slope = one[x] + t * (two[x] - one[x])
            base[x] = slope * light[x] + three[x] + t * (four[x] - three[x])
        one, two, three, four = wide[2, above], wide[2, below], wide[3, above], wide[3, below]
        for x in range(width):
            slope = one[x] + t * (two[x] - one[x])
            middle[x] = slope * light[x] + three[x] + t * (four[x] - three[x])
        result = out[y]
        for x in range(width):
            moved = at(shift, y, x)
            spot = min(max((base[x] + moved - _LOW) * _PER_STOP, _f(0.0)), _f(last + 1))
            index = min(np.int32(spot), last)
            between = spot - _f(index)
            gain = gains[index] + between * (gains[index + 1] - gains[index])
            factor = factors[index] + between * (factors[index + 1] - factors[index])
            light[x] += moved + gain + factor * middle[x]
        if given(highlights) or given(shadows):
            for x in range(width):
                stops = min(max(base[x] + at(shift, y, x), _f(-30.0)), _f(0.0))
                share = max(_f(1.16) * exp2(stops * _f(1.0 / 3.0)) - _f(0.16), _f(0.0))
                if given(shadows):
                    u = min(share / _SHADOWS_END, _f(1.0))
                    falling = _f(1.0) - u * u * (_f(3.0) - _f(2.0) * u)
                    light[x] += _LIGHT * at(shadows, y, x) * falling
                if given(highlights):
                    u = (share - _HIGHLIGHTS_BEGIN) / (_f(1.0) - _HIGHLIGHTS_BEGIN)
                    u = min(max(u, _f(0.0)), _f(1.0))
                    light[x] += _LIGHT * at(highlights, y, x) * u * u * (_f(3.0) - _f(2.0) * u)
        if given(clarity):
            for x in range(width):
                spot = (base[x] + at(shift, y, x) - _LOW) * _PER_STOP
                spot = min(max(spot, _f(0.0)), _f(last + 1))
                index = min(np.int32(spot), last)
                between = spot - _f(index)
                shape = character[index] + between * (character[index + 1] - character[index])
                light[x] += _CLARITY * at(clarity, y, x) * shape * middle[x]
        if given(veil):
            for x in range(width):
                moved = at(shift, y, x)
                amount = at(veil, y, x) * _f(0.01)
                stops = min(max(base[x] + moved, _LOW), _f(HIGHEST_STOPS))
                removed = min(max(amount, _f(0.0)) * veil_light * exp2(moved), _MOST)
                added = max(-amount, _f(0.0)) * _ADDED
                left = max(_f(1.0) - removed * exp2(-stops), _LEAST) / (_f(1.0) - removed)
                laid = _f(1.0) - added + added * exp2(-stops)
                light[x] += log2_one(left) + log2_one(laid)
        if given(detail):
            band = fine[y]
            for x in range(width):
                amount = at(detail, y, x) * _f(0.01)
                light[x] += amount * (_f(1.5) if amount > _f(0.0) else _f(1.0)) * band[x]
        strength = number(detail) * (_f(0.015) if number(detail) > _f(0.0) else _f(0.01))
        if strength != _f(0.0):
            band = fine[y]
            for x in range(width):
                light[x] += strength * band[x]
        for x in range(width):
            result[x] = max(exp2(light[x]) - FLOOR, _f(0.0))


@parallel
def _scale(grey, places_per_root, table, out):  # type: ignore[no-untyped-def]
    last = np.int32(table.shape[0] - 2)
    limit = _f(table.shape[0] - 1)
    for y in prange(grey.shape[0]):
        for x in range(grey.shape[1]):
            place = min(math.sqrt(grey[y, x]) * places_per_root, limit)
            index = min(np.int32(place), last)
            between = place - _f(index)
            out[y, x] = table[index] + between * (table[index + 1] - table[index])


@parallel
def _scale_mapped(  # type: ignore[no-untyped-def]
    grey, gain, black, white, contrast, power, peak, held, decode, rest, out
):
    last = np.int32(rest.shape[0] - 2)
    for y in prange(grey.shape[0]):
        for x in range(grey.shape[1]):
            low = at(black, y, x) * _f(1.0 / 255.0)
            span = max(at(white, y, x) * _f(1.0 / 255.0) - low, _f(1.0 / 255.0))
            value = (encode_one(grey[y, x] * gain) - low) / span
            if held:
                value = _bent(value, (peak - low) / span)
                value = _f(1.0) - _bent(_f(1.0) - value, _f(1.0) + low / span)
            value = min(max(value, _f(0.0)), _f(1.0))
            if power != _f(1.0) and value > _f(0.0):
                value = min(exp2(power * log2_one(value)), _f(1.0))
            steep = at(contrast, y, x)
            if steep != _f(0.0) and value > _f(0.0) and value < _f(1.0):
                light = decode_inside(value, decode)
                share = _f(1.16) * cube_root(light) - _f(0.16)
                share = share if light > _f(216.0 / 24389.0) else light * _f(243.89 / 27.0)
                odds = log2_one(share) - log2_one(_f(1.0) - share)
                odds = min(max(exp2(steep * _f(0.02)) * odds, _f(-60.0)), _f(60.0))
                share = _f(1.0) / (_f(1.0) + exp2(-odds))
                root = (share + _f(0.16)) * _f(1.0 / 1.16)
                light = root * root * root if share > _f(0.08) else share * _f(27.0 / 243.89)
                value = encode_one(light)
            place = value * _f(last + 1)
            index = min(np.int32(place), last)
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


def local(
    grey: Plane,
    exposure: float,
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    tables: tuple[Plane, Plane, Plane],
    fine: Plane | None,
    detail: float,
    veil_light: float = 0.0,
    maps: Maps | None = None,
) -> Plane:
    """Move a grey by what its base and bands ask for; see :mod:`oatmeal.core.tone.local`.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear.
    exposure : float
        Stops, the same everywhere.
    wide : float32 (4, h, W)
        Slopes and offsets of base and middle band, as :func:`spread` gives them.
    window : (x, y, width, height)
        Corner of the grey in the whole picture, and the whole's size in the same pixels.
    tables : three float32 (n,)
        Gain in stops, factor on the middle band, and the shape of clarity, over the base.
    fine : float32 (H, W), optional
        Fine band, in stops; needed for detail.
    detail : float
        -100 to 100.
    veil_light : float
        Light of the picture's veil, for a map of ``veil``.
    maps : mapping, optional
        Maps float32 ``(H, W)`` by the setting's name that stand in the place of its number:
        ``exposure`` in stops; ``highlights``, ``shadows``, ``clarity``, ``detail``, ``veil``.
    """
    known = maps or {}
    step = wide.shape[1] / window[3]
    out = np.empty_like(grey)
    _local(
        grey, wide, (0.5 + window[1]) * step - 0.5, step, tables[0], tables[1],
        grey if fine is None else fine,
        known.get("exposure", _f(exposure)), known.get("highlights"), known.get("shadows"),
        known.get("clarity"), tables[2],
        known.get("detail", _f(0.0 if fine is None else detail)), known.get("veil"),
        _f(veil_light), out,
    )  # fmt: skip
    return out


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
    _scale(grey, _f(places), table, out)
    return out


def through_mapped_scale(
    grey: Plane,
    gain: float,
    settings: tuple[Any, Any, Any],
    power: float,
    encoded_peak: float,
    hold_ends: bool,
    rest: Plane,
) -> Plane:
    """Encoded values of a linear grey where black, white or contrast differ from place to place.

    Parameters
    ----------
    settings : (black, white, contrast)
        Each a number or a map float32 ``(H, W)``; black and white in codes.
    power : float
        1 / middle.
    encoded_peak : float
        Highest encoded value that comes in, for ``hold_ends``.
    rest : float32 (N,)
        What comes after contrast, over encoded values from 0 to 1.
    """
    black, white, contrast = (one if isinstance(one, np.ndarray) else _f(one) for one in settings)
    out = np.empty_like(grey)
    _scale_mapped(
        grey, _f(gain), black, white, contrast, _f(power), _f(encoded_peak), hold_ends,
        DECODE_TABLE, rest, out,
    )  # fmt: skip
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    grey = np.full((4, 4), 0.2, dtype=np.float32)
    table = np.zeros(TABLE_SIZE, dtype=np.float32)
    maps = np.zeros((4, 2, 2), dtype=np.float32)
    window = (0.0, 0.0, 4.0, 4.0)
    local(grey, 0.0, spread(maps, window, 4), window, (table, table, table), grey, 1.0)
    through_scale(grey, 1.0, table, 1.0)
