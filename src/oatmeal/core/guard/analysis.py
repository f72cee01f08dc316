"""The colours of a picture, for what moves colours or greys by them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels


@dataclass(frozen=True)
class Analysis:
    """The colours of a picture; they do not depend on the mix.

    Attributes
    ----------
    lightness, a_axis, b_axis : float32 (H, W)
        OKLab.
    hue : float32 (H, W)
        OKLCh hue in steps of ``360 / HUE_TABLE_SIZE`` degrees.
    chroma : float32 (H, W)
        OKLab chroma.
    """

    lightness: NDArray[np.float32]
    a_axis: NDArray[np.float32]
    b_axis: NDArray[np.float32]
    hue: NDArray[np.float32]
    chroma: NDArray[np.float32]


def analyse(rgb_linear: NDArray[np.float32]) -> Analysis:
    """OKLab (Ottosson 2020), hue and chroma of linear colour ``(H, W, 3)``."""
    lightness, a_axis, b_axis = kernels.colours(rgb_linear)
    return Analysis(lightness, a_axis, b_axis, *kernels.polar(a_axis, b_axis))
