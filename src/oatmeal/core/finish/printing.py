"""A whole picture at the size it will have: what Finish does there, and its codes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import kernels, stages, toning
from oatmeal.core.finish.quantising import Depth, joined, quantised, through
from oatmeal.core.picture import Picture, Window
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.finish import Finish
from oatmeal.core.stages import Place, Stage

Plane = NDArray[np.float32]

_TABLE: Final = {one.name: one for one in stages.STAGES}
_BARE: Final = stages.bare_colour


def at_the_output() -> list[Stage]:
    """The stages that work at the finished file's size, in their order, up to the last of all.

    Each is given first what the one before it made.

    Raises
    ------
    ValueError
        For a stage that works at the file's size after one that works at the output's.
    """
    found: list[Stage] = []
    one = _TABLE[stages.printed.name]
    while one.size != "file":
        found.insert(0, one)
        one = _TABLE[one.needs[0]]
    lost = [other.name for other in _TABLE.values() if other.size != "file" and other not in found]
    if lost:
        raise ValueError(f"stage {one.name} stands after {', '.join(lost)} and says no size")
    return found


#: Rows that grain, marks and colour are held for at a time.
_ROWS: Final = 512


class Printing:
    """Prints a picture whose encoded values come strip by strip, from its top down.

    Parameters
    ----------
    width, height : int
        Of the whole framed picture, at the output's size.
    picture : Picture
        As it is framed, for what it says of itself.
    recipe : Recipe
        As it acts.
    between : callable
        What is done between falloff and grain: sharpening for the medium.
    around : int
        Rows above and below one that it looks at.
    whole : callable
        Gives the result, by its name, of a stage that looks at the whole picture.
    """

    def __init__(
        self,
        width: int,
        height: int,
        picture: Picture,
        recipe: Recipe,
        between: Callable[[Plane], Plane] = lambda plane: plane,
        around: int = 0,
        whole: Callable[[str], Any] = lambda name: None,
    ) -> None:
        self._size = (width, height)
        self._recipe = recipe
        self._picture = picture
        self._between = between
        self._around = around
        self._whole = whole
        works = [one for one in at_the_output() if one.when(recipe) and one.works(recipe)]
        self._light = [one for one in works if one.size == "output"]
        self._laid_on = [one for one in works if one.size == "print"]
        self._lies = any(_TABLE[name].when(recipe) for name in _BARE.needs[1:])
        self._held = np.empty((0, width), np.float32)
        self._colour: Plane | None = None
        self._taken = self._given = 0

    def take(self, encoded: Plane, kept: Plane | None = None) -> tuple[int, Plane, Plane | None]:
        """The next rows, float32 ``(h, W)``, with the colour ``(h, W, 3)`` that is let through.

        Returns
        -------
        top : int
            Of the rows that are printed now, which lag behind by what ``around`` asks for.
        rows : float32 (n, W)
        kept : float32 (n, W, 3) or None
            The colour of these rows where nothing lies on the print.
        """
        rows = self._made(self._light, self._taken, encoded)
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
        return top, self._laid(top, rows), self._bare(top, kept)

    def _laid(self, top: int, rows: Plane) -> Plane:
        """What lies on the print, over rows from ``top`` on."""
        if not self._laid_on:
            return rows
        return self._in_parts(rows, top, lambda above, part: self._made(self._laid_on, above, part))

    def _bare(self, top: int, kept: Plane | None) -> Plane | None:
        """The kept colour of the rows that are given now; more of it comes than goes."""
        if kept is None:
            return None
        held = kept if self._colour is None else np.concatenate([self._colour, kept])
        self._colour, rows = held[self._given - top :], held[: self._given - top]
        if not self._lies:
            return rows
        return self._in_parts(rows, top, lambda above, part: self._made([_BARE], above, part))

    def _in_parts(self, rows: Plane, top: int, make: Callable[[int, Plane], Plane]) -> Plane:
        made = np.empty_like(rows)
        for above in range(0, len(rows), _ROWS):
            part = np.ascontiguousarray(rows[above : above + _ROWS])
            made[above : above + _ROWS] = make(top + above, part)
        return made

    def _made(self, works: Sequence[Stage], top: int, rows: Plane) -> Plane:
        """Rows from ``top`` on after some stages."""
        place = Place(Window(0, top, *self._size), self._picture)
        for one in works:
            given = [self._needed(need, place, rows) for need in one.needs[1:]]
            rows = one.make(self._recipe, place, rows, *given)
        return rows

    def _needed(self, name: str, place: Place, rows: Plane) -> Any:
        one = _TABLE.get(name)
        if one is None or one.whole:
            return self._whole(name)
        return one.make(self._recipe, place, rows) if one.when(self._recipe) else None


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

    ``kept (H, W, 4)`` is colour that is let through, of :func:`.keeping.kept`.
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
