"""Compiled loops of the fit: what a print's tones are under a mix and a curve, and their slopes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, lightness
from oatmeal.core.loops import alone, serial

Values = NDArray[np.float64]

#: Light that is added before the logarithm.
FLOOR: Final = 2.0**-12

#: Encoded values of evenly spaced stops, and tones (L*) of evenly spaced encoded values.
_FIRST_STOP: Final = -12.0
_LAST_STOP: Final = 5.0
_CODES: Final = np.clip(
    encode_srgb(np.maximum(np.exp2(np.linspace(_FIRST_STOP, _LAST_STOP, 3401)) - FLOOR, 0)), 0, 1
)
_TONES: Final = np.asarray(lightness(decode_srgb(np.linspace(0, 1, 4097))))


@dataclass(frozen=True, eq=False)
class Weighed:
    """What moves points before the curve, all ``n`` of them.

    Attributes
    ----------
    rest, columns : float64 (n,), (n, k)
        What is there without weights, and what they weigh.
    encoded : bool
        Whether these are encoded values, rather than light.
    moves : float64 (n, m)
        Stops that each amount moves them by.
    """

    rest: Values
    columns: Values
    encoded: bool
    moves: Values


@dataclass(frozen=True, eq=False)
class Pieces:
    """A monotone cubic curve on encoded values: its knots, heights and inclines there ``(q,)``."""

    knots: Values
    heights: Values
    inclines: Values


@serial
def _place(value, first, step, last):  # type: ignore[no-untyped-def]
    """The mark before a value on an even scale of ``last`` + 1 marks, and the share to the next."""
    spot = (value - first) * step
    spot = min(spot, float(last)) if spot > 0.0 else 0.0  # what is no number, too
    before = min(int(spot), last - 1)
    return before, spot - before


@alone
@serial
def _looked_up(values, table, out):  # type: ignore[no-untyped-def]
    last = table.shape[0] - 1
    for i in range(values.shape[0]):
        before, share = _place(values[i], 0.0, float(last), last)
        out[i] = table[before] + share * (table[before + 1] - table[before])


@serial
def _stop(i, rest, columns, encoded, moves, weights, amounts):  # type: ignore[no-untyped-def]
    """Stops of a point, and how they change with what the weights weigh."""
    value = rest[i]
    for k in range(weights.shape[0]):
        value += columns[i, k] * weights[k]
    light, slope = max(value, 0.0), 1.0
    if encoded:
        if value <= 0.04045:
            light, slope = light / 12.92, 1 / 12.92
        else:
            root = (value + 0.055) / 1.055
            light = root**2.4
            slope = 2.4 / 1.055 * light / root
    stop = math.log2(light + FLOOR)
    slope = slope / ((light + FLOOR) * math.log(2.0)) if value > 0 else 0.0
    for m in range(amounts.shape[0]):
        stop += moves[i, m] * amounts[m]
    return stop, slope


@alone
@serial
def _codes_of(rest, columns, encoded, moves, weights, amounts, table, out):  # type: ignore[no-untyped-def]
    last = table.shape[0] - 1
    step = last / (_LAST_STOP - _FIRST_STOP)
    for i in range(rest.shape[0]):
        stop, _ = _stop(i, rest, columns, encoded, moves, weights, amounts)
        before, share = _place(stop, _FIRST_STOP, step, last)
        out[i] = table[before] + share * (table[before + 1] - table[before])


@serial
def _piece(code, knots):  # type: ignore[no-untyped-def]
    """The piece of a curve that a value lies in."""
    piece = 0
    while piece < knots.shape[0] - 2 and code >= knots[piece + 1]:
        piece += 1
    return piece


@alone
@serial
def _curved(codes, knots, heights, inclines, table, out):  # type: ignore[no-untyped-def]
    last = table.shape[0] - 1
    for i in range(codes.shape[0]):
        j = _piece(codes[i], knots)
        wide = knots[j + 1] - knots[j]
        u = (codes[i] - knots[j]) / wide
        rise = u * u * (3 - 2 * u)
        height = (
            heights[j] + rise * (heights[j + 1] - heights[j])
            + wide * u * (1 - u) * ((1 - u) * inclines[j] - u * inclines[j + 1])
        )  # fmt: skip
        before, share = _place(height, 0.0, float(last), last)
        out[i] = table[before] + share * (table[before + 1] - table[before])


@alone
@serial
def _slopes_of(  # type: ignore[no-untyped-def]
    rest, columns, encoded, moves, weights, amounts, stops, knots, heights, inclines, by_height,
    by_incline, tones, out,
):  # fmt: skip
    last, most = stops.shape[0] - 1, tones.shape[0] - 1
    step = last / (_LAST_STOP - _FIRST_STOP)
    first = weights.shape[0] + amounts.shape[0]
    for i in range(rest.shape[0]):
        stop, slope = _stop(i, rest, columns, encoded, moves, weights, amounts)
        before, share = _place(stop, _FIRST_STOP, step, last)
        code_by_stop = stops[before + 1] - stops[before]
        code = stops[before] + share * code_by_stop
        j = _piece(code, knots)
        wide = knots[j + 1] - knots[j]
        u = (code - knots[j]) / wide
        rise, left, right = u * u * (3 - 2 * u), u * (1 - u) * (1 - u), -u * u * (1 - u)
        span = heights[j + 1] - heights[j]
        height = heights[j] + rise * span + wide * (left * inclines[j] + right * inclines[j + 1])
        by_code = (
            6 * u * (1 - u) * span / wide
            + (1 - u) * (1 - 3 * u) * inclines[j] + u * (3 * u - 2) * inclines[j + 1]
        )  # fmt: skip
        before, share = _place(height, 0.0, float(most), most)
        by_curve = (tones[before + 1] - tones[before]) * most
        by_stop = by_curve * by_code * code_by_stop * step
        for k in range(weights.shape[0]):
            out[i, k] = by_stop * slope * columns[i, k]
        for m in range(amounts.shape[0]):
            out[i, weights.shape[0] + m] = by_stop * moves[i, m]
        for k in range(by_height.shape[1]):
            moved = by_height[j, k] + rise * (by_height[j + 1, k] - by_height[j, k])
            bent = left * by_incline[j, k] + right * by_incline[j + 1, k]
            out[i, first + k] = by_curve * (moved + wide * bent)


def tones_of_codes(encoded: Values) -> Values:
    """L* of encoded values ``(n,)``, 0 to 1, to 1e-4: read off a table."""
    out = np.empty(len(encoded))
    _looked_up(encoded, _TONES, out)
    return out


def codes_of(points: Weighed, weights: Values, amounts: Values) -> Values:
    """Encoded values ``(n,)`` of points before the curve."""
    out = np.empty(len(points.rest))
    _codes_of(
        points.rest, points.columns, points.encoded, points.moves, weights, amounts, _CODES, out
    )
    return out


def curved(codes: Values, curve: Pieces) -> Values:
    """L* ``(n,)`` of encoded values under a curve."""
    out = np.empty(len(codes))
    _curved(codes, curve.knots, curve.heights, curve.inclines, _TONES, out)
    return out


def slopes_of(
    points: Weighed, weights: Values, amounts: Values, curve: Pieces, by_height: Values,
    by_incline: Values, out: Values,
) -> None:  # fmt: skip
    """Derivatives of L* by weights, amounts and the ``p`` numbers that make the curve.

    Parameters
    ----------
    by_height, by_incline : float64 (q, p)
        How each of those numbers moves the curve at its knots.
    out : float64 (n, k + m + p)
        Written to.
    """
    _slopes_of(
        points.rest, points.columns, points.encoded, points.moves, weights, amounts, _CODES,
        curve.knots, curve.heights, curve.inclines, by_height, by_incline, _TONES, out,
    )  # fmt: skip


def warm() -> None:
    """Compile, or load from the cache."""
    line, table = np.linspace(0, 1, 3), np.zeros((3, 1))
    tones_of_codes(line)
    points = Weighed(line, table, encoded=True, moves=table)
    curve = Pieces(line, line, np.ones(3))
    curved(codes_of(points, line[:1], line[:1]), curve)
    slopes_of(points, line[:1], line[:1], curve, table, table, np.empty((3, 3)))
