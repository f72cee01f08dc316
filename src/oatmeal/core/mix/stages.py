"""The stages of Mix."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.mix import lifting
from oatmeal.core.mix.guard import Guarding
from oatmeal.core.mix.lifting import Analysis
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import Place, stage

Plane = NDArray[np.float32]

#: In a proxy smaller than this, the file's faults have averaged out and the guard does nothing.
SMALLEST_GUARDED: Final = 0.25


def guarding(recipe: Recipe, place: Place) -> Guarding | None:
    """How the guard works here; None where it does nothing."""
    wanted = recipe.mix.guard
    strength = place.auto_guard if wanted == "auto" else wanted / 100
    if strength <= 0 or place.scale < SMALLEST_GUARDED:
        return None
    return Guarding(strength, place.scale)


def _guard_margin(recipe: Recipe, place: Place) -> int:
    found = guarding(recipe, place)
    return found.margin if found else 0


def _guard_grid(place: Place) -> int:
    return Guarding(1.0, place.scale).cell


@stage(
    "analysis", reads=("mix.guard",), needs=("prepared",), margin=_guard_margin, grid=_guard_grid
)
def analysis(recipe: Recipe, place: Place, rgb_linear: Plane) -> Analysis:
    """The colours that lifts are computed from, as the guard leaves them."""
    return lifting.analyse(rgb_linear, guarding(recipe, place))


@stage("base", reads=("mix.base",), needs=("prepared",))
def base(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """The first grey: linear luminance, float32 ``(H, W)``."""
    return lifting.base_grey(rgb_linear, recipe.mix.base)


_LIFTS = ("mix.lifts", "mix.picked")


@stage(
    "mixed",
    reads=(*_LIFTS, "mix.centres", "mix.pale"),
    needs=("base", "analysis", "maps"),
    moved_by=(*_LIFTS, "areas"),
)
def mixed(
    recipe: Recipe, place: Place, grey: Plane, colours: Analysis, maps: Mapping[str, Plane] | None
) -> Plane:
    """Linear grey after the Mix step, float32 ``(H, W)``."""
    return lifting.lifted(grey, colours, recipe.mix, (maps or {}).get("lifts"))


@stage("mixed_peak", reads=("mix",), needs=("brightest",))
def mixed_peak(recipe: Recipe, place: Place, brightest: float) -> float:
    """The highest linear grey that the mix can give."""
    return lifting.peak(recipe.mix, brightest)


STAGES = (analysis, base, mixed, mixed_peak)
