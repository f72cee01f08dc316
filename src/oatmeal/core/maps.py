"""Masks and maps: where areas are, and what stands there in the place of settings.

:mod:`oatmeal.core.areas` makes them; the kernels of the other steps read them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.opencv import cv2
from oatmeal.core.picture import Window

Plane = NDArray[np.float32]

#: A full mask is this number.
FULL: Final = 65535


@dataclass(frozen=True)
class Box:
    """A rectangle of an array: its corners, the second one outside."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def empty(self) -> bool:
        return self.x1 <= self.x0 or self.y1 <= self.y0

    @property
    def corner(self) -> tuple[int, int]:
        return self.x0, self.y0

    @property
    def shape(self) -> tuple[int, int]:
        return max(0, self.y1 - self.y0), max(0, self.x1 - self.x0)

    def inside(self, other: Box) -> tuple[slice, slice]:
        """Where this one lies in another one that holds it."""
        return (
            slice(self.y0 - other.y0, self.y1 - other.y0),
            slice(self.x0 - other.x0, self.x1 - other.x0),
        )

    def and_(self, other: Box) -> Box:
        """What lies in both."""
        return Box(
            max(self.x0, other.x0), max(self.y0, other.y0),
            min(self.x1, other.x1), min(self.y1, other.y1),
        )  # fmt: skip

    def with_(self, other: Box) -> Box:
        """The smallest that holds both."""
        if self.empty or other.empty:
            return other if self.empty else self
        return Box(
            min(self.x0, other.x0), min(self.y0, other.y0),
            max(self.x1, other.x1), max(self.y1, other.y1),
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Stored:
    """A finished mask, uint16 with :data:`FULL` for all, in its box; nothing lies beyond."""

    box: Box
    plane: NDArray[np.uint16]


def in_character(character: str) -> str:
    """The name of the plane of what is added to clarity in a character of its own."""
    return f"clarity, {character}"


def enlarged(plane: Plane, window: Window, shape: tuple[int, int]) -> Plane:
    """A plane of the whole picture as an array has it that lies in a window, between its cells."""
    rows, columns = plane.shape
    across, down = columns / window.width, rows / window.height
    taps = np.array([
        [across, 0, (window.x + 0.5) * across - 0.5], [0, down, (window.y + 0.5) * down - 0.5],
    ])  # fmt: skip
    how = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    size = (shape[1], shape[0])
    return np.asarray(cv2.warpAffine(plane, taps, size, flags=how, borderMode=cv2.BORDER_REPLICATE))


#: Finished masks by the ids of their areas.
Masks = Mapping[str, Stored]


def not_empty(masks: Masks, name: str) -> bool:
    """True where an area reaches the array at all."""
    return name in masks and not masks[name].box.empty


@dataclass(frozen=True, eq=False)
class Maps:
    """Maps of settings in a box of an array.

    Attributes
    ----------
    box : Box
    inside : uint8 (h, w)
        1 where some area that has a value belongs to the pixel; all else stays as it is.
    spans : int64 (h, 2)
        Columns of the box between which a row's areas lie, the second one outside.
    planes : mapping
        By the setting's name, what stands in its place, float32 (h, w).
    """

    box: Box
    inside: NDArray[np.uint8]
    spans: NDArray[np.int64]
    planes: Mapping[str, Plane]

    def over(self, box: Box, name: str, rest: float) -> Plane:
        """A plane in another box, with ``rest`` where this one holds nothing."""
        out = np.full(box.shape, rest, np.float32)
        both = box.and_(self.box)
        if not both.empty:
            out[both.inside(box)] = self.planes[name][both.inside(self.box)]
        return out
