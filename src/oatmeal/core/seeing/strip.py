"""The test strip: a picture cut into bands, each rendered with another value of one setting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.picture import Picture, copy_of
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region
from oatmeal.core.recipe import Problem, Recipe, RecipeError, from_document
from oatmeal.core.recipe.settings import put

MAX_BANDS: Final = 12


def variants(recipe: Recipe, path: str, values: Sequence[Any]) -> list[Recipe]:
    """The recipe once for each value of the setting at ``path``, such as ``mix.lifts.blue``.

    Raises
    ------
    RecipeError
        When there is no such setting, a value is not allowed, or there are too many.
    """
    if not 1 <= len(values) <= MAX_BANDS:
        raise RecipeError([Problem(path, f"a test strip has 1 to {MAX_BANDS} bands")])
    made = []
    for value in values:
        document = recipe.full_document()
        if not put(document, path, value):
            raise RecipeError([Problem(path, "there is no such setting")])
        made.append(from_document(document))
    return made


def edges(length: int, bands: int) -> list[int]:
    """Where bands begin and end along a side of ``length`` pixels."""
    return [round(length * place / bands) for place in range(bands + 1)]


def render(picture: Picture, recipes: Sequence[Recipe], *, upright: bool) -> NDArray[np.uint8]:
    """Render each band with its recipe; the cost is that of about one frame.

    Parameters
    ----------
    picture : Picture
        As it is framed.
    recipes : sequence of Recipe
        One for each band, left to right or top to bottom.
    upright : bool
        Bands stand side by side; otherwise they lie one above the other.

    Returns
    -------
    uint8 (H, W), or (H, W, 3) where a band is toned
    """
    height, width = picture.height, picture.width
    toned = any(recipe.effective().coloured for recipe in recipes)
    out = np.empty((height, width, 3) if toned else (height, width), dtype=np.uint8)
    places = edges(width if upright else height, len(recipes))
    whole = Pipeline(copy_of(picture, WHOLE_SIDE))
    for recipe, begin, end in zip(recipes, places, places[1:], strict=False):
        if begin == end:
            continue
        rectangle = (begin, 0, end - begin, height) if upright else (0, begin, width, end - begin)
        x, y, across, down = rectangle
        band = Region(picture, rectangle, recipe, whole)
        made = band.coloured(recipe)
        out[y : y + down, x : x + across] = made[..., None] if toned and made.ndim == 2 else made
    return out
