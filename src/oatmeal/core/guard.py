"""The guard: colour smoothed along the light, so that lifts do not show blocks and noise.

A JPEG keeps light finely and colour coarsely. A lift computed from the coarse colour draws its
blocks into the grey. The guard fits OKLab a and b locally as a linear function of the encoded
light, which is fine, and uses the fitted colour for the lifts alone. Where colour varies without
the light (a red flower in green of the same brightness) the fit fails, and the pixel's own colour
is kept.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013); at a quarter of the size
as in K. He and J. Sun, "Fast Guided Filter", 2015 (arXiv 1505.00996).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import kernels

Plane = NDArray[np.float32]

#: Size of the coarse grid's cells in pixels of the file, and half a window in cells.
CELL: Final = 4
RADIUS: Final = 3

#: Variance of encoded light below which a window counts as flat.
FLAT: Final = 1e-4

#: Residual variance (OKLab) that a good fit has; windows are weighted by its inverse square.
GOOD_FIT: Final = 2e-5

#: Residual variance from which the pixel's own colour begins to count, and where it is kept.
OWN_FROM: Final = 2e-4
OWN_AT: Final = 1.2e-3

#: Pixels round a region that its guarded colour depends on.
MARGIN: Final = CELL * (2 * RADIUS + 2)


@dataclass(frozen=True)
class Guarding:
    """How the guard works on one picture.

    Attributes
    ----------
    strength : float
        0 (off) to 1.
    scale : float
        Pixels of this picture for one of the file: 1 at full size, less in a proxy. The faults live
        in the file's pixels, so a proxy's windows shrink with it.
    """

    strength: float
    scale: float = 1.0

    @property
    def cell(self) -> int:
        """Size of a cell of the coarse grid in this picture's pixels."""
        return max(1, round(CELL * self.scale))


def guarded(
    rgb_linear: NDArray[np.float32], a_axis: Plane, b_axis: Plane, guarding: Guarding
) -> tuple[Plane, Plane]:
    """OKLab a and b that follow the light.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        Where the light comes from.
    a_axis, b_axis : float32 (H, W)
        OKLab of the same picture.

    Returns
    -------
    a_axis, b_axis : float32 (H, W)
    """
    light = kernels.encoded_luminance(rgb_linear)
    cell = guarding.cell
    small = [_coarse(plane, cell) for plane in (light, a_axis, b_axis)]
    fit = _fit(*small)
    height, width = light.shape
    fine = [_fine(plane, cell, height, width) for plane in fit]
    return kernels.follow_light(light, (a_axis, b_axis), fine, guarding.strength)


def _fit(light: Plane, a_axis: Plane, b_axis: Plane) -> list[Plane]:
    """Slopes and offsets of a and b over light, and how far the own colour is kept."""
    mean = _box(light)
    variance: Plane = np.maximum(_box(light * light) - mean * mean, 0)
    slopes, offsets = [], []
    residual: Plane = np.zeros_like(light)
    for plane in (a_axis, b_axis):
        mean_colour = _box(plane)
        covariance = _box(light * plane) - mean * mean_colour
        slope = covariance / (variance + np.float32(FLAT))
        residual += np.maximum(
            _box(plane * plane) - mean_colour * mean_colour - slope * covariance, 0
        )
        slopes.append(slope)
        offsets.append(mean_colour - slope * mean)
    weight: Plane = (residual + np.float32(GOOD_FIT)) ** np.float32(-2.0)
    total = _box(weight)
    averaged = [_box(plane * weight) / total for plane in (*slopes, *offsets, residual)]
    return [*averaged[:4], _own(averaged[4])]


def _own(residual: Plane) -> Plane:
    t = np.clip((residual - OWN_FROM) / (OWN_AT - OWN_FROM), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), dtype=np.float32)


def _box(plane: Plane) -> Plane:
    side = 2 * RADIUS + 1
    return np.asarray(
        cv2.boxFilter(plane, -1, (side, side), borderType=cv2.BORDER_REPLICATE), dtype=np.float32
    )


def _coarse(plane: Plane, cell: int) -> Plane:
    """Means over cells; the picture is continued to a whole number of them."""
    height, width = plane.shape
    below, right = -height % cell, -width % cell
    if below or right:
        padded = cv2.copyMakeBorder(plane, 0, below, 0, right, cv2.BORDER_REPLICATE)
        plane = np.asarray(padded, dtype=np.float32)
    size = (plane.shape[1] // cell, plane.shape[0] // cell)
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), dtype=np.float32)


def _fine(plane: Plane, cell: int, height: int, width: int) -> Plane:
    size = (plane.shape[1] * cell, plane.shape[0] * cell)
    large = cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(large[:height, :width])
