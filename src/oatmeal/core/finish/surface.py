"""What lies on a print: dust and scratches, the paper's relief, an uneven edge."""

from __future__ import annotations

import zlib
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import marks
from oatmeal.core.finish.lattice import cloud
from oatmeal.core.picture import Window
from oatmeal.core.recipe.finish import Paper

Plane = NDArray[np.float32]

#: Encoded greys of light and dark marks.
_LIGHT: Final = np.float32(0.97)
_DARK: Final = np.float32(0.03)

#: Depth of the paper's relief at amount 100, in encoded white.
_RELIEF: Final = 0.056

#: The light comes from the upper left: heights are compared over so many units.
_SLOPE: Final = 0.35


def marked(encoded: Plane, cover: Plane, light: bool) -> Plane:
    """Encoded values ``(H, W)`` under marks that cover each pixel by 0 to 1."""
    ink = _LIGHT if light else _DARK
    out: Plane = encoded + cover * (ink - encoded)
    return out


def relief(paper: Paper, window: Window, shape: tuple[int, int], photograph: int) -> Plane:
    """A sheet lit from the upper left, float32 ``(H, W)``, deviation about 0.5 to 1."""
    unit = max(window.width, window.height) / 1000 * 2 ** ((paper.size - 50) / 50)
    corner = (round(window.x), round(window.y))
    seed = zlib.crc32(f"paper {photograph} {paper.seed}".encode())
    slope = _SLOPE * unit
    out = marks.fibres(paper, window, corner, shape, photograph)
    out -= marks.fibres(paper, window, (corner[0] - slope, corner[1] - slope), shape, photograph)
    out /= np.float32(0.33)
    out += np.float32(0.25) * cloud(corner, shape, 1.6 * unit, seed, 2, 0.5)
    out += np.float32(0.35) * cloud(corner, shape, 40 * unit, seed ^ 0x2F1B, 3, 0.6)
    return out


def papered(encoded: Plane, made: Plane, amount: float | Plane) -> Plane:
    """Encoded values ``(H, W)`` on a sheet: most in the lights, least in black.

    The amount is one number, or one for each pixel.
    """
    depth = np.asarray(amount, np.float32) * np.float32(_RELIEF / 100)
    strength = depth * (np.float32(0.25) + np.float32(0.75) * encoded)
    strength *= np.float32(1) - np.float32(0.35) * encoded
    return np.asarray(np.clip(encoded + strength * made, 0, 1))
