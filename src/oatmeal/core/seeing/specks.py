"""Specks: likely dust on the sensor, proposed as spots.

Dust throws a soft, darker disc that is alike in all channels. At each of some sizes the picture's
logarithm is compared with such a disc, a slope of the surroundings left out: the share of what is
uneven there that the disc explains is its score (J. P. Lewis, "Fast Normalized Cross-Correlation",
Vision Interface 1995).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS

Plane = NDArray[np.float32]

#: Radii that are looked for, in pixels of a picture with the longer side below.
SIDE: Final = 1600
RADII: Final = (3.4, 4.1, 4.9, 5.9, 7.1, 8.5, 10.2, 12.3, 14.7, 17.7, 21.2)

#: Score from which a speck is proposed, and its depth in stops.
SURE: Final = 0.6
DEPTHS: Final = (0.06, 1.2)

#: How much the depth may differ between the channels, in shares of itself and in stops.
_COLOURED: Final = (0.4, 0.03)

#: Inside and outside of a speck, in radii; along so many lines through its middle its depth is
#: compared, and lies between these shares of the whole.
_INSIDE: Final = 0.7
_OUTSIDE: Final = (1.4, 2.2)
_LINES: Final = 4
_ROUND: Final = (0.5, 1.8)

#: Half of what lies inside, and outside, differs from the rest by less than these shares of the
#: depth.
_EVEN: Final = (0.16, 0.25)

#: So many are proposed at the most, the surest first.
MOST: Final = 60

#: Radius of the disc that is compared, its softness, and how far is looked, in radii.
_RADIUS: Final = 4.0
_SOFT: Final = 0.2
_LOOKED: Final = 2.6

#: Deviation in stops that is no speck in the evenest sky.
_NOISE: Final = 0.004

#: A speck lies so many radii from the picture's ends.
_WHOLE: Final = 1.5

#: Specks lie apart by so many of the larger one's radii.
_APART: Final = 1.5

#: A speck's spot is larger than the speck.
_LARGER: Final = 1.5


@dataclass(frozen=True)
class Speck:
    """A likely speck.

    Attributes
    ----------
    x, y : float
        Its middle, in shares of the picture's longer side.
    radius : float
        Of a spot that covers it, in the same shares.
    sure : float
        0 to 1.
    """

    x: float
    y: float
    radius: float
    sure: float


def find_specks(rgb_linear: NDArray[np.float32]) -> list[Speck]:
    """Likely dust in a picture, the surest first.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The whole picture at any size; it is looked at with a longer side of :data:`SIDE`.
    """
    longest = max(rgb_linear.shape[:2])
    scale = min(1.0, SIDE / longest)
    small = cv2.resize(rgb_linear, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    floor = np.float32(2.0**-6)
    light = np.log2(np.maximum(small @ np.array(LUMINANCE_WEIGHTS, np.float32), 0) + floor)
    channels = np.log2(np.maximum(small, 0) + floor)
    found = [speck for radius in RADII for speck in _of_size(light, channels, radius)]
    side = max(small.shape[:2])
    chosen: list[tuple[float, float, float, float]] = []
    for one in sorted(found, reverse=True):
        _, x, y, radius = one
        far = (np.hypot(x - other[1], y - other[2]) for other in chosen)
        near = (_APART * max(radius, other[3]) for other in chosen)
        if all(apart > least for apart, least in zip(far, near, strict=True)):
            chosen.append(one)
    return [
        Speck(x / side, y / side, _LARGER * radius / side, min(1.0, sure))
        for sure, x, y, radius in chosen[:MOST]
    ]


def _of_size(
    light: Plane, channels: Plane, radius: float
) -> list[tuple[float, float, float, float]]:
    """Score, x, y and radius of what looks like a speck of one size."""
    factor = _RADIUS / radius
    size = _sized(light, factor)
    disc, window = _disc()
    energy, count = float((disc * disc).sum()), float(window.sum())
    depth = cv2.filter2D(size, -1, disc / energy)
    mean = cv2.filter2D(size, -1, window / count)
    uneven = np.maximum(cv2.filter2D(size * size, -1, window / count) - mean * mean, 1e-9) * count
    y, x = _places()
    slopes = [cv2.filter2D(size, -1, (axis * window).astype(np.float32)) for axis in (x, y)]
    sloping = (slopes[0] ** 2 + slopes[1] ** 2) / float((x * x * window).sum())
    rest = np.maximum(uneven - sloping, 1e-9) + count * _NOISE**2
    score = depth * np.abs(depth) * energy / rest
    peak = score == cv2.dilate(score, np.ones((5, 5), dtype=np.uint8))
    low, high = DEPTHS
    rows, columns = np.nonzero(peak & (score > SURE) & (depth > low) & (depth < high))
    told = []
    height, width = light.shape
    for row, column in zip(rows, columns, strict=True):
        place = ((column + 0.5) / factor, (row + 0.5) / factor)
        ends = place[0], place[1], width - place[0], height - place[1]
        if min(ends) < _WHOLE * radius:
            continue  # the picture goes on there only as a mirror
        if _looks_like_dust(light, channels, place, radius, float(depth[row, column])):
            told.append((float(score[row, column]), float(place[0]), float(place[1]), radius))
    return told


def _sized(plane: Plane, factor: float) -> Plane:
    way = cv2.INTER_AREA if factor < 1 else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(plane, None, fx=factor, fy=factor, interpolation=way))


def _places() -> tuple[Plane, Plane]:
    reach = int(np.ceil(_LOOKED * _RADIUS))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    return y, x


def _disc() -> tuple[Plane, Plane]:
    """A soft dark disc without a mean, and the window that it is compared in."""
    far = np.hypot(*_places())
    window = (far <= _LOOKED * _RADIUS).astype(np.float32)
    disc = -1 / (1 + np.exp((far - _RADIUS) / (_RADIUS * _SOFT)))
    disc = (disc - (disc * window).sum() / window.sum()) * window
    return disc.astype(np.float32), window


def _looks_like_dust(
    light: Plane, channels: Plane, place: tuple[float, float], radius: float, depth: float
) -> bool:
    """True for what is about as dark in all channels, and all round its middle."""
    reach = int(np.ceil(_OUTSIDE[1] * radius))
    column, row = int(place[0]), int(place[1])
    top, left = max(0, row - reach), max(0, column - reach)
    there = slice(top, row + reach + 1), slice(left, column + reach + 1)
    part, tones = channels[there], light[there]
    y, x = np.mgrid[top : top + tones.shape[0], left : left + tones.shape[1]]
    down, across = y + 0.5 - place[1], x + 0.5 - place[0]
    far = np.hypot(across, down)
    inside = far < _INSIDE * radius
    outside = (far > _OUTSIDE[0] * radius) & (far < _OUTSIDE[1] * radius)
    # a line through the middle: what slopes is even on both sides of it
    line = (np.arctan2(down, across) / np.pi * _LINES).astype(int) % _LINES
    rounds = []
    for one in range(_LINES):
        inner, outer = inside & (line == one), outside & (line == one)
        if not inner.any() or not outer.any():
            return False
        rounds.append(float(np.median(tones[outer]) - np.median(tones[inner])))
    depths = np.median(part[outside], axis=0) - np.median(part[inside], axis=0)
    share, stops = _COLOURED
    coloured = np.ptp(depths) > share * depth + stops
    uneven = min(rounds) < _ROUND[0] * depth or max(rounds) > _ROUND[1] * depth
    # dust is even inside, and seen only in what is even
    rough = _spread(tones[inside]) > _EVEN[0] * depth + _NOISE
    busy = _spread(tones[outside]) > _EVEN[1] * depth + _NOISE
    return not (coloured or uneven or rough or busy)


def _spread(tones: Plane) -> float:
    return float(np.median(np.abs(tones - np.median(tones))))
