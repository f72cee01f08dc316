"""Grain: a field of hashed numbers fixed to the picture, stronger in the middle tones.

Nothing tiles, and a part is bit-equal to that part of the whole. The field is a lattice of nearly
Gaussian numbers under a quadratic B-spline, averaged exactly over each pixel; grain finer than a
pixel becomes noise of the same deviation and of the same likeness between neighbours. Its spectrum
follows a filtered Boolean model of film.

References
----------
A. Newson, J. Delon and B. Galerne, "A Stochastic Film Grain Model for Resolution-Independent
Rendering", Computer Graphics Forum 36 (2017). Granularity goes with the root of density (E. W. H.
Selwyn, Photographic Journal 75, 1935), through a paper's S-shaped curve; no published constants.
"""

from __future__ import annotations

import zlib
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb
from oatmeal.core.finish import kernels
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import Grain

Plane = NDArray[np.float32]

#: Width of the grain's own likeness in cells of the lattice.
_WIDTH: Final = 1.66

#: Amplitude over encoded u: ``u (1 - u) (_A0 + _A1 u)``, 1 in the middle; deviation at amount 100.
_A0: Final = 3.2
_A1: Final = 1.6
_AT_100: Final = 0.12

#: Clumps are so much larger than grains.
_CLUMP: Final = 2.4

#: From so many cells a pixel on it is noise between neighbouring pixels.
_FINE: Final = 0.85

_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(21)


def field(grain: Grain, window: Window, shape: tuple[int, int], seed: int) -> tuple[Plane, float]:
    """The grain's field, and its deviation where grain of full size has 1.

    Parameters
    ----------
    grain : Grain
    window : Window
        Where the array lies in the framed picture.
    shape : (height, width)
    seed : int
        Of the photograph.
    """
    wide = grain.size / 1000 * max(window.width, window.height)
    mixed = zlib.crc32(f"{seed} {grain.seed}".encode())
    corner = (round(window.x), round(window.y))
    one, deviation = _band(corner, shape, wide, mixed)
    clumps = 0.5 * grain.roughness / 100
    if not clumps:
        return one, deviation
    other, wider = _band(corner, shape, wide * _CLUMP, mixed ^ 0x5BF03635)
    one *= np.float32(np.sqrt(1 - clumps))
    other *= np.float32(np.sqrt(clumps))
    one += other
    return one, float(np.sqrt((1 - clumps) * deviation**2 + clumps * wider**2))


def _band(
    corner: tuple[int, int], shape: tuple[int, int], wide_px: float, seed: int
) -> tuple[Plane, float]:
    cells = _WIDTH / wide_px
    deviation = _deviation(cells)
    if cells > _FINE:
        side = _neighbours(cells)
        norm = deviation / (1 + 2 * side * side)
        return kernels.fine(corner, shape, side, norm, seed), deviation
    first_x, columns = _weights(corner[0], shape[1], cells)
    first_y, rows = _weights(corner[1], shape[0], cells)
    first = (int(first_x[0]), int(first_y[0]))
    across = np.ascontiguousarray(columns.T / kernels.SPLINE_POWER, dtype=np.float32)
    down = np.ascontiguousarray(rows, dtype=np.float32)
    made = kernels.lattice(
        first,
        (across, (first_x - first[0]).astype(np.uint32)),
        (down, (first_y - first[1]).astype(np.int64)),
        seed,
    )
    return made, deviation


def _spline(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """Integral of the quadratic B-spline up to x."""
    x = np.clip(x, -1.5, 1.5)
    rising = (x + 1.5) ** 3 / 6
    middle = 1 / 6 + 0.75 * (x + 0.5) - (x**3 + 0.125) / 3
    falling = 1 - (1.5 - x) ** 3 / 6
    return np.asarray(np.where(x < -0.5, rising, np.where(x < 0.5, middle, falling)))


def _weights(
    start: float, count: int, cells: float
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """For each pixel its first cell, and the weights ``(count, 5)`` of five cells."""
    low = (start + np.arange(count)) * cells
    first = np.floor(low - 1.5).astype(np.int64) + 1
    lattice = first[:, None] + np.arange(5)
    weights = _spline(low[:, None] + cells - lattice) - _spline(low[:, None] - lattice)
    return first, weights / cells


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


def grained(encoded: Plane, grain: Grain, made: tuple[Plane, float]) -> Plane:
    """Encoded values ``(H, W)`` with grain of a field; their mean light stays."""
    noise, deviation = made
    strength = _AT_100 * grain.amount / 100
    skew = 0.18 * grain.roughness / 100
    shift = _shift(round(strength, 6), round(deviation, 4), skew)
    amplitude = np.array([strength * _A0, strength * _A1], np.float32)
    return kernels.grained(encoded, noise, amplitude, skew, shift)


@lru_cache(maxsize=256)
def _shift(strength: float, deviation: float, skew: float) -> Plane:
    """What must be added so that the mean of the light stays: ``u (1 - u)`` times a polynomial."""
    u = np.linspace(0, 1, 129)[1:-1]
    amplitude = strength * u * (1 - u) * (_A0 + _A1 * u)
    bent = skew * (1 - 2 * u)
    z = _NODES[None] * deviation
    moved = amplitude[:, None] * (z + bent[:, None] * z * z)
    weights, wanted = _WEIGHTS / _WEIGHTS.sum(), decode_srgb(u)
    shift = -amplitude * bent * deviation**2
    for _ in range(12):  # Newton's steps
        here = (decode_srgb(np.clip(u[:, None] + shift[:, None] + moved, 0, 1)) @ weights) - wanted
        near = decode_srgb(np.clip(u[:, None] + shift[:, None] + 1e-4 + moved, 0, 1)) @ weights
        shift = shift - here * 1e-4 / np.maximum(near - wanted - here, 1e-9)
    terms = (u * (1 - u))[:, None] * u[:, None] ** np.arange(6)
    even = 1 / np.maximum(u, 0.02)
    found = np.linalg.lstsq(terms * even[:, None], shift * even, rcond=None)[0]
    return np.asarray(found, dtype=np.float32)
