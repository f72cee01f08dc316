"""Side fringes: how much larger a lens drew red and blue than green, told from a picture.

Small squares of the channels' logarithms are laid over each other by phase correlation (C. D.
Kuglin and D. C. Hines, "The Phase Correlation Image Alignment Method", Proc. IEEE Conf. Cybernetics
and Society, 1975); what lies between them grows with the distance from the middle.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.picture import Picture
from oatmeal.core.recipe import DECLARED

Plane = NDArray[np.float32]

#: Squares down and across, and their side in pixels.
_GRID: Final = (9, 13)
_SIDE: Final = 128

#: Squares nearer to the middle than this share of the way to the corner tell too little.
_NEAREST: Final = 0.3

#: How alike two squares must be (the peak of their correlation), and how many must be.
_ALIKE: Final = 0.25
_FEWEST: Final = 8

#: What is finer and what is coarser than this many pixels is left out.
_FINE: Final = 0.8
_COARSE: Final = 6.0

#: Shifts are told to about this many pixels at the corner: less is none.
_LEAST_PX: Final = 0.12

#: The widest spread of what squares say, in pixels at the corner.
_MOST_SPREAD_PX: Final = 1.5


@dataclass(frozen=True)
class SideFringes:
    """What was found; percent, None where the picture does not tell."""

    red: float | None
    blue: float | None
    words: str


def find_side_fringes(picture: Picture) -> SideFringes:
    """How much larger red and blue were drawn than green, in percent.

    Parameters
    ----------
    picture : Picture
        As it was taken, at its full size.
    """
    corner = float(np.hypot(picture.width, picture.height)) / 2
    told: list[list[tuple[float, float]]] = [[], []]
    window = cv2.createHanningWindow((_SIDE, _SIDE), cv2.CV_32F)
    for x, y in _squares(picture.width, picture.height):
        from_middle = np.array(
            [x + _SIDE / 2 - picture.width / 2, y + _SIDE / 2 - picture.height / 2]
        )
        far = float(np.hypot(*from_middle))
        if far < _NEAREST * corner:
            continue
        red, green, blue = _fine(picture.linear(x, y, _SIDE, _SIDE))
        for number, plane in enumerate((red, blue)):
            shift, alike = cv2.phaseCorrelate(green, plane, window)
            if alike > _ALIKE:
                along = float(np.dot(shift, from_middle)) / far
                told[number].append((along / far, far * alike))
    found = [_agreed(one, corner) for one in told]
    least, most = DECLARED.limits("prepare.lens.red")
    rounded = [None if one is None else round(min(max(one, least), most), 3) for one in found]
    return SideFringes(rounded[0], rounded[1], _words(rounded, corner))


def _squares(width: int, height: int) -> list[tuple[int, int]]:
    if min(width, height) < 2 * _SIDE:
        return []
    rows = np.linspace(0, height - _SIDE, min(_GRID[0], height // _SIDE)).astype(int)
    columns = np.linspace(0, width - _SIDE, min(_GRID[1], width // _SIDE)).astype(int)
    return [(int(x), int(y)) for y in rows for x in columns]


def _fine(rgb_linear: NDArray[np.float32]) -> list[Plane]:
    """Detail of the channels' logarithms, without what is finest and what is coarse."""
    light = np.log2(np.maximum(rgb_linear, 0) + np.float32(2.0**-5))
    detail = cv2.GaussianBlur(light, (0, 0), _FINE) - cv2.GaussianBlur(light, (0, 0), _COARSE)
    return [np.ascontiguousarray(detail[..., channel]) for channel in range(3)]


def _agreed(told: list[tuple[float, float]], corner: float) -> float | None:
    """The weighted median of what squares say, in percent; None where they disagree."""
    if len(told) < _FEWEST:
        return None
    sizes, weights = (np.array(part) for part in zip(*told, strict=True))
    order = np.argsort(sizes)
    reached = np.cumsum(weights[order]) / weights.sum()
    low, middle, high = (sizes[order][np.searchsorted(reached, at)] for at in (0.25, 0.5, 0.75))
    if (high - low) * corner > _MOST_SPREAD_PX:
        return None
    return 0.0 if abs(middle) * corner < _LEAST_PX else float(100 * middle)


def _words(found: list[float | None], corner: float) -> str:
    if all(one is None for one in found):
        return "The picture does not tell: it has too little fine detail toward its corners."
    if not any(found):
        return "Red and blue lie on green: there are no side fringes."
    told = [
        f"{name} {abs(one) / 100 * corner:.1f} px {'outside' if one > 0 else 'inside'} green"
        for name, one in zip(("red", "blue"), found, strict=True)
        if one
    ]
    return f"In the corners {' and '.join(told)}: taken back."
