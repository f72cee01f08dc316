"""Compiled loops of the one resampling from the photograph to the frame.

Cubic convolution after R. G. Keys, "Cubic Convolution Interpolation for Digital Image Processing",
IEEE ASSP 29 (1981), a = -1/2 (the Catmull-Rom spline), on the square root of light: its under- and
overshoot at an edge is evenly small for the eye, and a square cannot be negative. Light below 0,
which colours outside sRGB have, keeps its sign.

Beside an edge a spline still swings. A value may therefore lie beyond its two neighbours only as
far as the picture curves the same way at both, which is the accuracy-preserving limit of A. Suresh
and H. T. Huynh, "Accurate Monotonicity-Preserving Schemes with Runge-Kutta Time Stepping", Journal
of Computational Physics 136 (1997): crests of waves stay, and edges neither ring nor soften.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import inline, inline_rows, parallel, rows_of

_f = np.float32

#: Pixels beyond a place that its value is made of, and what a part is padded with.
REACH: Final = 2

#: How far a value may lie beyond its neighbours, of their curvature: a parabola's reaches 1/8.
_BEYOND: Final = _f(0.15)

Colour = NDArray[np.float32]


@dataclass(frozen=True)
class Way:
    """From a pixel of the frame to its place in the photograph that is read.

    Attributes
    ----------
    matrix : float64 (3, 3)
        From pixels of the frame (middles at .5) to the freed photograph, in pixels of the file from
        its middle.
    terms : float64 (4,)
        k1, k2, k3 of the bend by the squared distance in pixels of the file, and that distance
        beyond which they stay.
    to_read : float64 (5,)
        Pixels that are read for one of the file, across and down; their middle; and steps of the
        gains for a squared pixel of the file.
    gains : float32 (n,)
        Factors on light over the squared distance of the photograph's place, from the middle to
        half a diagonal; one: none.
    """

    matrix: NDArray[np.float64]
    terms: NDArray[np.float64]
    to_read: NDArray[np.float64]
    gains: NDArray[np.float32]


@inline_rows
def _places(way, terms, to_read, left, row, across, down, squares):  # type: ignore[no-untyped-def]
    """Places in the photograph of a row of the frame, and their squared distance."""
    k1, k2, k3, farthest = terms[0], terms[1], terms[2], terms[3]
    y = row + 0.5
    for i in range(across.shape[0]):
        x = left + i + 0.5
        depth = 1.0 / (way[2, 0] * x + (way[2, 1] * y + way[2, 2]))
        u = (way[0, 0] * x + (way[0, 1] * y + way[0, 2])) * depth
        v = (way[1, 0] * x + (way[1, 1] * y + way[1, 2])) * depth
        square = min(u * u + v * v, farthest)
        factor = 1.0 + square * (k1 + square * (k2 + square * k3))
        across[i] = u * factor * to_read[0] + to_read[2]
        down[i] = v * factor * to_read[1] + to_read[3]
        squares[i] = (u * u + v * v) * factor * factor


@inline
def _weights(t):  # type: ignore[no-untyped-def]
    """Of the four pixels round a place, at a share of the way from the second to the third."""
    half, one, two, three = _f(0.5), _f(1.0), _f(2.0), _f(3.0)
    before = ((two - t) * t - one) * t * half
    here = ((three * t - _f(5.0)) * t * t + two) * half
    next_ = ((_f(4.0) - three * t) * t + one) * t * half
    return before, here, next_, (t - one) * t * t * half


@inline
def _limited(value, before, here, next_, after):  # type: ignore[no-untyped-def]
    """A value between two pixels, beyond them only as far as both curve the same way."""
    one, two = before - _f(2.0) * here + next_, here - _f(2.0) * next_ + after
    low = min(here, next_) - _BEYOND * max(min(one, two), _f(0.0))
    high = max(here, next_) - _BEYOND * min(max(one, two), _f(0.0))
    return min(max(value, low), high)


@inline
def _along(before, here, next_, after, w0, w1, w2, w3):  # type: ignore[no-untyped-def]
    """A value between the middle two of four, by their weights."""
    value = w0 * before + w1 * here + w2 * next_ + w3 * after
    return _limited(value, before, here, next_, after)


@parallel
def _rooted(chunk, light, out):  # type: ignore[no-untyped-def]
    """Square roots in four lanes a pixel, padded with the edge's own."""
    rows, columns = light.shape[0], light.shape[1]
    for y in rows_of(chunk, out.shape[0]):
        line, result = light[min(max(y - REACH, 0), rows - 1)], out[y]
        for x in range(result.shape[0] // 4):
            column = min(max(x - REACH, 0), columns - 1)
            for k in range(3):
                value = line[column, k]
                root = np.sqrt(abs(value))
                result[4 * x + k] = -root if value < _f(0.0) else root
            result[4 * x + 3] = _f(0.0)


@inline_rows
def _covered(x, y, edges):  # type: ignore[no-untyped-def]
    """How much of a pixel at a place lies inside the photograph."""
    inside = min(min(x - edges[0], edges[2] - x), min(y - edges[1], edges[3] - y))
    return _f(min(max(inside + 0.5, 0.0), 1.0))


@parallel
def _sample(  # type: ignore[no-untyped-def]
    chunk, roots, way, terms, to_read, gains, left, top, corner, edges, white, out
):
    """All three colours from one place."""
    rows, columns, width = roots.shape[0], roots.shape[1] // 4, out.shape[1] // 3
    last, per_square = gains.shape[0] - 1, to_read[4]
    across = np.empty(width, np.float64)
    down = np.empty(width, np.float64)
    squares = np.empty(width, np.float64)
    sums = np.empty(16, np.float32)
    for y in rows_of(chunk, out.shape[0]):
        _places(way, terms, to_read, left, top + y, across, down, squares)
        # unsigned: a place that could count from the end would keep the loops from being wide
        flat, stride = roots.reshape(roots.size), np.uint64(roots.shape[1])
        span = np.uint64(16)
        result = out[y]
        for x in range(width):
            place_x = min(max(across[x] - corner[0], 1.0), columns - 3.0)
            place_y = min(max(down[x] - corner[1], 1.0), rows - 3.0)
            column, row = int(place_x), int(place_y)
            v0, v1, v2, v3 = _weights(_f(place_y - row))
            first = np.uint64(row - 1) * stride + np.uint64(4 * (column - 1))
            second, third = first + stride, first + stride + stride
            fourth = third + stride
            one, two = flat[first : first + span], flat[second : second + span]
            three, four = flat[third : third + span], flat[fourth : fourth + span]
            for i in range(16):
                at = np.uint64(i)
                sums[at] = _along(one[at], two[at], three[at], four[at], v0, v1, v2, v3)
            h0, h1, h2, h3 = _weights(_f(place_x - column))
            for k in range(3):
                value = _along(sums[k], sums[k + 4], sums[k + 8], sums[k + 12], h0, h1, h2, h3)
                result[3 * x + k] = value * abs(value)
        _finish(result, across, down, squares, gains, last, per_square, edges, white)


@parallel
def _sample_apart(  # type: ignore[no-untyped-def]
    chunk, roots, way, terms, to_read, gains, left, top, corner, edges, white, scales, out
):
    """Each colour from its own place: taps are gathered first, so that sums run on many at once."""
    rows, columns, width = roots.shape[0], roots.shape[1] // 4, out.shape[1] // 3
    last, per_square = gains.shape[0] - 1, to_read[4]
    across = np.empty(width, np.float64)
    down = np.empty(width, np.float64)
    squares = np.empty(width, np.float64)
    part_x = np.empty(width, np.float32)
    part_y = np.empty(width, np.float32)
    taps = np.empty((16, width), np.float32)
    values = np.empty(width, np.float32)
    begins = np.empty(width, np.uint64)
    for y in rows_of(chunk, out.shape[0]):
        result = out[y]
        flat, stride = roots.reshape(roots.size), roots.shape[1]
        _places(way, terms, to_read, left, top + y, across, down, squares)
        for k in range(3):
            scale = scales[k]
            for x in range(width):
                spot_x = (across[x] - to_read[2]) * scale + to_read[2] - corner[0]
                spot_y = (down[x] - to_read[3]) * scale + to_read[3] - corner[1]
                spot_x = min(max(spot_x, 1.0), columns - 3.0)
                spot_y = min(max(spot_y, 1.0), rows - 3.0)
                column, row = int(spot_x), int(spot_y)
                part_x[x], part_y[x] = _f(spot_x - column), _f(spot_y - row)
                begins[x] = np.uint64((row - 1) * stride + 4 * (column - 1) + k)
            for line in range(4):
                for place in range(4):
                    tap, away = taps[4 * line + place], np.uint64(line * stride + 4 * place)
                    for x in range(width):
                        tap[x] = flat[begins[x] + away]
            for x in range(width):
                h0, h1, h2, h3 = _weights(part_x[x])
                v0, v1, v2, v3 = _weights(part_y[x])
                first = _along(taps[0, x], taps[4, x], taps[8, x], taps[12, x], v0, v1, v2, v3)
                second = _along(taps[1, x], taps[5, x], taps[9, x], taps[13, x], v0, v1, v2, v3)
                third = _along(taps[2, x], taps[6, x], taps[10, x], taps[14, x], v0, v1, v2, v3)
                fourth = _along(taps[3, x], taps[7, x], taps[11, x], taps[15, x], v0, v1, v2, v3)
                found = _along(first, second, third, fourth, h0, h1, h2, h3)
                values[x] = found * abs(found)
            for x in range(width):
                result[3 * x + k] = values[x]
        _finish(result, across, down, squares, gains, last, per_square, edges, white)


@inline_rows
def _finish(result, across, down, squares, gains, last, per_square, edges, white):  # type: ignore[no-untyped-def]
    """Falloff given back, and white where the frame goes beyond the photograph."""
    if last > 0:
        factors = np.empty(across.shape[0], np.float32)
        steps, most = _f(per_square), _f(last) - _f(1e-3)
        for x in range(across.shape[0]):
            spot = min(_f(squares[x]) * steps, most)
            whole = np.int32(spot)
            at = np.uint32(whole)
            low, high = gains[at], gains[at + np.uint32(1)]
            factors[x] = low + (spot - _f(whole)) * (high - low)
        for x in range(across.shape[0]):
            result[3 * x] *= factors[x]
            result[3 * x + 1] *= factors[x]
            result[3 * x + 2] *= factors[x]
    if white:
        for x in range(across.shape[0]):
            covered = _covered(across[x], down[x], edges)
            for k in range(3):
                result[3 * x + k] = result[3 * x + k] * covered + (_f(1.0) - covered)


def resampled(
    light: Colour,
    corner: tuple[int, int],
    size: tuple[int, int],
    way: Way,
    rectangle: tuple[int, int, int, int],
    *,
    white: bool = False,
    fringes: tuple[float, float] = (1.0, 1.0),
) -> Colour:
    """A rectangle of the frame from a part of the photograph.

    Parameters
    ----------
    light : float32 (h, w, 3)
        Linear, of a part of the photograph that holds what the rectangle shows, by :data:`REACH`
        pixels more on each side where there are any.
    corner : (x, y)
        Where the part begins.
    size : (width, height)
        Of the photograph.
    way : Way
    rectangle : (x, y, width, height)
        In the frame.
    white : bool
        True if what lies outside the photograph shall be white; else it is as its edge.
    fringes : (red, blue)
        Factors by which the lens drew them larger than green.

    Returns
    -------
    float32 (height, width, 3)
        Linear.
    """
    left, top, width, height = rectangle
    rows, columns = light.shape[0] + 2 * REACH, light.shape[1] + 2 * REACH
    roots = np.empty((rows, 4 * columns), dtype=np.float32)
    _rooted(light, roots)
    out = np.empty((height, 3 * width), dtype=np.float32)
    begins = np.array([corner[0] - REACH, corner[1] - REACH], dtype=np.float64)
    edges = np.array([-0.5, -0.5, size[0] - 0.5, size[1] - 0.5])
    given = (roots, way.matrix, way.terms, way.to_read, way.gains, left, top, begins, edges, white)
    if fringes == (1.0, 1.0):
        _sample(*given, out)
    else:
        _sample_apart(*given, np.array([fringes[0], 1.0, fringes[1]]), out)
    return out.reshape(height, width, 3)


def warm() -> None:
    """Compile, or load from the cache."""
    light = np.full((8, 8, 3), 0.25, dtype=np.float32)
    flat = Way(np.eye(3), np.array([0.0, 0, 0, 1e9]), np.array([1.0, 1, 3.5, 3.5, 0]), _NO_GAIN)
    for fringes in ((1.0, 1.0), (1.001, 1.0)):
        resampled(light, (0, 0), (8, 8), flat, (0, 0, 4, 4), fringes=fringes)


_NO_GAIN: Final = np.ones(1, dtype=np.float32)
