"""The guard: colour smoothed along the light, so that lifts do not show blocks and noise.

A JPEG keeps light finely and colour coarsely. A lift computed from the coarse colour draws its
blocks into the grey. The guard fits OKLab a and b locally as a linear function of its L, which is
fine, and uses the fitted colour for the lifts alone. Where colour varies without the light (a red
flower in green of the same brightness) the fit fails, and the pixel's own colour is kept.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013); at a quarter of the size
as in K. He and J. Sun, "Fast Guided Filter", 2015 (arXiv 1505.00996).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.filters import cell_means
from oatmeal.core.guard import kernels
from oatmeal.core.opencv import cv2

Plane = NDArray[np.float32]

#: Size of the coarse grid's cells in pixels of the file, and half a window in cells.
CELL: Final = 4
RADIUS: Final = 3

#: Variance of OKLab L below which a window counts as flat.
FLAT: Final = 1e-4

#: Residual variance (OKLab) that a good fit has; windows are weighted by its inverse square.
GOOD_FIT: Final = 2e-5

#: Residual variance from which the pixel's own colour begins to count, and where it is kept.
OWN_FROM: Final = 2e-4
OWN_AT: Final = 1.2e-3


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

    @property
    def margin(self) -> int:
        """Pixels round one that its guarded colour depends on."""
        return self.cell * (2 * RADIUS + 2)


def guarded(light: Plane, a_axis: Plane, b_axis: Plane, guarding: Guarding) -> tuple[Plane, Plane]:
    """OKLab a and b that follow the light.

    Parameters
    ----------
    light, a_axis, b_axis : float32 (H, W)
        OKLab of a picture; its L is the light that the colours are fitted to.

    Returns
    -------
    a_axis, b_axis : float32 (H, W)
    """
    cell = guarding.cell
    coarse = [cell_means(plane, cell) for plane in (light, a_axis, b_axis)]
    fit = kernels.light_fit(coarse, RADIUS, FLAT, GOOD_FIT, (OWN_FROM, OWN_AT))
    return kernels.follow_light(light, (a_axis, b_axis), _wide(fit, cell), cell, guarding.strength)


def _wide(fit: NDArray[np.float32], cell: int) -> NDArray[np.float32]:
    """Cells spread along the rows alone; the kernel reads between the rows."""
    count, rows, columns = fit.shape
    wide = np.empty((count, rows, columns * cell), dtype=np.float32)
    for plane, spread in zip(fit, wide, strict=True):
        cv2.resize(plane, (columns * cell, rows), spread, interpolation=cv2.INTER_LINEAR)
    return wide
