"""The light of the colour picture, before it becomes grey."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.recipe import Prepare


def apply(rgb_linear: NDArray[np.float32], prepare: Prepare) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` in its light; the same array where that is at rest."""
    if prepare.exposure == 0.0:
        return rgb_linear
    return rgb_linear * np.float32(2.0**prepare.exposure)


def brightest(prepare: Prepare) -> float:
    """The highest linear channel that a picture whose white is 1 can get here, at least 1."""
    return float(2.0 ** max(0.0, prepare.exposure))
