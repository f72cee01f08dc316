"""The colours of a picture as the guard leaves them, for what moves colours or greys by them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.guard.guarding import Guarding, guarded
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import Place

#: In a proxy smaller than this, the file's faults have averaged out and the guard does nothing.
SMALLEST_GUARDED: Final = 0.25


def guarding(recipe: Recipe, place: Place) -> Guarding | None:
    """How the guard works here; None where it does nothing."""
    wanted = recipe.mix.guard
    strength = place.picture.auto_guard if wanted == "auto" else wanted / 100
    if strength <= 0 or place.picture.scale < SMALLEST_GUARDED:
        return None
    return Guarding(strength, place.picture.scale)


def margin(recipe: Recipe, place: Place) -> int:
    """Pixels round one that its guarded colour depends on."""
    found = guarding(recipe, place)
    return found.margin if found else 0


def grid(place: Place) -> int:
    """Parts of a picture begin at multiples of this."""
    return Guarding(1.0, place.picture.scale).cell


@dataclass(frozen=True)
class Analysis:
    """The colours of a picture; they depend on the picture and the guard, not on the mix.

    Attributes
    ----------
    lightness, a_axis, b_axis : float32 (H, W)
        OKLab; a and b as the guard leaves them.
    hue : float32 (H, W)
        OKLCh hue in steps of ``360 / HUE_TABLE_SIZE`` degrees.
    chroma : float32 (H, W)
        OKLab chroma.
    """

    lightness: NDArray[np.float32]
    a_axis: NDArray[np.float32]
    b_axis: NDArray[np.float32]
    hue: NDArray[np.float32]
    chroma: NDArray[np.float32]


def analyse(rgb_linear: NDArray[np.float32], guarding: Guarding | None = None) -> Analysis:
    """OKLab (Ottosson 2020), hue and chroma of linear colour ``(H, W, 3)``.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
    guarding : Guarding, optional
        Smooth a and b against blocks and noise.
    """
    lightness, a_axis, b_axis = colour_kernels.colours(rgb_linear)
    if guarding is not None and guarding.strength > 0:
        a_axis, b_axis = guarded(lightness, a_axis, b_axis, guarding)
    return Analysis(lightness, a_axis, b_axis, *colour_kernels.polar(a_axis, b_axis))
