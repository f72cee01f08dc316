"""Curves: points from left to right, those that are shipped, and what lies between points."""

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

Point = tuple[float, float]

#: A curve's values where it is asked.
Between = Callable[[NDArray[np.float64]], NDArray[np.float64]]

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

    Examples
    --------
    >>> float(evaluate([(0, 0), (0.5, 0.6), (1, 1)], np.array(0.5)))
    0.6
    """
    inside = np.clip(np.asarray(x, dtype=np.float64), points[0][0], points[-1][0])
    return _between(tuple((float(at), float(value)) for at, value in points))(inside)


@lru_cache(64)  # while anything but the curve is dragged, it is asked for again and again
def _between(points: tuple[Point, ...]) -> Between:
    knots = np.asarray(points, dtype=np.float64)
    return monotone(knots[:, 0], knots[:, 1])


def monotone(x: NDArray[np.float64], y: NDArray[np.float64]) -> Between:
    """The smooth curve through points that never swings beyond two neighbours.

    SciPy has it too; importing that takes longer than the conversion of a small picture.

    Parameters
    ----------
    x : float64 (N,)
        Where the points lie, two or more, rising.
    y : float64 (N,)
        Their heights.

    Returns
    -------
    callable
        The curve's values where it is asked, within the points.

    References
    ----------
    F. N. Fritsch and R. E. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numer. Anal.
    17 (1980).
    """
    widths, rises = np.diff(x), np.diff(y) / np.diff(x)
    slopes = inclines(x, y)
    square = (3 * rises - 2 * slopes[:-1] - slopes[1:]) / widths
    cube = (slopes[:-1] + slopes[1:] - 2 * rises) / widths**2

    def curve(at: NDArray[np.float64]) -> NDArray[np.float64]:
        piece = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(widths) - 1)
        along = at - x[piece]
        rising = along * (slopes[piece] + along * (square[piece] + along * cube[piece]))
        return np.asarray(y[piece] + rising)

    return curve


def inclines(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slopes at the points of the curve of :func:`monotone`.

    Parameters
    ----------
    x : float64 (N,)
    y : float64 (N,) or (N, k)
        Heights; those of several curves side by side.

    Returns
    -------
    float64, as ``y``

    References
    ----------
    F. N. Fritsch and J. Butland, "A Method for Constructing Local Monotone Piecewise Cubic
    Interpolants", SIAM J. Sci. Stat. Comput. 5 (1984); at the ends the three-point formula of
    C. Moler, "Numerical Computing with MATLAB" (2004), section 3.6.
    """
    widths = np.diff(x).reshape(-1, *(1,) * (y.ndim - 1))
    rises = np.diff(y, axis=0) / widths
    if len(rises) == 1:
        return np.repeat(rises, 2, axis=0)
    left, right = rises[:-1], rises[1:]
    before, behind = widths[:-1] + 2 * widths[1:], 2 * widths[:-1] + widths[1:]
    same = left * right > 0  # a point that is a peak, a valley or beside something level is level
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        mean = (before + behind) / (before / left + behind / right)
    inner = np.where(same, mean, 0.0)
    first = _at_end(widths[:1], widths[1:2], rises[:1], rises[1:2])
    last = _at_end(widths[-1:], widths[-2:-1], rises[-1:], rises[-2:-1])
    return np.concatenate([first, inner, last])


def _at_end(
    width: NDArray[np.float64],
    next_width: NDArray[np.float64],
    rise: NDArray[np.float64],
    next_rise: NDArray[np.float64],
) -> NDArray[np.float64]:
    """Slope at an end: of the parabola through three points, where that keeps the order."""
    slope = ((2 * width + next_width) * rise - width * next_rise) / (width + next_width)
    steep = (rise * next_rise <= 0) & (np.abs(slope) > 3 * np.abs(rise))
    return np.where(slope * rise <= 0, 0.0, np.where(steep, 3 * rise, slope))
