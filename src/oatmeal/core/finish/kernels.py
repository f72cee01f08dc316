"""Compiled loops of Finish: sharpness, falloff, glow, grain and kept colour."""

from __future__ import annotations

import math
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS
from oatmeal.core.colour.lanes import decode_inside, encode_row, exp2, from_oklab, log2_one, smooth
from oatmeal.core.loops import inline, inline_rows, parallel, rows_of

_f = np.float32
_u = np.uint32

#: sRGB is a straight line up to this encoded value, and this logarithm of light.
_STRAIGHT: Final = _f(0.04045)
_LOG2_STRAIGHT: Final = _f(math.log2(0.04045 / 12.92))

#: Lights are spared from this encoded value on, wholly at 1.
_SPARED: Final = _f(0.6)

#: Sum of the squares of a sampled quadratic B-spline, mean over its phases.
SPLINE_POWER: Final = 0.55

#: Ranges between which a place counts as an edge, for what detail may overshoot.
_FREE: Final = _f(0.05)
_BOUND: Final = _f(0.2)

#: Colour over lightness is told from this OKLab lightness up; below it fades.
_LEAST_LIGHT: Final = _f(0.1)

#: How much less a difference of lightness counts than one of colour in telling a kept colour: the
#: same cloth lies in light and in shade.
_LESS_LIGHT: Final = _f(0.15)

#: Colours are drawn toward the grey from this share of the way to the end of sRGB on.
KNEE: Final = _f(0.8)

_Y0, _Y1, _Y2 = (_f(weight) for weight in LUMINANCE_WEIGHTS)
_LOG2_E: Final = _f(math.log2(math.e))

Plane = NDArray[np.float32]
Colours = NDArray[np.float32]


@inline_rows
def _relit(line, stops, result):  # type: ignore[no-untyped-def]
    """sRGB-encoded values (IEC 61966-2-1) of light moved by stops, clipped at 1.

    Light and stops meet in the logarithm, where the curve's power is a factor.
    """
    for x in range(line.shape[0]):
        value = max(line[x], _f(1e-19))
        curved = value > _STRAIGHT
        part = (value + _f(0.055)) * _f(1.0 / 1.055) if curved else value * _f(1.0 / 12.92)
        light = log2_one(part) * (_f(2.4) if curved else _f(1.0)) + stops[x]
        curved = light > _LOG2_STRAIGHT
        power = exp2(light * (_f(1.0 / 2.4) if curved else _f(1.0)))
        moved = _f(1.055) * power - _f(0.055) if curved else _f(12.92) * power
        result[x] = min(moved, _f(1.0))


@parallel
def _shaded(chunk, encoded, across, down, curve, stops, spare, sides, ends, out):  # type: ignore[no-untyped-def]
    root, begin, scale, low, gain = curve
    width = encoded.shape[1]
    share = np.empty(width, np.float32)
    given = np.empty(width, np.float32)
    for y in rows_of(chunk, encoded.shape[0]):
        line, result = encoded[y], out[y]
        for x in range(width):
            share[x] = across[x] + down[y]
        if root == _f(0.5):
            for x in range(width):
                share[x] = math.sqrt(share[x])
        else:
            for x in range(width):
                share[x] = exp2(root * log2_one(max(share[x], _f(1e-20))))
        for x in range(width):
            t = min(max((share[x] - begin) * scale, _f(0.0)), _f(1.0))
            step = t * t * t * (t * (_f(6.0) * t - _f(15.0)) + _f(10.0))
            share[x] = min(max((step - low) * gain, _f(0.0)), _f(1.0))
        if spare > _f(0.0):
            for x in range(width):
                spared = smooth(line[x], _SPARED, _f(1.0) / (_f(1.0) - _SPARED))
                share[x] *= _f(1.0) - spare * spared
        if stops <= _f(0.0):
            for x in range(width):
                share[x] = stops * share[x] + sides[x] + ends[y]
            _relit(line, share, result)
        else:  # in linear light lightening would wash out
            for x in range(width):
                given[x] = _f(1.0) - (_f(1.0) - line[x]) * exp2(_f(-2.0 / 3.0) * stops * share[x])
                share[x] = sides[x] + ends[y]
            _relit(given, share, result)


