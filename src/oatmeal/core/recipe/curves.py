"""Curves by name, as points from left to right."""

from __future__ import annotations

from typing import Final

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
