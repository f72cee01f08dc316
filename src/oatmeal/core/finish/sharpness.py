"""Sharpness: the file's own edges made steeper, with no line beside them.

Unsharp masking whose result stays within the range of each pixel's neighbourhood and comes to its
ends as a hyperbola does, so that slanted edges stay smooth; where there is no edge nearby, detail
may go beyond it. A mask leaves flat places alone.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import kernels
from oatmeal.core.opencv import cv2
from oatmeal.core.recipe.finish import Sharpness

Plane = NDArray[np.float32]

#: Factor on what the blur took, and share of the range that detail may go beyond it, at 100.
_AT_100: Final = 4.0
_BEYOND_AT_100: Final = 0.6

#: Range of the neighbourhood that counts as an edge at ``edges`` 100.
_EDGE_AT_100: Final = 0.16

#: In a copy whose blur would be narrower than this, in pixels, sharpness shows nothing.
LEAST_RADIUS: Final = 0.35


def radius_px(sharpness: Sharpness, scale: float) -> float:
    """The blur's deviation in pixels of an array; 0 where it is too fine to be seen there."""
    radius = sharpness.radius * scale
    return radius if radius >= LEAST_RADIUS else 0.0


def margin(radius: float) -> int:
    """Pixels round one that its sharpened value, or its mask, depends on."""
    near = int(np.ceil(radius))
    blurred = int(np.ceil(2.7 * radius))
    masked = 2 * (2 + int(np.ceil(4 * max(0.6, radius))) + int(np.ceil(4 * max(0.5, 0.6 * radius))))
    return max(blurred, near + int(np.ceil(2 * radius)), masked)


def edge_mask(encoded: Plane, radius: float, edges: float) -> Plane:
    """1 on edges, 0 on what is flatter than ``edges`` (0 to 100) says, float32 ``(H, W)``."""
    height, width = encoded.shape
    size = ((width + 1) // 2, (height + 1) // 2)
    padded = np.pad(encoded, ((0, height % 2), (0, width % 2)), mode="edge")
    halved = cv2.resize(padded, size, interpolation=cv2.INTER_AREA)
    edge = cv2.BORDER_REPLICATE
    small = cv2.GaussianBlur(halved, (0, 0), max(0.5, 0.6 * radius), borderType=edge)
    near = np.ones((3, 3), np.uint8)
    steps = np.asarray(cv2.dilate(small, near) - cv2.erode(small, near), dtype=np.float32)
    steps = np.asarray(cv2.GaussianBlur(steps, (0, 0), max(0.6, radius), borderType=edge))
    limit = np.float32(_EDGE_AT_100 * (edges / 100) ** 1.5)
    t = np.clip((steps - 0.4 * limit) / (0.8 * limit), 0, 1)
    mask = cv2.resize(
        t * t * (3 - 2 * t), (2 * size[0], 2 * size[1]), interpolation=cv2.INTER_LINEAR
    )
    return np.ascontiguousarray(mask[:height, :width], dtype=np.float32)


def sharper(encoded: Plane, sharpness: Sharpness, radius: float, mask: Plane | None) -> Plane:
    """Encoded values ``(H, W)`` with steeper edges."""
    near = int(np.ceil(radius))
    far = near + int(np.ceil(2 * radius))
    reach = np.arange(max(1, int(np.ceil(2.7 * radius))) + 1)
    taps = np.exp(-(reach**2) / (2 * radius**2))
    taps /= taps[0] + 2 * taps[1:].sum()
    strength = _AT_100 * sharpness.amount / 100
    free = _BEYOND_AT_100 * sharpness.detail / 100
    return kernels.crisp(encoded, taps.astype(np.float32), near, far, strength, free, mask)
