"""Prepare: the colour picture is set right before it becomes grey."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.recipe import Prepare


def apply(rgb_linear: NDArray[np.float32], prepare: Prepare) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` after the Prepare step; the same array where it is at rest."""
    if prepare.exposure == 0.0:
        return rgb_linear
    return rgb_linear * np.float32(2.0**prepare.exposure)
