"""Compiled loops of the guard: colour fitted to the light."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.filters import box_means, cell_means
from oatmeal.core.loops import parallel, rows_of

_f = np.float32

Plane = NDArray[np.float32]


@parallel
def _products(chunk, light, a_axis, b_axis, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, light.shape[0]):
        one, two, three = light[y], a_axis[y], b_axis[y]
        for x in range(light.shape[1]):
            out[0, y, x] = one[x]
            out[1, y, x] = two[x]
            out[2, y, x] = three[x]
        for x in range(light.shape[1]):
            out[3, y, x] = one[x] * one[x]
            out[4, y, x] = one[x] * two[x]
            out[5, y, x] = one[x] * three[x]
        for x in range(light.shape[1]):
            out[6, y, x] = two[x] * two[x]
            out[7, y, x] = three[x] * three[x]


@parallel
def _weighted_fit(chunk, means, flat, good, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, means.shape[1]):
        for x in range(means.shape[2]):
            light, a, b = means[0, y, x], means[1, y, x], means[2, y, x]
            variance = max(means[3, y, x] - light * light, _f(0.0)) + flat
            with_a = means[4, y, x] - light * a
            with_b = means[5, y, x] - light * b
            slope_a, slope_b = with_a / variance, with_b / variance
            residual = max(means[6, y, x] - a * a - slope_a * with_a, _f(0.0))
            residual += max(means[7, y, x] - b * b - slope_b * with_b, _f(0.0))
            weight = _f(1.0) / ((residual + good) * (residual + good))
            out[0, y, x] = weight
            out[1, y, x] = slope_a * weight
            out[2, y, x] = slope_b * weight
            out[3, y, x] = (a - slope_a * light) * weight
            out[4, y, x] = (b - slope_b * light) * weight
            out[5, y, x] = residual * weight


@parallel
def _settled_fit(chunk, averaged, own_from, own_at, out):  # type: ignore[no-untyped-def]
    span = _f(1.0) / (own_at - own_from)
    for y in rows_of(chunk, out.shape[1]):
        for x in range(out.shape[2]):
            share = _f(1.0) / averaged[0, y, x]
            out[0, y, x] = averaged[1, y, x] * share
            out[1, y, x] = averaged[2, y, x] * share
            out[2, y, x] = averaged[3, y, x] * share
            out[3, y, x] = averaged[4, y, x] * share
            t = (averaged[5, y, x] * share - own_from) * span
            t = min(max(t, _f(0.0)), _f(1.0))
            out[4, y, x] = t * t * (_f(3.0) - _f(2.0) * t)


@parallel
def _follow_light(chunk, light, one, two, fit, cell, strength, out_one, out_two):  # type: ignore[no-untyped-def]
    rows, width = fit.shape[1], light.shape[1]
    share = np.empty(width, np.float32)
    for y in rows_of(chunk, light.shape[0]):
        place = max((y + 0.5) / cell - 0.5, 0.0)
        above = min(int(place), rows - 1)
        below = min(above + 1, rows - 1)
        t = _f(place - above)
        for x in range(width):
            kept = fit[4, above, x] + t * (fit[4, below, x] - fit[4, above, x])
            share[x] = strength * (_f(1.0) - kept)
        # two short loops: with more arrays in one, the compiler gives up on many pixels at a time
        for x in range(width):
            slope = fit[0, above, x] + t * (fit[0, below, x] - fit[0, above, x])
            offset = fit[2, above, x] + t * (fit[2, below, x] - fit[2, above, x])
            own = one[y, x]
            out_one[y, x] = own + share[x] * (slope * light[y, x] + offset - own)
        for x in range(width):
            slope = fit[1, above, x] + t * (fit[1, below, x] - fit[1, above, x])
            offset = fit[3, above, x] + t * (fit[3, below, x] - fit[3, above, x])
            own = two[y, x]
            out_two[y, x] = own + share[x] * (slope * light[y, x] + offset - own)


def light_fit(
    planes: Sequence[Plane], radius: int, flat: float, good: float, own: tuple[float, float]
) -> NDArray[np.float32]:
    """Local linear fits of two colour planes over the light, averaged by how well they fit.

    Parameters
    ----------
    planes : three float32 (h, w)
        Light and two colours.
    radius : int
        Windows have ``2 * radius + 1`` pixels a side.
    flat : float
        Variance of light below which a window counts as flat.
    good : float
        Residual variance of a good fit; windows weigh by ``(residual + good) ** -2``.
    own : (from, at)
        Residual variance from which the own colour begins to count, and where it is kept.

    Returns
    -------
    float32 (5, h, w)
        Slopes of both, offsets of both, and how far (0 to 1) the own colour is kept.
    """
    products = np.empty((8, *planes[0].shape), dtype=np.float32)
    _products(*planes, products)
    weighted_fit = np.empty((6, *planes[0].shape), dtype=np.float32)
    _weighted_fit(box_means(products, radius), _f(flat), _f(good), weighted_fit)
    fit = np.empty((5, *planes[0].shape), dtype=np.float32)
    _settled_fit(box_means(weighted_fit, radius), _f(own[0]), _f(own[1]), fit)
    return fit


def follow_light(
    light: Plane, own: tuple[Plane, Plane], fit: Plane, cell: int, strength: float
) -> tuple[Plane, Plane]:
    """OKLab a and b moved toward a linear function of the light.

    Parameters
    ----------
    light : float32 (H, W)
    own : two float32 (H, W)
        The planes as they are.
    fit : float32 (5, h, W)
        One row for each ``cell`` rows of the picture, read between them in straight lines: slopes
        of both, offsets of both, and how far (0 to 1) the own value is kept.
    strength : float
        0 to 1.
    """
    one, two = np.empty_like(light), np.empty_like(light)
    _follow_light(light, *own, fit, cell, _f(strength), one, two)
    return one, two


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((2, 2), dtype=np.float32)
    light_fit([cell_means(plane, 2)] * 3, 1, 1e-4, 2e-5, (1e-4, 1e-3))
    follow_light(plane, (plane, plane), np.zeros((5, 1, 1), dtype=np.float32), 2, 1.0)
