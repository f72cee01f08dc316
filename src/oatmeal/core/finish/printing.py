"""A whole picture at the size it will have: what Finish does there, and its codes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import glow, shading, toning
from oatmeal.core.finish.quantising import Depth, quantised
from oatmeal.core.finish.stages import SURFACE
from oatmeal.core.picture import Window
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.finish import Finish
from oatmeal.core.stages import Place

Plane = NDArray[np.float32]

#: Rows that grain, marks and colour are held for at a time.
_ROWS: Final = 512


def printed(
    encoded: Plane,
    recipe: Recipe,
    seed: int = 0,
    between: Callable[[Plane], Plane] = lambda plane: plane,
    spreading: Plane | None = None,
) -> Plane:
    """Encoded values as they are printed, but for their colour.

    Parameters
    ----------
    encoded : float32 (H, W)
        Of the whole framed picture, at the output's size.
    recipe : Recipe
        As it acts.
    seed : int
        Of the photograph, for what is drawn by chance.
    between : callable
        What is done between falloff and grain: sharpening for the medium.
    spreading : float32 (h, w), optional
        The light that spreads, of :func:`.glow.spread`; None where nothing glows.
    """
    finish = recipe.finish
    height, width = encoded.shape
    whole = Window(0, 0, width, height)
    if spreading is not None:
        encoded = glow.glowing(encoded, spreading, finish.glow.amount, whole)
    out = between(shading.shaded(encoded, finish, whole))
    works = [(made_by, laid) for made_by, laid in SURFACE if laid.works(recipe)]
    if not works:
        return out
    made = np.empty_like(out)
    for top in range(0, height, _ROWS):
        place = Place(Window(0, top, width, height), seed=seed)
        rows = np.ascontiguousarray(out[top : top + _ROWS])
        for made_by, laid in works:
            rows = laid.make(recipe, place, rows, made_by.make(recipe, place, rows))
        made[top : top + _ROWS] = rows
    return made


def coded(
    encoded: Plane,
    finish: Finish,
    dtype: Depth,
    *,
    dither: bool = False,
    corner: tuple[int, int] = (0, 0),
) -> NDArray[Any]:
    """Codes of printed values: ``(H, W)``, or ``(H, W, 3)`` where they are toned."""
    if finish.toning.rests:
        return quantised(encoded, dtype, dither=dither, corner=corner)
    out: NDArray[Any] = np.empty((*encoded.shape, 3), dtype=dtype)
    for top in range(0, encoded.shape[0], _ROWS):
        part = toning.coloured(np.ascontiguousarray(encoded[top : top + _ROWS]), finish.toning)
        place = (corner[0], corner[1] + top)
        out[top : top + _ROWS] = quantised(part, dtype, dither=dither, corner=place)
    return out
