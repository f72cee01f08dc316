"""Carrying a recipe to other photographs: which settings travel, and how strongly."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any, Final

from oatmeal.core.recipe.curves import STRAIGHT
from oatmeal.core.recipe.document import DECLARED, STEPS, Recipe
from oatmeal.core.recipe.parts import Part
from oatmeal.core.recipe.reading import from_document
from oatmeal.core.recipe.settings import Setting, put

#: A recipe is applied from this share of its own strength up to that.
WEAKEST: Final = 0.0
STRONGEST: Final = 1.5


#: What belongs to one photograph: it stays there unless asked for.
_STAYING: Final = ("frame", "lens", "spots", "areas")


@dataclass(frozen=True)
class Group:
    """Settings that travel together.

    Attributes
    ----------
    name : str
        In the words of the screens.
    step : str
        A name of :data:`oatmeal.core.recipe.STEPS`.
    keys : tuple of str
        The keys of the step.
    """

    name: str
    step: str
    keys: tuple[str, ...]

    @property
    def stays(self) -> bool:
        """True for what stays with its photograph unless asked for."""
        return self.name in _STAYING


def _groups() -> tuple[Group, ...]:
    found: dict[tuple[str, str], dict[str, None]] = {}
    for one in DECLARED.values():
        step, key = one.top.split(".")
        found.setdefault((step, one.group), {})[key] = None
    return tuple(Group(name, step, tuple(keys)) for (step, name), keys in found.items())


#: Everything that can travel, in the order of the work.
GROUPS: Final = _groups()


def carried(source: Recipe, onto: Recipe, groups: Collection[str], strength: float = 1) -> Recipe:
    """The recipe ``onto`` with some groups of settings taken from ``source``.

    Parameters
    ----------
    groups : collection of str
        Names of :data:`GROUPS`. A step of which something travels takes its switch along.
    strength : float
        0 puts what travels to rest, 1 takes it as it is, up to 1.5 goes beyond.

    Raises
    ------
    ValueError
        For a group that does not exist, or a strength out of range.
    """
    unknown = set(groups) - {group.name for group in GROUPS}
    if unknown:
        raise ValueError(f"there is no group of settings named {', '.join(sorted(unknown))}")
    if not WEAKEST <= strength <= STRONGEST:
        raise ValueError("the strength must be from 0 to 1.5")
    taken = scaled(source, strength) if strength != 1 else source
    result = onto
    for group in GROUPS:
        if group.name in groups:
            values = {key: getattr(getattr(taken, group.step), key) for key in group.keys}
            values["on"] = getattr(taken, group.step).on
            step = getattr(result, group.step).model_copy(update=values)
            result = result.model_copy(update={group.step: step})
    return result


def scaled(recipe: Recipe, strength: float) -> Recipe:
    """A recipe moved toward rest (below 1) or beyond itself (above), within what is allowed.

    Numbers that say how much are scaled; those that say where (centres, reach, pale), choices
    and formulas stay: the declaration of each setting says which it is.
    """
    document = recipe.full_document()
    for path, value, one in list(DECLARED.inside(document)):
        if one.scale != "stays":
            put(document, path, _scaled(value, one, strength))
    for step in STEPS:
        document[step] = _settled(getattr(recipe, step), document[step])
    return from_document(document)


def _scaled(value: Any, one: Setting, strength: float) -> Any:
    if one.scale == "curve":
        points = [[x, _kept(x + strength * (y - x), 0, 1)] for x, y in value]
        return list(STRAIGHT) if all(x == y for x, y in points) else points
    if isinstance(value, list):
        return [
            _toward(item, rest, one, strength) for item, rest in zip(value, one.rest, strict=True)
        ]
    if one.scale == "power":
        return _kept(value**strength, one.low, one.high)
    return _toward(value, one.origin, one, strength)


def _toward(value: float, rest: float | None, one: Setting, strength: float) -> float:
    begin = rest or 0.0
    return _kept(begin + strength * (value - begin), one.low, one.high)


def _kept(value: float, low: float | None, high: float | None) -> float:
    value = value if low is None else max(low, value)
    return round(value if high is None else min(high, value), 4)


def _settled(part: Part, values: dict[str, Any]) -> dict[str, Any]:
    """Let every part mend what scaling broke between its values."""
    inner: dict[str, Any] = {}
    for name, field in part:
        if isinstance(field, Part) and name in values:
            inner[name] = _settled(field, values[name])
        elif isinstance(field, tuple) and any(isinstance(one, Part) for one in field):
            pairs = zip(field, values[name], strict=True)
            inner[name] = [_settled(one, value) for one, value in pairs]
    return type(part).settled({**values, **inner})
