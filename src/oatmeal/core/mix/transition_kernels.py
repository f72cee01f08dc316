"""Compiled loops of transitions: which pixels are mixtures, and their lifts."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import log2_one, smooth
from oatmeal.core.loops import parallel, rows_of

_f = np.float32

Plane = NDArray[np.float32]

#: The ways across an edge, ``(rows, columns)``.
AXES: Final = ((0, 1), (1, 0), (1, 1), (1, -1))

#: Distance from the line between two colours, over their distance, up to which a colour lies on it,
#: and from which it does not; how far beyond its ends it may lie.
_ON, _OFF, _SPARE = _f(0.25), _f(0.5), _f(0.05)

#: What both sides change by in the next pixel, over their distance, up to which they are flat, and
#: from which this is no edge but a slope of colours.
_FLAT, _SLOPE = _f(0.1), _f(0.22)

#: Added to light before it is divided.
_TINY = _f(1e-6)


@parallel
def _sift(chunk, a_axis, b_axis, step, low, out):  # type: ignore[no-untyped-def]
    """1 where colours to either side are apart, along any axis."""
    height, width = a_axis.shape
    left, count = step + 1, width - 2 * step - 2
    most = np.empty(width, np.float32)
    for y in rows_of(chunk, height):
        for x in range(width):
            out[y, x] = np.uint8(0)
        if count <= 0:
            continue
        for x in range(count):
            most[x] = _f(0.0)
        for way in range(4):
            down = 0 if way == 0 else step
            across = 0 if way == 1 else (-step if way == 3 else step)
            if y - down - 1 < 0 or y + down + 1 >= height:
                continue
            one_a, two_a = a_axis[y + down, left + across :], a_axis[y - down, left - across :]
            one_b, two_b = b_axis[y + down, left + across :], b_axis[y - down, left - across :]
            for x in range(count):
                by_a, by_b = one_a[x] - two_a[x], one_b[x] - two_b[x]
                most[x] = max(most[x], by_a * by_a + by_b * by_b)
        for x in range(count):
            out[y, left + x] = np.uint8(1) if most[x] > low * low else np.uint8(0)


@parallel
def _between(  # type: ignore[no-untyped-def]
    chunk, lightness, a_axis, b_axis, places, step, low, scale, weight, share
):
    height, width = lightness.shape
    per_off, per_slope = _f(1.0) / (_OFF - _ON), _f(1.0) / (_SLOPE - _FLAT)
    for number in rows_of(chunk, places.shape[0]):
        y, x = places[number] // width, places[number] % width
        for way in range(4):
            down = 0 if way == 0 else step
            across = 0 if way == 1 else (-step if way == 3 else step)
            weight[number, way], share[number, way] = _f(0.0), _f(0.0)
            if y - down - 1 < 0 or y + down + 1 >= height:
                continue
            below, above, one, two = y + down, y - down, x + across, x - across
            by_l = lightness[below, one] - lightness[above, two]
            by_a = a_axis[below, one] - a_axis[above, two]
            by_b = b_axis[below, one] - b_axis[above, two]
            apart = by_a * by_a + by_b * by_b
            if apart <= low * low:
                continue
            at_l = lightness[y, x] - lightness[above, two]
            at_a, at_b = a_axis[y, x] - a_axis[above, two], b_axis[y, x] - b_axis[above, two]
            whole = apart + by_l * by_l
            part = (at_l * by_l + at_a * by_a + at_b * by_b) / whole
            beyond = max(-part, part - _f(1.0))
            if beyond >= _SPARE:
                continue
            off_l, off_a, off_b = at_l - part * by_l, at_a - part * by_a, at_b - part * by_b
            off = math.sqrt((off_l * off_l + off_a * off_a + off_b * off_b) / whole)
            sure = smooth(math.sqrt(apart), low, scale) * (_f(1.0) - smooth(off, _ON, per_off))
            sure *= _f(1.0) - smooth(beyond, _f(0.0), _f(1.0) / _SPARE)
            if sure == _f(0.0):
                continue
            # both sides are things, not pixels that happen to differ
            own = _f(0.0)
            for side in range(2):
                row, at = (below, one) if side == 0 else (above, two)
                turn = 1 if side == 0 else -1
                out_y = row + turn * (1 if down > 0 else 0)
                out_x = at + turn * (0 if across == 0 else (1 if across > 0 else -1))
                d_l = lightness[row, at] - lightness[out_y, out_x]
                d_a = a_axis[row, at] - a_axis[out_y, out_x]
                d_b = b_axis[row, at] - b_axis[out_y, out_x]
                own += d_l * d_l + d_a * d_a + d_b * d_b
            weight[number, way] = sure * (
                _f(1.0) - smooth(math.sqrt(own / whole), _FLAT, per_slope)
            )
            part = min(max(part, _f(0.0)), _f(1.0))
            # light is mixed, and lightness is about its cube root
            one_l, two_l = lightness[below, one], lightness[above, two]
            whole_l = one_l * one_l * one_l - two_l * two_l * two_l
            here_l = two_l + part * by_l
            light = here_l * here_l * here_l - two_l * two_l * two_l
            even = abs(whole_l) < _f(1e-3)
            share[number, way] = part if even else min(max(light / whole_l, _f(0.0)), _f(1.0))


@parallel
def _even(chunk, lifted, base, places, away, share, weight, seen, per_stop, out):  # type: ignore[no-untyped-def]
    for row in rows_of(chunk, places.shape[0]):
        here = places[row]
        now = max(lifted[here], _TINY)
        moved, total = _f(0.0), _f(0.0)
        for way in range(4):
            if weight[row, way] > _f(0.0):
                this, that = here + away[way], here - away[way]
                part, rest = share[row, way], _f(1.0) - share[row, way]
                wanted = part * lifted[this] + rest * lifted[that]
                plain = part * base[this] + rest * base[that]
                light = max(base[here] * (wanted / max(plain, _TINY)), _TINY)
                stops = abs(log2_one(light) - log2_one(now))
                amount = weight[row, way] * smooth(stops, seen, per_stop)
                moved += amount * (light - lifted[here])
                total += amount
        out[here] = lifted[here] + moved / max(total, _f(1.0))


def between(
    planes: tuple[Plane, Plane, Plane], step: int, apart: tuple[float, float]
) -> tuple[NDArray[np.int64], Plane, Plane]:
    """How surely pixels' colours are mixtures of those to either side.

    Parameters
    ----------
    planes : three float32 (H, W)
        OKLab.
    step : int
        Pixels to either side.
    apart : (float, float)
        Distance in a and b from which two colours are two, and surely are.

    Returns
    -------
    places : int64 (n,)
        Numbers of the pixels in reading order, with colours that are two along some axis.
    weight, share : float32 (n, 4)
        By :data:`AXES`: 0 to 1; and of the side that the axis leads to.
    """
    marked = np.empty(planes[0].shape, np.uint8)
    _sift(planes[1], planes[2], step, _f(apart[0]), marked)
    places = np.flatnonzero(marked)
    shape = (len(places), len(AXES))
    weight, share = np.empty(shape, np.float32), np.empty(shape, np.float32)
    scale = _f(1 / (apart[1] - apart[0]))
    _between(*planes, places, step, _f(apart[0]), scale, weight, share)
    return places, weight, share


def even(
    lifted: Plane,
    base: Plane,
    places: NDArray[np.int64],
    away: NDArray[np.int64],
    share: Plane,
    weight: Plane,
    seen: tuple[float, float],
    out: Plane,
) -> None:
    """Lift pixels as mixtures of others, in place of ``out``; see :func:`between`.

    ``seen`` are the stops by which that must move a pixel to be done, and to be done wholly.
    """
    per_stop = _f(1 / (seen[1] - seen[0]))
    _even(lifted, base, places, away, share, weight, _f(seen[0]), per_stop, out)


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((8, 8), np.float32)
    plane[:, 4:] = 0.2
    places, weight, share = between((plane, plane, plane), 2, (0.06, 0.12))
    flat = plane.ravel()
    even(flat, flat, places, np.zeros(4, np.int64), share, weight, (0.3, 0.8), flat.copy())
