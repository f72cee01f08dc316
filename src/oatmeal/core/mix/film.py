"""Black-and-white film behind a lens filter, from spectra.

A linear sRGB colour stands for the reflectance spectrum that the basis of Mallett and Yuksel gives
it. Under daylight, through the filter, onto the film, each of the three basis spectra leaves an
exposure: the weight of its channel.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import SRGB_TO_XYZ, encode_srgb
from oatmeal.core.recipe import Film

#: Sensitive ranges of the films in nm (common practice, no source).
FILMS: Final[dict[str, tuple[float, float]]] = {
    "panchromatic": (395.0, 655.0),
    "orthochromatic": (395.0, 585.0),
    "long-red": (395.0, 760.0),
}

#: What the filters let through: low and high edge in nm and the highest transmittance (common
#: practice, no source).
FILTERS: Final[dict[str, tuple[float, float, float]]] = {
    "light-yellow": (460.0, 780.0, 0.92),
    "yellow": (490.0, 780.0, 0.92),
    "deep-yellow": (515.0, 780.0, 0.92),
    "orange": (550.0, 780.0, 0.92),
    "red": (595.0, 780.0, 0.92),
    "deep-red": (620.0, 780.0, 0.92),
    "yellow-green": (485.0, 620.0, 0.92),
    "green": (490.0, 580.0, 0.6),
    "blue": (380.0, 490.0, 0.5),
    "purple": (485.0, 605.0, 0.85),
}

#: Filters that stop what lies between their edges instead of letting it through.
STOPPING: Final = frozenset({"purple"})

#: Transmittance of a filter with own edges and no name.
OWN_PEAK: Final = 0.92

FILM_SLOPE_NM: Final = 10.0
FILTER_SLOPE_NM: Final = 8.0

#: An edge at the end of the spectrum is no edge.
FIRST_NM: Final = 380.0
LAST_NM: Final = 780.0


@dataclass(frozen=True)
class Exposure:
    """What a film behind a filter makes of colours.

    Attributes
    ----------
    weights : (red, green, blue)
        Share of each linear channel in the grey; they sum to 1.
    cost_stops : float
        Light that the filter takes from white.
    sensitivity, passed : float64 (n,)
        Of the film alone, and of film and filter together, at :func:`wavelengths`.
    """

    weights: tuple[float, float, float]
    cost_stops: float
    sensitivity: NDArray[np.float64]
    passed: NDArray[np.float64]


@cache
def _spectra() -> NDArray[np.float64]:
    text = files("oatmeal.core.mix").joinpath("data/spectra.csv").read_text()
    return np.array([[float(cell) for cell in line.split(",")] for line in text.split()[1:]])


def wavelengths() -> NDArray[np.float64]:
    """Wavelengths of all spectra here, 380 to 780 nm in steps of 5."""
    return _spectra()[:, 0]


def basis() -> NDArray[np.float64]:
    """Reflectance spectra of pure red, green and blue, ``(n, 3)``; they sum to one.

    References
    ----------
    I. Mallett and C. Yuksel, "Spectral Primary Decomposition for Rendering with sRGB
    Reflectance", Eurographics Symposium on Rendering 2019.
    """
    return _spectra()[:, 1:4]


def daylight() -> NDArray[np.float64]:
    """Relative spectral power of the illuminant D65, ``(n,)`` (CIE 015:2018, ISO/CIE 11664-2)."""
    return _spectra()[:, 4]


def band(low_nm: float, high_nm: float, slope_nm: float) -> NDArray[np.float64]:
    """A range of the spectrum with two logistic edges, ``(n,)``; each is half at its place."""
    nm = wavelengths()
    rising = np.ones_like(nm) if low_nm <= FIRST_NM else 1 / (1 + np.exp((low_nm - nm) / slope_nm))
    falling = (
        np.ones_like(nm) if high_nm >= LAST_NM else 1 / (1 + np.exp((nm - high_nm) / slope_nm))
    )
    return np.asarray(rising * falling)


def edges(film: Film) -> tuple[tuple[float, float], tuple[float, float] | None]:
    """Edges of the film and of the filter in nm, own ones before named ones."""
    named = FILTERS.get(film.filter)
    filter_edges = film.filter_edges or (named and named[:2])
    return film.film_edges or FILMS[film.film], filter_edges


def glass(name: str, between: tuple[float, float] | None) -> NDArray[np.float64]:
    """What a filter lets through of each wavelength, ``(n,)``; all of it without edges."""
    if between is None:
        return np.ones_like(wavelengths())
    peak = FILTERS[name][2] if name in FILTERS else OWN_PEAK
    inside = band(*between, FILTER_SLOPE_NM)
    return peak * (1 - inside if name in STOPPING else inside)


def expose(film: Film) -> Exposure:
    """Weights and cost of a film behind a filter.

    Strength raises the transmittance to that power: 2 is two such filters stacked; a second filter
    lets through its own share of what the first one does. The exposure is compensated, so that
    white stays white.

    Examples
    --------
    >>> from oatmeal.core.recipe import Film
    >>> exposure = expose(Film(kind="film", filter="red"))
    >>> round(exposure.cost_stops, 1)
    2.4
    """
    film_edges, filter_edges = edges(film)
    sensitivity = band(*film_edges, FILM_SLOPE_NM)
    transmittance = glass(film.filter, filter_edges) ** film.strength
    if film.second != "none":
        transmittance *= glass(film.second, FILTERS[film.second][:2])
    passed = sensitivity * transmittance
    light = daylight() * sensitivity
    white = float(light.sum())
    through = daylight() * passed
    total = max(float(through.sum()), white * 1e-9)
    weights = (basis() * through[:, None]).sum(axis=0)
    weights = weights / weights.sum() if weights.sum() > white * 1e-9 else np.full(3, 1 / 3)
    red, green, blue = (float(weight) for weight in weights)
    return Exposure((red, green, blue), float(-np.log2(total / white)), sensitivity, passed)


def spectral_colours() -> list[str]:
    """A screen colour for each of :func:`wavelengths`, as ``#rrggbb``; for drawing only.

    References
    ----------
    C. Wyman, P.-P. Sloan and P. Shirley, "Simple Analytic Approximations to the CIE XYZ Color
    Matching Functions", JCGT 2 (2013), the multi-lobe fit (constants from memory).
    """
    nm = wavelengths()

    def lobe(height: float, centre: float, left: float, right: float) -> NDArray[np.float64]:
        width = np.where(nm < centre, left, right)
        return np.asarray(height * np.exp(-0.5 * ((nm - centre) / width) ** 2))

    x = lobe(1.056, 599.8, 37.9, 31.0) + lobe(0.362, 442.0, 16.0, 26.7)
    x -= lobe(0.065, 501.1, 20.4, 26.2)
    y = lobe(0.821, 568.8, 46.9, 40.5) + lobe(0.286, 530.9, 16.3, 31.1)
    z = lobe(1.217, 437.0, 11.8, 36.0) + lobe(0.681, 459.0, 26.0, 13.8)
    linear = np.stack([x, y, z], axis=-1) @ np.linalg.inv(SRGB_TO_XYZ).T
    strength = np.clip(linear.max(axis=-1, keepdims=True), 0.12, None)
    codes = (encode_srgb(np.clip(linear / strength, 0, 1)) * 235).astype(int)
    return ["#" + "".join(f"{code:02x}" for code in row) for row in codes]
