"""Compiled loops of the guard: colour foretold from what is as light near by."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.lanes import decode_row, encode_row
from oatmeal.core.loops import parallel, rows_of, serial

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

#: Pixels of a row that are worked on at once, and beside them: multiples of every cell's size.
_PART: Final = 768
_BESIDE: Final = 12

#: No channel becomes brighter than this, if it was not.
BRIGHTEST: Final = 1.25
_BRIGHTEST = _f(BRIGHTEST)


# Loops with one result each: with more arrays in one, the compiler cannot tell that none overlaps
# another, and gives up on many pixels at a time.


@serial
def _encode(row):  # type: ignore[no-untyped-def]
    encode_row(row, row)


@serial
def _decode(row, out):  # type: ignore[no-untyped-def]
    decode_row(row, out)


@serial
def _add(row, out):  # type: ignore[no-untyped-def]
    for x in range(row.shape[0]):
        out[x] += row[x]


@serial
def _add_products(one, two, out):  # type: ignore[no-untyped-def]
    for x in range(one.shape[0]):
        out[x] += one[x] * two[x]


@serial
def _luminance(red, green, blue, out):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] = _YR * red[x] + _YG * green[x] + _YB * blue[x]


@serial
def _add_foretold(share, slope, level, light, out):  # type: ignore[no-untyped-def]
    for x in range(out.shape[0]):
        out[x] += share[x] * (slope[x] * light[x] + level[x])


@serial
def _kept(told, total, keep, own, slope, fine, narrow):  # type: ignore[no-untyped-def]
    """What is foretold, in place, with the own chroma as far as it is kept."""
    for x in range(told.shape[0]):
        one = _f(1.0) / total[x]
        value = told[x] * one
        told[x] = value + keep[x] * one * (own[x] + narrow * slope[x] * fine[x] - value)


@serial
def _within(channel, own, gain, left):  # type: ignore[no-untyped-def]
    """A channel as bright as the pixel was; what was outside the gamut stays there."""
    for x in range(channel.shape[0]):
        channel[x] = (channel[x] + min(own[x], _f(0.0))) * gain[x] + left[x]


@serial
def _paled(channel, was, pale):  # type: ignore[no-untyped-def]
    for x in range(channel.shape[0]):
        channel[x] = was[x] + pale[x] * (channel[x] - was[x])


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
                _encode(red)
                _encode(green)
                _encode(blue)
                for x in range(width):
                    one[x] = _R * red[x] + _G * green[x] + _B * blue[x]
                for x in range(width):
                    two[x] = _CB * (blue[x] - one[x])
                for x in range(width):
                    three[x] = _CR * (red[x] - one[x])
            _add(one, line[0])
            _add(two, line[1])
            _add(three, line[2])
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
                _add(a, sums[0])
                _add(p, sums[1])
                _add(q, sums[2])
                _add_products(a, a, sums[3])
                _add_products(p, p, sums[4])
                _add_products(q, q, sums[4])
                _add_products(a, p, sums[5])
                _add_products(a, q, sums[6])
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


@serial
def _spread(row, cells, sure, told, cell, begin, out):  # type: ignore[no-untyped-def]
    """A row of cells along pixels from ``begin`` on, which is a cell's: the left and the right one.

    Light, sureness, and what is foretold: slopes, levels, how far the own is kept, finest slopes.
    """
    columns, width = sure.shape[1], out.shape[2]
    half = cell // 2
    for k in range(9):
        line = told[k - 2, row]
        if k == 0:
            line = cells[0, row]
        elif k == 1:
            line = sure[row]
        left, right = out[0, k], out[1, k]
        x, j = 0, begin // cell
        while x < width:
            here = line[min(j, columns - 1)]
            before = line[max(j - 1, 0)] if cell > 1 else here
            stop = j * cell + half - begin if cell > 1 else x + 1
            stop = min(stop, width)
            while x < stop:
                left[x] = before
                right[x] = here
                x += 1
            j += 1


@serial
def _block(  # type: ignore[no-untyped-def]
    block, rgb, luma, cb, cr, upper, lower, across, work, cell, narrow, begin, inside, out,
):  # fmt: skip
    """Rows between the same two rows of cells, whose values are spread along the row."""
    height, width = luma.shape[0], across.shape[0]
    end = begin + width
    first = max((block - 1) * cell + cell // 2, 0) if cell > 1 else block
    last = min(block * cell + cell // 2, height) if cell > 1 else min(block + 1, height)
    red, green, blue, n, p, q = work[0], work[1], work[2], work[3], work[4], work[5]
    keep, s, t, fine, pairs, low = work[6], work[7], work[8], work[9], work[10], work[11]
    for y in range(first, last):
        down = _f(((2 * y + 1 + cell) % (2 * cell)) / (2.0 * cell))
        light, own_p, own_q = luma[y, begin:end], cb[y, begin:end], cr[y, begin:end]
        for x in range(width):
            n[x] = p[x] = q[x] = keep[x] = _f(0.0)
        for x in range(width):
            s[x] = t[x] = fine[x] = _f(0.0)
        for corner in range(4):
            values = lower[corner % 2] if corner > 1 else upper[corner % 2]
            one, two = values[0], values[1]
            slope_p, slope_q, level_p, level_q = values[2], values[3], values[4], values[5]
            own = values[6]
            share = down if corner > 1 else _f(1.0) - down
            base, sign = (_f(0.0), _f(1.0)) if corner % 2 else (_f(1.0), _f(-1.0))
            for x in range(width):
                d = one[x] - light[x]
                like = _f(1.0) / (_f(1.0) + d * d * _ALIKE)
                low[x] = share * (base + sign * across[x]) * (like * like * two[x] + _f(1e-6))
            _add(low, n)
            _add_foretold(low, slope_p, level_p, light, p)
            _add_foretold(low, slope_q, level_q, light, q)
            _add_products(low, own, keep)
            if narrow > _f(0.0):
                for x in range(width):
                    low[x] = share * (base + sign * across[x])
                _add_products(low, values[7], s)
                _add_products(low, values[8], t)
        if narrow > _f(0.0):  # the band that half the size lacks: light less its 2 x 2 means
            g0 = min(max(y - y % 2, 0), height - 1)
            g1 = min(g0 + 1, height - 1)
            h0 = min(max(g0 + (2 if y % 2 else -2), 0), height - 1)
            h1 = min(h0 + 1, height - 1)
            a0, a1 = luma[g0, begin:end], luma[g1, begin:end]
            b0, b1 = luma[h0, begin:end], luma[h1, begin:end]
            for x in range(width):
                pairs[x] = _f(0.375) * (a0[x] + a1[x]) + _f(0.125) * (b0[x] + b1[x])
            for k in range(1, width // 2 - 1):
                x = 2 * k
                mean = _f(0.375) * (pairs[x] + pairs[x + 1])
                fine[x] = light[x] - mean - _f(0.125) * (pairs[x - 2] + pairs[x - 1])
                fine[x + 1] = light[x + 1] - mean - _f(0.125) * (pairs[x + 2] + pairs[x + 3])
        _kept(p, n, keep, own_p, s, fine, narrow)
        _kept(q, n, keep, own_q, t, fine, narrow)
        for x in range(width):
            red[x] = light[x] + q[x] * _f(1.402)
        for x in range(width):
            blue[x] = light[x] + p[x] * _f(1.772)
        for x in range(width):
            green[x] = (light[x] - _R * red[x] - _B * blue[x]) * (_f(1.0) / _G)
        _decode(red, p)
        _decode(green, q)
        _decode(blue, s)
        for x in range(width):
            at = begin + x
            red[x], green[x], blue[x] = rgb[y, at, 0], rgb[y, at, 1], rgb[y, at, 2]
        was, now, gain, left, pale = n, keep, t, fine, low
        _luminance(red, green, blue, was)
        for x in range(width):
            low[x] = _YR * min(red[x], _f(0.0)) + _YG * min(green[x], _f(0.0))
        for x in range(width):
            low[x] += _YB * min(blue[x], _f(0.0))
        _luminance(p, q, s, now)
        _add(low, now)
        for x in range(width):
            gain[x] = min(max(was[x], _f(0.0)) / max(now[x], _f(1e-6)), _f(4.0))
        for x in range(width):
            left[x] = was[x] - now[x] * gain[x]  # where gain is not enough, grey makes up for it
        _within(p, red, gain, left)
        _within(q, green, gain, left)
        _within(s, blue, gain, left)
        for x in range(width):
            limit = max(max(red[x], green[x]), max(blue[x], _BRIGHTEST))
            most = max(max(p[x], q[x]), s[x])
            share_ = (limit - was[x]) / max(most - was[x], _f(1e-6))
            pale[x] = min(share_, _f(1.0)) if most > limit else _f(1.0)
        _paled(p, was, pale)
        _paled(q, was, pale)
        _paled(s, was, pale)
        for x in range(inside[0] - begin, inside[1] - begin):
            at = begin + x
            out[y, at, 0], out[y, at, 1], out[y, at, 2] = p[x], q[x], s[x]


@parallel
def _settled(chunk, rgb, luma, cb, cr, cells, sure, told, cell, narrow, out):  # type: ignore[no-untyped-def]
    whole, rows = luma.shape[1], sure.shape[0]
    # what a part of a row needs stays in the cache; the finest band looks two pixels beyond it
    for left in range(0, whole, _PART):
        begin, end = max(left - _BESIDE, 0), min(left + _PART + _BESIDE, whole)
        inside = (left, min(left + _PART, whole))
        width = end - begin
        spread = np.empty((2, 2, 9, width), np.float32)
        work = np.empty((12, width), np.float32)
        across = np.empty(width, np.float32)
        for x in range(width):  # in whole numbers, or a third would be a little less than itself
            across[x] = _f(((2 * (begin + x) + 1 + cell) % (2 * cell)) / (2.0 * cell))
        known = -1
        for block in rows_of(chunk, rows + 1):
            above = min(max(block - 1, 0), rows - 1) if cell > 1 else min(block, rows - 1)
            below = min(block, rows - 1)
            upper, lower = spread[(block + 1) % 2], spread[block % 2]
            if known != above:
                _spread(above, cells, sure, told, cell, begin, upper)
            _spread(below, cells, sure, told, cell, begin, lower)
            known = below
            _block(
                block, rgb, luma, cb, cr, upper, lower, across, work, cell, narrow, begin, inside,
                out,
            )  # fmt: skip


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
