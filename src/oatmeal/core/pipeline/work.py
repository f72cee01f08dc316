"""The pipeline: runs the declared stages and keeps what each returned.

Stages are pure functions; this module alone keeps results, and computes again only what depends on
something that changed.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import coded, quantised
from oatmeal.core.finish.quantising import Depth
from oatmeal.core.mix import Analysis
from oatmeal.core.picture import (
    ArrayPicture,
    Picture,
    Pixels,
    Rectangle,
    Window,
    light_of,
    taken_of,
)
from oatmeal.core.pipeline.order import COLOUR, LAST, STAGES, Order
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import SOURCE, Place
from oatmeal.core.tone import Scale

#: Longer side of the picture that stages look at as a whole.
WHOLE_SIDE: Final = 1600

Plane = NDArray[np.float32]


class Memory:
    """Parts of a stage's result: those that its last run asked for stay, with what they took."""

    def __init__(self) -> None:
        self._last: dict[Any, tuple[Any, list[Any]]] = {}
        self._now: dict[Any, tuple[Any, list[Any]]] = {}
        self._asking: list[list[Any]] = []

    def turn(self) -> None:
        """A new run begins."""
        self._last, self._now = self._now, {}

    def keep(self, key: Any, make: Callable[[], Any], *, passing: bool = False) -> Any:
        """What was made for a key in this run or the last one, or what ``make`` makes.

        What is ``passing`` does not stay for the sake of what was made with it.
        """
        if self._asking and not passing:
            self._asking[-1].append(key)
        if key not in self._now and key in self._last:
            self._carry(key)
        elif key not in self._now:
            self._asking.append([])
            made = make()
            self._now[key] = (made, self._asking.pop())
        return self._now[key][0]

    def _carry(self, key: Any) -> None:
        if key in self._now or key not in self._last:
            return
        self._now[key] = self._last[key]
        for other in self._last[key][1]:
            self._carry(other)


