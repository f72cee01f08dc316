"""Where one frame ends and the next begins: along what both show alike.

References
----------
V. Kwatra et al., "Graphcut Textures: Image and Video Synthesis Using Graph Cuts", SIGGRAPH 2003.
"""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb
from oatmeal.core.join.frames import Mask
from oatmeal.core.join.lighting import Coarse, Light

Labels = NDArray[np.int16]

#: Share of a frame's short side that seams keep from its edges, where the lens is weakest.
_EDGE: Final = 0.05

#: Coarse pixels for one at which seams are found: cutting costs more than in proportion.
_STEP: Final = 2


def seams(copies: dict[int, Coarse], light: Light) -> Labels:
    """Which frame each coarse pixel is taken from, int16 ``(h, w)``; -1 where none is."""
    pictures, corners = [], []
    masks: list[NDArray[Any]] = []
    for k, copy in copies.items():
        top, bottom, left, right = _bounds(copy.there)
        part = np.s_[top:bottom:_STEP, left:right:_STEP]
        whole = copy.light[top:bottom, left:right]
        mean = cv2.blur(whole, (_STEP, _STEP), anchor=(0, 0))[::_STEP, ::_STEP]
        lit = mean * light.factor(k, copy.off_middle[part])[..., None]
        pictures.append((encode_srgb(np.clip(lit, 0, 1)) * 255).astype(np.float32))
        masks.append((_inner(copy.there)[part] * 255).astype(np.uint8))
        corners.append((left // _STEP, top // _STEP))
    if len(copies) > 1:
        finder: Any = cv2.detail_GraphCutSeamFinder("COST_COLOR")  # type: ignore[attr-defined]
        found = finder.find(pictures, corners, masks)
        masks = [one.get() if isinstance(one, cv2.UMat) else one for one in found]
    height, width = next(iter(copies.values())).there.shape
    rough = np.full((-(-height // _STEP), -(-width // _STEP)), -1, dtype=np.int16)
    for k, mask, (left, top) in zip(copies, masks, corners, strict=True):
        own = rough[top : top + mask.shape[0], left : left + mask.shape[1]]
        own[mask > 0] = k
    labels = rough.repeat(_STEP, axis=0).repeat(_STEP, axis=1)[:height, :width]
    for k, copy in copies.items():
        labels[(labels == k) & ~copy.there] = -1
    return _filled(np.ascontiguousarray(labels), copies)


def deepest(copies: dict[int, Coarse]) -> Labels:
    """Each pixel from the frame whose edge is farthest: no seams that anybody should see."""
    shape = next(iter(copies.values())).there.shape
    return _filled(np.full(shape, -1, dtype=np.int16), copies)


def _inner(there: Mask) -> Mask:
    """Without its edges, as far as anything is left."""
    depth = cv2.distanceTransform(np.pad(there, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    inner: Mask = depth > 2 * _EDGE * float(depth.max())
    return inner if inner.any() else there


def _bounds(there: Mask) -> tuple[int, int, int, int]:
    rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
    if not len(rows):
        return 0, 1, 0, 1
    top, left = int(rows[0]) // _STEP * _STEP, int(columns[0]) // _STEP * _STEP
    return top, int(rows[-1]) + 1, left, int(columns[-1]) + 1


def _filled(labels: Labels, copies: dict[int, Coarse]) -> Labels:
    """What no seam gave to a frame goes to the nearest one, so that a seam runs on straight.

    Where that has no pixels it goes to the frame that is deepest there.
    """
    hole = labels < 0
    if not hole.any():
        return labels
    onward = labels if hole.all() else labels[nearest_of(hole)]
    depth, best = np.full(labels.shape, 0.0), np.full(labels.shape, -1, dtype=np.int16)
    for k, copy in copies.items():
        padded = np.pad(copy.there, 1).astype(np.uint8)
        own = np.where(copy.there, cv2.distanceTransform(padded, cv2.DIST_L2, 5)[1:-1, 1:-1], 0)
        best[own > depth] = k
        depth = np.maximum(depth, own)
        straight = hole & copy.there & (onward == k)
        labels[straight] = k
    wrong = (labels < 0) & (best >= 0)
    labels[wrong] = best[wrong]
    return labels


def nearest_of(hole: Mask) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Rows and columns of the nearest pixel that is no hole, for every pixel."""
    _, nearest = cv2.distanceTransformWithLabels(
        hole.astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    rows, columns = np.nonzero(~hole)
    place = np.zeros(int(nearest.max()) + 1, dtype=int)
    place[nearest[rows, columns]] = np.arange(len(rows))
    at = place[nearest]
    return rows[at], columns[at]
