"""Noise of any size that is fixed to the picture: hashed numbers on a lattice.

Nothing tiles, and a part is bit-equal to that part of the whole. Nearly Gaussian numbers lie under
a quadratic B-spline, averaged exactly over each pixel; what is finer than a pixel becomes noise of
the same deviation and of the same likeness between neighbours.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import kernels

Plane = NDArray[np.float32]

#: Width of the noise's own likeness in cells of the lattice.
_WIDTH: Final = 1.66

#: From so many cells a pixel on it is noise between neighbouring pixels.
_FINE: Final = 0.85


def band(
    corner: tuple[int, int], wide_px: float, seed: int, out: Plane, strength: float = 1.0
) -> float:
    """Add noise of one size to an array; gives its deviation.

    Parameters
    ----------
    corner : (x, y)
        Of the array in the whole.
    wide_px : float
        Width of its likeness at half its height.
    seed : int
        Below 2 ** 32.
    out : float32 (H, W)
    strength : float
        Deviation of noise much larger than a pixel.
    """
    cells = _WIDTH / wide_px
    deviation = float(strength * _deviation(cells))
    if cells > _FINE:
        side = _neighbours(cells)
        kernels.add_fine(corner, side, deviation / (1 + 2 * side * side), seed, out)
        return deviation
    first_x, columns = _weights(corner[0], out.shape[1], cells)
    first_y, rows = _weights(corner[1], out.shape[0], cells)
    first = (int(first_x[0]), int(first_y[0]))
    across = np.ascontiguousarray(strength * columns.T / kernels.SPLINE_POWER, dtype=np.float32)
    down = np.ascontiguousarray(rows, dtype=np.float32)
    kernels.add_lattice(
        first,
        (across, (first_x - first[0]).astype(np.uint32)),
        (down, (first_y - first[1]).astype(np.int64)),
        seed,
        out,
    )
    return deviation


def cloud(
    corner: tuple[int, int],
    shape: tuple[int, int],
    wide_px: float,
    seed: int,
    octaves: int,
    gain: float,
) -> Plane:
    """Noise of several sizes, each half as wide as the last and ``gain`` times as strong."""
    out = np.zeros(shape, dtype=np.float32)
    strength = power = 1.0
    for octave in range(octaves):
        wide = wide_px / 2**octave
        if octave and _WIDTH / wide > _FINE:
            break
        band(corner, wide, (seed + octave) % 2**32, out, strength)
        power += strength**2 if octave else 0.0
        strength *= gain
    out /= np.float32(np.sqrt(power))
    return out


def _spline(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Integral of the quadratic B-spline up to x."""
    x = np.clip(x, -1.5, 1.5)
    to, past = 1.5 + x, 1.5 - x
    rising = to * to * to / 6  # powers of arrays cost ten times as much
    middle = 1 / 6 + 0.75 * (x + 0.5) - (x * x * x + 0.125) / 3
    falling = 1 - past * past * past / 6
    return np.asarray(np.where(x < -0.5, rising, np.where(x < 0.5, middle, falling)))


@lru_cache(maxsize=64)
def _weights(
    start: float, count: int, cells: float
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """For each pixel its first cell, and the weights ``(count, 5)`` of five cells."""
    low = (start + np.arange(count)) * cells
    first = np.floor(low - 1.5).astype(np.int64) + 1
    lattice = first[:, None] + np.arange(5)
    weights = _spline(low[:, None] + cells - lattice) - _spline(low[:, None] - lattice)
    weights /= cells
    for kept in (first, weights):
        kept.setflags(write=False)
    return first, weights


def _many(start: float, count: int, cells: float) -> NDArray[np.float64]:
    """The same as a table over the lattice, for pixels that hold any number of cells."""
    low = np.asarray((start + np.arange(count)) * cells, dtype=np.float64)
    lattice = np.arange(np.floor(low[0] - 2), np.ceil(low[-1] + cells + 3), dtype=np.float64)
    found = _spline(low[:, None] + cells - lattice) - _spline(low[:, None] - lattice)
    return np.asarray(found / cells)


@lru_cache(maxsize=32)
def _deviation(cells: float) -> float:
    """Deviation of the field where a pixel holds so many cells, mean over phases."""
    phases = np.linspace(0, 1, 16, endpoint=False)
    powers = [(_many(phase / cells, 1, cells) ** 2).sum() for phase in phases]
    return float(np.mean(powers) / kernels.SPLINE_POWER)


@lru_cache(maxsize=32)
def _neighbours(cells: float) -> float:
    """The side of ``[c 1 c]`` that gives neighbouring pixels the likeness of the exact field."""
    shared = power = 0.0
    for phase in np.linspace(0, 1, 16, endpoint=False):
        one, two = _many(phase / cells, 2, cells)
        shared += float((one * two).sum())
        power += float((one * one).sum())
    alike = min(shared / power, 0.7)
    return (1 - np.sqrt(1 - 2 * alike * alike)) / (2 * alike) if alike > 1e-6 else 0.0
