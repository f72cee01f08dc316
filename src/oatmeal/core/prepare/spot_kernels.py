"""Compiled loop of the spots: a difference carried from the border into the inside."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import parallel, rows_of

_f = np.float32


@parallel
def _carried(chunk, inside, border, differences, out):  # type: ignore[no-untyped-def]
    for place in rows_of(chunk, inside.shape[0]):
        y, x = inside[place, 0], inside[place, 1]
        total, red, green, blue = _f(0.0), _f(0.0), _f(0.0), _f(0.0)
        for i in range(border.shape[0]):
            down, across = border[i, 0] - y, border[i, 1] - x
            square = down * down + across * across
            weight = _f(1.0) / (square * math.sqrt(square))
            total += weight
            red += weight * differences[i, 0]
            green += weight * differences[i, 1]
            blue += weight * differences[i, 2]
        out[place, 0], out[place, 1], out[place, 2] = red / total, green / total, blue / total


def carried(
    inside: NDArray[np.float32], border: NDArray[np.float32], differences: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Differences at a border, at places inside it, weighted by one over the cube of distance.

    Parameters
    ----------
    inside : float32 (n, 2)
        Places, y and x; none of them lies on the border.
    border : float32 (m, 2)
    differences : float32 (m, 3)

    Returns
    -------
    float32 (n, 3)
    """
    out = np.empty((len(inside), 3), dtype=np.float32)
    _carried(inside, border, differences, out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    one = np.zeros((1, 2), dtype=np.float32)
    carried(one, one + 1, np.zeros((1, 3), dtype=np.float32))
