"""A frame that is to be joined, and what can be wrong with frames."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.picture import Picture, proxy

Colour = NDArray[np.float32]
Points = NDArray[np.float64]
Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: Longer side of the copy on which frames are found and their light is compared.
WORK_SIDE: Final = 1200

#: Told which part of the work begins.
Told = Callable[[str], None]


class JoinError(ValueError):
    """Frames that cannot be joined; the text is one sentence for the user."""


@dataclass(frozen=True, eq=False)
class Frame:
    """A frame: its picture at full size, a small copy, and what to call it.

    Attributes
    ----------
    name : str
    picture : Picture
    small : float32 (h, w, 3)
        Linear light, at most :data:`WORK_SIDE` long.
    """

    name: str
    picture: Picture
    small: Colour

    @classmethod
    def of(cls, name: str, picture: Picture) -> Frame:
        """A frame of a picture; its small copy is made."""
        return cls(name, picture, proxy(picture, WORK_SIDE))

    @property
    def width(self) -> int:
        return self.picture.width

    @property
    def height(self) -> int:
        return self.picture.height

    @property
    def scale(self) -> float:
        """Pixels of the small copy for one of the picture."""
        return float(self.small.shape[1] / self.width)

    @property
    def middle(self) -> Points:
        """In pixels, whose own middles lie at whole numbers."""
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])
