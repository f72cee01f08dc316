"""Marked points of a picture, and which of two pictures' points are the same.

References
----------
D. G. Lowe, "Distinctive Image Features from Scale-Invariant Keypoints", IJCV 60 (2004);
R. Arandjelović, A. Zisserman, "Three things everyone should know to improve object retrieval",
CVPR 2012 (RootSIFT).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

#: Points that two pictures must have to be compared.
_FEWEST: Final = 3

#: Pictures whose points are remembered, 2 MB each: another print may be read of the same picture,
#: and a join be looked at again with a frame less.
_REMEMBERED: Final = 16


@dataclass(frozen=True, eq=False)
class Features:
    """Points ``(n, 2)`` in pixels, the most marked first, and descriptors of length one."""

    points: NDArray[np.float64]
    descriptors: NDArray[np.float32]

    def first(self, count: int) -> Features:
        """The most marked ones."""
        return Features(self.points[:count], self.descriptors[:count])

    def placed(self, scale: float) -> Features:
        """In the pixels of a picture that this one is a reduced copy of."""
        return Features((self.points + 0.5) / scale - 0.5, self.descriptors)


def features(codes: NDArray[np.uint8], count: int, contrast: float) -> Features:
    """RootSIFT features of a grey picture ``(H, W)``; ``contrast`` is SIFT's threshold."""
    return _features(codes.tobytes(), codes.shape, count, contrast)


@lru_cache(_REMEMBERED)
def _features(data: bytes, shape: tuple[int, ...], count: int, contrast: float) -> Features:
    codes = np.frombuffer(data, np.uint8).reshape(shape)
    found, described = cv2.SIFT.create(count, contrastThreshold=contrast).detectAndCompute(
        codes, np.empty(0, np.uint8)
    )
    if described is None or not len(found):
        return Features(np.empty((0, 2)), np.empty((0, 128), np.float32))
    marked = np.argsort([-one.response for one in found], kind="stable")
    points = np.array([found[i].pt for i in marked], dtype=np.float64)
    described = described[marked] / (described[marked].sum(axis=1, keepdims=True) + 1e-9)
    described = np.sqrt(described).astype(np.float32)
    points.flags.writeable = described.flags.writeable = False
    return Features(points, described)


def matched(
    one: Features, other: Features, ratio: float
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Indices of points that are each other's nearest, and clearly so.

    ``ratio`` is the distance of the best over that of the second best, at most.
    """
    if min(len(one.points), len(other.points)) < _FEWEST:
        return np.empty(0, np.intp), np.empty(0, np.intp)
    alike = one.descriptors @ other.descriptors.T
    rows = np.arange(len(alike))
    nearest = alike.argmax(axis=1)
    best = alike[rows, nearest]
    back = best == alike.max(axis=0)[nearest]
    alike[rows, nearest] = -1
    first, second = (np.sqrt(np.maximum(2 - 2 * one, 0)) for one in (best, alike.max(axis=1)))
    index = np.flatnonzero(back & (first < ratio * np.maximum(second, 1e-6)))
    return index, nearest[index]