@parallel
def _glowing(chunk, encoded, spreading, columns, over, rows, down, amount, out):  # type: ignore[no-untyped-def]
    cells = spreading.shape[1]
    width = encoded.shape[1]
    row, light = np.empty(cells, np.float32), np.empty(width, np.float32)
    for y in rows_of(chunk, encoded.shape[0]):
        line, result = encoded[y], out[y]
        i, v0, v1, v2, v3 = rows[y], down[0, y], down[1, y], down[2, y], down[3, y]
        a, b, c, d = spreading[i], spreading[i + 1], spreading[i + 2], spreading[i + 3]
        for x in range(cells):
            row[x] = v0 * a[x] + v1 * b[x] + v2 * c[x] + v3 * d[x]
        w0, w1, w2, w3 = over[0], over[1], over[2], over[3]
        for x in range(width):
            j = columns[x]
            light[x] = w0[x] * row[j] + w1[x] * row[j + 1] + w2[x] * row[j + 2] + w3[x] * row[j + 3]
        for x in range(width):
            dark = (_f(1.0) - decode_inside(line[x])) * (_f(1.0) - amount * light[x])
            light[x] = _f(1.0) - dark
        encode_row(light, result)


@inline
def _row_key(row, seed):  # type: ignore[no-untyped-def]
    h = _u(row) * _u(0x85EBCA6B) + _u(seed)
    h ^= h >> _u(16)
    h = _u(h * _u(0x7FEB352D))
    h ^= h >> _u(15)
    h = _u(h * _u(0x846CA68B))
    return h ^ (h >> _u(16))


@inline_rows
def _fill(first, key, out):  # type: ignore[no-untyped-def]
    """Nearly Gaussian numbers: four bytes of an integer hash, summed (C. Wellons 2018)."""
    base = _u(first)
    for i in range(out.shape[0]):
        h = _u((base + _u(i)) * _u(0x9E3779B1)) ^ key
        h ^= h >> _u(16)
        h = _u(h * _u(0x7FEB352D))
        h ^= h >> _u(15)
        h = _u(h * _u(0x846CA68B))
        h ^= h >> _u(16)
        total = np.int32(h & _u(255)) + np.int32((h >> _u(8)) & _u(255))
        total += np.int32((h >> _u(16)) & _u(255)) + np.int32(h >> _u(24))
        out[i] = (_f(total) - _f(510.0)) * _f(1.0 / 147.8)


@parallel
def _lattice(chunk, first_row, first_column, weights, places, seed, rows):  # type: ignore[no-untyped-def]
    count = np.int64(places[-1]) + weights.shape[0]
    numbers = np.empty(count, np.float32)
    for row in rows_of(chunk, rows.shape[0]):
        _fill(first_column + 1000000, _row_key(first_row + row + 1000000, seed), numbers)
        out = rows[row]
        w0, w1, w2, w3, w4 = weights[0], weights[1], weights[2], weights[3], weights[4]
        for x in range(out.shape[0]):
            i = places[x]
            out[x] = (
                w0[x] * numbers[i] + w1[x] * numbers[i + 1] + w2[x] * numbers[i + 2]
                + w3[x] * numbers[i + 3] + w4[x] * numbers[i + 4]
            )  # fmt: skip


@parallel
def _upright(chunk, rows, weights, places, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, out.shape[0]):
        i = places[y]
        a, b, c, d, e = rows[i], rows[i + 1], rows[i + 2], rows[i + 3], rows[i + 4]
        w0, w1, w2, w3, w4 = (
            weights[y, 0], weights[y, 1], weights[y, 2], weights[y, 3], weights[y, 4],
        )  # fmt: skip
        result = out[y]
        for x in range(result.shape[0]):
            result[x] += w0 * a[x] + w1 * b[x] + w2 * c[x] + w3 * d[x] + w4 * e[x]


