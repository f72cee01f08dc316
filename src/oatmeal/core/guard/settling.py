"""Settling: colour that compression took is drawn anew from the light, as far as it was taken.

Of each cell of the picture the colour is foretold twice: as the mean of cells near by that are as
light (as a bilateral filter weighs them; C. Tomasi and R. Manduchi, ICCV 1998), and as a straight
line over the light (the guided filter; K. He, J. Sun and X. Tang, IEEE TPAMI 35, 2013). The better
one counts for more, and a pixel's own colour is kept as far as it differs from that by more than
the file's faults (N. Wiener, 1949). Colour of half the size gets its finest band back from light.
Every pixel keeps its luminance, so what depends on light alone does not change.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import lcm
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.guard import kernels
from oatmeal.core.trust import Trust

#: Size of a cell in pixels of the file.
CELL: Final = 4

#: In a proxy smaller than this, the file's faults have averaged out.
SMALLEST: Final = 0.25

#: Cells round one that its colour depends on: those that are as light, with what tells that of
#: them, and the four round a pixel.
_REACH: Final = kernels.RADIUS + 2


@dataclass(frozen=True)
class Settling:
    """How colour is settled in one picture.

    Attributes
    ----------
    trust : Trust
        In the file's colour, as the recipe wants it.
    scale : float
        Pixels of this picture for one of the file. The faults lie in the file's pixels, so a
        proxy's cells shrink with it.
    """

    trust: Trust
    scale: float = 1.0

    @property
    def acts(self) -> bool:
        """False where nothing is changed."""
        return self.trust.settles and self.scale >= SMALLEST

    @property
    def cell(self) -> int:
        """Size of a cell in this picture's pixels."""
        return max(1, round(CELL * self.scale))

    @property
    def step(self) -> int:
        """Pixels that one colour of the file covers here; a divisor of the cell."""
        wished = max(1, round(self.trust.step * self.scale))
        return next(step for step in range(wished, 0, -1) if self.cell % step == 0)

    @property
    def narrow(self) -> float:
        """How far the finest band is missing here."""
        return self.trust.narrow * min(max(2 * self.scale - 1, 0.0), 1.0)

    @property
    def grid(self) -> int:
        """Parts of a picture begin at multiples of this: at cells, and at pairs of pixels."""
        return lcm(self.cell, 2)

    @property
    def margin(self) -> int:
        """Pixels round one that its colour depends on."""
        return self.cell * _REACH

    def colour(self, rgb_linear: NDArray[np.float32]) -> NDArray[np.float32]:
        """Linear colour ``(H, W, 3)`` as far as it can be trusted."""
        if not self.acts or not rgb_linear.size:
            return rgb_linear
        rgb_linear = np.ascontiguousarray(rgb_linear)
        trust = self.trust
        return kernels.settled(
            rgb_linear, self.cell, self.step, trust.floor, trust.share, self.narrow
        )
