"""What a stage of the pipeline is: a pure function, declared with all that its result depends on.

A stage says which settings it reads, which stages' results it is given, how far beyond a pixel it
looks, and whether it looks at the whole picture. Keys, memory, margins and what is computed again
follow from that (:mod:`oatmeal.core.pipeline`); no stage remembers anything itself.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from operator import attrgetter
from typing import Any, Final, Literal

from oatmeal.core.picture import Picture, Window
from oatmeal.core.recipe import DECLARED, REST, Recipe
from oatmeal.core.recipe.settings import Path

#: Where every pipeline begins: the linear colour it was given.
SOURCE: Final = "source"


@dataclass(frozen=True)
class Place:
    """What an array that a stage works on is, of the picture as it is framed.

    Attributes
    ----------
    window : Window
        Which part of the whole.
    picture : Picture
        The whole, for what it says of itself; its pixels come to a stage as it needs them.
    """

    window: Window
    picture: Picture

    @property
    def long_side(self) -> float:
        """Of the uncropped picture, in the array's pixels."""
        return self.window.long_side


@dataclass(frozen=True)
class Stage:
    """One declared stage.

    Attributes
    ----------
    name : str
    make : callable
        ``make(recipe, place, *results of needs)``, pure.
    reads : tuple of str
        Paths of the recipe whose values the result depends on: settings, or whole parts.
    needs : tuple of str
        Stages whose results it is given, in this order.
    moved_by : tuple of str
        The settings of which one must be away from rest for the stage to do anything; where none
        is, it hands on the first result it is given, the same object. Empty: it always works.
    idle : callable
        ``idle(recipe)``; where it is true, nothing that follows can tell whether the stage works,
        and it hands on the first result it is given, too.
    when : callable
        ``when(recipe)``; where it is false the stage is left out and gives None.
    margin : callable
        ``margin(recipe, place)``: pixels round one that its result there depends on.
    grid : callable
        ``grid(place)``: parts of a picture begin at multiples of this.
    roams : bool
        True if it looks far from a few pixels: after the place it is given ``look(rectangle)``,
        which gives the first of its needs anywhere in the picture.
    whole : bool
        True if it looks at the whole picture: a part asks a pipeline on the whole for it.
    uncropped : bool
        True if what it tells of the whole must not depend on the frame: of a cropped picture it is
        made from a small copy of what was taken.
    keeps : bool
        True if its result is put together from parts of which some stay: after the place it is
        given ``keep(key, make)``, which remembers what was asked for last time.
    size : str
        What the picture's size is where it works: ``file``, the file's; ``output``, that of the
        finished file, in light; ``print``, the same after sharpening for its medium. The last two
        look at no pixel but their own; what else they need is made from their place alone, or of
        the whole.
    at_once : (str, callable), optional
        An earlier stage, and ``straight(recipe, place, its result)``: the same result for who asks
        once, without those between. It is given the :class:`~oatmeal.core.picture.Coded` pixels of
        a file where all before it rests, and may give None: then those between are asked.
    """

    name: str
    make: Callable[..., Any]
    reads: tuple[Path, ...] = ()
    needs: tuple[str, ...] = ()
    moved_by: tuple[Path, ...] = ()
    idle: Callable[[Recipe], bool] = lambda recipe: False
    when: Callable[[Recipe], bool] = lambda recipe: True
    margin: Callable[[Recipe, Place], int] = lambda recipe, place: 0
    grid: Callable[[Place], int] = lambda place: 1
    roams: bool = False
    whole: bool = False
    uncropped: bool = False
    keeps: bool = False
    size: Literal["file", "output", "print"] = "file"
    at_once: tuple[str, Callable[..., Any]] | None = None

    def works(self, recipe: Recipe) -> bool:
        """False where the stage is at rest and hands on what it got."""
        if self.idle(recipe):
            return False
        return not self.moved_by or any(moves(recipe, path) for path in self.moved_by)


def stage(name: str, **declared: Any) -> Callable[[Callable[..., Any]], Stage]:
    """Declare the function below as a stage; the arguments are those of :class:`Stage`.

    Examples
    --------
    >>> @stage("doubled", reads=("tone.exposure",), needs=("source",))
    ... def doubled(recipe, place, rgb_linear):
    ...     return rgb_linear * 2 ** recipe.tone.exposure
    >>> doubled.needs
    ('source',)
    """
    return lambda make: Stage(name, make, **declared)


def table(*stages: Stage) -> Mapping[str, Stage]:
    """Stages by their names, in the order of the work.

    Raises
    ------
    ValueError
        For two of one name, a need that does not stand before, or a path that is not declared.
    """
    known: dict[str, Stage] = {}
    for one in stages:
        missing = [need for need in one.needs if need != SOURCE and need not in known]
        if missing or one.name in known:
            raise ValueError(f"stage {one.name}: {missing or 'declared twice'}")
        for path in (*one.reads, *one.moved_by):
            if not _stands(path):
                raise ValueError(f"stage {one.name} reads {path}, which no recipe has")
        known[one.name] = one
    return known


def _stands(path: Path) -> bool:
    try:
        value_of(REST, path)
    except AttributeError:
        return False
    return True


@cache
def _reader(path: Path) -> attrgetter[Any]:
    return attrgetter(path)


@cache
def _resting(path: Path) -> Any:
    return value_of(REST, path)


def value_of(recipe: Recipe, path: Path) -> Any:
    """The value of a recipe, or the part of it, at a path such as ``tone.levels``."""
    return _reader(path)(recipe)


def moves(recipe: Recipe, path: Path) -> bool:
    """True if a setting at a path, or in the part there, that says how much is away from rest."""
    if value_of(recipe, path) == _resting(path):
        return False
    one = DECLARED.get(path)
    return one is None or one.acts