@parallel
def _fine(chunk, left, top, seed, side, norm, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    block = 32
    ring = np.empty((3, width), np.float32)
    numbers = np.empty(width + 2, np.float32)
    for b in rows_of(chunk, (height + block - 1) // block):
        begin, end = b * block, min(height, b * block + block)
        for y in range(begin - 1, end + 1):
            _fill(left - 1 + 1000000, _row_key(top + y + 1000000, seed), numbers)
            row = ring[(y + 3) % 3]
            for x in range(width):
                row[x] = numbers[x + 1] + side * (numbers[x] + numbers[x + 2])
            if y >= begin + 1:
                above, middle, result = ring[(y + 1) % 3], ring[(y + 2) % 3], out[y - 1]
                for x in range(width):
                    result[x] += norm * (middle[x] + side * (above[x] + row[x]))


@parallel
def _grained(chunk, encoded, field, amplitude, skew, shift, share, out):  # type: ignore[no-untyped-def]
    a0, a1 = amplitude[0], amplitude[1]
    s0, s1, s2, s3, s4, s5 = shift[0], shift[1], shift[2], shift[3], shift[4], shift[5]
    for y in rows_of(chunk, encoded.shape[0]):
        line, noise, result = encoded[y], field[y], out[y]
        for x in range(line.shape[0]):
            u = min(max(line[x], _f(0.0)), _f(1.0))
            t = u * (_f(1.0) - u)
            k = skew * (_f(1.0) - _f(2.0) * u)
            n = noise[x]
            moved = t * (s0 + u * (s1 + u * (s2 + u * (s3 + u * (s4 + u * s5)))))
            value = u + moved + t * (a0 + a1 * u) * (n + k * n * n)
            result[x] = min(max(value, _f(0.0)), _f(1.0))
        if share.shape[0] > 0:  # what holds the mean goes with the square of the strength
            for x in range(line.shape[0]):
                u = min(max(line[x], _f(0.0)), _f(1.0))
                t = u * (_f(1.0) - u)
                moved = t * (s0 + u * (s1 + u * (s2 + u * (s3 + u * (s4 + u * s5)))))
                value = result[x] - (_f(1.0) - share[y, x] * share[y, x]) * moved
                result[x] = min(max(value, _f(0.0)), _f(1.0))


@parallel
def _kept(chunk, lightness, a_axis, b_axis, near, trace, kept, out):  # type: ignore[no-untyped-def]
    near_l, near_a, near_b = near
    width = out.shape[1]
    a, b = np.empty(width, _f), np.empty(width, _f)
    covered, across, along = np.empty(width, _f), np.empty(width, _f), np.empty(width, _f)
    bright = np.empty(width, _f)
    for y in rows_of(chunk, out.shape[0]):
        told, told_a, told_b = near_l[y], near_a[y], near_b[y]
        for x in range(width):
            scale = _f(1.0) / max(lightness[y, x], _LEAST_LIGHT)
            a[x], b[x] = a_axis[y, x] * scale, b_axis[y, x] * scale
            covered[x], across[x], along[x] = trace, trace * a[x], trace * b[x]
            bright[x] = _f(0.0)
        for i in range(kept.shape[0]):
            light, here_a, here_b, steep = kept[i, 0], kept[i, 1], kept[i, 2], kept[i, 3]
            amount, cosine, sine, shown = kept[i, 4], kept[i, 5], kept[i, 6], kept[i, 7]
            own = max(light, _LEAST_LIGHT)  # compared as if lit as the kept one is
            for x in range(width):
                level = own / max(told[x], _LEAST_LIGHT)
                d0 = _LESS_LIGHT * (told[x] - light)
                d1, d2 = level * told_a[x] - here_a, level * told_b[x] - here_b
                weight = amount * exp2(-min((d0 * d0 + d1 * d1 + d2 * d2) * steep, _f(60.0)))
                covered[x] += weight * (_f(1.0) - covered[x])
                across[x] += weight * (cosine * a[x] - sine * b[x] - across[x])
                along[x] += weight * (sine * a[x] + cosine * b[x] - along[x])
                bright[x] += weight * (shown - bright[x])
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = covered[x], across[x], along[x]
            out[y, x, 3] = bright[x]


@parallel
def _keep_inside(chunk, lightness, a_axis, b_axis, mask, share, turned, shown, out):  # type: ignore[no-untyped-def]
    cosine, sine = turned
    for y in rows_of(chunk, out.shape[0]):
        for x in range(out.shape[1]):
            weight = min(share * _f(mask[y, x]), _f(1.0))
            scale = _f(1.0) / max(lightness[y, x], _LEAST_LIGHT)
            a, b = a_axis[y, x] * scale, b_axis[y, x] * scale
            out[y, x, 0] += weight * (_f(1.0) - out[y, x, 0])
            out[y, x, 1] += weight * (cosine * a - sine * b - out[y, x, 1])
            out[y, x, 2] += weight * (sine * a + cosine * b - out[y, x, 2])
            out[y, x, 3] += weight * (shown - out[y, x, 3])


@parallel
def _paint_inside(chunk, mask, share, tint, out):  # type: ignore[no-untyped-def]
    a, b = tint
    for y in rows_of(chunk, out.shape[0]):
        for x in range(out.shape[1]):
            weight = min(share * _f(mask[y, x]), _f(1.0))
            out[y, x, 0] += weight * (_f(1.0) - out[y, x, 0])
            out[y, x, 1] += weight * (a - out[y, x, 1])
            out[y, x, 2] += weight * (b - out[y, x, 2])


@parallel
def _lit(chunk, encoded, tints, kept, red, green, blue):  # type: ignore[no-untyped-def]
    last = np.int32(tints.shape[0] - 2)
    steps = _f(tints.shape[0] - 1)
    width = encoded.shape[1]
    a, b, level = np.empty(width, _f), np.empty(width, _f), np.empty(width, _f)
    for y in rows_of(chunk, encoded.shape[0]):
        line, own = encoded[y], kept[y]
        reds, greens, blues = red[y], green[y], blue[y]
        for x in range(width):
            level[x] = decode_inside(line[x])
        for x in range(width):
            a[x], b[x] = own[x, 1], own[x, 2]
        if steps > _f(1.0):  # of two entries it has no tint
            for x in range(width):
                place = min(max(line[x], _f(0.0)), _f(1.0)) * steps
                index = max(min(np.int32(place), last), np.int32(0))
                between = place - _f(index)
                bare = _f(1.0) - own[x, 0]
                first, second = tints[index, 0], tints[index, 1]
                a[x] += bare * (first + between * (tints[index + 1, 0] - first))
                b[x] += bare * (second + between * (tints[index + 1, 1] - second))
        # loops that do little each take many numbers at once
        for x in range(width):
            reds[x], greens[x], blues[x] = from_oklab(_f(1.0), a[x], b[x])
        for x in range(width):
            light = level[x]
            scale = light / max(_Y0 * reds[x] + _Y1 * greens[x] + _Y2 * blues[x], _f(1e-3))
            reds[x] = reds[x] * scale - light
            greens[x] = greens[x] * scale - light
            blues[x] = blues[x] * scale - light
        for x in range(width):
            above = max(reds[x], max(greens[x], blues[x]))
            below = -min(reds[x], min(greens[x], blues[x]))
            light = level[x]
            above, below = above / max(_f(1.0) - light, _f(1e-6)), below / max(light, _f(1e-6))
            a[x] = max(above, max(below, KNEE))
        for x in range(width):
            over = (a[x] - KNEE) * (_LOG2_E / (_f(1.0) - KNEE))
            bent = KNEE + (_f(1.0) - KNEE) * (_f(1.0) - exp2(-min(over, _f(60.0))))
            a[x] = bent / a[x]
        for x in range(width):
            reds[x] = level[x] + a[x] * reds[x]
        for x in range(width):
            greens[x] = level[x] + a[x] * greens[x]
        for x in range(width):
            blues[x] = level[x] + a[x] * blues[x]
        encode_row(reds, reds)
        encode_row(greens, greens)
        encode_row(blues, blues)


@parallel
def _crisp(chunk, encoded, taps, near, far, strength, free, mask, masked, out):  # type: ignore[no-untyped-def]
    height, width = encoded.shape
    reach = taps.shape[0] - 1
    pad = max(reach, far)
    scale = _f(1.0) / (_BOUND - _FREE)
    soft, low, high = (
        np.empty(width + 2 * pad, np.float32), np.empty(width + 2 * pad, np.float32),
        np.empty(width + 2 * pad, np.float32),
    )  # fmt: skip
    wide_low, wide_high = (
        np.empty(width + 2 * pad, np.float32), np.empty(width + 2 * pad, np.float32),
    )  # fmt: skip
    blur = np.empty(width, np.float32)
    floor, roof = np.empty(width, np.float32), np.empty(width, np.float32)
    spread = np.empty(width, np.float32)
    least, most = np.empty(width, np.float32), np.empty(width, np.float32)
    for y in rows_of(chunk, height):
        line = encoded[y]
        b, n1, x1 = soft[pad : pad + width], low[pad : pad + width], high[pad : pad + width]
        n2, x2 = wide_low[pad : pad + width], wide_high[pad : pad + width]
        for x in range(width):
            b[x], n1[x], x1[x] = taps[0] * line[x], line[x], line[x]
        for t in range(1, near + 1):
            above, below = encoded[max(y - t, 0)], encoded[min(y + t, height - 1)]
            for x in range(width):
                n1[x] = min(n1[x], above[x], below[x])
                x1[x] = max(x1[x], above[x], below[x])
        for x in range(width):
            n2[x], x2[x] = n1[x], x1[x]
        for t in range(near + 1, far + 1):
            above, below = encoded[max(y - t, 0)], encoded[min(y + t, height - 1)]
            for x in range(width):
                n2[x] = min(n2[x], above[x], below[x])
                x2[x] = max(x2[x], above[x], below[x])
        for t in range(1, reach + 1):
            above, below, tap = encoded[max(y - t, 0)], encoded[min(y + t, height - 1)], taps[t]
            for x in range(width):
                b[x] += tap * (above[x] + below[x])
        for x in range(pad):
            soft[x], soft[pad + width + x] = b[0], b[width - 1]
            low[x], low[pad + width + x] = n1[0], n1[width - 1]
            high[x], high[pad + width + x] = x1[0], x1[width - 1]
            wide_low[x], wide_low[pad + width + x] = n2[0], n2[width - 1]
            wide_high[x], wide_high[pad + width + x] = x2[0], x2[width - 1]
        for x in range(width):
            blur[x], floor[x], roof[x] = taps[0] * b[x], n1[x], x1[x]
            least[x], most[x] = n2[x], x2[x]
        for t in range(1, reach + 1):
            one, two, tap = (
                soft[pad - t : pad - t + width],
                soft[pad + t : pad + t + width],
                taps[t],
            )
            for x in range(width):
                blur[x] += tap * (one[x] + two[x])
        for t in range(1, near + 1):
            one, two = low[pad - t : pad - t + width], low[pad + t : pad + t + width]
            for x in range(width):
                floor[x] = min(floor[x], one[x], two[x])
            one, two = high[pad - t : pad - t + width], high[pad + t : pad + t + width]
            for x in range(width):
                roof[x] = max(roof[x], one[x], two[x])
        if free > _f(0.0):
            for t in range(1, far + 1):
                one, two = wide_low[pad - t : pad - t + width], wide_low[pad + t : pad + t + width]
                for x in range(width):
                    least[x] = min(least[x], one[x], two[x])
                one = wide_high[pad - t : pad - t + width]
                two = wide_high[pad + t : pad + t + width]
                for x in range(width):
                    most[x] = max(most[x], one[x], two[x])
        for x in range(width):
            spread[x] = most[x] - least[x]
        result = out[y]
        for x in range(width):
            t = min(max((spread[x] - _FREE) * scale, _f(0.0)), _f(1.0))
            over = free * (roof[x] - floor[x]) * (_f(1.0) - t * t * (_f(3.0) - _f(2.0) * t))
            moved = strength * (line[x] - blur[x])
            if masked:
                moved *= mask[y, x]
            up = moved > _f(0.0)
            room = max(roof[x] - line[x] if up else line[x] - floor[x], _f(0.0)) + over
            size = abs(moved)
            # it never gets all of the room: a pixel that an edge crosses still tells where
            held = room * size / (room + size + _f(1e-9))
            result[x] = line[x] + (held if up else -held)


def shaded(
    encoded: Plane,
    across: Plane,
    down: Plane,
    curve: tuple[float, ...],
    stops: float,
    spare: float,
    sides: Plane,
    ends: Plane,
) -> Plane:
    """Encoded values with stops over a distance, and by row and column.

    Parameters
    ----------
    across, down : float32 (W,), (H,)
        They sum to a power of the distance.
    curve : five numbers
        The root that makes a distance of that; where a step (K. Perlin, SIGGRAPH 2002) begins, one
        over its length, its value at 0 and one over what it rises by from there.
    """
    out = np.empty_like(encoded)
    numbers = (tuple(_f(number) for number in curve), _f(stops), _f(spare))
    _shaded(encoded, across, down, *numbers, sides, ends, out)
    return out


def glowing(
    encoded: Plane,
    spreading: Plane,
    across: tuple[NDArray[np.uint32], Plane],
    down: tuple[NDArray[np.uint32], Plane],
    amount: float,
) -> Plane:
    """Encoded values under a spreading light, read through four cells each way.

    ``across`` and ``down`` are the first of them, uint32 ``(n,)``, and weights, float32 ``(4, n)``.
    """
    out = np.empty_like(encoded)
    _glowing(encoded, spreading, *across, *down, _f(amount), out)
    return out


def add_lattice(
    first: tuple[int, int],
    columns: tuple[Plane, NDArray[np.uint32]],
    rows: tuple[Plane, NDArray[np.int64]],
    seed: int,
    out: Plane,
) -> None:
    """Add hashed numbers on a lattice, read through weights, to ``out (H, W)``.

    Parameters
    ----------
    first : (x, y)
        The lattice's first index.
    columns : float32 (5, W), uint32 (W,)
        Weights, and the place of the first number, of each column.
    rows : float32 (H, 5), int64 (H,)
        The same of each row.
    """
    weights, places = columns
    between = np.empty((int(rows[1][-1]) + 5, len(places)), np.float32)
    _lattice(first[1], first[0], weights, places, np.uint32(seed), between)
    _upright(between, *rows, out)


def add_fine(corner: tuple[int, int], side: float, norm: float, seed: int, out: Plane) -> None:
    """Add white numbers, one a pixel, through ``[side 1 side]`` both ways, times ``norm``."""
    _fine(*corner, np.uint32(seed), _f(side), _f(norm), out)


def grained(
    encoded: Plane,
    field: Plane,
    amplitude: Plane,
    skew: float,
    shift: Plane,
    share: Plane | None = None,
) -> Plane:
    """Encoded values with grain; ``shift`` is a polynomial that holds the mean light.

    ``share`` says how much of the grain there is at each pixel; none: all of it.
    """
    out = np.empty_like(encoded)
    given = np.empty((0, 0), np.float32) if share is None else share
    field = field if share is None else field * share
    _grained(encoded, field, amplitude, _f(skew), shift, given, out)
    return out


def kept(
    lab: tuple[Plane, Plane, Plane], near: tuple[Plane, Plane, Plane], trace: float, table: Plane
) -> Colours:
    """The picture's own colour as far as it is let through, ``(H, W, 4)``.

    Parameters
    ----------
    lab : three float32 (H, W)
        OKLab of the picture.
    near : three float32 (H, W)
        The colours that kept ones are told by.
    trace : float
        Share let through everywhere.
    table : float32 (n, 8)
        Of each kept colour its OKLab, ``log2(e) / (2 reach^2)``, its share, the cosine and the
        sine of the angle it is turned by, times its strength, and the share of its own brightness.

    Returns
    -------
    float32 (H, W, 4)
        The share that is covered, OKLab ``a / L`` and ``b / L`` times that share, and the share of
        the colour picture's own brightness.
    """
    out = np.empty((*lab[0].shape, 4), np.float32)
    _kept(*lab, near, _f(trace), table, out)
    return out


def keep_inside(
    lab: tuple[Plane, ...],
    mask: NDArray[np.uint16],
    share: float,
    turned: tuple[float, float],
    bright: float,
    out: Colours,
) -> None:
    """Lay colour that an area keeps over what :func:`kept` found; ``share`` of one of the mask."""
    cosine, sine = turned
    _keep_inside(*lab, mask, _f(share), (_f(cosine), _f(sine)), _f(bright), out)


def paint_inside(
    mask: NDArray[np.uint16], share: float, tint: tuple[float, float], out: Colours
) -> None:
    """Lay one colour, OKLab ``a / L`` and ``b / L``, over what :func:`kept` found."""
    _paint_inside(mask, _f(share), (_f(tint[0]), _f(tint[1])), out)


def lit(encoded: Plane, tints: Plane, kept_colour: Colours) -> tuple[Plane, Plane, Plane]:
    """Encoded red, green and blue of encoded greys: tints ``(N, 2)`` over them, and kept colour.

    The luminance is that of the greys. Tints of two entries are none.
    """
    red, green, blue = (np.empty_like(encoded) for _ in range(3))
    _lit(encoded, tints, kept_colour, red, green, blue)
    return red, green, blue


def crisp(
    encoded: Plane,
    taps: Plane,
    near: int,
    far: int,
    strength: float,
    free: float,
    mask: Plane | None,
) -> Plane:
    """Unsharp masking that comes close to the ends of the range of each pixel's neighbourhood.

    Parameters
    ----------
    taps : float32 (n,)
        Half of a blur, its middle first.
    near, far : int
        Pixels over which the range is taken, and over which it is told what is an edge.
    strength : float
        Factor on what the blur took.
    free : float
        Share of the range that may be overshot where there is no edge.
    mask : float32 (H, W), optional
    """
    out = np.empty_like(encoded)
    _crisp(
        encoded, taps, near, far, _f(strength), _f(free), encoded if mask is None else mask,
        mask is not None, out,
    )  # fmt: skip
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.full((8, 8), 0.5, np.float32)
    line = np.zeros(8, np.float32)
    shaded(plane, line, line, (0.5, 0.0, 1.0, 0.0, 1.0), -1.0, 0.0, line, line)
    taps = (np.zeros(8, np.uint32), np.zeros((4, 8), np.float32))
    glowing(plane, plane, taps, taps, 0.5)
    places: Any = np.zeros(8, np.uint32)
    add_lattice(
        (0, 0), (np.zeros((5, 8), np.float32), places),
        (np.zeros((8, 5), np.float32), np.zeros(8, np.int64)), 1, plane.copy(),
    )  # fmt: skip
    add_fine((0, 0), 0.1, 1.0, 1, plane.copy())
    grained(plane, plane, np.ones(2, np.float32), 0.0, np.zeros(6, np.float32))
    colours = kept((plane, plane, plane), (plane, plane, plane), 0.1, np.ones((1, 8), np.float32))
    part = plane[:4, :4]
    mask = np.ones((8, 8), np.uint16)[:4, :4]
    keep_inside((part, part, part), mask, 0.1, (1.0, 0.0), 0.5, colours[:4, :4])
    paint_inside(mask, 0.1, (0.1, 0.1), colours[:4, :4])
    lit(plane, np.zeros((9, 2), np.float32), colours)
    crisp(plane, np.array([0.5, 0.25], np.float32), 1, 3, 1.0, 0.5, plane)
    crisp(plane, np.array([0.5, 0.25], np.float32), 1, 3, 1.0, 0.5, None)
