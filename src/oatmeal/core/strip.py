"""The test strip: a picture cut into bands, each rendered with another value of one setting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import guard
from oatmeal.core.local import Window
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, reduced
from oatmeal.core.recipe import Problem, Recipe, RecipeError, from_document

MAX_BANDS: Final = 12

#: Bands begin on the guard's coarse grid, whatever size its cells have in a proxy (1 to 4).
_GRID: Final = 12


def variants(recipe: Recipe, path: str, values: Sequence[Any]) -> list[Recipe]:
    """The recipe once for each value of the setting at ``path``, such as ``mix.lifts.blue``.

    Raises
    ------
    RecipeError
        When there is no such setting, a value is not allowed, or there are too many.
    """
    if not 1 <= len(values) <= MAX_BANDS:
        raise RecipeError([Problem(path, f"a test strip has 1 to {MAX_BANDS} bands")])
    return [from_document(_with(recipe.full_document(), path, value)) for value in values]


def _with(document: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    node: Any = document
    *parents, last = path.split(".")
    for key in parents:
        if isinstance(node, list):
            node = node[int(key)] if key.isdecimal() and int(key) < len(node) else None
        else:
            node = node.get(key) if isinstance(node, dict) else None
    if isinstance(node, dict):
        node[last] = value
    elif isinstance(node, list) and last.isdecimal() and int(last) < len(node):
        node[int(last)] = value
    else:
        raise RecipeError([Problem(path, "there is no such setting")])
    return document


def edges(length: int, bands: int) -> list[int]:
    """Where bands begin and end along a side of ``length`` pixels."""
    return [round(length * place / bands) for place in range(bands + 1)]


def render(
    rgb_linear: NDArray[np.float32],
    recipes: Sequence[Recipe],
    *,
    upright: bool,
    auto_guard: float = 0.0,
    scale: float = 1.0,
) -> NDArray[np.uint8]:
    """Render each band with its recipe; the cost is that of about one frame.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
    recipes : sequence of Recipe
        One for each band, left to right or top to bottom.
    upright : bool
        Bands stand side by side; otherwise they lie one above the other.
    auto_guard, scale : float
        As :class:`oatmeal.core.pipeline.Pipeline` takes them.

    Returns
    -------
    uint8 (H, W)
    """
    height, width = rgb_linear.shape[:2]
    length = width if upright else height
    out = np.empty((height, width), dtype=np.uint8)
    places = edges(length, len(recipes))
    small = reduced(rgb_linear, WHOLE_SIDE)
    whole_scale = scale * max(small.shape[:2]) / max(height, width)
    whole = Pipeline(small, auto_guard=auto_guard, scale=whole_scale)
    for recipe, begin, end in zip(recipes, places, places[1:], strict=False):
        if begin == end:
            continue
        first = max(0, (begin - guard.MARGIN) // _GRID * _GRID)
        last = min(length, end + guard.MARGIN)
        wide = (slice(None), slice(first, last)) if upright else (slice(first, last),)
        inside = slice(begin - first, end - first)
        corner = (first, 0) if upright else (0, first)
        part = Pipeline(
            rgb_linear[wide],
            auto_guard=auto_guard,
            scale=scale,
            within=(whole, Window(*corner, width, height)),
        )
        codes = part.codes(recipe)
        if upright:
            out[:, begin:end] = codes[:, inside]
        else:
            out[begin:end] = codes[inside]
    return out
