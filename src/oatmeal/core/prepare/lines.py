"""Lines laid on a picture: how it must be turned for them to stand upright or lie level.

References
----------
B. Caprile and V. Torre, "Using Vanishing Points for Camera Calibration", International Journal of
Computer Vision 4 (1990): parallel edges meet in a vanishing point, which is their direction seen
from the camera; two that are at right angles tell the focal length.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.prepare.setright import SetRight, pitch, roll
from oatmeal.core.recipe import DECLARED, Frame, Lens
from oatmeal.core.recipe.frame import HALF_DIAGONAL_MM, Line

Points = NDArray[np.float64]

_STEPS = 30


class NotSolved(ValueError):
    """Lines that no camera can have seen like this; the message is for the user."""


@dataclass(frozen=True)
class Turning:
    """How a camera must be turned, in degrees, and the focal length it was found with."""

    angle: float
    tip: float
    swing: float
    focal: float


def level(size: tuple[int, int], frame: Frame, lens: Lens, line: Line) -> float:
    """The frame's angle at which a line lies level, or stands upright: to whichever it is nearer.

    Parameters
    ----------
    size : (width, height)
        Of the picture in pixels, upright and uncropped.
    line : ((x, y), (x, y))
        In shares of its sides.

    Raises
    ------
    NotSolved
        Where that is no angle a frame can have.
    """
    angle = frame.angle
    for _ in range(_STEPS):
        right = SetRight(*size, frame.model_copy(update={"angle": angle}), lens)
        off = _off(right, line)
        angle -= off
        if abs(off) < 1e-9:
            break
    return _allowed("angle", angle, "turned")


def _off(right: SetRight, line: Line) -> float:
    """Degrees between a line on the canvas and the nearer of level and upright."""
    one, other = right.canvas(np.multiply(line, (right.width, right.height)))
    degrees = math.degrees(math.atan2(other[1] - one[1], other[0] - one[0]))
    return (degrees + 45) % 90 - 45


def set_right(size: tuple[int, int], frame: Frame, lens: Lens) -> Turning:
    """Angle, tip and swing at which the frame's plumb lines stand upright and level ones lie level.

    Two plumb lines and two level ones tell the focal length as well. One plumb line turns the
    picture alone, as does one level line where there is no plumb line; what no line tells stays
    as it is.

    Raises
    ------
    NotSolved
        Where lines do not agree with any camera, or ask for more than a frame can be turned.
    """
    plain = frame.model_copy(update={"angle": 0.0, "tip": 0.0, "swing": 0.0})
    flat = SetRight(*size, plain, lens)
    plumb, horizontal = _ends(flat, frame.plumb), _ends(flat, frame.level)
    focal = frame.focal
    if len(plumb) >= 2 and len(horizontal) >= 2:
        focal = _focal(plumb, horizontal, flat.bend.half_diagonal) or focal
    focal_px = focal / HALF_DIAGONAL_MM * flat.bend.half_diagonal
    angle, tip, swing = frame.angle, frame.tip, frame.swing
    if len(plumb) >= 2:
        up = _direction(plumb, focal_px)
        up = up * np.sign(up[1])
        angle = math.degrees(math.atan2(up[0], up[1]))
        up = roll(angle) @ up
        tip = -math.degrees(math.atan2(up[2], up[1]))
    elif len(plumb) == 1:
        angle = level(size, frame, lens, frame.plumb[0])
    if len(horizontal) >= 2:
        along = _direction(horizontal, focal_px)
        along = along * np.sign(along[0])
        if not len(plumb):
            angle = -math.degrees(math.atan2(along[1], along[0]))
        along = pitch(tip) @ roll(angle) @ along
        swing = math.degrees(math.atan2(along[2], along[0]))
    elif len(horizontal) == 1 and not len(plumb):
        angle = level(size, frame, lens, frame.level[0])
    return Turning(
        _allowed("angle", angle, "turned"),
        _allowed("tip", tip, "tipped"),
        _allowed("swing", swing, "swung"),
        round(focal, 1),
    )


def _ends(flat: SetRight, lines: Sequence[Line]) -> Points:
    """Ends of lines in the turned, freed picture, pixels from its middle: ``(n, 2, 2)``."""
    if not lines:
        return np.empty((0, 2, 2))
    pixels = np.multiply(lines, (flat.width, flat.height)) - flat.middle
    return np.asarray(flat.bend.freed(pixels) @ flat.quarters[:2, :2].T)


def normals(ends: Points, focal_px: float) -> Points:
    """Unit normals of the planes through the camera and each line, ``(n, 3)``."""
    rays = np.concatenate([ends, np.full((*ends.shape[:2], 1), focal_px)], axis=2)
    crossed = np.cross(rays[:, 0], rays[:, 1])
    return np.asarray(crossed / np.linalg.norm(crossed, axis=1, keepdims=True))


def _direction(ends: Points, focal_px: float) -> Points:
    """The direction that all lines have in common, seen from the camera; longer ones count more."""
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)[:, None]
    return np.asarray(np.linalg.svd(normals(ends, focal_px) * lengths)[2][-1])


def _focal(plumb: Points, horizontal: Points, half_diagonal: float) -> float | None:
    """The focal length, of 24 x 36 mm, at which both vanishing points are at right angles."""
    points = []
    for ends in (plumb, horizontal):
        vanishing = _direction(ends, half_diagonal)  # any scale will do
        if abs(vanishing[2]) < 1e-3:
            return None  # parallel lines: they meet nowhere
        points.append(vanishing[:2] / vanishing[2] * half_diagonal)
    square = -float(points[0] @ points[1])
    focal = math.sqrt(max(square, 0.0)) / half_diagonal * HALF_DIAGONAL_MM
    low, high = DECLARED.limits("prepare.frame.focal")
    return focal if low <= focal <= high else None


def _allowed(name: str, degrees: float, how: str) -> float:
    low, high = DECLARED.limits(f"prepare.frame.{name}")
    if not low <= degrees <= high:
        raise NotSolved(
            f"For these lines the picture would have to be {how} by {abs(degrees):.0f}°, and "
            f"{high:g}° is the most: lay them along edges that are nearer to upright or "
            "level."
        )
    return round(degrees, 4)
