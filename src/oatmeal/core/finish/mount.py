"""Line and mat round a print: they enlarge the file and leave the picture's pixels as they are."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb, luminance_of_lightness
from oatmeal.core.recipe.finish import Border


class Widths(NamedTuple):
    """In pixels; the mat's foot stands below the picture."""

    gap: int
    line: int
    mat: int
    foot: int

    def round(self, width: int, height: int) -> tuple[int, int]:
        """Width and height of the file that holds a picture of this size."""
        inside = 2 * (self.gap + self.line)
        return width + inside + 2 * self.mat, height + inside + self.mat + self.foot


def widths(border: Border, width: int, height: int) -> Widths:
    """What stands round a picture of this size; a line is never thinner than a pixel."""
    unit = max(width, height) / 1000
    line = max(1, _whole(border.line * unit)) if border.line else 0
    mat, foot = border.mat * unit, border.mat * (1 + border.base / 100) * unit
    return Widths(_whole(border.gap * unit), line, _whole(mat), _whole(foot))


def _whole(size: float) -> int:
    """The nearest whole number; halves go up, as they do in scripts."""
    return int(size + 0.5)


def mounted(codes: NDArray[Any], border: Border, alpha: bool = False) -> NDArray[Any]:
    """Finished codes ``(H, W)`` or ``(H, W, 3)`` with line and mat round them.

    ``alpha`` says that these are not greys but how opaque each pixel is.
    """
    height, width = codes.shape[:2]
    gap, line, mat, foot = widths(border, width, height)
    greys = [
        (gap, gap, border.mat_grey),
        (line, line, border.line_grey),
        (mat, foot, border.mat_grey),
    ]
    for side, below, grey in greys:
        if side or below:
            code = _code(100.0 if alpha else grey, codes.dtype)
            edges = [(side, below), (side, side), (0, 0)][: codes.ndim]
            codes = np.pad(codes, edges, constant_values=code)
    return codes


def _code(star: float, dtype: np.dtype[Any]) -> int:
    """The code of a grey of this lightness."""
    encoded = float(encode_srgb(luminance_of_lightness(np.array(star))))
    return round(encoded * np.iinfo(dtype).max)
