"""The split of a picture's logarithm into an edge-aware base, a middle band and a fine one.

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

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import kernels
from oatmeal.core.colour import lightness
from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.kernels import plane_averaged
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.picture import Window

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

#: Share of the picture that is darker than its veil.
VEIL_SHARE: Final = 0.002

#: Stops that highlights and shadows move the ends of the scale by at 100.
LIGHT_AT_100: Final = 2.0

#: Between which shares of L* 100 shadows fade out and highlights fade in.
SHADOWS_FADE: Final = (0.0, 0.7)
HIGHLIGHTS_FADE: Final = (0.3, 1.0)


@dataclass(frozen=True)
class Bands:
    """Coefficients on the small picture, float32 (4, h, w), and the veil's light.

    The base of a pixel with logarithm l is ``maps[0] * l + maps[1]``, its middle band
    ``maps[2] * l + maps[3]``.
    """

    maps: NDArray[np.float32]
    veil: float


def find_bands(grey: Plane, character: str, enlarged: float = 1.0) -> Bands:
    """Split a mixed grey.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear, of the whole picture at any size.
    character : str
        Whose radius the base has, see :data:`RADII`.
    enlarged : float
        How much longer the uncropped picture is: radii are shares of that.
    """
    height, width = grey.shape
    scale = min(1.0, SMALL_SIDE / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    light = plane_averaged(kernels.log_light(grey), *size)
    radius = max(1, round(RADII[character] * enlarged * max(size) / SMALL_SIDE))
    base_slope, base_offset = _weighted_base(light, radius)
    middle = light - (base_slope * light + base_offset)
    fit = _fit(light, middle, max(1, round(FIT_RADIUS * enlarged)))
    veil = float(np.quantile(plane_averaged(grey, *size), VEIL_SHARE))
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


def _fit(light: Plane, middle: Plane, radius: int) -> tuple[Plane, Plane]:
    stacked = np.stack([light, middle, light * light, light * middle])
    mean, mean_middle, square, product = box_means(stacked, radius)
    variance = np.maximum(square - mean * mean, 0)
    slope = (product - mean * mean_middle) / (variance + np.float32(FIT_VARIANCE))
    offset = mean_middle - slope * mean
    slopes, offsets = box_means(np.stack([slope, offset]), MEAN_RADIUS)
    return slopes, offsets


def spread(bands: Bands, window: Window, shape: tuple[int, ...]) -> NDArray[np.float32]:
    """The coefficients along the rows of a window, whose rows and columns come first in ``shape``.

    For what works on the light of the window; see :func:`oatmeal.core.bands.kernels.spread`.
    """
    return kernels.spread(bands.maps, window.place, shape[1], shape[0])


def base_of(grey: Plane, wide: NDArray[np.float32], window: Window) -> Plane:
    """The base of a grey in stops, from what :func:`spread` gives."""
    rows = wide.shape[1]
    step = rows / window.height
    at = np.clip((np.arange(grey.shape[0]) + 0.5 + window.y) * step - 0.5, 0, rows - 1)
    above = np.minimum(at.astype(int), max(rows - 2, 0))
    below = np.minimum(above + 1, rows - 1)
    t = (at - above).astype(np.float32)[:, None]
    slope = wide[0, above] + t * (wide[0, below] - wide[0, above])
    offset = wide[1, above] + t * (wide[1, below] - wide[1, above])
    return np.asarray(slope * kernels.log_light(grey) + offset)


def light_gains(highlights: float, shadows: float) -> NDArray[np.float64]:
    """Gains in stops over the base, for highlights and shadows of -100 to 100.

    Returns
    -------
    float64 (TABLE_SIZE,)
    """
    stops = np.linspace(kernels.LOWEST_STOPS, kernels.HIGHEST_STOPS, kernels.TABLE_SIZE)
    tone_share = lightness(np.minimum(np.exp2(stops), 1.0)) / 100
    gain = LIGHT_AT_100 * shadows / 100 * (1 - smoothstep(tone_share, *SHADOWS_FADE))
    gain = gain + LIGHT_AT_100 * highlights / 100 * smoothstep(tone_share, *HIGHLIGHTS_FADE)
    return np.asarray(gain)
