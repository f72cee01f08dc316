"""The noise of a file: what is measured of it, and what that says.

Its variance is a line over the light. What a camera has smoothed or compressed is not alike at all
frequencies: a spectrum in light and colour says how much there is of each.

References
----------
A. Foi, M. Trimeche, V. Katkovnik and K. Egiazarian, "Practical Poissonian-Gaussian Noise Modeling
and Fitting for Single-Image Raw-Data", IEEE TIP 17 (2008), for the line.
D. L. Donoho and I. M. Johnstone, "Ideal Spatial Adaptation by Wavelet Shrinkage", Biometrika 81
(1994): a deviation from the median of the finest diagonal wavelet.
N. Ponomarenko et al., "Estimation of Variance and Spatial Correlation Width for Fine-scale
Measurement Error in Digital Image", SPIE 7870 (2011), for spectra from flat blocks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

Colour = NDArray[np.float32]
Read = Callable[[int, int, int, int], Colour]
Triple = tuple[float, float, float]
Spectrum = tuple[tuple[tuple[float, ...], ...], ...]

#: A deviation is this much of the median of absolute values (of a normal distribution).
MEDIAN_OF_NORMAL: Final = 0.6745

#: Side of the blocks whose frequencies are told apart.
SIDE: Final = 8

#: Three equal channels turned to light, red against blue, and green against both; orthonormal.
OPPONENT: Final = np.array(
    [[3**-0.5] * 3, [2**-0.5, 0, -(2**-0.5)], [6**-0.5, -2 * 6**-0.5, 6**-0.5]]
)

#: Noise that does not grow with the light is taken for one that grows by this share of itself, and
#: none for this gain: what makes it even needs one.
STEADY: Final = 0.01
LEAST_GAIN: Final = 1e-9

#: Squares that are looked at, along each side, and their size in pixels.
_SQUARES: Final = 4
_SQUARE: Final = 256

#: Share of blocks that count as flat, bins of brightness, and blocks that one needs.
_FLAT: Final = 0.3
_BINS: Final = 12
_FEWEST: Final = 24

#: Light between which noise is read; nearer to the ends it is cut off.
_DARKEST: Final = 0.0015
_BRIGHTEST: Final = 0.9

#: Variance a unit of light below which nothing is told from rounding.
_LEAST: Final = 1e-8

#: A spectrum is told from fewer blocks, and from their lower terms: it is hidden in texture more
#: easily. A deviation is so many times that quantile of absolute values.
_FLATTEST: Final = 0.1
_LOW: Final = 0.25
_LOW_OF_NORMAL: Final = 0.3186

#: High frequencies are so weak where a camera has smoothed or compressed its noise.
_SMOOTHED: Final = 0.75

#: Low frequencies of light have so many times the deviation of middle ones at the most: what is
#: more is texture.
_COARSER: Final = 1.3

#: Deviations of a frequency, in those of the finest wavelet, are taken for within these.
_FAINTEST: Final = 0.5
_STRONGEST: Final = 8.0


@dataclass(frozen=True)
class Noise:
    """Variance of each channel of a file's own pixels, linear light: ``gain * x + floor``.

    Attributes
    ----------
    gain, floor : three floats
        Of red, green and blue; not negative. As the finest grain tells them.
    spectrum : (3, SIDE, SIDE) floats, optional
        Deviation of each frequency of a block's cosine transform, of that: of light and of both
        colours of :data:`OPPONENT`. None: all are alike.
    """

    gain: Triple
    floor: Triple
    spectrum: Spectrum | None = None

    def scaled(self, factor: float) -> Noise:
        """With deviations so many times as large."""
        gain, floor = (
            (part[0] * factor**2, part[1] * factor**2, part[2] * factor**2)
            for part in (self.gain, self.floor)
        )
        return Noise(gain, floor, self.spectrum)

    def reduced(self, scale: float) -> Noise:
        """Of a copy with ``scale`` pixels for one of the file, averaged over light."""
        known = self.scaled(scale)
        if self.spectrum is None or scale >= 1:
            return known
        places = np.arange(SIDE) * scale
        left = np.minimum(places.astype(int), SIDE - 2)
        part = places - left
        spectra = np.array(self.spectrum)
        rows = spectra[:, left] * (1 - part)[:, None] + spectra[:, left + 1] * part[:, None]
        both = rows[:, :, left] * (1 - part) + rows[:, :, left + 1] * part
        return Noise(known.gain, known.floor, _nested(both))

    def deviations(self) -> NDArray[np.float64]:
        """Of every frequency, ``(3, SIDE, SIDE)``; 1 where nothing else is known."""
        if self.spectrum is None:
            return np.ones((3, SIDE, SIDE))
        return np.array(self.spectrum)

    def deviation(self, light: float, weights: Triple) -> float:
        """Of a grey that is mixed from the channels, where all three have this light."""
        powers = (self.deviations() ** 2).mean(axis=(1, 2))
        shared = OPPONENT.T @ np.diag(powers) @ OPPONENT
        alone = np.array(weights) * np.sqrt(light * np.array(self.gain) + self.floor)
        return float(np.sqrt(max(0.0, alone @ shared @ alone)))


#: Of a picture that has none.
NONE: Final = Noise((0.0, 0.0, 0.0), (0.0, 0.0, 0.0))


def even_terms(noise: Noise) -> tuple[NDArray[np.float64], ...]:
    """Gain, offset and scale of each channel: ``scale * sqrt(gain * x + offset)`` is even.

    The generalised Anscombe transform, as M. Mäkitalo and A. Foi write it ("Optimal Inversion of
    the Generalized Anscombe Transformation for Poisson-Gaussian Noise", IEEE TIP 22, 2013).
    """
    floor = np.array(noise.floor)
    gain = np.maximum(noise.gain, np.maximum(STEADY * floor, LEAST_GAIN))
    return gain, 0.375 * gain**2 + floor, 2 / gain


def measured(read: Read, width: int, height: int) -> Noise:
    """The noise of a picture, from flat places of a few squares of it.

    Parameters
    ----------
    read : callable
        ``read(x, y, width, height)``: linear colour ``(height, width, 3)``.
    width, height : int
    """
    parts = [np.asarray(read(*place), np.float32) for place in squares(width, height)]
    lines = [_line([square[..., channel] for square in parts]) for channel in range(3)]
    (gain, floor) = zip(*lines, strict=True)
    white = Noise((gain[0], gain[1], gain[2]), (floor[0], floor[1], floor[2]))
    if not any(white.gain) and not any(white.floor):
        return NONE
    return Noise(white.gain, white.floor, _spectrum(parts, white))


def measured_array(rgb_linear: Colour) -> Noise:
    """The noise of a picture that lies in memory, ``(H, W, 3)``."""
    height, width = rgb_linear.shape[:2]

    def read(x: int, y: int, across: int, down: int) -> Colour:
        return rgb_linear[y : y + down, x : x + across]

    return measured(read, width, height)


def squares(width: int, height: int) -> Iterator[tuple[int, int, int, int]]:
    """Places ``(x, y, width, height)`` that a picture's pixels are judged by."""
    across, down = min(width, _SQUARE), min(height, _SQUARE)
    columns = _starts(width, across)
    for y in _starts(height, down):
        for x in columns:
            yield x, y, across, down


def _starts(length: int, part: int) -> list[int]:
    """Where squares begin, on the blocks that a JPEG has too."""
    count = min(_SQUARES, max(1, length // part))
    return [int(place) // 16 * 16 for place in np.linspace(0, length - part, count)]


def _line(planes: list[Colour]) -> tuple[float, float]:
    """Gain and floor of one channel's variance."""
    blocks = [_blocks(plane) for plane in planes]
    light, texture, grain = (np.concatenate(part) for part in zip(*blocks, strict=True))
    means, deviations = [], []
    for flat in _flat(light, texture):
        means.append(light[flat].mean())
        deviations.append(np.median(np.abs(grain[flat])) / MEDIAN_OF_NORMAL)
    if not means:
        return 0.0, 0.0
    at = np.array(means, dtype=float)
    return _fitted(at, np.maximum(np.array(deviations, dtype=float) ** 2, _LEAST * at))


def _flat(light: Colour, texture: Colour, share: float = _FLAT) -> list[NDArray[np.int64]]:
    """The flattest blocks of each bin of brightness; none where the picture tells too little."""
    inside = (light > _DARKEST) & (light < _BRIGHTEST)
    if inside.sum() < _FEWEST:
        return []
    order = np.flatnonzero(inside)[np.argsort(light[inside])]
    bins = np.array_split(order, max(1, min(_BINS, len(order) // _FEWEST)))
    return [part[np.argsort(texture[part])[: max(4, round(share * len(part)))]] for part in bins]


def _blocks(plane: Colour) -> tuple[Colour, Colour, Colour]:
    """Of blocks of two SIDE: light, how uneven it is, and the finest diagonal wavelet (Haar's)."""
    plane = _trimmed(plane)
    one, two, three, four = plane[::2, ::2], plane[::2, 1::2], plane[1::2, ::2], plane[1::2, 1::2]
    light = _cut((one + two + three + four) * np.float32(0.25))
    grain = _cut((one - two - three + four) * np.float32(0.5))
    return light.mean(axis=1), light.var(axis=1), grain


def _trimmed(plane: Colour) -> Colour:
    height, width = (size // (2 * SIDE) * 2 * SIDE for size in plane.shape[:2])
    return plane[:height, :width]


def _cut(plane: Colour) -> Colour:
    """Blocks ``(n, SIDE ** 2)`` of a plane."""
    rows, columns = plane.shape[0] // SIDE, plane.shape[1] // SIDE
    blocks = plane.reshape(rows, SIDE, columns, SIDE).swapaxes(1, 2)
    return np.ascontiguousarray(blocks).reshape(rows * columns, SIDE**2)


def _spectrum(squares: list[Colour], white: Noise) -> Spectrum | None:
    """Deviations of a block's frequencies in flat places, once the noise is made even."""

    gain, offset, scale = even_terms(white)
    found = []
    for square in squares:
        square = _trimmed(square)
        light, texture, _ = _blocks(square[..., 1])
        chosen = _flat(light, texture, _FLATTEST)
        if not chosen:
            continue
        even = scale * np.sqrt(np.maximum(gain * square + offset, 0)) @ OPPONENT.T
        rows, columns = square.shape[0] // (2 * SIDE), square.shape[1] // (2 * SIDE)
        wide = even.reshape(rows, 2 * SIDE, columns, 2 * SIDE, 3).transpose(0, 2, 4, 1, 3)
        blocks = wide.reshape(rows * columns, 3, 2 * SIDE, 2 * SIDE)[np.concatenate(chosen)]
        quarters = blocks.reshape(-1, 3, 2, SIDE, 2, SIDE).transpose(0, 2, 4, 1, 3, 5)
        found.append(quarters.reshape(-1, 3, SIDE, SIDE))
    if not found:
        return None
    terms = scipy.fft.dctn(np.concatenate(found), axes=(2, 3), norm="ortho")
    deviations = np.quantile(np.abs(terms), _LOW, axis=0) / _LOW_OF_NORMAL
    deviations = (deviations + deviations.swapaxes(1, 2)) / 2
    deviations[:, 0, 0] = deviations[:, 0, 1]
    if np.median(deviations[:, 5:, 5:], axis=(1, 2)).min() > _SMOOTHED:
        return None  # as fine as a sensor makes it: what is coarser is the picture's
    middle = np.median([deviations[0, k, 4 - k] for k in range(5)])
    deviations[0] = np.minimum(deviations[0], _COARSER * middle)
    return _nested(np.clip(deviations, _FAINTEST, _STRONGEST))


def _nested(spectra: NDArray[np.float64]) -> Spectrum:
    return tuple(tuple(tuple(float(x) for x in row) for row in plane) for plane in spectra)


def _fitted(
    light: NDArray[np.float64], variance: NDArray[np.float64], rounds: int = 6
) -> tuple[float, float]:
    """A line that is nowhere negative; what lies far above it, texture, counts little."""

    line = np.array([0.0, float(np.median(variance))])
    sides = np.stack([light, np.ones_like(light)], axis=1)
    weight = 1 / variance
    for _ in range(rounds):
        line, _ = scipy.optimize.nnls(sides * weight[:, None], variance * weight)
        told = np.maximum(sides @ line, 1e-12)
        off = variance / told - 1
        weight = 1 / (told * (1 + np.maximum(off, 0) ** 2 * 16 + off**2))
    return float(line[0]), float(line[1])
