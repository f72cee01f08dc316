"""Grain: a field of hashed numbers fixed to the picture, stronger in the middle tones.

Its numbers are those of :mod:`.lattice`. Its spectrum follows a filtered Boolean model of film.

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
from oatmeal.core.finish.lattice import band
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import Grain

Plane = NDArray[np.float32]

#: Amplitude over encoded u: ``u (1 - u) (_A0 + _A1 u)``, 1 in the middle; deviation at amount 100.
_A0: Final = 3.2
_A1: Final = 1.6
_AT_100: Final = 0.12

#: Clumps are so much larger than grains.
_CLUMP: Final = 2.4

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
    clumps = 0.5 * grain.roughness / 100
    out = np.zeros(shape, dtype=np.float32)
    deviation = band(corner, wide, mixed, out, np.sqrt(1 - clumps))
    if not clumps:
        return out, deviation
    wider = band(corner, wide * _CLUMP, mixed ^ 0x5BF03635, out, np.sqrt(clumps))
    return out, float(np.hypot(deviation, wider))


def grained(
    encoded: Plane, grain: Grain, made: tuple[Plane, float], share: Plane | None = None
) -> Plane:
    """Encoded values ``(H, W)`` with grain of a field; their mean light stays.

    ``share (H, W)`` says how much of the grain there is at each pixel, 0 to 1.
    """
    noise, deviation = made
    strength = _AT_100 * grain.amount / 100
    skew = 0.18 * grain.roughness / 100
    shift = _shift(round(strength, 6), round(deviation, 4), skew)
    amplitude = np.array([strength * _A0, strength * _A1], np.float32)
    return kernels.grained(encoded, noise, amplitude, skew, shift, share)


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
