"""Compiled loops of the guard: colour foretold from what is as light near by."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.lanes import decode_inside, encode_row
from oatmeal.core.loops import inline_rows, parallel, rows_of, serial

_f = np.float32

Plane = NDArray[np.float32]

#: Luma of JPEG, WebP, HEIC and AVIF, and what its chroma is divided by (ITU-R BT.601).
_R, _G, _B = _f(0.299), _f(0.587), _f(0.114)
_CB, _CR = _f(1 / 1.772), _f(1 / 1.402)

#: Luminance of linear sRGB (IEC 61966-2-1).
_YR, _YG, _YB = _f(0.2126), _f(0.7152), _f(0.0722)

#: Cells to either side that a cell's chroma is foretold from.
RADIUS: Final = 5

#: Difference of luma from which a neighbour does not count (Tukey's biweight).
_RANGE: Final = _f((20.0 / 255) ** 2)

#: Variance of luma at which a cell counts half, since it has an edge inside; what is left at least.
_EDGE: Final = _f((6.0 / 255) ** 2)
_LEAST: Final = _f(0.02)

#: Variance of luma below which a line over it is not told; residual variance of a good one.
_FLAT: Final = _f((2.5 / 255) ** 2)
_GOOD: Final = _f((1.1 / 255) ** 2)

#: The same for the slope that draws the finest band.
_SLOPE_FLAT: Final = _f((4.0 / 255) ** 2)
_SLOPE_NOISE: Final = _f((1.0 / 255) ** 2)

#: Difference of luma at which a cell counts a quarter for a pixel.
_ALIKE: Final = _f(1 / (7.0 / 255) ** 2)

#: No channel becomes brighter than this, if it was not.
BRIGHTEST: Final = 1.25
_BRIGHTEST = _f(BRIGHTEST)


@parallel
def _apart(chunk, rgb, cell, step, luma, cb, cr, cells):  # type: ignore[no-untyped-def]
    """Luma and chroma of encoded colour, and over cells the means of their products.

    y, p, q, yy, pp + qq, yp, yq, of what is averaged over ``step`` pixels either way before: a
    file's colour is judged at the size that the file holds.
    """
    height, width = luma.shape
    columns = cells.shape[2]
    fewer, many = columns * cell // step, cell // step
    share = _f(1.0) / _f(step * step)
    red, green, blue = (
        np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32),
    )  # fmt: skip
    sums = np.empty((7, fewer), np.float32)
    line = np.empty((3, columns * cell), np.float32)
    small = np.empty((3, fewer), np.float32)
    for row in rows_of(chunk, cells.shape[1]):
        for k in range(7):
            for x in range(fewer):
                sums[k, x] = _f(0.0)
        for k in range(3):
            for x in range(columns * cell):
                line[k, x] = _f(0.0)
        for at in range(cell):
            y = min(row * cell + at, height - 1)
            one, two, three = luma[y], cb[y], cr[y]
            if row * cell + at < height:
                for x in range(width):
                    red[x], green[x], blue[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
                encode_row(red, red)
                encode_row(green, green)
                encode_row(blue, blue)
                for x in range(width):
                    light = _R * red[x] + _G * green[x] + _B * blue[x]
                    one[x] = light
                    two[x] = _CB * (blue[x] - light)
                    three[x] = _CR * (red[x] - light)
            l0, l1, l2 = line[0], line[1], line[2]
            for x in range(width):
                l0[x] += one[x]
                l1[x] += two[x]
                l2[x] += three[x]
            if at % step == step - 1:
                for k in range(3):
                    for x in range(width, columns * cell):
                        line[k, x] = line[k, width - 1]
                    for x in range(fewer):
                        total = _f(0.0)
                        for inner in range(step):
                            total += line[k, x * step + inner]
                        small[k, x] = total * share
                    for x in range(columns * cell):
                        line[k, x] = _f(0.0)
                a, p, q = small[0], small[1], small[2]
                for x in range(fewer):
                    sums[0, x] += a[x]
                    sums[1, x] += p[x]
                    sums[2, x] += q[x]
                for x in range(fewer):
                    sums[3, x] += a[x] * a[x]
                    sums[4, x] += p[x] * p[x] + q[x] * q[x]
                for x in range(fewer):
                    sums[5, x] += a[x] * p[x]
                    sums[6, x] += a[x] * q[x]
        for k in range(7):
            for column in range(columns):
                total = _f(0.0)
                for inner in range(many):
                    total += sums[k, column * many + inner]
                cells[k, row, column] = total / _f(many * many)


@parallel
def _sureness(chunk, near, out):  # type: ignore[no-untyped-def]
    """Cells with an edge inside say little of their colour."""
    for y in rows_of(chunk, out.shape[0]):
        for x in range(out.shape[1]):
            v = max(near[3, y, x] - near[0, y, x] * near[0, y, x], _f(0.0))
            out[y, x] = _LEAST + _EDGE / (_EDGE + v)


@parallel
def _agreed(chunk, cells, sure, space, out, spread):  # type: ignore[no-untyped-def]
    """Of every cell the chroma of those round it that are as light, and how it spreads there."""
    height, width = sure.shape
    radius = space.shape[0] // 2
    scale = _f(1.0) / _RANGE
    n, a = np.empty(width, np.float32), np.empty(width, np.float32)
    b, c = np.empty(width, np.float32), np.empty(width, np.float32)
    padded = np.empty((5, width + 2 * radius), np.float32)
    for i in rows_of(chunk, height):
        for j in range(width):
            n[j] = _f(1e-9)
            a[j] = b[j] = c[j] = _f(0.0)
        here = cells[0, i]
        for di in range(-radius, radius + 1):
            ii = min(max(i + di, 0), height - 1)
            for k in range(5):
                line = sure[ii] if k == 4 else cells[k if k < 3 else 4, ii]
                target = padded[k]
                for j in range(width):
                    target[radius + j] = line[j]
                for j in range(radius):
                    target[j] = line[0]
                    target[radius + width + j] = line[width - 1]
            for dj in range(2 * radius + 1):
                s = space[di + radius, dj]
                if s == _f(0.0):
                    continue
                y0, p0 = padded[0, dj : dj + width], padded[1, dj : dj + width]
                q0, e0 = padded[2, dj : dj + width], padded[3, dj : dj + width]
                w0 = padded[4, dj : dj + width]
                for j in range(width):
                    d = y0[j] - here[j]
                    t = max(_f(1.0) - d * d * scale, _f(0.0))
                    g = s * t * t * w0[j]
                    n[j] += g
                    a[j] += g * p0[j]
                    b[j] += g * q0[j]
                    c[j] += g * e0[j]
        for j in range(width):
            one = _f(1.0) / n[j]
            p, q = a[j] * one, b[j] * one
            spread[i, j] = max(c[j] * one - p * p - q * q, _f(1e-12))
            out[0, i, j] = p
            out[1, i, j] = q


@parallel
def _fits(chunk, near, out):  # type: ignore[no-untyped-def]
    """Chroma as a straight line over the light in a window, weighed by how well it fits."""
    for y in rows_of(chunk, out.shape[1]):
        for x in range(out.shape[2]):
            light, p, q = near[0, y, x], near[1, y, x], near[2, y, x]
            v = max(near[3, y, x] - light * light, _f(0.0)) + _FLAT
            with_p, with_q = near[5, y, x] - light * p, near[6, y, x] - light * q
            slope_p, slope_q = with_p / v, with_q / v
            around = max(near[4, y, x] - p * p - q * q, _f(0.0))
            rest = max(around - slope_p * with_p - slope_q * with_q, _f(0.0))
            weight = _f(1.0) / ((rest + _GOOD) * (rest + _GOOD))
            out[0, y, x] = weight
            out[1, y, x] = slope_p * weight
            out[2, y, x] = slope_q * weight
            out[3, y, x] = (p - slope_p * light) * weight
            out[4, y, x] = (q - slope_q * light) * weight
            out[5, y, x] = rest * weight


@parallel
def _foretold(chunk, agreed, spread, fits, near, floor, share, out):  # type: ignore[no-untyped-def]
    """Of both foretellings the better one: slopes, offsets, and how far the own chroma is kept.

    Then the slopes that draw the finest band from light.
    """
    for y in rows_of(chunk, out.shape[1]):
        for x in range(out.shape[2]):
            one = _f(1.0) / fits[0, y, x]
            rest, apart = fits[5, y, x] * one, spread[y, x]
            w = apart * apart / (apart * apart + rest * rest + _f(1e-14))
            out[0, y, x] = w * fits[1, y, x] * one
            out[1, y, x] = w * fits[2, y, x] * one
            out[2, y, x] = w * fits[3, y, x] * one + (_f(1.0) - w) * agreed[0, y, x]
            out[3, y, x] = w * fits[4, y, x] * one + (_f(1.0) - w) * agreed[1, y, x]
            light, p, q = near[0, y, x], near[1, y, x], near[2, y, x]
            around = max(near[4, y, x] - p * p - q * q, _f(0.0))
            doubt = floor * floor + share * share * around
            missed = max(w * rest + (_f(1.0) - w) * apart, _f(1e-12))
            out[4, y, x] = max(_f(1.0) - doubt / missed, _f(0.0))
            v = max(near[3, y, x] - light * light, _f(0.0)) + _SLOPE_FLAT
            with_p, with_q = near[5, y, x] - light * p, near[6, y, x] - light * q
            fit = (with_p * with_p + with_q * with_q) / (v * (around + _SLOPE_NOISE))
            out[5, y, x] = with_p / v * min(fit, _f(1.0))
            out[6, y, x] = with_q / v * min(fit, _f(1.0))


@inline_rows
def _decode(row, out):  # type: ignore[no-untyped-def]
    """Light of encoded values, also of those beyond 1 and below 0 (IEC 61966-2-1)."""
    for x in range(row.shape[0]):
        out[x] = decode_inside(abs(row[x]))
    for x in range(row.shape[0]):
        if abs(row[x]) > _f(1.0):
            out[x] = ((abs(row[x]) + _f(0.055)) / _f(1.055)) ** _f(2.4)
        out[x] = math.copysign(out[x], row[x])


@serial
def _block(block, rgb, luma, cb, cr, cells, sure, told, cell, narrow, out):  # type: ignore[no-untyped-def]
    """Rows between the same two rows of cells, whose values are spread along the row once."""
    height, width = luma.shape
    rows, columns = sure.shape
    half = cell // 2
    first = max((block - 1) * cell + half, 0) if cell > 1 else block
    last = min(block * cell + half, height) if cell > 1 else min(block + 1, height)
    if first >= last:
        return
    upper = min(max(block - 1, 0), rows - 1) if cell > 1 else min(block, rows - 1)
    lower = min(block, rows - 1)
    # upper left, upper right, lower left, lower right: light, sureness, and what is foretold
    spread = np.empty((4, 9, width), np.float32)
    for corner in range(4):
        i = lower if corner > 1 else upper
        for k in range(9):
            target = spread[corner, k]
            x = 0
            for j in range(columns + 1):
                left = min(max(j - 1, 0), columns - 1) if cell > 1 else min(j, columns - 1)
                place = min(j, columns - 1) if corner % 2 else left
                value = cells[0, i, place] if k == 0 else sure[i, place]
                if k > 1:
                    value = told[k - 2, i, place]
                stop = min(j * cell + half, width) if cell > 1 else min(j + 1, width)
                while x < stop:
                    target[x] = value
                    x += 1
    across = np.empty(width, np.float32)
    for x in range(width):  # in whole numbers, or a third would be a little less than itself
        across[x] = _f(((2 * x + 1 + cell) % (2 * cell)) / (2.0 * cell))
    work = np.empty((12, width), np.float32)
    red, green, blue, n, p, q = work[0], work[1], work[2], work[3], work[4], work[5]
    keep, s, t, fine, pairs, low = work[6], work[7], work[8], work[9], work[10], work[11]
    for y in range(first, last):
        down = _f(((2 * y + 1 + cell) % (2 * cell)) / (2.0 * cell))
        light, own_p, own_q = luma[y], cb[y], cr[y]
        for x in range(width):
            n[x] = p[x] = q[x] = keep[x] = _f(0.0)
        for x in range(width):
            s[x] = t[x] = fine[x] = _f(0.0)
        for corner in range(4):
            one, two = spread[corner, 0], spread[corner, 1]
            slope_p, slope_q = spread[corner, 2], spread[corner, 3]
            level_p, level_q, own = spread[corner, 4], spread[corner, 5], spread[corner, 6]
            share = down if corner > 1 else _f(1.0) - down
            base, sign = (_f(0.0), _f(1.0)) if corner % 2 else (_f(1.0), _f(-1.0))
            for x in range(width):
                d = one[x] - light[x]
                like = _f(1.0) / (_f(1.0) + d * d * _ALIKE)
                low[x] = share * (base + sign * across[x]) * (like * like * two[x] + _f(1e-6))
                n[x] += low[x]
            for x in range(width):
                p[x] += low[x] * (slope_p[x] * light[x] + level_p[x])
                q[x] += low[x] * (slope_q[x] * light[x] + level_q[x])
                keep[x] += low[x] * own[x]
            if narrow > _f(0.0):
                more_p, more_q = spread[corner, 7], spread[corner, 8]
                for x in range(width):
                    place_ = share * (base + sign * across[x])
                    s[x] += place_ * more_p[x]
                    t[x] += place_ * more_q[x]
        if narrow > _f(0.0):  # the band that half the size lacks: light less its 2 x 2 means
            g0 = min(max(y - y % 2, 0), height - 1)
            g1 = min(g0 + 1, height - 1)
            h0 = min(max(g0 + (2 if y % 2 else -2), 0), height - 1)
            h1 = min(h0 + 1, height - 1)
            a0, a1, b0, b1 = luma[g0], luma[g1], luma[h0], luma[h1]
            for x in range(width):
                pairs[x] = _f(0.375) * (a0[x] + a1[x]) + _f(0.125) * (b0[x] + b1[x])
            for k in range(1, width // 2 - 1):
                x = 2 * k
                mean = _f(0.375) * (pairs[x] + pairs[x + 1])
                fine[x] = light[x] - mean - _f(0.125) * (pairs[x - 2] + pairs[x - 1])
                fine[x + 1] = light[x + 1] - mean - _f(0.125) * (pairs[x + 2] + pairs[x + 3])
        for x in range(width):
            one_ = _f(1.0) / n[x]
            k_ = keep[x] * one_
            told_p, told_q = p[x] * one_, q[x] * one_
            p[x] = told_p + k_ * (own_p[x] + narrow * s[x] * fine[x] - told_p)
            q[x] = told_q + k_ * (own_q[x] + narrow * t[x] * fine[x] - told_q)
        for x in range(width):
            r = light[x] + q[x] * _f(1.402)
            b = light[x] + p[x] * _f(1.772)
            red[x], blue[x] = r, b
            green[x] = (light[x] - _R * r - _B * b) * (_f(1.0) / _G)
        _decode(red, p)
        _decode(green, q)
        _decode(blue, s)
        for x in range(width):
            r0, g_, b0_ = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            was = _YR * r0 + _YG * g_ + _YB * b0_
            # no colour leaves the gamut that was not outside
            r1 = max(p[x], min(r0, _f(0.0)))
            g1_ = max(q[x], min(g_, _f(0.0)))
            b1_ = max(s[x], min(b0_, _f(0.0)))
            now = _YR * r1 + _YG * g1_ + _YB * b1_
            gain = min(max(was, _f(0.0)) / max(now, _f(1e-6)), _f(4.0))
            left = was - now * gain  # where that is not enough, grey makes up for it
            r1, g1_, b1_ = r1 * gain + left, g1_ * gain + left, b1_ * gain + left
            most, limit = max(r1, g1_, b1_), max(_BRIGHTEST, r0, g_, b0_)
            pale = (limit - was) / (most - was) if most > limit else _f(1.0)
            out[y, x, 0] = was + pale * (r1 - was)
            out[y, x, 1] = was + pale * (g1_ - was)
            out[y, x, 2] = was + pale * (b1_ - was)


@parallel
def _settled(chunk, rgb, luma, cb, cr, cells, sure, told, cell, narrow, out):  # type: ignore[no-untyped-def]
    for block in rows_of(chunk, sure.shape[0] + 1):
        _block(block, rgb, luma, cb, cr, cells, sure, told, cell, narrow, out)


def _space() -> Plane:
    """Weights of the cells round one, by their distance."""
    at = np.arange(-RADIUS, RADIUS + 1) / (RADIUS + 1.0)
    away = at[:, None] ** 2 + at[None] ** 2
    return np.asarray(np.maximum(1 - away, 0) ** 2, dtype=np.float32)


def settled(
    rgb_linear: Plane, cell: int, step: int, floor: float, share: float, narrow: float
) -> Plane:
    """Colour as far as it can be trusted; the luminance of every pixel is kept.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        A file's own pixels, or a reduced copy's.
    cell : int
        Pixels of a cell either way.
    step : int
        Pixels that are averaged before colour is judged; a divisor of the cell.
    floor : float
        Chroma, 0 to 1, that is not told from a block's step.
    share : float
        Share of the chroma's own variation that is not believed.
    narrow : float
        How far the finest band of the chroma is missing, 0 to 1.

    Returns
    -------
    float32 (H, W, 3)
    """
    height, width = rgb_linear.shape[:2]
    luma, cb, cr = (np.empty((height, width), np.float32) for _ in range(3))
    cells = np.empty((7, -(-height // cell), -(-width // cell)), np.float32)
    _apart(rgb_linear, cell, step, luma, cb, cr, cells)
    near = box_means(cells, 1)
    sure = np.empty(cells.shape[1:], np.float32)
    _sureness(near, sure)
    agreed, spread = np.empty((2, *sure.shape), np.float32), np.empty_like(sure)
    _agreed(cells, sure, _space(), agreed, spread)
    fits = np.empty((6, *sure.shape), np.float32)
    _fits(near, fits)
    told = np.empty((7, *sure.shape), np.float32)
    _foretold(agreed, spread, box_means(fits, 1), near, _f(floor), _f(share), told)
    out = np.empty_like(rgb_linear)
    _settled(rgb_linear, luma, cb, cr, cells, sure, told, cell, _f(narrow), out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    settled(np.full((8, 8, 3), 0.2, dtype=np.float32), 4, 2, 0.01, 0.1, 1.0)
