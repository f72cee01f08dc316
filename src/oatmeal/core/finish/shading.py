"""Falloff and burned edges: light taken from the corners and the sides of the framed picture."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import kernels
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import BurnedEdge, Falloff, Finish

Plane = NDArray[np.float32]

#: Stops at 100.
STOPS: Final = 3.0


def shades(finish: Finish) -> bool:
    """True where some light is taken or given."""
    sides = finish.burned
    edges = (sides.top, sides.right, sides.bottom, sides.left)
    return bool(finish.falloff.amount or any(edge.amount for edge in edges))


def shaded(encoded: Plane, finish: Finish, window: Window) -> Plane:
    """Encoded values with falloff and burned edges.

    Parameters
    ----------
    encoded : float32 (H, W)
    finish : Finish
    window : Window
        Where the array lies in the framed picture.

    Returns
    -------
    float32 (H, W)
        Bit-equal for a part and for that part of the whole.
    """
    if not shades(finish):
        return encoded
    height, width = encoded.shape
    across, down, power = _axes(finish.falloff, window, width, height)
    left_right = _side_stops(width, window.x, window.width, finish.burned.left, finish.burned.right)
    top_bottom = _side_stops(
        height, window.y, window.height, finish.burned.top, finish.burned.bottom
    )
    stops = STOPS * finish.falloff.amount / 100
    return kernels.shaded(
        encoded,
        across,
        down,
        _curve(finish.falloff, power),
        stops,
        finish.falloff.spare / 100,
        left_right,
        top_bottom,
    )


def _smoother(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """A step whose first two derivatives are 0 at both ends (K. Perlin, SIGGRAPH 2002)."""
    t = np.clip(t, 0, 1)
    return np.asarray(t * t * t * (t * (6 * t - 15) + 10))


def _curve(falloff: Falloff, power: float) -> tuple[float, ...]:
    """Share of the falloff over the distance, 0 in the middle and 1 in the corner."""
    half = 0.05 + 0.45 * falloff.softness / 100
    begin = falloff.midpoint / 100 - half
    low, high = _smoother((np.array([0.0, 1.0]) - begin) / (2 * half))
    return 1 / power, begin, 1 / (2 * half), float(low), float(1 / (high - low))


def _axes(falloff: Falloff, window: Window, width: int, height: int) -> tuple[Plane, Plane, float]:
    """``|dx| ** p`` and ``|dy| ** p`` of columns and rows; in the farthest corner they sum to 1."""
    power = 2.0 if falloff.roundness >= 0 else 2 - 6 * falloff.roundness / 100
    circle = max(falloff.roundness, 0) / 100
    sides = np.array([window.width, window.height]) / 2
    even = np.sqrt(sides.prod())
    radii = sides ** (1 - circle) * even**circle
    middle = np.array(falloff.centre) * [window.width, window.height]
    beyond = np.maximum(middle, [window.width, window.height] - middle) / radii
    farthest = (beyond**power).sum()
    found = []
    for axis, (count, first) in enumerate(((width, window.x), (height, window.y))):
        at = np.abs(first + np.arange(count) + 0.5 - middle[axis]) / radii[axis]
        found.append((at**power / farthest).astype(np.float32))
    return found[0], found[1], power


def _side_stops(count: int, first: float, total: float, near: BurnedEdge, far: BurnedEdge) -> Plane:
    """Stops along one axis from the edges at its two ends."""
    place = np.asarray((first + np.arange(count) + 0.5) / total, dtype=np.float64)
    stops = np.zeros(count)
    for away, edge in ((place, near), (1 - place, far)):
        if edge.amount:
            reach, soft = edge.reach / 100, max(edge.softness / 100, 1e-3)
            inside = _smoother((away - reach * (1 - soft)) / max(reach * soft, 1e-4))
            stops += STOPS * edge.amount / 100 * (1 - inside)
    return stops.astype(np.float32)
