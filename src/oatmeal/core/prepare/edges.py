"""Coloured lines at edges of strong contrast, drawn to the colour of what is round them.

A lens throws blue and red light over a bright edge into what is dark beside it; green stays sharp.
So the picture's own green tells what colour belongs there: OKLab a and b are fitted to it locally,
where no such line is. What differs from that toward purple or green, in a line and beside strong
contrast, is taken away; a broad purple thing is its own ground. Light that is thrown beside an edge
holds at least half as much blue as red: red and pink paint is told from it by that.

References
----------
K. He, J. Sun and X. Tang, "Guided Image Filtering", IEEE TPAMI 35 (2013), for the local fit.
L. Vincent, "Morphological Grayscale Reconstruction in Image Analysis", IEEE TIP 2 (1993), for what
is broad.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import kernels as bands
from oatmeal.core.colour import kernels as colour
from oatmeal.core.colour.filters import box_means
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.opencv import cv2
from oatmeal.core.picture import Window, reduced
from oatmeal.core.prepare import edge_kernels as kernels
from oatmeal.core.recipe import EdgeColour

Colour = NDArray[np.float32]
Plane = NDArray[np.float32]

#: Longer side of the picture that the ground is found on; half of a small one.
GROUND_SIDE: Final = 800

#: Hues of the lines in degrees, how far they reach on both sides, and how softly they end.
HUES: Final = ((298.0, 45.0, 18.0), (150.0, 35.0, 20.0))

#: Chroma away from the ground from which a line is seen, and wholly seen.
THIN: Final = (0.008, 0.03)

#: Stops of contrast from which an edge is strong, and wholly strong.
STRONG: Final = (1.0, 2.5)

#: Half the width of what is broad and half a window of the fit, in widths of an edge.
_BROAD: Final = 0.62
_WINDOW: Final = 1.5

#: Steps that what is broad grows back, in widths of an edge.
_GROWN: Final = 3

#: Variance of the green below which a window counts as flat; residual variance of a good fit.
_FLAT: Final = 1e-3
_GOOD_FIT: Final = 2e-4

#: Weight that is left of a line in the fit.
_LEFT: Final = 1e-3

#: The ground is found, lines are told from it, and it is found again.
_ROUNDS: Final = 2

#: Added to green before its logarithm.
_FLOOR: Final = 2.0**-6


def _bands() -> Colour:
    rows = []
    for hue, reach, soft in HUES:
        angle = math.radians(hue)
        outer, inner = math.cos(math.radians(reach + soft)), math.cos(math.radians(reach))
        rows.append((math.cos(angle), math.sin(angle), outer, 1 / (inner - outer)))
    return np.array(rows, dtype=np.float32)


#: Purple and green, as the kernel takes them.
BANDS: Final = _bands()


@dataclass(frozen=True)
class Ground:
    """Maps of the whole picture, float32 (7, h, w), as ``edge_kernels.freed`` reads them."""

    maps: NDArray[np.float32]


def ground(rgb_linear: Colour, settings: EdgeColour, window: Window) -> Ground:
    """What colour belongs where, and where lines may be, of the whole picture at any size."""
    side = min(GROUND_SIDE, max(1, max(rgb_linear.shape[:2]) // 2))
    small = np.ascontiguousarray(reduced(rgb_linear, side))
    longest = max(small.shape[:2]) * window.enlarged
    width = max(1.0, settings.width / 100 * longest)
    _, a, b = colour.colours(small)
    green = np.maximum(small[..., 1], 0)
    root = np.cbrt(green)
    contrast = _contrast(green, round(width))
    to_a, to_b = np.zeros_like(a), np.zeros_like(b)
    for _ in range(_ROUNDS):
        away = a - to_a, b - to_b
        lines = [_line(away, band) for band in BANDS]
        seen = [smoothstep(line - _broad(line, width), *THIN) for line in lines]
        weight = np.maximum(*seen) * contrast
        fit = _fit(root, (a, b), weight.astype(np.float32), max(1, round(_WINDOW * width / 2)))
        slope_a, slope_b, offset_a, offset_b = (_enlarged(plane, root.shape) for plane in fit)
        to_a, to_b = slope_a * root + offset_a, slope_b * root + offset_b
    away = a - to_a, b - to_b
    wide = [cv2.dilate(_broad(_line(away, band), width), np.ones((3, 3))) for band in BANDS]
    maps = [slope_a, slope_b, offset_a, offset_b, *wide, contrast]
    return Ground(np.stack(maps).astype(np.float32))


def freed(rgb_linear: Colour, found: Ground, settings: EdgeColour, window: Window) -> Colour:
    """Linear colour ``(H, W, 3)`` of a window without its coloured edges."""
    height, width = rgb_linear.shape[:2]
    wide = bands.spread(found.maps, window.place, width, height)
    amounts = settings.purple / 100, settings.green / 100
    return kernels.freed(rgb_linear, wide, window.place, BANDS, amounts, THIN)


def _contrast(green: Plane, radius: int) -> Plane:
    """How strong the strongest edge within a radius is, 0 to 1."""
    stops = np.log2(green + np.float32(_FLOOR))
    square = np.ones((2 * radius + 1, 2 * radius + 1), dtype=np.uint8)
    spanned = cv2.dilate(stops, square) - cv2.erode(stops, square)
    return np.asarray(smoothstep(spanned, *STRONG), dtype=np.float32)


def _line(away: tuple[Plane, Plane], band: Colour) -> Plane:
    """Chroma away from the ground, as far as its hue lies in a band."""
    far = np.hypot(*away)
    along = (away[0] * band[0] + away[1] * band[1]) / (far + np.float32(1e-9))
    like = smoothstep(along, float(band[2]), float(band[2] + 1 / band[3]))
    return np.asarray(far * like, dtype=np.float32)


def _broad(line: Plane, width: float) -> Plane:
    """What is wider than an edge, with all that hangs together with it."""
    radius = max(1, round(_BROAD * width))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1))
    broad = cv2.morphologyEx(line, cv2.MORPH_OPEN, disc)
    for _ in range(max(1, round(_GROWN * width))):
        broad = np.minimum(cv2.dilate(broad, np.ones((3, 3), dtype=np.uint8)), line)
    return np.asarray(broad, dtype=np.float32)


def _fit(light: Plane, colours: tuple[Plane, Plane], lines: Plane, radius: int) -> Colour:
    """Slopes and offsets of two colours over the light at half the size, lines left out."""
    a, b = colours
    weight = (1 - lines) ** 4 + np.float32(_LEFT)
    terms = (light, a, b, light * light, light * a, light * b, a * a, b * b)
    stacked = [weight, *(weight * term for term in terms)]
    size = -(-light.shape[1] // 2), -(-light.shape[0] // 2)
    halved = [cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in stacked]
    total, *sums = box_means(np.stack(halved).astype(np.float32), radius)
    mean, mean_a, mean_b, square, with_a, with_b, square_a, square_b = np.stack(sums) / total
    variance = np.maximum(square - mean * mean, 0) + np.float32(_FLAT)
    with_a, with_b = with_a - mean * mean_a, with_b - mean * mean_b
    slope_a, slope_b = with_a / variance, with_b / variance
    off = np.maximum(square_a - mean_a * mean_a - slope_a * with_a, 0)
    off = off + np.maximum(square_b - mean_b * mean_b - slope_b * with_b, 0)
    good = total * (np.float32(_GOOD_FIT) / (off + np.float32(_GOOD_FIT))) ** 2
    maps = [slope_a, slope_b, mean_a - slope_a * mean, mean_b - slope_b * mean]
    share, *averaged = box_means(np.stack([good, *(good * one for one in maps)]), radius)
    return np.asarray(np.stack(averaged) / share, dtype=np.float32)


def _enlarged(plane: Plane, shape: tuple[int, ...]) -> Plane:
    return np.asarray(cv2.resize(plane, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR))
