"""The tone curve: a monotone cubic through the photographer's points."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from oatmeal.core.recipe.curves import Point


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
    knots = np.asarray(points, dtype=np.float64)
    x = np.clip(np.asarray(x, dtype=np.float64), knots[0, 0], knots[-1, 0])
    return np.asarray(PchipInterpolator(knots[:, 0], knots[:, 1])(x))
