"""Specks: likely dust on the sensor, proposed as spots.

Dust throws a soft, darker disc that is alike in all channels. At each of some sizes the picture's
logarithm is compared with such a disc, a slope of the surroundings left out: the share of what is
uneven there that the disc explains is its score (J. P. Lewis, "Fast Normalized
Cross-Correlation", Vision Interface 1995). Of what scores, more is looked at: colour, roundness,
what lies round it; all of it together says by a logistic regression how likely it is dust.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS

Plane = NDArray[np.float32]

#: Radii that are looked for, in pixels of a picture with the longer side below.
SIDE: Final = 1600
RADII: Final = (3.4, 4.1, 4.9, 5.9, 7.1, 8.5, 10.2, 12.3, 14.7, 17.7, 21.2)

#: Likelihood from which a speck is proposed; its depth in stops, and the score that is looked into.
SURE: Final = 0.74
DEPTHS: Final = (0.05, 1.2)
_SCORES: Final = 0.5

#: Inside and outside of a speck, in radii; along so many lines through its middle its depth is
#: compared.
_INSIDE: Final = 0.7
_OUTSIDE: Final = (1.4, 2.2)
_LINES: Final = 4

#: Weights of what is told of a speck, of the squares of the first six, and what all of them are
#: added to: a logistic regression over made specks in photographs that the benchmark does not use.
_WEIGHTS: Final = (
    5.69, -1.34, 3.80, -3.48, 10.57, -4.89, -0.75, 2.01, -0.51,
    8.45, -0.23, -0.75, 1.34, -2.19, -1.30,
)  # fmt: skip
_SQUARED: Final = 6
_BEGIN: Final = -22.82

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
    chosen: list[_Told] = []
    for one in sorted(found, reverse=True):  # the size and the place that fit best
        far = (np.hypot(one.x - other.x, one.y - other.y) for other in chosen)
        near = (_APART * max(one.radius, other.radius) for other in chosen)
        if all(apart > least for apart, least in zip(far, near, strict=True)):
            chosen.append(one)
    chosen.sort(key=lambda one: -one.likely)
    return [
        Speck(one.x / side, one.y / side, _LARGER * one.radius / side, one.likely)
        for one in chosen[:MOST]
    ]


class _Told(NamedTuple):
    """What looks like a speck, in pixels of the small picture."""

    score: float
    likely: float
    x: float
    y: float
    radius: float


def _of_size(light: Plane, channels: Plane, radius: float) -> list[_Told]:
    """What looks like a speck of one size."""
    if min(light.shape) < 2 * _WHOLE * radius:
        return []  # none has all that lies round it
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
    rows, columns = np.nonzero(peak & (score > _SCORES) & (depth > low) & (depth < high))
    told = []
    height, width = light.shape
    for row, column in zip(rows, columns, strict=True):
        place = ((column + 0.5) / factor, (row + 0.5) / factor)
        ends = place[0], place[1], width - place[0], height - place[1]
        if min(ends) < _WHOLE * radius:
            continue  # the picture goes on there only as a mirror
        spoken = float(score[row, column]), float(depth[row, column])
        likely = _likely(light, channels, place, radius, *spoken)
        if likely > SURE:
            told.append(_Told(spoken[0], likely, float(place[0]), float(place[1]), radius))
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


def _likely(
    light: Plane,
    channels: Plane,
    place: tuple[float, float],
    radius: float,
    score: float,
    depth: float,
) -> float:
    """How likely that is dust, 0 to 1: dark alike in all channels, and all round its middle."""
    reach = int(np.ceil(_OUTSIDE[1] * radius))
    column, row = int(place[0]), int(place[1])
    top, left = max(0, row - reach), max(0, column - reach)
    there = slice(top, row + reach + 1), slice(left, column + reach + 1)
    part, tones = channels[there], light[there]
    y, x = np.mgrid[top : top + tones.shape[0], left : left + tones.shape[1]]
    down, across = (y + 0.5 - place[1]) / radius, (x + 0.5 - place[0]) / radius
    far = np.hypot(across, down)
    inside = far < _INSIDE
    outside = (far > _OUTSIDE[0]) & (far < _OUTSIDE[1])
    # a line through the middle: what slopes is even on both sides of it
    line = (np.arctan2(down, across) / np.pi * _LINES).astype(int) % _LINES
    rounds = []
    for one in range(_LINES):
        inner, outer = inside & (line == one), outside & (line == one)
        if not inner.any() or not outer.any():
            return 0.0
        rounds.append(float(np.median(tones[outer]) - np.median(tones[inner])))
    depths = np.median(part[outside], axis=0) - np.median(part[inside], axis=0)
    ground = np.stack([np.ones(int(outside.sum())), across[outside], down[outside]], axis=1)
    slope = np.linalg.lstsq(ground, tones[outside], rcond=None)[0]
    rest = tones[outside] - ground @ slope
    told = [
        score,
        np.log(np.ptp(depths) / depth + 0.05),
        np.clip(min(rounds) / depth, -1, 2),
        np.clip(max(rounds) / depth, 0, 4),
        np.log(radius),
        np.log(depth),
        np.log(_spread(rest) / depth + 0.02),
        np.log(float(np.std(rest)) / depth + 0.02),
        np.log(np.hypot(*slope[1:]) / depth + 0.02),
    ]
    told += [one * one for one in told[:_SQUARED]]
    return float(1 / (1 + np.exp(-(_BEGIN + np.dot(_WEIGHTS, told)))))


def _spread(tones: Plane) -> float:
    return float(np.median(np.abs(tones - np.median(tones))))
