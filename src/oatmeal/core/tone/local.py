"""The part of Tone that looks at neighbourhoods: light, local contrast, veil.

The logarithm of the grey is split into an edge-aware base, a middle band and a fine band. Light
(highlights, shadows, zones) and veil are gains that depend on the base alone, so that local
contrast stays; clarity, sparkle and depth are gains of the middle band, detail of the fine one.

Base and middle band are linear functions of the pixel's own value whose coefficients vary slowly.
The coefficients are found once on a small picture of the whole and read between its pixels at any
size: a region rendered alone equals that region of the whole, and edges stay where they are.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013); windows weighted by
their variance, so that an edge does not spread (after Z. Li et al., "Weighted Guided Image
Filtering", IEEE TIP 24, 2015).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import lightness
from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.picture import Window
from oatmeal.core.recipe import Tone
from oatmeal.core.tone import kernels
from oatmeal.core.tone.kernels import (
    ADDED_VEIL,
    CLARITY_AT_100,
    HIGHEST_STOPS,
    HIGHLIGHTS_FADE,
    LEAST_LEFT,
    LIGHT_AT_100,
    LOWEST_STOPS,
    MOST_REMOVED,
    SHADOWS_FADE,
    TABLE_SIZE,
    Maps,
)

Plane = NDArray[np.float32]

#: Longer side of the small picture that the coefficients are found on.
SMALL_SIDE: Final = 400

#: Radius of the base's windows in pixels of the small picture, by character.
RADII: Final = {"soft": 8, "crisp": 4, "deep": 16}

#: Variance (stops squared) at which a window counts as an edge, and the softness of its weight.
EDGE_VARIANCE: Final = 0.1
WEIGHT_VARIANCE: Final = 0.01

#: Radius and variance of the fit that brings the middle band to any size, and radius over which
#: its coefficients are averaged.
FIT_RADIUS: Final = 2
MEAN_RADIUS: Final = 1
FIT_VARIANCE: Final = 0.0034

#: Fine band: radius as a share of the longer side, and variance of an edge.
FINE_SHARE: Final = 2 / 1600
FINE_VARIANCE: Final = 0.05

#: Share of the picture that is darker than its veil.
VEIL_SHARE: Final = 0.002


@dataclass(frozen=True)
class Bands:
    """Coefficients on the small picture, float32 (4, h, w), and the veil's light.

    The base of a pixel with logarithm l is ``maps[0] * l + maps[1]``, its middle band
    ``maps[2] * l + maps[3]``.
    """

    maps: NDArray[np.float32]
    veil: float


def highest_gain(tone: Tone) -> float:
    """Stops by which this part can raise the brightest tone, for what must hold it."""
    gains, factors, _ = tables(tone, 0.0)
    return max(0.0, float(gains.max())) + max(0.0, float(factors.max()))


def find_bands(grey: Plane, character: str) -> Bands:
    """Split a mixed grey.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear, of the whole picture at any size.
    character : str
        Whose radius the base has, see :data:`RADII`.
    """
    height, width = grey.shape
    scale = min(1.0, SMALL_SIDE / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    log = cv2.resize(kernels.log_light(grey), size, interpolation=cv2.INTER_AREA)
    light = np.asarray(log, dtype=np.float32)
    radius = max(1, round(RADII[character] * max(size) / SMALL_SIDE))
    base_slope, base_offset = _weighted_base(light, radius)
    middle = light - (base_slope * light + base_offset)
    fit = _fit(light, middle)
    small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    veil = float(np.quantile(small, VEIL_SHARE))
    return Bands(np.stack([base_slope, base_offset, *fit]), max(0.0, veil))


def _weighted_base(light: Plane, radius: int) -> tuple[Plane, Plane]:
    mean, square = box_means(np.stack([light, light * light]), radius)
    variance = np.maximum(square - mean * mean, 0)
    slope = variance / (variance + np.float32(EDGE_VARIANCE))
    offset: Plane = np.asarray(mean * (1 - slope), dtype=np.float32)
    weight = (variance + np.float32(WEIGHT_VARIANCE)) ** -2
    stacked = np.stack([weight, slope * weight, offset * weight])
    total, slopes, offsets = box_means(stacked, radius)
    return slopes / total, offsets / total


def _fit(light: Plane, middle: Plane) -> tuple[Plane, Plane]:
    stacked = np.stack([light, middle, light * light, light * middle])
    mean, mean_middle, square, product = box_means(stacked, FIT_RADIUS)
    variance = np.maximum(square - mean * mean, 0)
    slope = (product - mean * mean_middle) / (variance + np.float32(FIT_VARIANCE))
    offset = mean_middle - slope * mean
    slopes, offsets = box_means(np.stack([slope, offset]), MEAN_RADIUS)
    return slopes, offsets


def spread(bands: Bands, window: Window, width: int) -> NDArray[np.float32]:
    """The coefficients along the rows of a window of this width, for :func:`apply`."""
    return kernels.spread(bands.maps, window.place, width)


def apply(
    grey: Plane,
    tone: Tone,
    veil: float,
    wide: NDArray[np.float32],
    fine: Plane | None,
    window: Window,
    maps: Maps | None = None,
) -> Plane:
    """The grey with its exposure and everything local.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear mixed grey of the window.
    tone : Tone
    veil : float
        Light of the picture's veil, :attr:`Bands.veil`.
    wide : float32 (4, h, W)
        What :func:`spread` gives.
    fine : float32 (H, W), optional
        What :func:`fine_band` gives; only needed for detail.
    window : Window
        Where the grey lies in the whole.
    maps : mapping, optional
        Maps float32 ``(H, W)`` that stand in the place of settings of the same name.

    Returns
    -------
    float32 (H, W)
        Linear, not negative; the exposure is in it.
    """
    mapped = {name: 0.0 for name in maps or {} if name != "exposure"}
    numbers = tone.model_copy(update=mapped) if mapped else tone
    folded = tables(numbers, veil)
    return kernels.local(
        grey, tone.exposure, wide, window.place, folded, fine, numbers.detail, veil, maps
    )


def fine_radius(long_side: float) -> int:
    """Radius of the fine band's windows in a picture with this longer side, in pixels."""
    return max(1, round(FINE_SHARE * long_side))