class Pipeline:
    """Renders one picture, or a part of it, with changing recipes.

    Parameters
    ----------
    picture : Picture, or float32 (H, W, 3)
        As it is framed: the file's, or a copy of it. An array is one that says nothing of itself.
    part : (x, y, width, height), optional
        The rectangle of it that is worked on; None: all of it.
    whole : Pipeline, optional
        Of a part: a pipeline on the whole picture at some size, which stages that look at the whole
        run on.
    elsewhere : callable, optional
        Of a part: ``elsewhere(stage, order, rectangle)`` gives a stage's result anywhere in the
        picture.
    once : bool
        It is asked with one recipe alone: stages go the short way, see
        :attr:`~oatmeal.core.stages.Stage.at_once`.

    Notes
    -----
    Not to be used from two threads at once. Every method takes a recipe, or an
    :class:`~oatmeal.core.pipeline.Order` made from one.
    """

    def __init__(
        self,
        picture: Picture | NDArray[np.float32],
        part: Rectangle | None = None,
        *,
        whole: Pipeline | None = None,
        elsewhere: Callable[[str, Order, Rectangle], Any] | None = None,
        once: bool = False,
    ) -> None:
        if isinstance(picture, np.ndarray):
            picture = ArrayPicture(np.asarray(picture, dtype=np.float32))
        there = part or (0, 0, picture.width, picture.height)
        self._pixels: Pixels = (picture.coded(*there) if once else None) or np.ascontiguousarray(
            picture.linear(*there)
        )
        self._once, self._whole, self._elsewhere = once, whole, elsewhere
        # nothing in the place may hold the pipeline itself, or strips of a large picture pile up
        window = Window(*there[:2], picture.width, picture.height, picture.layout)
        self.place = Place(window, picture)
        self._memories: dict[str, Memory] = {}
        self._kept: dict[str, tuple[Any, Any]] = {}
        self._last: tuple[Recipe, Order] | None = None

    @property
    def source(self) -> NDArray[np.float32]:
        """Linear colour ``(H, W, 3)`` that the work begins with."""
        return light_of(self._pixels)

    def order(self, wanted: Recipe | Order) -> Order:
        """The order that a recipe makes; the same one while the recipe is the same object."""
        if isinstance(wanted, Order):
            return wanted
        if self._last is None or self._last[0] is not wanted:
            self._last = (wanted, Order(wanted, self._last[1] if self._last else None))
        return self._last[1]

    def get(self, name: str, wanted: Recipe | Order) -> Any:
        """The result of a stage; None where the recipe leaves it out."""
        order = self.order(wanted)
        if name == SOURCE:
            return self.source
        one = STAGES[name]
        if not one.when(order.recipe):
            return None
        if order.rests(one):
            return self.get(one.needs[0], order)
        if one.whole and self._whole is not None:
            return self._whole.get(name, order)
        if one.uncropped and not self.place.window.uncropped:
            return self._as_taken.get(name, order)
        return self._remembered(name, order.key(name), lambda: self._made(name, order))

    @cached_property
    def _as_taken(self) -> Pipeline:
        """On a small copy of the picture without its frame."""
        return Pipeline(taken_of(self.place.picture))

    def _made(self, name: str, order: Order) -> Any:
        one = STAGES[name]
        if self._once and one.at_once:
            made = self._made_at_once(*one.at_once, order)
            if made is not None:
                return made
        results = [self.get(need, order) for need in one.needs]
        if one.roams:
            results.insert(0, self._look(one.needs[0], results[0], order))
        if one.keeps:
            memory = self._memories.setdefault(name, Memory())
            memory.turn()
            results.insert(0, memory.keep)
        return one.make(order.recipe, self.place, *results)

    def _made_at_once(self, start: str, make: Callable[..., Any], order: Order) -> Any:
        as_it_is = order.key(start) == order.key(SOURCE)
        return make(order.recipe, self.place, self._pixels if as_it_is else self.get(start, order))

    def _look(self, name: str, result: Any, order: Order) -> Callable[[Rectangle], Any]:
        """Gives what a stage makes of any rectangle of the whole picture."""
        if self._elsewhere is not None:
            elsewhere = self._elsewhere
            return lambda rectangle: elsewhere(name, order, rectangle)

        def look(rectangle: Rectangle) -> Any:
            x, y, width, height = rectangle
            return result[y : y + height, x : x + width]

        return look

    def _remembered(self, name: str, key: Any, make: Any) -> Any:
        kept = self._kept.get(name)
        if kept is None or kept[0] != key:
            kept = self._kept[name] = (key, make())
        return kept[1]

    def prepared(self, wanted: Recipe | Order) -> NDArray[np.float32]:
        """Linear colour after the Prepare step."""
        found: NDArray[np.float32] = self.get("prepared", wanted)
        return found

    def mixed(self, wanted: Recipe | Order) -> Plane:
        """Linear grey after the Mix step, float32 ``(H, W)``."""
        found: Plane = self.get("mixed", wanted)
        return found

    def analysis(self, wanted: Recipe | Order) -> Analysis:
        """The colours that lifts are computed from."""
        found: Analysis = self.get("analysis", wanted)
        return found

    def toned(self, wanted: Recipe | Order) -> Plane:
        """Linear grey after exposure and everything local, before the scale's table."""
        found: Plane = self.get("toned", wanted)
        return found

    def scale(self, wanted: Recipe | Order) -> Scale:
        """The compiled table of the Tone step."""
        found: Scale = self.get("scale", wanted)
        return found

    def encoded(self, wanted: Recipe | Order) -> Plane:
        """The printed grey: encoded values, float32 ``(H, W)``, 0 to 1."""
        found: Plane = self.get(LAST, wanted)
        return found

    def codes(self, wanted: Recipe | Order, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The printed grey as codes rounded to the nearest, uint8 or uint16 ``(H, W)``."""
        order = self.order(wanted)
        key = (order.key(LAST), dtype)
        found: NDArray[Any] = self._remembered(
            "codes", key, lambda: quantised(self.encoded(order), dtype)
        )
        return found

    def coloured(self, wanted: Recipe | Order, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The same, ``(H, W, 3)`` where it is toned or colour is kept."""
        order = self.order(wanted)
        if not order.recipe.coloured:
            return self.codes(order, dtype)
        kept = self.get(COLOUR, order)
        return coded(self.encoded(order), order.recipe.finish, dtype, kept=kept)
