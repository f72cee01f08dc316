"""Sharpening for the screen or for paper, the last step before quantising.

Reducing a picture and the spread of ink soften edges; a little unsharp masking at the size of that
softness brings them back (common practice, no source for the figures). Each pixel stays within
the range of its neighbourhood, so that no bright or dark lines appear beside edges.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.media import MEDIA, Medium
from oatmeal.core.opencv import cv2

#: Rows that are worked on at a time.
_STRIP_ROWS: Final = 1024


def _radius(medium: Medium, resolution: float) -> float:
    return max(0.3, medium.radius_px(resolution))


def _margin(radius: float) -> int:
    return math.ceil(4 * radius) + 1  # as far as OpenCV's kernel for floating point reaches


def looks_around(medium: str, resolution: float) -> int:
    """Pixels round one that :func:`sharpened` looks at."""
    return _margin(_radius(MEDIA[medium], resolution))


def sharpened(
    encoded: NDArray[np.float32], medium: str, amount: float = 50, resolution: float = 300
) -> NDArray[np.float32]:
    """Encoded values sharpened for where they are seen.

    Parameters
    ----------
    encoded : float32 (H, W) or (H, W, 3)
        0 to 1.
    medium : str
        A key of :data:`oatmeal.core.media.MEDIA`.
    amount : float
        0 to 100; 0 changes nothing.
    resolution : float
        Pixels an inch of the print.

    Returns
    -------
    float32, of the shape of ``encoded``

    Raises
    ------
    KeyError
        For a medium that does not exist.
    """
    chosen = MEDIA[medium]
    if amount == 0:
        return encoded
    radius = _radius(chosen, resolution)
    gain = np.float32(chosen.strength * amount / 100)
    margin = _margin(radius)
    out = np.empty_like(encoded)
    for top in range(0, encoded.shape[0], _STRIP_ROWS):
        low, high = max(0, top - margin), min(encoded.shape[0], top + _STRIP_ROWS + margin)
        strip = encoded[low:high]
        soft = cv2.GaussianBlur(strip, (0, 0), radius, borderType=cv2.BORDER_REPLICATE)
        near = np.ones((3, 3), np.uint8)
        sharp = np.clip(
            strip + gain * (strip - soft), cv2.erode(strip, near), cv2.dilate(strip, near)
        )
        rows = slice(top - low, min(top + _STRIP_ROWS, encoded.shape[0]) - low)
        out[top : top + _STRIP_ROWS] = sharp[rows]
    return out
