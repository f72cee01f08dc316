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


class Printing:
    """Prints a picture whose encoded values come strip by strip, from its top down.

    Parameters
    ----------
    width, height : int
        Of the whole framed picture, at the output's size.
    recipe : Recipe
        As it acts.
    seed : int
        Of the photograph, for what is drawn by chance.
    between : callable
        What is done between falloff and grain: sharpening for the medium.
    around : int
        Rows above and below one that it looks at.
    spreading : float32 (h, w), optional
        The light that spreads, of :func:`.glow.spread`; None where nothing glows.
    """

    def __init__(
        self,
        width: int,
        height: int,
        recipe: Recipe,
        seed: int = 0,
        between: Callable[[Plane], Plane] = lambda plane: plane,
        around: int = 0,
        spreading: Plane | None = None,
    ) -> None:
        self._size = (width, height)
        self._recipe = recipe
        self._seed = seed
        self._between = between
        self._around = around
        self._spreading = spreading
        self._works = [(by, laid) for by, laid in SURFACE if laid.works(recipe)]
        self._held = np.empty((0, width), np.float32)
        self._taken = self._given = 0

    def take(self, encoded: Plane) -> tuple[int, Plane]:
        """The next rows, float32 ``(h, W)``.

        Returns
        -------
        top : int
            Of the rows that are printed now, which lag behind by what ``around`` asks for.
        rows : float32 (n, W)
        """
        finish, window = self._recipe.finish, Window(0, self._taken, *self._size)
        if self._spreading is not None:
            encoded = glow.glowing(encoded, self._spreading, finish.glow.amount, window)
        rows = shading.shaded(encoded, finish, window)
        self._taken += len(rows)
        top, height = self._given, self._size[1]
        self._given = height if self._taken == height else max(top, self._taken - self._around)
        if self._around:
            first = self._taken - len(rows) - len(self._held)
            self._held = np.concatenate([self._held, rows])
            rows = self._between(self._held)[top - first : self._given - first]
            self._held = self._held[max(0, self._given - self._around - first) :]
        else:
            rows = self._between(rows)
        return top, self._laid(top, rows)

    def _laid(self, top: int, rows: Plane) -> Plane:
        """What lies on the print, over rows from ``top`` on."""
        if not self._works:
            return rows
        made = np.empty_like(rows)
        for above in range(0, len(rows), _ROWS):
            place = Place(Window(0, top + above, *self._size), seed=self._seed)
            part = np.ascontiguousarray(rows[above : above + _ROWS])
            for made_by, laid in self._works:
                found = made_by.make(self._recipe, place, part)
                part = laid.make(self._recipe, place, part, found)
            made[above : above + _ROWS] = part
        return made


def printed(
    encoded: Plane,
    recipe: Recipe,
    seed: int = 0,
    between: Callable[[Plane], Plane] = lambda plane: plane,
    spreading: Plane | None = None,
) -> Plane:
    """Encoded values ``(H, W)`` of a whole picture as they are printed, but for their colour.

    The parameters are those of :class:`Printing`.
    """
    height, width = encoded.shape
    return Printing(width, height, recipe, seed, between, 0, spreading).take(encoded)[1]


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
