"""What in a picture looks alike: told on a small copy, brought to pixels by what the picture shows.

Colours are compared so that shading counts little, as ``(0.25 L, a q, b q)`` of OKLab with
``q = 0.85 / (L + 0.25)``; every spot of a stroke has its own mean and covariance.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013); windows weigh their cells
by confidence: H. Knutsson and C.-F. Westin, "Normalized and Differential Convolution", CVPR 1993.
Joined parts: L. Vincent, "Morphological Grayscale Reconstruction in Image Analysis", IEEE Trans.
Image Processing 2 (1993).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.areas import likeness_kernels as kernels
from oatmeal.core.colour import hue_and_chroma, lab_of_hex, lightness, luminance
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.opencv import cv2
from oatmeal.core.recipe.areas import Alike, Colours, Stroke, Tones

Plane = NDArray[np.float32]
Points = NDArray[np.float64]

#: Cells over which the small picture is smoothed along its edges, and the variance of an edge.
_SMOOTH_RADIUS: Final = 2
_SMOOTH_VARIANCE: Final = 1e-3

#: The guide's windows: cells, variance, and the step at which a cell counts little.
_GUIDE_RADIUS: Final = 5
_GUIDE_VARIANCE: Final = 2e-5
_EDGE_STEP: Final = 0.06
_LEAST_CONFIDENCE: Final = 1e-3

#: Spots lie this far apart along a stroke, in shares of the longer side; so far round one it looks.
_SPOT_STEP: Final = 0.02
_SPOT_REACH: Final = 0.02
_MOST_SPOTS: Final = 120

#: Share of what lies round a spot that its colour is told from, and how wide that is taken.
_NEAREST: Final = 2 / 3
_WIDENED: Final = 3.0
_HELD_WIDENED: Final = 2.0

#: Between these distances likeness fades at softness 50.
_FADE: Final = (0.7, 1.8)

#: Chroma at which a hue begins to count, and at which it counts wholly.
_HUE_COUNTS: Final = (0.01, 0.05)


@dataclass(frozen=True)
class Ground:
    """A small copy of the picture as it was taken, made ready for comparing.

    Attributes
    ----------
    features : float32 (3, h, w)
    smoothed : float32 (3, h, w)
        OKLab, smoothed along edges.
    rgb : float32 (h, w, 3)
        Linear colour, of the smoothed copy.
    guide : Guide
    """

    features: Plane
    smoothed: Plane
    light: Plane
    guide: Guide

    @property
    def cells(self) -> int:
        """Cells in the longer side."""
        return int(max(self.features.shape[1:]))


@dataclass(frozen=True)
class Fits:
    """A plane of the small picture as a linear function of a pixel's OKLab.

    Attributes
    ----------
    planes : float32 (4, h, w)
        Factors on L, a and b, and what is added.
    cell : (x, y)
        The first cell.
    cells : int
        Cells in the longer side of the whole.
    """

    planes: Plane
    cell: tuple[int, int]
    cells: int


def ground(rgb_linear: Plane) -> Ground:
    """Make a small copy, linear ``(h, w, 3)``, ready."""
    small = np.ascontiguousarray(np.maximum(rgb_linear, 0), dtype=np.float32)
    lab = np.stack(colour_kernels.colours(small))
    plain = Guide(lab, np.ones(lab.shape[1:], np.float32), _SMOOTH_RADIUS, _SMOOTH_VARIANCE)
    smoothed = np.stack([_applied(plain.fits(plane), lab) for plane in lab])
    features = _features(smoothed)
    steps = _steps(features)
    confidence = 1 / (1 + (steps / np.float32(_EDGE_STEP)) ** 4) + np.float32(_LEAST_CONFIDENCE)
    guide = Guide(lab, confidence.astype(np.float32), _GUIDE_RADIUS, _GUIDE_VARIANCE)
    light = np.asarray(lightness(np.maximum(luminance(small), 0)), dtype=np.float32)
    return Ground(features, smoothed, light, guide)


def _features(lab: Plane) -> Plane:
    light, a_axis, b_axis = lab
    even = np.float32(0.85) / (np.maximum(light, 0) + np.float32(0.25))
    return np.stack([np.float32(0.25) * light, a_axis * even, b_axis * even])


def _steps(features: Plane) -> Plane:
    """The largest difference among a cell's neighbours, over all features."""
    square = np.ones((3, 3), np.uint8)
    ranges = [cv2.dilate(one, square) - cv2.erode(one, square) for one in features]
    return np.asarray(np.sqrt(sum(one * one for one in ranges)), dtype=np.float32)


