"""Surfaces between two ranges whose lifts pull them apart, such as skin between red and orange.

Between the centres of two ranges a lift runs smoothly over hue. Where a surface's own hues wander
over that way, and the two lifts lie far apart, what was even becomes spotted.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import ranges

#: Stops between the lifts of two neighbours from which they may tear.
APART: Final = 1.0

#: Weight that both ranges have at least in a pixel that lies between them.
BETWEEN: Final = 0.1

#: Share of the picture that lies between them, and of it torn, from which it is told.
LEAST_BETWEEN: Final = 0.04
LEAST_TORN: Final = 0.003

#: A place is torn where lifts change by these stops from pixel to pixel, and by so many times what
#: the light there does.
STEP: Final = 0.25
OVER_LIGHT: Final = 1.2


@dataclass(frozen=True)
class Torn:
    """Two neighbouring ranges, and the share of the picture that they tear."""

    ranges: tuple[str, str]
    share: float


def find_torn(
    weights: NDArray[np.float64], luminance: NDArray[np.floating], lifts: dict[str, float]
) -> list[Torn]:
    """Pairs of neighbours whose lifts tear what lies between them, worst first.

    Parameters
    ----------
    weights : float64 (H * W, 8)
        How much each range reaches each pixel of a small picture.
    luminance : (H, W)
        Linear.
    lifts : dict
        Stops of each range.
    """
    stops = np.array([lifts[name] for name in ranges.NAMES])
    pairs = [(one, (one + 1) % len(stops)) for one in range(len(stops))]
    pairs = [(one, other) for one, other in pairs if abs(stops[one] - stops[other]) >= APART]
    if not pairs:
        return []
    moved = (weights @ stops).astype(np.float32).reshape(luminance.shape)
    light = np.log2(np.maximum(luminance, 1e-3)).astype(np.float32)
    steep = _steps(moved)
    rough = (steep > STEP) & (steep > OVER_LIGHT * _steps(light))
    found = []
    for one, other in pairs:
        both = np.minimum(weights[:, one], weights[:, other]).reshape(luminance.shape) > BETWEEN
        share = float((both & rough).mean())
        if both.mean() >= LEAST_BETWEEN and share >= LEAST_TORN:
            found.append(Torn((ranges.NAMES[one], ranges.NAMES[other]), share))
    return sorted(found, key=lambda torn: -torn.share)


def _steps(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far values lie apart from pixel to pixel."""
    near = np.ones((3, 3), np.uint8)
    return np.asarray(cv2.dilate(plane, near) - cv2.erode(plane, near), np.float32)
