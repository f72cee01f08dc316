"""Setting a picture right: from the photograph to a canvas on which it stands as it should.

A point of the photograph is freed of the lens's bend, turned by quarters and mirrored; then the
camera is turned as if it had looked straight: level, upright, square. The canvas has the
photograph's scale at its middle.

References
----------
R. Hartley and A. Zisserman, *Multiple View Geometry in Computer Vision*, 2nd ed. (2003), 8.4:
turning a camera about its centre moves the picture by ``K R K⁻¹``. The bend is the radial model
of D. C. Brown, "Close-Range Camera Calibration", Photogrammetric Engineering 37 (1971).
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.recipe import Frame, Lens
from oatmeal.core.recipe.frame import BEND_REACH, HALF_DIAGONAL_MM

Points = NDArray[np.float64]
Matrix = NDArray[np.float64]

#: Quarter turns, clockwise, by their names.
QUARTERS: Final = {"none": 0, "right": 1, "over": 2, "left": 3}

_NEWTON_STEPS: Final = 8


def roll(degrees: float) -> Matrix:
    """The camera turned about its axis, so that the picture turns clockwise."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])


def pitch(degrees: float) -> Matrix:
    """The camera turned up or down."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[1, 0, 0], [0, c, -s], [0, s, c]])


def yaw(degrees: float) -> Matrix:
    """The camera turned aside."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])


def quarter_matrix(frame: Frame) -> Matrix:
    """Quarter turns, then the mirror."""
    turn = np.round(roll(90 * QUARTERS[frame.turned]))
    return np.diag([-1.0, 1.0, 1.0]) @ turn if frame.mirrored else turn


class Bend:
    """The lens's bend about the middle; radii in half diagonals.

    Parameters
    ----------
    terms : (k1, k2, k3)
        A point that should lie at r was drawn at ``r (1 + k1 r² + k2 r⁴ + k3 r⁶)``.
    half_diagonal : float
        In pixels.
    """

    def __init__(self, terms: tuple[float, float, float], half_diagonal: float) -> None:
        self.terms = terms
        self.half_diagonal = half_diagonal
        self.straight = terms == (0.0, 0.0, 0.0)

    def factor(self, square: Points) -> Points:
        """Of the radius, at a squared radius of the point as it should lie."""
        k1, k2, k3 = self.terms
        square = np.minimum(square, BEND_REACH**2)
        return 1 + square * (k1 + square * (k2 + square * k3))

    def drawn(self, points: Points) -> Points:
        """Where the lens drew points ``(..., 2)``, in pixels from the middle."""
        if self.straight:
            return points
        square = (points**2).sum(axis=-1, keepdims=True) / self.half_diagonal**2
        return points * self.factor(square)

    def freed(self, points: Points) -> Points:
        """The inverse of :meth:`drawn`, by Newton's method on the radius."""
        if self.straight:
            return points
        k1, k2, k3 = self.terms
        drawn = np.sqrt((points**2).sum(axis=-1, keepdims=True)) / self.half_diagonal
        radius = drawn.copy()
        for _ in range(_NEWTON_STEPS):
            square = radius**2
            value = radius * (1 + square * (k1 + square * (k2 + square * k3))) - drawn
            slope = 1 + square * (3 * k1 + square * (5 * k2 + square * 7 * k3))
            radius = np.clip(radius - value / np.maximum(slope, 1e-3), 0, BEND_REACH)
        return points * np.where(drawn > 1e-12, radius / np.maximum(drawn, 1e-12), 1.0)


class SetRight:
    """The map between a photograph and its canvas.

    Parameters
    ----------
    width, height : int
        Of the photograph in pixels, upright and uncropped.

    Attributes
    ----------
    matrix, inverse : float64 (3, 3)
        From the freed photograph to the canvas, both in pixels from their middles, and back.
    """

    def __init__(self, width: int, height: int, frame: Frame, lens: Lens) -> None:
        self.width, self.height = width, height
        half_diagonal = math.hypot(width, height) / 2
        self.bend = Bend(lens.bend_terms(), half_diagonal)
        self.focal_px = frame.focal / HALF_DIAGONAL_MM * half_diagonal
        self.quarters = quarter_matrix(frame)
        turned = (
            yaw(frame.swing * frame.levels / 100)
            @ pitch(frame.tip * frame.uprights / 100)
            @ roll(frame.angle)
        )
        camera = np.diag([self.focal_px, self.focal_px, 1.0])
        moved = camera @ turned @ np.diag([1 / self.focal_px, 1 / self.focal_px, 1.0])
        matrix = moved @ self.quarters
        self.matrix = np.diag([_scale_at_middle(matrix)] * 2 + [1.0]) @ matrix
        if np.array_equal(turned, np.eye(3)):
            self.matrix = self.quarters  # to the last bit
        self.inverse: Matrix = np.asarray(np.linalg.inv(self.matrix), dtype=np.float64)
        self.middle = np.array([width / 2, height / 2])

    @property
    def exact(self) -> bool:
        """True if there are but quarter turns and the mirror: pixels stay pixels."""
        return self.bend.straight and bool(np.array_equal(self.matrix, self.quarters))

    def canvas(self, pixels: Points) -> Points:
        """Where points ``(..., 2)`` of the photograph, in pixels from its corner, come to lie."""
        centred: Points = np.subtract(pixels, self.middle, dtype=np.float64)
        return _through(self.matrix, self.bend.freed(centred))

    def photograph(self, canvas: Points) -> Points:
        """The inverse of :meth:`canvas`."""
        return np.asarray(self.bend.drawn(_through(self.inverse, canvas)) + self.middle)


def _scale_at_middle(matrix: Matrix) -> float:
    """The factor by which one pixel of the middle stays as large as it was."""
    middle = matrix[:2, 2] / matrix[2, 2]
    slope = (matrix[:2, :2] - np.outer(middle, matrix[2, :2])) / matrix[2, 2]
    area = float(slope[0, 0] * slope[1, 1] - slope[0, 1] * slope[1, 0])
    return 1.0 / math.sqrt(abs(area))


def _through(matrix: Matrix, points: Points) -> Points:
    moved = points @ matrix[:, :2].T + matrix[:, 2]
    return np.asarray(moved[..., :2] / moved[..., 2:], dtype=np.float64)
