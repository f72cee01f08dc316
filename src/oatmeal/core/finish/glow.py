"""Glow: light that spreads from what is bright, as in a soft lens or a print held too long.

What is bright is found on a small picture of the whole and blurred there, a narrow and a wide
Gaussian together; it is laid over the picture as a screen blend, which lightens and never clips.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels as colour
from oatmeal.core.colour import lightness
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.finish import kernels
from oatmeal.core.opencv import cv2
from oatmeal.core.picture import Window, fitted
from oatmeal.core.recipe.finish import Glow

Plane = NDArray[np.float32]

#: Longer side of the small picture.
_SIDE: Final = 400

#: To either side of the tone where it begins, in L*.
_SOFT: Final = 15.0

#: Cells round the small picture that repeat its edge.
_RIM: Final = 2

#: Share of the narrow Gaussian; the wide one is so many times wider.
_NARROW: Final = 0.65
_WIDER: Final = 3.0


def spread(encoded: Plane, glow: Glow) -> Plane:
    """The light that spreads, linear, on a small picture of the whole."""
    height, width = encoded.shape
    light = colour.decoded(encoded)
    if max(height, width) > _SIDE:
        size = fitted(width, height, _SIDE)
        light = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
    star = lightness(light.astype(np.float64))
    bright = light * smoothstep(star, glow.threshold - _SOFT, glow.threshold + _SOFT)
    reach = glow.reach / 1000 * max(bright.shape)
    edge = cv2.BORDER_REPLICATE
    narrow = cv2.GaussianBlur(bright, (0, 0), reach, borderType=edge)
    wide = cv2.GaussianBlur(bright, (0, 0), _WIDER * reach, borderType=edge)
    return np.ascontiguousarray(_NARROW * narrow + (1 - _NARROW) * wide, dtype=np.float32)


def glowing(encoded: Plane, spreading: Plane, amount: float, window: Window) -> Plane:
    """Encoded values ``(H, W)`` under the spreading light; bit-equal in a part and the whole."""
    height, width = encoded.shape
    across = _taps(width, window.x, window.width, spreading.shape[1])
    down = _taps(height, window.y, window.height, spreading.shape[0])
    rimmed = np.pad(spreading, _RIM, mode="edge")
    return kernels.glowing(encoded, rimmed, across, down, amount / 100)


def _taps(count: int, corner: float, total: float, cells: int) -> tuple[NDArray[np.uint32], Plane]:
    """For each pixel the first of four cells, beyond a rim of two, and weights ``(4, count)``.

    They are those of a cubic B-spline.
    """
    place = np.asarray((corner + np.arange(count) + 0.5) / total * cells - 0.5, dtype=np.float64)
    begin = np.floor(place).astype(np.int64)
    t = place - begin
    weights = [(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3]
    first = np.asarray(np.clip(begin - 1 + _RIM, 0, cells + 2 * _RIM - 4), dtype=np.uint32)
    return first, np.ascontiguousarray(np.stack(weights) / 6, dtype=np.float32)
