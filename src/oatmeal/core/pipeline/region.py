"""A rectangle of a picture, with what its neighbourhood stages need around it."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish.quantising import Depth
from oatmeal.core.picture import Picture, Rectangle, Window
from oatmeal.core.pipeline.order import LAST, Order
from oatmeal.core.pipeline.work import Pipeline
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import Place


class Region:
    """A rectangle of a picture's own pixels.

    Parameters
    ----------
    picture : Picture
        As it is framed.
    rectangle : (x, y, width, height)
        Within the picture.
    wanted : Recipe or Order
        It says how much of the surroundings is read; :meth:`holds` tells whether that is enough for
        another one.
    whole : Pipeline, optional
        On the whole picture at some size; stages that look at the whole run there.
    last : str
        The stage that the surroundings must do for.
    once : bool
        It is asked with one recipe alone, see :class:`Pipeline`.
    """

    def __init__(
        self,
        picture: Picture,
        rectangle: Rectangle,
        wanted: Recipe | Order,
        whole: Pipeline | None = None,
        last: str = LAST,
        once: bool = False,
    ) -> None:
        x, y, width, height = rectangle
        full = Window(0, 0, picture.width, picture.height, picture.layout)
        self._place = Place(full, picture)
        order = Order.of(wanted)
        self._margin, self._grid = order.margin(self._place, last), order.grid(self._place)
        left, top = self._begin(x), self._begin(y)
        right, bottom = self._end(x + width, picture.width), self._end(y + height, picture.height)
        there = left, top, right - left, bottom - top
        elsewhere = partial(_elsewhere, picture, whole)
        self.pipeline = Pipeline(picture, there, whole=whole, elsewhere=elsewhere, once=once)
        self._inside = (slice(y - top, y - top + height), slice(x - left, x - left + width))

    def _begin(self, place: int) -> int:
        return max(0, (place - self._margin) // self._grid * self._grid)

    def _end(self, place: int, size: int) -> int:
        return min(size, -(-(place + self._margin) // self._grid) * self._grid)

    def holds(self, wanted: Recipe | Order) -> bool:
        """True if enough of the surroundings was read for this recipe."""
        order = Order.of(wanted)
        fits = self._grid % order.grid(self._place) == 0
        return fits and order.margin(self._place) <= self._margin

    def encoded(self, wanted: Recipe | Order) -> NDArray[np.float32]:
        """The rectangle's printed grey, encoded float32."""
        return self.cut(self.pipeline.encoded(wanted))

    def sharpened(self, wanted: Recipe | Order) -> NDArray[np.float32]:
        """The rectangle before what Finish does at the output's size."""
        return self.cut(self.pipeline.get("sharpened", wanted))

    def kept_colour(self, wanted: Recipe | Order) -> NDArray[np.float32]:
        """The colour that is let through, at the file's size; see :mod:`oatmeal.core.finish`."""
        return self.cut(self.pipeline.get("kept_colour", wanted))

    def coloured(self, wanted: Recipe | Order) -> NDArray[Any]:
        """The finished picture of the rectangle, 8 bits, ``(H, W, 3)`` where it is toned."""
        return self.cut(self.pipeline.coloured(wanted))

    def prepared(self, wanted: Recipe | Order) -> NDArray[np.float32]:
        """The rectangle's linear colour after the Prepare step."""
        return self.cut(self.pipeline.prepared(wanted))

    def codes(self, wanted: Recipe | Order, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The finished grey of the rectangle."""
        return self.cut(self.pipeline.codes(wanted, dtype))

    def cut(self, plane: NDArray[Any]) -> NDArray[Any]:
        """The rectangle's part of something computed with its surroundings."""
        return np.ascontiguousarray(plane[self._inside])


def _elsewhere(
    picture: Picture,
    whole: Pipeline | None,
    name: str,
    order: Order,
    rectangle: Rectangle,
) -> NDArray[Any]:
    """What a stage makes of another rectangle of the picture."""
    there = Region(picture, rectangle, order, whole, last=name)
    return there.cut(there.pipeline.get(name, order))