class Guide:
    """Windows of a guided filter whose cells count by confidence.

    Parameters
    ----------
    lab : float32 (3, h, w)
    confidence : float32 (h, w)
    radius : int
    variance : float
    """

    def __init__(self, lab: Plane, confidence: Plane, radius: int, variance: float) -> None:
        self._lab, self._confidence, self._radius = lab, confidence, radius
        self._count = self._box(confidence)
        self._means = [self._mean(plane) for plane in lab]
        square = {}
        for i in range(3):
            for j in range(i, 3):
                square[i, j] = self._mean(lab[i] * lab[j]) - self._means[i] * self._means[j]
        a, b, c = square[0, 0] + variance, square[0, 1], square[0, 2]
        d, e, f = square[1, 1] + variance, square[1, 2], square[2, 2] + variance
        one, two, three = d * f - e * e, c * e - b * f, b * e - c * d
        four, five, six = a * f - c * c, b * c - a * e, a * d - b * b
        whole = a * one + b * two + c * three
        rows = ((one, two, three), (two, four, five), (three, five, six))
        self._inverse = [[value / whole for value in row] for row in rows]

    def _box(self, plane: Plane) -> Plane:
        side = (2 * self._radius + 1,) * 2
        return np.asarray(cv2.boxFilter(plane, -1, side, borderType=cv2.BORDER_REPLICATE))

    def _mean(self, plane: Plane) -> Plane:
        return np.asarray(self._box(self._confidence * plane) / self._count)

    def fits(self, plane: Plane) -> Plane:
        """Factors on L, a and b, and what is added, float32 ``(4, h, w)``."""
        mean = self._mean(plane)
        shared = [
            self._mean(one * plane) - own * mean
            for one, own in zip(self._lab, self._means, strict=True)
        ]
        factors = [
            sum(one * other for one, other in zip(row, shared, strict=True))
            for row in self._inverse
        ]
        rest = mean - sum(one * own for one, own in zip(factors, self._means, strict=True))
        return np.stack([self._mean(one) for one in (*factors, rest)]).astype(np.float32)


def _applied(fits: Plane, lab: Plane) -> Plane:
    return np.asarray(fits[0] * lab[0] + fits[1] * lab[1] + fits[2] * lab[2] + fits[3])


def tolerated(tolerance: float) -> float:
    """Distance of features that a tolerance of 0 to 100 lets pass."""
    return float(0.012 + 0.2 * (tolerance / 100) ** 1.5)


def alike(known: Ground, part: Alike, this: list[Points], others: list[Points]) -> Plane:
    """How far each cell looks like what the strokes lie over, 0 to 1.

    Parameters
    ----------
    this, others : list of float64 (n, 2)
        Strokes over what is meant, and over what is not, in shares of the longer side.
    """
    seen = kernels.models(known.features, _spots(this, known), _SPOT_REACH * known.cells, _NEAREST)
    shape = known.features.shape[1:]
    if not len(seen):
        return np.zeros(shape, np.float32)
    tolerance = tolerated(part.tolerance)
    middle, half = sum(_FADE) / 2, (_FADE[1] - _FADE[0]) / 2
    half = max(0.02, half * part.softness / 50)
    fade = (max(0.02, middle - half), middle + half)
    reach = part.reach * known.cells
    models = kernels.inverted(seen, _WIDENED, tolerance)
    not_meant = kernels.models(
        known.features, _spots(others, known), _SPOT_REACH * known.cells, _NEAREST
    )
    unlike = kernels.inverted(not_meant, _WIDENED, tolerance)
    found = kernels.alike(known.features, models, unlike, fade, reach)
    if part.joined:
        found = found * kernels.joined(found, seen[:, :2])
    return found


