"""A whole picture at the size it will have: what Finish does there, and its codes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import glow, kernels, shading, toning
from oatmeal.core.finish.quantising import Depth, joined, quantised, through
from oatmeal.core.finish.stages import BARES, SURFACE, bare_colour
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


def bare(kept: Plane, recipe: Recipe, seed: int = 0) -> Plane:
    """Kept colour ``(H, W, 3)`` of a whole picture, where nothing lies on the print."""
    height, width = kept.shape[:2]
    works = [one for one in BARES if one.when(recipe)]
    for top in range(0, height if works else 0, _ROWS):
        place = Place(Window(0, top, width, height), seed=seed)
        rows = kept[top : top + _ROWS]
        lying = [one.make(recipe, place, rows) if one in works else None for one in BARES]
        kept[top : top + _ROWS] = bare_colour.make(recipe, place, rows, *lying)
    return kept


def coded(
    encoded: Plane,
    finish: Finish,
    dtype: Depth,
    *,
    dither: bool = False,
    corner: tuple[int, int] = (0, 0),
    kept: Plane | None = None,
) -> NDArray[Any]:
    """Codes of printed values: ``(H, W)``, or ``(H, W, 3)`` where they are toned.

    ``kept (H, W, 3)`` is colour that is let through, of :func:`.keeping.kept`.
    """
    if finish.toning.rests and kept is None:
        return quantised(encoded, dtype, dither=dither, corner=corner)
    if kept is None:
        return through(encoded, toning.table(finish.toning), dtype, dither=dither, corner=corner)
    out: NDArray[Any] = np.empty((*encoded.shape, 3), dtype=dtype)
    for top in range(0, encoded.shape[0], _ROWS):
        rows = slice(top, top + _ROWS)
        lines, own = (np.ascontiguousarray(plane[rows]) for plane in (encoded, kept))
        part = kernels.lit(lines, toning.shades(finish.toning), own)
        place = (corner[0], corner[1] + top)
        out[rows] = joined(part, dtype, dither=dither, corner=place)
    return out
