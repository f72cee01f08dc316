"""Compiled loops of the threads."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import exp2, from_oklab, oklab
from oatmeal.core.colour.ranges import HUE_TABLE_SIZE
from oatmeal.core.colour.spaces import LUMINANCE_WEIGHTS
from oatmeal.core.loops import parallel, rows_of

_f = np.float32
_RED_Y, _GREEN_Y, _BLUE_Y = (_f(weight) for weight in LUMINANCE_WEIGHTS)

#: Strength stops where the lowest channel would fall below this share of the luminance.
_LOWEST: Final = _f(0.25)

#: Luminance after the turn is brought back by factors within these.
_LEAST: Final = _f(1e-6)

Plane = NDArray[np.float32]
Colour = NDArray[np.float32]


@parallel
def _threaded(chunk, rgb, hue, chroma, tables, low, high, out):  # type: ignore[no-untyped-def]
    scale = _f(1.0) / (high - low)
    last = np.int32(HUE_TABLE_SIZE - 1)
    cosines, sines, strengths, stops = tables[0], tables[1], tables[2], tables[3]
    width = rgb.shape[1]
    red, green, blue = np.empty(width, _f), np.empty(width, _f), np.empty(width, _f)
    share, turned, aside = np.empty(width, _f), np.empty(width, _f), np.empty(width, _f)
    more, gain = np.empty(width, _f), np.empty(width, _f)
    for y in rows_of(chunk, rgb.shape[0]):
        for x in range(width):
            red[x], green[x], blue[x] = rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2]
            t = min(max((chroma[y, x] - low) * scale, _f(0.0)), _f(1.0))
            share[x] = t * t * (_f(3.0) - _f(2.0) * t)
        for x in range(width):
            place = hue[y, x]
            index = max(min(np.int32(place), last), np.int32(0))
            part = place - _f(index)
            turned[x] = cosines[index] + part * (cosines[index + 1] - cosines[index])
            aside[x] = sines[index] + part * (sines[index + 1] - sines[index])
            more[x] = strengths[index] + part * (strengths[index + 1] - strengths[index])
            gain[x] = stops[index] + part * (stops[index + 1] - stops[index])
        for x in range(width):
            r, g, b = red[x], green[x], blue[x]
            light, a, along = oklab(r, g, b)
            cosine, sine = _f(1.0) + share[x] * turned[x], share[x] * aside[x]
            a, along = cosine * a - sine * along, sine * a + cosine * along
            r2, g2, b2 = from_oklab(light, a, along)
            was = max(_RED_Y * r + _GREEN_Y * g + _BLUE_Y * b, _LEAST)
            now = max(_RED_Y * r2 + _GREEN_Y * g2 + _BLUE_Y * b2, _LEAST)
            keep = min(max(was / now, _f(0.25)), _f(4.0))
            # as they were where nothing turns: a round trip through OKLab would not be exact
            stays = abs(sine) + abs(cosine - _f(1.0)) == _f(0.0)
            r2, g2, b2 = (r, g, b) if stays else (r2 * keep, g2 * keep, b2 * keep)
            below = was - min(r2, g2, b2)
            strength = _f(1.0) + share[x] * more[x]
            most = max((_f(1.0) + _LOWEST) * was / max(below, _LEAST), _f(1.0))
            strength = min(strength, most)
            factor = exp2(share[x] * gain[x])
            red[x] = (was + strength * (r2 - was)) * factor
            green[x] = (was + strength * (g2 - was)) * factor
            blue[x] = (was + strength * (b2 - was)) * factor
        for x in range(width):
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = red[x], green[x], blue[x]


@parallel
def _drawn_to(chunk, rgb, other, mask, weight):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, mask.shape[0]):
        for x in range(mask.shape[1]):
            share = weight * _f(mask[y, x])
            for c in range(3):
                rgb[y, x, c] += share * (other[y, x, c] - rgb[y, x, c])


def threaded(
    rgb_linear: Colour, hue: Plane, chroma: Plane, tables: NDArray[np.float32],
    low: float, high: float,
) -> Colour:  # fmt: skip
    """Linear colour ``(H, W, 3)`` moved as tables over the hue say, faded in over chroma.

    Parameters
    ----------
    hue, chroma : float32 (H, W)
        Hue in steps of the tables; what is read, while the pixel's own colour is moved.
    tables : float32 (4, HUE_TABLE_SIZE + 1)
        Cosine less 1 and sine of the turn, strength less 1, and stops.
    low, high : float
        Chroma from which a colour is moved, and moved fully.
    """
    out = np.empty_like(rgb_linear)
    _threaded(rgb_linear, hue, chroma, tables, _f(low), _f(high), out)
    return out


def draw_to(rgb: Plane, other: Plane, mask: NDArray[Any], weight: float) -> None:
    """``rgb += weight * mask * (other - rgb)``, in place."""
    _drawn_to(rgb, other, mask, _f(weight))


def warm() -> None:
    """Compile, or load from the cache."""
    rgb = np.full((2, 2, 3), 0.5, dtype=np.float32)
    plane = np.zeros((2, 2), dtype=np.float32)
    threaded(rgb, plane, plane, np.zeros((4, HUE_TABLE_SIZE + 1), np.float32), 0.005, 0.05)
    wide = np.zeros((4, 4, 3), dtype=np.float32)
    draw_to(wide[:2, :2], rgb, np.zeros((4, 4), np.uint16)[:2, :2], 0.0)
