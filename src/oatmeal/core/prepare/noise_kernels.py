"""Compiled loops that take noise away: a variance made even, and a sliding cosine transform."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import inline, parallel, rows_of, serial
from oatmeal.core.noise import OPPONENT, SIDE, Noise, even_terms

_f = np.float32

#: Blocks of the transform begin at every column and at every ``STEP``-th row.
STEP: Final = 4

#: Blocks of a row that are worked on together: what they need stays in the nearest cache.
_RUN: Final = 128

#: The same for what works on single pixels.
_SHORT: Final = 512

#: Rows that one thread works on.
_BAND: Final = 64

#: The cosine transform of eight values (N. Ahmed, T. Natarajan and K. R. Rao, "Discrete Cosine
#: Transform", IEEE Trans. Computers C-23, 1974), orthonormal: even rows act on sums of mirrored
#: values, odd ones on their differences.
_E = [
    _f(math.sqrt(1 / 8)),
    *(_f(math.sqrt(2 / 8) * math.cos(math.pi * n / 16)) for n in range(1, 8)),
]
_C0, _C1, _C2, _C3, _C4, _C5, _C6, _C7 = _E

#: The planes of :data:`oatmeal.core.noise.OPPONENT`.
_P, _Q, _R = _f(OPPONENT[0, 0]), _f(OPPONENT[1, 0]), _f(OPPONENT[2, 0])

#: What Mäkitalo and Foi's inverse adds to a quarter of the square, in powers of one over its root.
_N1, _N2, _N3 = _f(0.25 * math.sqrt(1.5)), _f(-1.375), _f(0.625 * math.sqrt(1.5))

Planes = NDArray[np.float32]


@inline
def _forward(a, b, c, d, e, f, g, h):  # type: ignore[no-untyped-def]
    s0, s1, s2, s3 = a + h, b + g, c + f, d + e
    d0, d1, d2, d3 = a - h, b - g, c - f, d - e
    p, q, r, t = s0 + s3, s1 + s2, s0 - s3, s1 - s2
    return (
        _C0 * (p + q),
        _C1 * d0 + _C3 * d1 + _C5 * d2 + _C7 * d3,
        _C2 * r + _C6 * t,
        _C3 * d0 - _C7 * d1 - _C1 * d2 - _C5 * d3,
        _C0 * (p - q),
        _C5 * d0 - _C1 * d1 + _C7 * d2 + _C3 * d3,
        _C6 * r - _C2 * t,
        _C7 * d0 - _C5 * d1 + _C3 * d2 - _C1 * d3,
    )


@inline
def _inverse(a, b, c, d, e, f, g, h):  # type: ignore[no-untyped-def]
    p, q = _C0 * (a + e), _C0 * (a - e)
    r, t = _C2 * c + _C6 * g, _C6 * c - _C2 * g
    e0, e3, e1, e2 = p + r, p - r, q + t, q - t
    o0 = _C1 * b + _C3 * d + _C5 * f + _C7 * h
    o1 = _C3 * b - _C7 * d - _C1 * f - _C5 * h
    o2 = _C5 * b - _C1 * d + _C7 * f + _C3 * h
    o3 = _C7 * b - _C5 * d + _C3 * f - _C1 * h
    return e0 + o0, e1 + o1, e2 + o2, e3 + o3, e3 - o3, e2 - o2, e1 - o1, e0 - o0


@serial
def _cleaned_rows(plane, above, top, bottom, out):  # type: ignore[no-untyped-def]
    # the plane has SIDE more pixels at every edge than what is wanted of it
    width = out.shape[1]
    one, none = _f(1.0), _f(0.0)
    sums = np.zeros((bottom - top, width + 2 * SIDE), _f)
    weights = np.zeros((bottom - top, width + 2 * SIDE), _f)
    down = np.empty((SIDE, _RUN + SIDE), _f)
    blocks = np.empty((SIDE, SIDE, _RUN), _f)
    kept = np.empty(_RUN, _f)
    rows = np.empty((SIDE, _RUN + SIDE), _f)
    weighed = np.empty(_RUN + SIDE, _f)
    # in rows of the padded plane: blocks on the grid that touch this band
    for y in range(top + STEP, bottom + SIDE, STEP):
        for left in range(1, width + SIDE, _RUN):
            n = min(_RUN, width + SIDE - left)
            m = n + SIDE - 1
            r0, r1 = plane[y, left : left + m], plane[y + 1, left : left + m]
            r2, r3 = plane[y + 2, left : left + m], plane[y + 3, left : left + m]
            r4, r5 = plane[y + 4, left : left + m], plane[y + 5, left : left + m]
            r6, r7 = plane[y + 6, left : left + m], plane[y + 7, left : left + m]
            v0, v1, v2, v3 = down[0], down[1], down[2], down[3]
            v4, v5, v6, v7 = down[4], down[5], down[6], down[7]
            for x in range(m):
                v0[x], v1[x], v2[x], v3[x], v4[x], v5[x], v6[x], v7[x] = _forward(
                    r0[x], r1[x], r2[x], r3[x], r4[x], r5[x], r6[x], r7[x]
                )
            for x in range(n):
                kept[x] = none
            for k in range(SIDE):
                line = down[k]
                a, b, c, d = line[0:n], line[1 : 1 + n], line[2 : 2 + n], line[3 : 3 + n]
                e, f, g, h = (
                    line[4 : 4 + n], line[5 : 5 + n], line[6 : 6 + n], line[7 : 7 + n],
                )  # fmt: skip
                t0, t1, t2, t3 = blocks[k, 0], blocks[k, 1], blocks[k, 2], blocks[k, 3]
                t4, t5, t6, t7 = blocks[k, 4], blocks[k, 5], blocks[k, 6], blocks[k, 7]
                l0, l1, l2, l3 = above[k, 0], above[k, 1], above[k, 2], above[k, 3]
                l4, l5, l6, l7 = above[k, 4], above[k, 5], above[k, 6], above[k, 7]
                for x in range(n):
                    z0, z1, z2, z3, z4, z5, z6, z7 = _forward(
                        a[x], b[x], c[x], d[x], e[x], f[x], g[x], h[x]
                    )
                    s0 = one if abs(z0) > l0 else none
                    s1 = one if abs(z1) > l1 else none
                    s2 = one if abs(z2) > l2 else none
                    s3 = one if abs(z3) > l3 else none
                    s4 = one if abs(z4) > l4 else none
                    s5 = one if abs(z5) > l5 else none
                    s6 = one if abs(z6) > l6 else none
                    s7 = one if abs(z7) > l7 else none
                    t0[x], t1[x], t2[x], t3[x] = z0 * s0, z1 * s1, z2 * s2, z3 * s3
                    t4[x], t5[x], t6[x], t7[x] = z4 * s4, z5 * s5, z6 * s6, z7 * s7
                    kept[x] += ((s0 + s1) + (s2 + s3)) + ((s4 + s5) + (s6 + s7))
            for x in range(n):
                kept[x] = one / kept[x]
            for k in range(SIDE):
                t0, t1, t2, t3 = blocks[k, 0], blocks[k, 1], blocks[k, 2], blocks[k, 3]
                t4, t5, t6, t7 = blocks[k, 4], blocks[k, 5], blocks[k, 6], blocks[k, 7]
                for x in range(n):
                    w = kept[x]
                    t0[x], t1[x], t2[x], t3[x], t4[x], t5[x], t6[x], t7[x] = _inverse(
                        t0[x] * w, t1[x] * w, t2[x] * w, t3[x] * w,
                        t4[x] * w, t5[x] * w, t6[x] * w, t7[x] * w,
                    )  # fmt: skip
                row = rows[k]
                for x in range(m):
                    row[x] = none
                for column in range(SIDE):
                    shifted, part = row[column : column + n], blocks[k, column]
                    for x in range(n):
                        shifted[x] += part[x]
            for x in range(m):
                weighed[x] = none
            for column in range(SIDE):
                shifted = weighed[column : column + n]
                for x in range(n):
                    shifted[x] += kept[x]
            v0, v1, v2, v3 = rows[0], rows[1], rows[2], rows[3]
            v4, v5, v6, v7 = rows[4], rows[5], rows[6], rows[7]
            for x in range(m):
                v0[x], v1[x], v2[x], v3[x], v4[x], v5[x], v6[x], v7[x] = _inverse(
                    v0[x], v1[x], v2[x], v3[x], v4[x], v5[x], v6[x], v7[x]
                )
            for j in range(SIDE):
                place = y + j - SIDE - top
                if 0 <= place < bottom - top:
                    total, share = sums[place, left : left + m], weights[place, left : left + m]
                    row = rows[j]
                    for x in range(m):
                        total[x] += row[x]
                        share[x] += weighed[x]
    for y in range(top, bottom):
        total, share, result = sums[y - top], weights[y - top], out[y]
        for x in range(width):
            result[x] = total[x + SIDE] / share[x + SIDE]


@parallel
def _cleaned(chunk, plane, above, out):  # type: ignore[no-untyped-def]
    height = out.shape[0]
    for band in rows_of(chunk, (height + _BAND - 1) // _BAND):
        top = band * _BAND
        _cleaned_rows(plane, above, top, min(height, top + _BAND), out)


@inline
def _even(light, gain, offset, scale):  # type: ignore[no-untyped-def]
    return scale * math.sqrt(max(gain * light + offset, _f(0.0)))


@parallel
def _evened(chunk, rgb, gain, offset, scale, out):  # type: ignore[no-untyped-def]
    red, green, blue = np.empty(_SHORT, _f), np.empty(_SHORT, _f), np.empty(_SHORT, _f)
    for y in rows_of(chunk, rgb.shape[0]):
        for left in range(0, rgb.shape[1], _SHORT):
            n = min(_SHORT, rgb.shape[1] - left)
            row = rgb[y, left : left + n]
            for x in range(n):
                red[x], green[x], blue[x] = row[x, 0], row[x, 1], row[x, 2]
            for x in range(n):
                red[x] = _even(red[x], gain[0], offset[0], scale[0])
                green[x] = _even(green[x], gain[1], offset[1], scale[1])
                blue[x] = _even(blue[x], gain[2], offset[2], scale[2])
            begin = SIDE + left
            light = out[0, y + SIDE, begin : begin + n]
            across = out[1, y + SIDE, begin : begin + n]
            along = out[2, y + SIDE, begin : begin + n]
            for x in range(n):
                light[x] = _P * (red[x] + green[x] + blue[x])
            for x in range(n):
                across[x] = _Q * (red[x] - blue[x])
            for x in range(n):
                along[x] = _R * (red[x] - _f(2.0) * green[x] + blue[x])


@inline
def _change(was, by, taken, gain):  # type: ignore[no-untyped-def]
    # of the light; as much of Mäkitalo and Foi's inverse as there is noise taken
    now = max(was + by, min(was, _f(0.5)))
    part = _f(1.0) / max(now, _f(0.5))
    lost = _f(0.25) + part * (_N1 + part * (_N2 + part * _N3))
    return gain * (_f(0.25) * (now - was) * (now + was) + taken * lost)


@parallel
def _taken(chunk, rgb, clean, gain, offset, scale, amounts, gone, out):  # type: ignore[no-untyped-def]
    lightly, colourfully = amounts[0], amounts[1]
    red, green, blue = np.empty(_SHORT, _f), np.empty(_SHORT, _f), np.empty(_SHORT, _f)
    u, v, w = np.empty(_SHORT, _f), np.empty(_SHORT, _f), np.empty(_SHORT, _f)
    light, across = np.empty(_SHORT, _f), np.empty(_SHORT, _f)
    along = np.empty(_SHORT, _f)
    for y in rows_of(chunk, rgb.shape[0]):
        for left in range(0, rgb.shape[1], _SHORT):
            n = min(_SHORT, rgb.shape[1] - left)
            row, result = rgb[y, left : left + n], out[y, left : left + n]
            c0, c1 = clean[0, y, left : left + n], clean[1, y, left : left + n]
            c2 = clean[2, y, left : left + n]
            for x in range(n):
                red[x], green[x], blue[x] = row[x, 0], row[x, 1], row[x, 2]
            for x in range(n):
                u[x] = _even(red[x], gain[0], offset[0], scale[0])
                v[x] = _even(green[x], gain[1], offset[1], scale[1])
                w[x] = _even(blue[x], gain[2], offset[2], scale[2])
            for x in range(n):
                light[x] = _P * lightly * (c0[x] - _P * (u[x] + v[x] + w[x]))
            for x in range(n):
                across[x] = _Q * colourfully * (c1[x] - _Q * (u[x] - w[x]))
            for x in range(n):
                along[x] = _R * colourfully * (c2[x] - _R * (u[x] - _f(2.0) * v[x] + w[x]))
            for x in range(n):
                red[x] += _change(u[x], light[x] + across[x] + along[x], gone[0], gain[0])
            for x in range(n):
                green[x] += _change(v[x], light[x] - _f(2.0) * along[x], gone[1], gain[1])
            for x in range(n):
                blue[x] += _change(w[x], light[x] - across[x] + along[x], gone[2], gain[2])
            for x in range(n):
                result[x, 0], result[x, 1], result[x, 2] = red[x], green[x], blue[x]


def cleaned(plane: Planes, thresholds: Planes, out: Planes) -> None:
    """A plane without its noise: blocks keep the terms that stand above their threshold.

    Parameters
    ----------
    plane : float32 (H + 2 * SIDE, W + 2 * SIDE)
        Continued past its edges.
    thresholds : float32 (SIDE, SIDE)
        Of a block's frequencies, down and across; the mean of a block always stays.
    out : float32 (H, W)
        Every pixel a mean over all blocks that it lies in, weighted by one over what they kept.
    """
    above = thresholds.copy()
    above[0, 0] = -1  # the mean stays, whatever it is
    _cleaned(plane, above, out)


def evened(rgb_linear: Planes, noise: Noise) -> Planes:
    """Planes of linear colour ``(H, W, 3)`` whose noise has deviation 1 everywhere.

    Returns
    -------
    float32 (3, H + 2 * SIDE, W + 2 * SIDE)
        The planes of :data:`oatmeal.core.noise.OPPONENT`, continued past their edges as mirrored.
    """
    height, width = rgb_linear.shape[:2]
    out = np.empty((3, height + 2 * SIDE, width + 2 * SIDE), dtype=np.float32)
    _evened(rgb_linear, *_terms(noise), out)
    if min(height, width) <= SIDE:  # too small to be mirrored once
        inside = out[:, SIDE:-SIDE, SIDE:-SIDE]
        return np.pad(inside, ((0, 0), (SIDE, SIDE), (SIDE, SIDE)), mode="reflect")
    out[:, :, :SIDE] = out[:, :, 2 * SIDE : SIDE : -1]
    out[:, :, -SIDE:] = out[:, :, -SIDE - 2 : -2 * SIDE - 2 : -1]
    out[:, :SIDE] = out[:, 2 * SIDE : SIDE : -1]
    out[:, -SIDE:] = out[:, -SIDE - 2 : -2 * SIDE - 2 : -1]
    return out


def taken(rgb_linear: Planes, clean: Planes, noise: Noise, light: float, colour: float) -> Planes:
    """Linear colour ``(H, W, 3)`` moved toward clean planes.

    Parameters
    ----------
    clean : float32 (3, H, W)
        As :func:`evened` makes them, without noise and edges.
    light, colour : float
        Shares, 0 to 1, of the planes' way.
    """
    out = np.empty_like(rgb_linear)
    squares = np.array([(1 - light) ** 2, (1 - colour) ** 2, (1 - colour) ** 2])
    gone = (1 - (OPPONENT**2).T @ squares).astype(np.float32)
    amounts = np.array([light, colour], dtype=np.float32)
    _taken(rgb_linear, clean, *_terms(noise), amounts, gone, out)
    return out


def _terms(noise: Noise) -> tuple[Planes, Planes, Planes]:
    gain, offset, scale = even_terms(noise)
    return gain.astype(_f), offset.astype(_f), scale.astype(_f)


def warm() -> None:
    """Compile, or load from the cache."""
    rgb = np.full((SIDE, SIDE, 3), 0.5, dtype=np.float32)
    noise = Noise((1e-3,) * 3, (1e-6,) * 3)
    planes = np.ascontiguousarray(evened(rgb, noise)[:, SIDE:-SIDE, SIDE:-SIDE])
    padded = np.zeros((3 * SIDE, 3 * SIDE), np.float32)
    cleaned(padded, np.full((SIDE, SIDE), 2.7, np.float32), planes[0])
    taken(rgb, planes, noise, 1.0, 1.0)
