"""The stages of Areas."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import SOURCE, Place, stage


@stage("maps", reads=("areas",), needs=(SOURCE,), when=lambda recipe: bool(recipe.areas))
def maps(
    recipe: Recipe, place: Place, rgb_linear: NDArray[np.float32]
) -> Mapping[str, NDArray[np.float32]]:
    """For each setting that some area changes, its value at every pixel, float32 ``(H, W)``.

    ``lifts`` are stops added to those of the ranges; the others stand in the place of the setting
    of their name.
    """
    raise NotImplementedError("recipes with areas are refused before they are rendered")


STAGES = (maps,)
