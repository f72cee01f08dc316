"""The colour of the light that a photograph was taken in, and taking it out.

A light is told by two numbers: its warmth, in mired from daylight (6504 K) along the line of black
bodies, and its tint, the distance from that line (Duv, positive toward green).

References
----------
M. Krystek, "An algorithm to calculate correlated colour temperature", Color Research and
Application 10 (1985): the line of black bodies in CIE 1960 u, v. Here it is moved so that it
passes through D65, so that a light at rest is white itself.
C. Li et al., "Comprehensive color solutions: CAM16, CAT16, and CAM16-UCS", Color Research and
Application 42 (2017): CAT16, with full adaptation.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.spaces import LUMINANCE_WEIGHTS, SRGB_TO_XYZ

#: Correlated colour temperature of D65 in kelvin, and its place on the scale of mired.
DAYLIGHT_K: Final = 6504.0
DAYLIGHT_MIRED: Final = 1e6 / DAYLIGHT_K

#: Duv of one step of tint.
DUV_A_STEP: Final = 0.0005

#: XYZ to the cone-like space of CAT16.
CAT16: Final = np.array(
    [
        [0.401288, 0.650173, -0.051461],
        [-0.250268, 1.204414, 0.045854],
        [-0.002079, 0.048952, 0.953127],
    ]
)

_WHITE: Final = SRGB_TO_XYZ.sum(axis=1)
_XYZ_TO_SRGB: Final = np.linalg.inv(SRGB_TO_XYZ)

#: Warmth at which a search for the nearest point of the line begins, in mired from daylight.
_SEARCHED: Final = np.linspace(-140.0, 600.0, 371)


TOO_COLOURFUL: Final = "This place is more colourful than any light makes a grey: take another."


class NoLight(ValueError):
    """There is too little light to tell its colour; the text is a sentence."""


def _krystek(kelvin: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE 1960 u, v of a black body, ``(..., 2)``; for 1000 to 15000 K within 9e-5."""
    t, tt = kelvin, kelvin * kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * tt) / (
        1 + 8.42420235e-4 * t + 7.08145163e-7 * tt
    )
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * tt) / (
        1 - 2.89741816e-5 * t + 1.61456053e-7 * tt
    )
    return np.stack([u, v], axis=-1)


def _uv_of(xyz: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE 1960 u, v of XYZ ``(3,)``."""
    x, y, z = xyz
    total = x + 15 * y + 3 * z
    return np.array([4 * x / total, 6 * y / total])


_SHIFT: Final = _uv_of(_WHITE) - _krystek(np.array(DAYLIGHT_K))


def _line(mired: NDArray[np.float64] | float) -> NDArray[np.float64]:
    """u, v on the line through D65, at mired from daylight."""
    return _krystek(1e6 / (DAYLIGHT_MIRED + np.asarray(mired, dtype=np.float64))) + _SHIFT


def _greenward(mired: float) -> NDArray[np.float64]:
    """The direction across the line, of length 1, toward green."""
    along = _line(mired + 0.5) - _line(mired - 0.5)
    across: NDArray[np.float64] = np.array([-along[1], along[0]]) / np.hypot(*along)
    return across if across[1] > 0 else -across


def light_xyz(warmth: float, tint: float) -> NDArray[np.float64]:
    """XYZ of a light with Y of 1, float64 ``(3,)``.

    Parameters
    ----------
    warmth : float
        Mired from daylight.
    tint : float
        Steps of 0.0005 Duv, positive toward green.
    """
    u, v = _line(warmth) + tint * DUV_A_STEP * _greenward(warmth)
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=64)
def adaptation(warmth: float, tint: float) -> NDArray[np.float64]:
    """The matrix that makes a light white, for linear sRGB; float64 ``(3, 3)``.

    White at rest keeps its luminance.
    """
    wanted, there = CAT16 @ _WHITE, CAT16 @ light_xyz(warmth, tint)
    gains = np.diag(wanted / there)
    found: NDArray[np.float64] = _XYZ_TO_SRGB @ np.linalg.inv(CAT16) @ gains @ CAT16 @ SRGB_TO_XYZ
    found.setflags(write=False)
    return found


def light_of(rgb_linear: NDArray[np.floating]) -> tuple[float, float]:
    """Warmth and tint of the light under which a colour is a neutral grey.

    Parameters
    ----------
    rgb_linear : float (3,)
        Linear sRGB of something that should be grey.

    Raises
    ------
    NoLight
        When it is too dark to have a colour, or of none that a light has.
    """
    rgb = np.asarray(rgb_linear, dtype=np.float64)
    if not np.isfinite(rgb).all() or rgb @ LUMINANCE_WEIGHTS < 1e-4:
        raise NoLight("There is too little light here to tell its colour.")
    uv = _uv_of(SRGB_TO_XYZ @ rgb)
    warmth = float(_SEARCHED[np.argmin(np.hypot(*(_line(_SEARCHED) - uv).T))])
    # the foot of the perpendicular; far from the line, where it bends, the steps shrink slowly
    for _ in range(400):
        along = _line(warmth + 0.5) - _line(warmth - 0.5)
        step = float((uv - _line(warmth)) @ along / (along @ along))
        warmth = float(np.clip(warmth + step, _SEARCHED[0], _SEARCHED[-1]))
        if abs(step) < 1e-10:
            break
    else:
        raise NoLight(TOO_COLOURFUL)
    return warmth, float((uv - _line(warmth)) @ _greenward(warmth)) / DUV_A_STEP