def fine_band(grey: Plane, window: Window) -> Plane:
    """What is finer than the middle band, edges left out, float32 (H, W) in stops."""
    radius = fine_radius(max(window.width, window.height))
    light = kernels.log_light(grey)
    mean = _box_mean(light, radius)
    square = _box_mean(light * light, radius)
    variance = np.maximum(square - mean * mean, np.float32(0))
    slope: Plane = np.asarray(variance / (variance + np.float32(FINE_VARIANCE)), dtype=np.float32)
    offset: Plane = np.asarray(mean * (1 - slope), dtype=np.float32)
    slopes, offsets = _box_mean(slope, radius), _box_mean(offset, radius)
    slopes *= light
    slopes += offsets
    return np.asarray(light - slopes, dtype=np.float32)


def _box_mean(plane: Plane, radius: int) -> Plane:
    """Means over squares of ``2 * radius + 1`` pixels a side."""
    side = (2 * radius + 1,) * 2
    return np.asarray(cv2.boxFilter(plane, -1, side, borderType=cv2.BORDER_REPLICATE))


def tables(tone: Tone, veil: float) -> tuple[Plane, Plane, Plane]:
    """What the kernels read over the base, in stops around white.

    Returns
    -------
    gain, factor, character : float32 (TABLE_SIZE,)
        Gain in stops, factor on the middle band, and the shape of clarity that is in it.
    """
    stops = np.linspace(LOWEST_STOPS, HIGHEST_STOPS, TABLE_SIZE)
    light = np.exp2(stops)
    tone_share = lightness(np.minimum(light, 1.0)) / 100
    gain = LIGHT_AT_100 * tone.shadows / 100 * (1 - smoothstep(tone_share, *SHADOWS_FADE))
    gain = gain + LIGHT_AT_100 * tone.highlights / 100 * smoothstep(tone_share, *HIGHLIGHTS_FADE)
    if any(tone.zones):
        gain = gain + _zone_gain(tone_share, tone.zones)
    if tone.veil:
        gain = gain + _veil_gain(light, tone.veil / 100, veil * 2.0**tone.exposure)
    character = _character(tone_share, tone.character)
    factor = CLARITY_AT_100 * tone.clarity / 100 * character
    factor = factor + tone.sparkle / 100 * (1 - smoothstep(tone_share, 0.25, 0.6))
    factor = factor + tone.depth / 100 * smoothstep(tone_share, 0.45, 0.8)
    return gain.astype(np.float32), factor.astype(np.float32), character.astype(np.float32)


def _zone_gain(tone_share: NDArray[np.float64], zones: tuple[float, ...]) -> NDArray[np.float64]:
    """Raised cosines between the middles of zones I to IX; level beyond them."""
    place = np.clip(tone_share * 10 - 1, 0, 8)
    index = np.minimum(place.astype(int), 7)
    falling = 0.5 * (1 + np.cos(np.pi * (place - index)))
    values = np.asarray(zones)
    return np.asarray(values[index] * falling + values[index + 1] * (1 - falling))


def _veil_gain(light: NDArray[np.float64], strength: float, veil: float) -> NDArray[np.float64]:
    if strength < 0:
        added = -strength * ADDED_VEIL
        return np.asarray(np.log2((light * (1 - added) + added) / light))
    removed = min(strength * veil, MOST_REMOVED)
    # what is darker than the veil fades out instead of falling without end
    left = np.maximum(light - removed, LEAST_LEFT * light) / (1 - removed)
    return np.asarray(np.log2(left / light))


def _character(tone_share: NDArray[np.float64], character: str) -> NDArray[np.float64]:
    if character == "crisp":
        return np.ones_like(tone_share)
    if character == "deep":
        return np.asarray(1.25 - 0.75 * smoothstep(tone_share, 0.2, 0.8))
    inside = smoothstep(tone_share, 0.02, 0.2) * (1 - smoothstep(tone_share, 0.85, 1.0))
    return np.asarray(inside)
