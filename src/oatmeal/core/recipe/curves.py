"""Curves: points from left to right, those that are shipped, and what lies between points."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

Point = tuple[float, float]

STRAIGHT: Final[tuple[Point, ...]] = ((0.0, 0.0), (1.0, 1.0))

#: Curves to start from, on codes / 255. Names say what they do.
SHIPPED: Final[dict[str, tuple[Point, ...]]] = {
    "straight": STRAIGHT,
    "gentle S": ((0.0, 0.0), (0.25, 0.22), (0.75, 0.78), (1.0, 1.0)),
    "full S": ((0.0, 0.0), (0.25, 0.18), (0.75, 0.82), (1.0, 1.0)),
    "steep S": ((0.0, 0.0), (0.25, 0.13), (0.5, 0.5), (0.75, 0.87), (1.0, 1.0)),
    "lighten": ((0.0, 0.0), (0.25, 0.34), (0.5, 0.61), (0.75, 0.82), (1.0, 1.0)),
    "darken": ((0.0, 0.0), (0.25, 0.18), (0.5, 0.39), (0.75, 0.66), (1.0, 1.0)),
    "invert": ((0.0, 1.0), (1.0, 0.0)),
    "faded": ((0.0, 0.07), (0.25, 0.26), (0.75, 0.76), (1.0, 0.94)),
}


def evaluate(points: Sequence[Point], x: NDArray[np.floating]) -> NDArray[np.float64]:
    """Value of the curve at ``x``.

    Parameters
    ----------
    points : sequence of (x, y)
        At least two, x rising, all within 0 to 1. Left of the first and right of the last point
        the curve goes on level.
    x : ndarray
        Where to evaluate, encoded values.

    Returns
    -------
    ndarray of float64
        The curve, monotone between neighbouring points.

    References
    ----------
    F. N. Fritsch and R. E. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numer.
    Anal. 17 (1980); slopes as in SciPy's ``PchipInterpolator`` (Fritsch and Butland 1984).

    Examples
    --------
    >>> float(evaluate([(0, 0), (0.5, 0.6), (1, 1)], np.array(0.5)))
    0.6
    """
    x = np.clip(np.asarray(x, dtype=np.float64), points[0][0], points[-1][0])
    return np.asarray(_between(tuple((float(at), float(value)) for at, value in points))(x))


@lru_cache(64)  # while anything but the curve is dragged, it is asked for again and again
def _between(points: tuple[Point, ...]) -> Callable[..., NDArray[np.float64]]:
    from scipy.interpolate import PchipInterpolator  # late: it takes long to import

    knots = np.asarray(points, dtype=np.float64)
    found: Callable[..., NDArray[np.float64]] = PchipInterpolator(knots[:, 0], knots[:, 1])
    return found
