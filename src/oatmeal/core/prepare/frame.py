"""The frame: what of the picture is kept, and how it stands."""

from __future__ import annotations

from oatmeal.core.picture import AS_TAKEN, Geometry
from oatmeal.core.recipe import Recipe


def geometry(recipe: Recipe) -> Geometry:
    """How a recipe frames a picture. No recipe changes the frame yet: as it was taken."""
    return AS_TAKEN
