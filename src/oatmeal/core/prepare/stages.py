"""The stages of Prepare."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.prepare import light
from oatmeal.core.recipe import DECLARED, Recipe
from oatmeal.core.stages import SOURCE, Place, stage

_LIGHT = DECLARED.of_step("prepare", "colour exposure")


@stage("prepared", reads=_LIGHT, needs=(SOURCE,), moved_by=_LIGHT)
def prepared(recipe: Recipe, place: Place, rgb_linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` as the mix gets it."""
    return light.apply(rgb_linear, recipe.prepare)


@stage("brightest", reads=_LIGHT)
def brightest(recipe: Recipe, place: Place) -> float:
    """The highest linear channel that the mix can get, for what must hold it."""
    return light.brightest(recipe.prepare)


STAGES = (prepared, brightest)
