"""The stages of Finish, as far as they work on the greys of a frame; toning follows the codes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import glow, grain, shading, sharpness
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import SOURCE, Place, stage

Plane = NDArray[np.float32]

_SHARPNESS = "finish.sharpness.amount"
_MASK = ("finish.sharpness.radius", "finish.sharpness.edges")


def _radius(recipe: Recipe, place: Place) -> float:
    return sharpness.radius_px(recipe.finish.sharpness, place.scale)


@stage(
    "edge_mask",
    reads=_MASK,
    needs=("encoded",),
    when=lambda recipe: bool(recipe.finish.sharpness.amount and recipe.finish.sharpness.edges),
    margin=lambda recipe, place: sharpness.margin(_radius(recipe, place)),
    grid=lambda place: 2,
)
def edge_mask(recipe: Recipe, place: Place, encoded: Plane) -> Plane | None:
    """Where there are edges; None in a copy that shows no sharpness."""
    radius = _radius(recipe, place)
    edges = recipe.finish.sharpness.edges
    return sharpness.edge_mask(encoded, radius, edges) if radius else None


@stage(
    "sharpened",
    reads=("finish.sharpness",),
    needs=("encoded", "edge_mask"),
    moved_by=(_SHARPNESS,),
    margin=lambda recipe, place: sharpness.margin(_radius(recipe, place)),
)
def sharpened(recipe: Recipe, place: Place, encoded: Plane, mask: Plane | None) -> Plane:
    """Encoded values with steeper edges."""
    radius = _radius(recipe, place)
    if not radius:
        return encoded
    return sharpness.sharper(encoded, recipe.finish.sharpness, radius, mask)


@stage(
    "spreading",
    reads=("finish.glow.reach", "finish.glow.threshold"),
    needs=("sharpened",),
    when=lambda recipe: recipe.finish.glow.amount > 0,
    whole=True,
)
def spreading(recipe: Recipe, place: Place, encoded: Plane) -> Plane:
    """The light that spreads from what is bright, on a small picture of the whole."""
    return glow.spread(encoded, recipe.finish.glow)


@stage(
    "glowing",
    reads=("finish.glow.amount",),
    needs=("sharpened", "spreading"),
    moved_by=("finish.glow.amount",),
)
def glowing(recipe: Recipe, place: Place, encoded: Plane, light: Plane) -> Plane:
    """Encoded values under that light."""
    return glow.glowing(encoded, light, recipe.finish.glow.amount, place.window)


_SHADING = ("finish.falloff", "finish.burned")


@stage("shaded", reads=_SHADING, needs=("glowing",), moved_by=_SHADING)
def shaded(recipe: Recipe, place: Place, encoded: Plane) -> Plane:
    """Encoded values with falloff and burned edges."""
    return shading.shaded(encoded, recipe.finish, place.window)


@stage(
    "grain_field",
    reads=("finish.grain.size", "finish.grain.roughness", "finish.grain.seed"),
    needs=(SOURCE,),
    when=lambda recipe: recipe.finish.grain.amount > 0,
)
def grain_field(recipe: Recipe, place: Place, rgb_linear: Plane) -> tuple[Plane, float]:
    """The grain's numbers; they depend on nothing that is seen."""
    shape = (rgb_linear.shape[0], rgb_linear.shape[1])
    return grain.field(recipe.finish.grain, place.window, shape, place.seed)


@stage(
    "printed",
    reads=("finish.grain.amount", "finish.grain.roughness"),
    needs=("shaded", "grain_field"),
    moved_by=("finish.grain.amount",),
)
def printed(recipe: Recipe, place: Place, encoded: Plane, field: tuple[Plane, float]) -> Plane:
    """Encoded values as they are printed, but for their colour."""
    return grain.grained(encoded, recipe.finish.grain, field)


STAGES = (edge_mask, sharpened, spreading, glowing, shaded, grain_field, printed)
