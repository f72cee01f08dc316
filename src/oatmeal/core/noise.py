"""The noise of a file: what is measured of it, and what that says.

References
----------
A. Foi, M. Trimeche, V. Katkovnik and K. Egiazarian, "Practical Poissonian-Gaussian Noise Modeling
and Fitting for Single-Image Raw-Data", IEEE TIP 17 (2008): variance is a line over the light.
D. L. Donoho and I. M. Johnstone, "Ideal Spatial Adaptation by Wavelet Shrinkage", Biometrika 81
(1994): a deviation from the median of the finest diagonal wavelet.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

Colour = NDArray[np.float32]
Read = Callable[[int, int, int, int], Colour]
Triple = tuple[float, float, float]

#: A deviation is this much of the median of absolute values (of a normal distribution).
MEDIAN_OF_NORMAL: Final = 0.6745

#: Squares that are looked at, along each side, and their size in pixels.
_SQUARES: Final = 5
_SQUARE: Final = 512

#: Side of a block in wavelet coefficients, and the share of blocks that count as flat.
_BLOCK: Final = 8
_FLAT: Final = 0.3

#: Bins of brightness, and blocks that one needs.
_BINS: Final = 12
_FEWEST: Final = 24

#: Light between which noise is read; nearer to the ends it is cut off.
_DARKEST: Final = 0.0015
_BRIGHTEST: Final = 0.9

#: Noise is smoothed where this share of the bins has so many times the deviation an octave lower.
_TOLD_BY: Final = 0.25
_SMOOTHED: Final = 1.5

#: Variance a unit of light below which nothing is told from rounding.
_LEAST: Final = 1e-8


@dataclass(frozen=True)
class Noise:
    """Variance of each channel of a file's own pixels, linear light: ``gain * x + floor``.

    Attributes
    ----------
    gain, floor : three floats
        Of red, green and blue; not negative.
    """

    gain: Triple
    floor: Triple

    def scaled(self, factor: float) -> Noise:
        """With deviations so many times as large."""
        gain, floor = (tuple(factor**2 * value for value in part) for part in self._parts())
        return Noise((gain[0], gain[1], gain[2]), (floor[0], floor[1], floor[2]))

    def _parts(self) -> tuple[Triple, Triple]:
        return self.gain, self.floor

    def deviation(self, light: float, weights: Triple) -> float:
        """Of a grey that is mixed from the channels, where all three have this light."""
        return float(
            sum(
                weight**2 * (gain * light + floor)
                for weight, gain, floor in zip(weights, self.gain, self.floor, strict=True)
            )
            ** 0.5
        )


#: Of a picture that has none.
NONE: Final = Noise((0.0, 0.0, 0.0), (0.0, 0.0, 0.0))


def measured(read: Read, width: int, height: int) -> Noise:
    """The noise of a picture, from flat places of a few squares of it.

    Parameters
    ----------
    read : callable
        ``read(x, y, width, height)``: linear colour ``(height, width, 3)``.
    width, height : int
    """
    squares = [read(*place) for place in _squares(width, height)]
    lines = [_line([square[..., channel] for square in squares]) for channel in range(3)]
    (gain, floor) = zip(*lines, strict=True)
    return Noise((gain[0], gain[1], gain[2]), (floor[0], floor[1], floor[2]))


def measured_array(rgb_linear: Colour) -> Noise:
    """The noise of a picture that lies in memory, ``(H, W, 3)``."""
    height, width = rgb_linear.shape[:2]

    def read(x: int, y: int, across: int, down: int) -> Colour:
        return rgb_linear[y : y + down, x : x + across]

    return measured(read, width, height)


def _squares(width: int, height: int) -> Iterator[tuple[int, int, int, int]]:
    across, down = min(width, _SQUARE), min(height, _SQUARE)
    columns = _starts(width, across)
    for y in _starts(height, down):
        for x in columns:
            yield x, y, across, down


def _starts(length: int, part: int) -> list[int]:
    count = min(_SQUARES, max(1, length // part))
    return [round(place) for place in np.linspace(0, length - part, count)]


def _line(planes: list[NDArray[np.float32]]) -> tuple[float, float]:
    """Gain and floor of one channel's variance."""
    blocks = [_blocks(np.asarray(plane, dtype=np.float32)) for plane in planes]
    light, texture, grain, coarser = (np.concatenate(part) for part in zip(*blocks, strict=True))
    inside = (light > _DARKEST) & (light < _BRIGHTEST)
    if inside.sum() < _FEWEST:
        return 0.0, 0.0
    order = np.flatnonzero(inside)[np.argsort(light[inside])]
    means, finest, nexts = [], [], []
    for part in np.array_split(order, max(1, min(_BINS, len(order) // _FEWEST))):
        flat = part[np.argsort(texture[part])[: max(4, round(_FLAT * len(part)))]]
        means.append(light[flat].mean())
        finest.append(np.median(np.abs(grain[flat])) / MEDIAN_OF_NORMAL)
        nexts.append(np.median(np.abs(coarser[flat])) / MEDIAN_OF_NORMAL)
    told, at = np.array(finest, dtype=float), np.array(means, dtype=float)
    variance = np.maximum(told**2, _LEAST * at)
    # texture makes the next octave larger in some bins, smoothed noise in all of them
    smoothed = float(np.quantile(nexts / np.sqrt(variance), _TOLD_BY))
    gain, floor = _fitted(at, variance)
    square = 1.0 if smoothed < _SMOOTHED else smoothed**2
    return gain * square, floor * square


def _blocks(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], ...]:
    """Of blocks: their light, how uneven it is, and the diagonal wavelets of two octaves.

    Noise that a camera has smoothed or compressed is lower in the finest octave than in the next.
    """
    side = 2 * _BLOCK
    plane = plane[: plane.shape[0] // side * side, : plane.shape[1] // side * side]
    half, finest = _halved(plane)
    _, next_one = _halved(half)
    light = _cut(half, _BLOCK)
    coarser = _cut(2 * next_one, _BLOCK // 2)
    return light.mean(axis=1), light.var(axis=1), _cut(finest, _BLOCK), coarser


def _halved(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A plane of half the size, and its diagonal wavelets (Haar's, of the same deviation)."""
    one, two, three, four = plane[::2, ::2], plane[::2, 1::2], plane[1::2, ::2], plane[1::2, 1::2]
    light: NDArray[np.float32] = (one + two + three + four) * np.float32(0.25)
    grain: NDArray[np.float32] = (one - two - three + four) * np.float32(0.5)
    return light, grain


def _cut(plane: NDArray[np.float32], side: int) -> NDArray[np.float32]:
    """Blocks ``(n, side ** 2)`` of a plane."""
    rows, columns = plane.shape[0] // side, plane.shape[1] // side
    blocks = plane.reshape(rows, side, columns, side).swapaxes(1, 2)
    return np.ascontiguousarray(blocks).reshape(rows * columns, side**2)


def _fitted(
    light: NDArray[np.float64], variance: NDArray[np.float64], rounds: int = 6
) -> tuple[float, float]:
    """A line that is nowhere negative; what lies far above it, texture, counts little."""
    from scipy.optimize import nnls  # late: it takes long to import

    line = np.array([0.0, float(np.median(variance))])
    sides = np.stack([light, np.ones_like(light)], axis=1)
    weight = 1 / variance
    for _ in range(rounds):
        line, _ = nnls(sides * weight[:, None], variance * weight)
        told = np.maximum(sides @ line, 1e-12)
        off = variance / told - 1
        weight = 1 / (told * (1 + np.maximum(off, 0) ** 2 * 16 + off**2))
    return float(line[0]), float(line[1])
