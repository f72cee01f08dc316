"""Compiled loop of the coloured edges."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import cube_root, from_oklab, oklab, smooth
from oatmeal.core.loops import inline_rows, parallel, rows_of

_f = np.float32

#: Green light is kept, by factors within these.
_LOWEST, _HIGHEST = _f(0.25), _f(4.0)
_LEAST = _f(1e-4)

#: Added to a length before it divides.
_TINY = _f(1e-9)


@inline_rows
def _between(one, other, t, x):  # type: ignore[no-untyped-def]
    return one[x] + t * (other[x] - one[x])


@parallel
def _freed(chunk, rgb, wide, first, step, bands, amounts, thin, out):  # type: ignore[no-untyped-def]
    rows = wide.shape[1]
    one, none = _f(1.0), _f(0.0)
    low, per = thin[0], one / (thin[1] - thin[0])
    purple_a, purple_b, purple_from, purple_per = bands[0, 0], bands[0, 1], bands[0, 2], bands[0, 3]
    green_a, green_b, green_from, green_per = bands[1, 0], bands[1, 1], bands[1, 2], bands[1, 3]
    purple, green = amounts[0], amounts[1]
    width = rgb.shape[1]
    r, g, b = np.empty(width, _f), np.empty(width, _f), np.empty(width, _f)
    to_a, to_b = np.empty(width, _f), np.empty(width, _f)
    share, other = np.empty(width, _f), np.empty(width, _f)
    for y in rows_of(chunk, rgb.shape[0]):
        place = min(max(first + step * y, 0.0), rows - 1.0)
        above = min(int(place), max(rows - 2, 0))
        below = min(above + 1, rows - 1)
        t = _f(place - above)
        for x in range(width):
            r[x], g[x], b[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
        for x in range(width):
            root = cube_root(max(g[x], none))
            to_a[x] = _between(wide[0, above], wide[0, below], t, x) * root
            to_b[x] = _between(wide[1, above], wide[1, below], t, x) * root
        for x in range(width):
            to_a[x] += _between(wide[2, above], wide[2, below], t, x)
            to_b[x] += _between(wide[3, above], wide[3, below], t, x)
        for x in range(width):
            share[x] = _between(wide[4, above], wide[4, below], t, x)
            other[x] = _between(wide[5, above], wide[5, below], t, x)
        for x in range(width):
            light, along, across = oklab(r[x], g[x], b[x])
            by_a, by_b = along - to_a[x], across - to_b[x]
            far = math.sqrt(by_a * by_a + by_b * by_b)
            inverse = one / (far + _TINY)
            like = smooth((by_a * purple_a + by_b * purple_b) * inverse, purple_from, purple_per)
            weight = purple * smooth(far * like - share[x], low, per)
            like = smooth((by_a * green_a + by_b * green_b) * inverse, green_from, green_per)
            weight = max(weight, green * smooth(far * like - other[x], low, per))
            weight *= _between(wide[6, above], wide[6, below], t, x)
            red, middle, blue = from_oklab(light, along - weight * by_a, across - weight * by_b)
            keep = max(g[x], _LEAST) / max(middle, _LEAST)
            keep = one + weight * (min(max(keep, _LOWEST), _HIGHEST) - one)
            stays = weight == none
            r[x] = r[x] if stays else red * keep
            g[x] = g[x] if stays else middle * keep
            b[x] = b[x] if stays else blue * keep
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r[x], g[x], b[x]


def freed(
    rgb_linear: NDArray[np.float32],
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    bands: NDArray[np.float32],
    amounts: tuple[float, float],
    thin: tuple[float, float],
) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` whose thin coloured edges are drawn to the ground's colour.

    Parameters
    ----------
    wide : float32 (7, h, W)
        Maps of the ground along the rows of the window: slopes and offsets of OKLab a and b over
        the cube root of green, what is broad of purple and of green, and contrast.
    window : (x, y, width, height)
        Corner in the whole picture, and the whole's size in the same pixels.
    bands : float32 (2, 4)
        Of purple and of green: cosine and sine of the hue, the cosine from which a hue belongs to
        it, and one over the way to where it wholly does.
    amounts : two floats
        0 to 1, of purple and of green.
    thin : two floats
        Chroma away from the ground from which an edge is drawn, and drawn wholly.
    """
    step = wide.shape[1] / window[3]
    out = np.empty_like(rgb_linear)
    _freed(
        rgb_linear, wide, (0.5 + window[1]) * step - 0.5, step, bands,
        np.array(amounts, dtype=np.float32), np.array(thin, dtype=np.float32), out,
    )  # fmt: skip
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    rgb = np.full((2, 2, 3), 0.2, dtype=np.float32)
    wide = np.zeros((7, 1, 2), dtype=np.float32)
    freed(rgb, wide, (0.0, 0.0, 2.0, 2.0), np.ones((2, 4), np.float32), (1.0, 1.0), (0.01, 0.03))
