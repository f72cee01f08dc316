"""Where a print lies on the picture it was made of.

References
----------
D. Barath et al., "MAGSAC++, a fast, reliable and accurate robust estimator",
CVPR 2020.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.features import Features, features, matched

Plane = NDArray[np.float32]

#: Longer side on which the two are compared.
_SIDE: Final = 1000

#: Points of each, and how much nearer the best match must be than the second.
_POINTS: Final = 3000
_RATIO: Final = 0.85

#: Contrast from which a point is one.
_CONTRAST: Final = 0.015

#: Matches that fit, at least: of another subject there were 6.
LEAST: Final = 15

#: Pixels at a print's edge that are left out: borders are often uneven.
_EDGE: Final = 5


@dataclass(frozen=True, eq=False)
class Aligned:
    """A print on the picture's pixels.

    Attributes
    ----------
    grey : float32 (H, W)
        Encoded, 0 to 1.
    there : bool (H, W)
        Where the print covers the picture.
    matches : int
    """

    grey: Plane
    there: NDArray[np.bool_]
    matches: int


def aligned(own: Plane, grey: Plane) -> Aligned | None:
    """Bring a print onto the picture that it was made of; None where it shows something else.

    Parameters
    ----------
    own : float32 (H, W)
        Any grey of the picture, encoded 0 to 1.
    grey : float32 (h, w)
        The print; it may be cropped, turned a little, larger or smaller.
    """
    # a reduced copy first, or a large print would be sampled with gaps
    scale = min(1.0, 1.2 * max(own.shape) / max(grey.shape))
    if scale < 1.0:
        grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))
    found = _homography(own, grey)
    if found is None:
        return None
    matrix, matches = found
    size = own.shape[1::-1]
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(grey, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    inside = np.zeros(grey.shape, np.uint8)
    inside[_EDGE:-_EDGE, _EDGE:-_EDGE] = 1
    flags = cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
    there = cv2.warpPerspective(inside, matrix, size, flags=flags)
    return Aligned(np.asarray(laid, np.float32), there.astype(np.bool_), matches)


def _homography(own: Plane, grey: Plane) -> tuple[NDArray[np.float64], int] | None:
    one, other = _seen(own), _seen(grey)
    first, second = matched(one, other, _RATIO)
    if len(first) < LEAST:
        return None
    matrix, inside = cv2.findHomography(
        one.points[first], other.points[second], cv2.USAC_MAGSAC, _fit_px(grey), maxIters=5000,
        confidence=0.999,
    )  # fmt: skip
    if matrix is None:
        return None
    matches = int(inside.sum())
    if matches < LEAST or matches < 8 + 0.15 * len(first):
        return None
    return np.asarray(matrix, dtype=np.float64), matches


def _fit_px(grey: Plane) -> float:
    """Pixels by which a match may be off: two of the reduced copy."""
    return 2.0 * float(max(1.0, max(grey.shape) / _SIDE))


def _seen(grey: Plane) -> Features:
    """Features of a reduced copy with evened contrast."""
    scale = min(1.0, _SIDE / max(grey.shape))
    codes = (np.clip(grey, 0, 1) * 255).astype(np.uint8)
    small = cv2.resize(codes, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    even = cv2.createCLAHE(3, (8, 8)).apply(np.asarray(small, np.uint8))
    return features(np.asarray(even, np.uint8), _POINTS, _CONTRAST).placed(scale)
