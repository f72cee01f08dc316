"""An order to the pipeline: a recipe as it acts, with the keys of all stages."""

from __future__ import annotations

from math import lcm
from operator import is_
from typing import Any, Final

from oatmeal.core.areas.stages import STAGES as AREAS
from oatmeal.core.finish.stages import STAGES as FINISH
from oatmeal.core.mix.stages import STAGES as MIX
from oatmeal.core.prepare.stages import STAGES as PREPARE
from oatmeal.core.recipe import Recipe
from oatmeal.core.stages import SOURCE, Place, Stage, table, value_of
from oatmeal.core.tone.stages import STAGES as TONE

#: Every stage by its name, in the order of the work.
STAGES: Final = table(*AREAS, *PREPARE, *MIX, *TONE, *FINISH)

#: The stage that a picture leaves the pipeline from.
LAST: Final = "printed"

#: The one that gives the colour that is kept, where any is.
COLOUR: Final = "bare_colour"

#: The key of what the work begins with; one object, as all that orders have in common.
_FIRST: Final = (SOURCE,)


class Order:
    """What is wanted of the pipeline: made once for a frame, good for all its pictures.

    Parameters
    ----------
    given : Recipe
    like : Order, optional
        One that differs in little, such as the last frame's: what both have in common is the same
        object then, which is seen at a glance.

    Attributes
    ----------
    given : Recipe
        As it was given.
    recipe : Recipe
        As it acts: steps that are switched off are at rest.
    """

    def __init__(self, given: Recipe, like: Order | None = None) -> None:
        self.given = given
        self.recipe = given.effective()
        self._like = like._keys if like is not None else {}
        self._keys: dict[str, tuple[Any, ...]] = {SOURCE: _FIRST}
        self._resting: dict[str, bool] = {}

    @staticmethod
    def of(wanted: Recipe | Order) -> Order:
        """The order itself, or a new one for a recipe."""
        return wanted if isinstance(wanted, Order) else Order(wanted)

    def works(self, name: str) -> bool:
        """False for a stage that is left out or at rest."""
        one = STAGES[name]
        return one.when(self.recipe) and not self.rests(one)

    def rests(self, one: Stage) -> bool:
        """True for a stage that hands on what it got; asked many times of each frame."""
        found = self._resting.get(one.name)
        if found is None:
            found = self._resting[one.name] = not one.works(self.recipe)
        return found

    def key(self, name: str) -> tuple[Any, ...]:
        """All that a stage's result depends on; of two equal keys the results are equal."""
        found = self._keys.get(name)
        if found is None:
            found = self._keys[name] = self._made(STAGES[name])
        return found

    def _made(self, one: Stage) -> tuple[Any, ...]:
        if not one.when(self.recipe):
            return self._shared((one.name, None))
        if self.rests(one):
            return self.key(one.needs[0])
        values = [value_of(self.recipe, path) for path in one.reads]
        for place, old in enumerate(self._like.get(one.name, ())[1 : len(values) + 1]):
            if values[place] == old:
                values[place] = old
        return self._shared((one.name, *values, *(self.key(need) for need in one.needs)))

    def _shared(self, made: tuple[Any, ...]) -> tuple[Any, ...]:
        """The key of the order before, if it consists of the same objects."""
        like = self._like.get(made[0], ())
        return like if len(like) == len(made) and all(map(is_, like, made)) else made

    def margin(self, place: Place, name: str = LAST) -> int:
        """Pixels round one that its result depends on, over all stages up to this one."""
        if name == LAST:
            return max(self._margin(place, LAST), self._margin(place, COLOUR))
        return self._margin(place, name)

    def _margin(self, place: Place, name: str) -> int:
        if name == SOURCE or not STAGES[name].when(self.recipe):
            return 0
        one = STAGES[name]
        if self.rests(one):
            return self._margin(place, one.needs[0])
        if one.whole:
            return 0  # a part gets it from the whole
        inner = max((self._margin(place, need) for need in one.needs), default=0)
        return one.margin(self.recipe, place) + inner

    def grid(self, place: Place) -> int:
        """Parts of a picture begin at multiples of this."""
        return lcm(*(one.grid(place) for one in STAGES.values() if self.works(one.name)))

    def asks_whole(self) -> bool:
        """True if some stage that works looks at the whole picture."""
        return self._asks(LAST) or self._asks(COLOUR)

    def _asks(self, name: str) -> bool:
        if name == SOURCE or not STAGES[name].when(self.recipe):
            return False
        one = STAGES[name]
        if self.rests(one):
            return self._asks(one.needs[0])
        return one.whole or any(self._asks(need) for need in one.needs)
