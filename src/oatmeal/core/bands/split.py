"""The split of a picture's logarithm into an edge-aware base, a middle band and a fine one.

Base and middle band are linear functions of the pixel's own value whose coefficients vary slowly.
The coefficients are found once on a small picture of the whole and read between its pixels at any
size: a region rendered alone equals that region of the whole, and edges stay where they are.

What rises or falls as a whole, an edge, a slope, the soft border of a cloud, is no texture: there a
gate closes, the base is the pixel itself and the middle band nothing, so that what follows the base
acts as a plain curve, which turns no slope round.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013); windows weighted by
their variance, so that an edge does not spread (after Z. Li et al., "Weighted Guided Image
Filtering", IEEE TIP 24, 2015). The gate goes by the coherence of gradients (the length of their
mean over the mean of their lengths), after J. Bigün and G. H. Granlund, "Optimal Orientation
Detection of Linear Symmetry", ICCV (1987).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import kernels
from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.kernels import plane_averaged
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

#: Coherence of gradients from which on, and up to which, the gates of base and middle band close.
GATE: Final = (0.2, 0.5)
MIDDLE_GATE: Final = (0.3, 0.7)

#: Mean gradient, in stops per pixel of the gate's picture, below which nothing counts as a slope.
LEVEL: Final = 0.008

#: Share of the picture that is lighter than its white, and darker than its black.
END_SHARE: Final = 0.002
_PER_STOP: Final = 64


@dataclass(frozen=True)
class Ends:
    """The lightest and the darkest tone of a picture that say something, in stops around white."""

    black: float
    white: float

    @property
    def veil(self) -> float:
        """Light that lies over the whole picture."""
        return max(0.0, float(2.0**self.black) - float(kernels.FLOOR))


def small_light(grey: Plane) -> Plane:
    """The logarithm of a linear grey ``(H, W)``, averaged over :data:`SMALL_SIDE` pixels."""
    height, width = grey.shape
    scale = min(1.0, SMALL_SIDE / max(height, width))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    return plane_averaged(kernels.log_light(grey), *size)


def find_ends(light: Plane) -> Ends:
    """Black and white of what :func:`small_light` gives, to 1/64 stop."""
    low, high = kernels.LOWEST_STOPS, kernels.HIGHEST_STOPS
    bins = ((np.clip(light, low, high) - np.float32(low)) * np.float32(_PER_STOP)).astype(np.int32)
    sums = np.cumsum(np.bincount(bins.ravel()))
    black, white = np.searchsorted(sums, np.array([END_SHARE, 1 - END_SHARE]) * sums[-1])
    return Ends(low + (float(black) + 0.5) / _PER_STOP, low + (float(white) + 0.5) / _PER_STOP)


def find_bands(light: Plane, character: str, enlarged: float = 1.0) -> Plane:
    """Split the light of a picture.

    Parameters
    ----------
    light : float32 (h, w)
        What :func:`small_light` gives of the whole picture.
    character : str
        Whose radius the base has, see :data:`RADII`.
    enlarged : float
        How much longer the uncropped picture is: radii are shares of that.

    Returns
    -------
    float32 (4, h, w)
        The base of a pixel with logarithm l is ``maps[0] * l + maps[1]``, its middle band
        ``maps[2] * l + maps[3]``.
    """
    radius = max(1, round(RADII[character] * enlarged * max(light.shape) / SMALL_SIDE))
    base_slope, base_offset = _weighted_base(light, radius)
    middle = light - (base_slope * light + base_offset)
    fit = np.stack(_fit(light, middle, max(1, round(FIT_RADIUS * enlarged))))
    open_, middle_open = _gates(light, radius)
    return np.stack([1 - open_ * (1 - base_slope), open_ * base_offset, *(middle_open * fit)])


def _gates(light: Plane, radius: int) -> Plane:
    """How far base and middle band keep their windows, float32 (2, h, w).

    1 in texture, 0 on what rises as a whole.
    """
    half = max(1, round(radius / 2))
    sums = kernels.gradients(light)
    for _ in range(2):
        sums = box_means(sums, half)
    small = np.stack([kernels.gates(sums, LEVEL, fading) for fading in (GATE, MIDDLE_GATE)])
    height, width = light.shape
    wide = kernels.spread(small, (0.0, 0.0, float(width), float(height)), width)
    above, below, t = _between_rows(np.arange(height), wide.shape[1], height)
    return np.asarray(wide[:, above] + t * (wide[:, below] - wide[:, above]))


def _between_rows(
    places: NDArray[np.integer | np.floating], rows: int, height: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    """Between which of some rows the rows of a higher picture lie, and how far on, ``(n, 1)``."""
    at = np.clip((places + 0.5) * (rows / height) - 0.5, 0, rows - 1)
    above = np.minimum(at.astype(np.int64), max(rows - 2, 0))
    below = np.minimum(above + 1, rows - 1)
    return above, below, (at - above).astype(np.float32)[:, None]


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


def spread(maps: Plane, window: Window, shape: tuple[int, ...]) -> NDArray[np.float32]:
    """The coefficients along the rows of a window, whose rows and columns come first in ``shape``.

    For what works on the light of the window; see :func:`oatmeal.core.bands.kernels.spread`.
    """
    return kernels.spread(maps, window.place, shape[1], shape[0])


def base_of(grey: Plane, wide: NDArray[np.float32], window: Window) -> Plane:
    """The base of a grey in stops, from what :func:`spread` gives."""
    above, below, t = _between_rows(
        np.arange(grey.shape[0]) + window.y, wide.shape[1], window.height
    )
    slope = wide[0, above] + t * (wide[0, below] - wide[0, above])
    offset = wide[1, above] + t * (wide[1, below] - wide[1, above])
    return np.asarray(slope * kernels.log_light(grey) + offset)
