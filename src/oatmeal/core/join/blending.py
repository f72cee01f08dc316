"""Low frequencies of the frames blended into each other, on the coarse canvas.

References
----------
P. J. Burt, E. H. Adelson, "A Multiresolution Spline With Application to Image Mosaics", ACM
Transactions on Graphics 2 (1983).
"""

from __future__ import annotations

from typing import Final

import cv2
import numpy as np

from oatmeal.core.join.frames import Colour
from oatmeal.core.join.lighting import Coarse, Light
from oatmeal.core.join.seams import Labels, nearest_of

#: Octaves over which frames are blended.
LEVELS: Final = 4


def rooted(light: Colour) -> Colour:
    """The square root of light, in which differences count as the eye sees them."""
    return np.sqrt(np.maximum(light, 0)).astype(np.float32)


def blended(
    copies: dict[int, Coarse], labels: Labels, light: Light
) -> tuple[Colour, dict[int, Colour]]:
    """The blend, and what it adds to each frame, on the square root of light ``(h, w, 3)``.

    Where a frame has no pixels it is filled with what the others show there: mirrored filling
    pulls strange light over the seam.
    """
    roots = {
        k: rooted(copy.light * light.factor(k, copy.off_middle)[..., None])
        for k, copy in copies.items()
    }
    hard, labels = _hard(roots, labels)
    filled = {
        k: np.where(copies[k].there[..., None], root, hard).astype(np.float32)
        for k, root in roots.items()
    }
    weights = [(labels == k).astype(np.float32) for k in copies]
    low = _multiband(list(filled.values()), weights)
    return low, {k: low - root for k, root in filled.items()}


def _hard(roots: dict[int, Colour], labels: Labels) -> tuple[Colour, Labels]:
    """Each pixel from its own frame; beyond all frames the nearest pixel."""
    hard = np.zeros((*labels.shape, 3), dtype=np.float32)
    for k, root in roots.items():
        own = labels == k
        hard[own] = root[own]
    hole = labels < 0
    if not hole.any():
        return hard, labels
    nearest = nearest_of(hole)
    return hard[nearest], labels[nearest]


def _multiband(pictures: list[Colour], weights: list[Colour]) -> Colour:
    """Burt and Adelson's spline in float32; weights add up to one."""
    tops, bottoms = [], []
    for level in range(LEVELS + 1):
        last = level == LEVELS
        smaller = [] if last else [cv2.pyrDown(one) for one in pictures]
        bands = (
            pictures
            if last
            else [
                one - cv2.pyrUp(less, dstsize=(one.shape[1], one.shape[0]))
                for one, less in zip(pictures, smaller, strict=True)
            ]
        )
        total = np.zeros_like(bands[0])
        weight = np.zeros(bands[0].shape[:2], dtype=np.float32)
        for band, share in zip(bands, weights, strict=True):
            total += band * share[..., None]
            weight += share
        tops.append(total)
        bottoms.append(np.maximum(weight, 1e-6)[..., None])
        pictures = [np.asarray(less, dtype=np.float32) for less in smaller]
        weights = [] if last else [np.asarray(cv2.pyrDown(share), np.float32) for share in weights]
    out = tops[-1] / bottoms[-1]
    for top, bottom in zip(tops[-2::-1], bottoms[-2::-1], strict=True):
        out = cv2.pyrUp(out, dstsize=(top.shape[1], top.shape[0])) + top / bottom
    return np.asarray(out, dtype=np.float32)