def _spots(paths: list[Points], known: Ground) -> Points:
    """Places along strokes, in cells."""
    rows, columns = known.features.shape[1:]
    spots = []
    for path in paths:
        steps = np.hypot(*np.diff(path, axis=0).T) if len(path) > 1 else np.zeros(0)
        along = np.concatenate([[0.0], steps.cumsum()])
        count = max(1, int(along[-1] / _SPOT_STEP) + 1)
        at = np.linspace(0, along[-1], count) if count > 1 else np.array([along[-1] / 2])
        spots += list(
            zip(np.interp(at, along, path[:, 0]), np.interp(at, along, path[:, 1]), strict=True)
        )
    cells = np.array(spots, dtype=np.float64).reshape(-1, 2) * known.cells - 0.5
    inside = (cells > -1).all(axis=1) & (cells[:, 0] < columns) & (cells[:, 1] < rows)
    cells = cells[inside]
    if len(cells) > _MOST_SPOTS:
        cells = cells[np.linspace(0, len(cells) - 1, _MOST_SPOTS).round().astype(int)]
    return np.asarray(cells)


def tones(known: Ground, part: Tones) -> Plane:
    """How far each cell lies in a range of tones."""
    star = _applied(known.guide.fits(known.light), known.smoothed)
    inside = np.ones(star.shape)
    if part.low > 0:
        inside = smoothstep(star, part.low - max(part.soft[0], 0.5), part.low)
    if part.high < 100:
        inside = inside * (1 - smoothstep(star, part.high, part.high + max(part.soft[1], 0.5)))
    return inside.astype(np.float32)


def colours(known: Ground, part: Colours) -> Plane:
    """How far each cell has a hue, or lies near a picked colour."""
    lab = np.moveaxis(known.smoothed, 0, -1).astype(np.float64)
    if part.colour is not None:
        away = ((lab - lab_of_hex(part.colour)) ** 2).sum(axis=-1)
        return np.asarray(np.exp(-0.5 * away / part.reach**2), dtype=np.float32)
    hue, chroma = hue_and_chroma(lab)
    away = np.abs((hue - part.hue + 180) % 360 - 180)
    soft = max(part.soft, 0.5)
    found = (1 - smoothstep(away, part.width, part.width + soft)) * smoothstep(chroma, *_HUE_COUNTS)
    return np.asarray(found, dtype=np.float32)


def held(known: Ground, stroke: Stroke, path: Points) -> Fits:
    """How much of a stroke's paint stays, by what lies under its middle.

    The core of the stroke tells the colours, everywhere anew; what looks otherwise takes no paint.
    """
    cells = known.cells
    radius = stroke.radius * cells
    margin = 2 * radius + 3 * _GUIDE_RADIUS
    rows, columns = known.features.shape[1:]
    low = np.floor(path.min(axis=0) * cells - margin).astype(int)
    high = np.ceil(path.max(axis=0) * cells + margin).astype(int)
    x0, y0 = (
        int(np.clip(value, 0, size - 1)) for value, size in zip(low, (columns, rows), strict=True)
    )
    x1, y1 = max(x0 + 1, min(int(high[0]), columns)), max(y0 + 1, min(int(high[1]), rows))
    found = np.zeros((rows, columns), np.float32)
    tolerance = tolerated(24 - 18 * stroke.hold / 100)
    part = np.ascontiguousarray(known.features[:, y0:y1, x0:x1])
    points = path * cells - np.array([x0, y0])
    found[y0:y1, x0:x1] = kernels.held(part, points, radius, _HELD_WIDENED, tolerance, _FADE)
    return fitted(known, found, (x0, y0, x1, y1))


def fitted(known: Ground, plane: Plane, box: tuple[int, int, int, int] | None = None) -> Fits:
    """A plane of the small picture, ready to be brought to pixels."""
    fits = known.guide.fits(plane)
    if box is None:
        return Fits(fits, (0, 0), known.cells)
    x0, y0, x1, y1 = box
    return Fits(np.ascontiguousarray(fits[:, y0:y1, x0:x1]), (x0, y0), known.cells)
