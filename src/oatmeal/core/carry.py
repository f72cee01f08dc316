"""Carrying a recipe to other photographs: which settings travel, and how strongly."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import Any, Final

from oatmeal.core.curve import STRAIGHT
from oatmeal.core.recipe import (
    REST,
    Channels,
    Film,
    Levels,
    Lifts,
    Mix,
    Recipe,
    Six,
    Tone,
)

#: A recipe is applied from this share of its own strength up to that.
WEAKEST: Final = 0.0
STRONGEST: Final = 1.5


@dataclass(frozen=True)
class Group:
    """Settings that travel together.

    Attributes
    ----------
    name : str
        In the words of the screens.
    step : str
        ``prepare``, ``mix`` or ``tone``.
    keys : tuple of str
        The keys of the step.
    """

    name: str
    step: str
    keys: tuple[str, ...]


#: Everything that can travel, in the order of the work.
GROUPS: Final = (
    Group("colour exposure", "prepare", ("exposure",)),
    Group("base", "mix", ("base",)),
    Group("lifts", "mix", ("lifts", "centres", "pale", "guard")),
    Group("picked colours", "mix", ("picked",)),
    Group("exposure", "tone", ("exposure",)),
    Group("light", "tone", ("shadows", "highlights", "zones")),
    Group("local contrast", "tone", ("clarity", "character", "detail", "veil", "sparkle", "depth")),
    Group("points", "tone", ("levels",)),
    Group("contrast and curve", "tone", ("contrast", "curve", "hold_ends")),
)


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
    and formulas stay.
    """
    toward = _Toward(strength)
    mix, tone = recipe.mix, recipe.tone
    lifts = {name: toward(stops, 0, 4) for name, stops in mix.lifts.model_dump().items()}
    picked = tuple(one.model_copy(update={"lift": toward(one.lift, 0, 4)}) for one in mix.picked)
    return recipe.model_copy(
        update={
            "prepare": recipe.prepare.model_copy(
                update={"exposure": toward(recipe.prepare.exposure, 0, 5)}
            ),
            "mix": mix.model_copy(
                update={"base": _base(mix, toward), "lifts": Lifts(**lifts), "picked": picked}
            ),
            "tone": _tone(tone, toward, strength),
        }
    )


class _Toward:
    """Scales a number's distance from rest, within limits."""

    def __init__(self, strength: float) -> None:
        self._strength = strength

    def __call__(self, value: float, rest: float, high: float, low: float | None = None) -> float:
        moved = rest + self._strength * (value - rest)
        return round(min(high, max(-high if low is None else low, moved)), 4)


def _base(mix: Mix, toward: Callable[..., float]) -> Any:
    base = mix.base
    if isinstance(base, Film):
        return base.model_copy(update={"strength": toward(base.strength, 0, 3, 0)})
    if isinstance(base, Channels | Six):
        rest = type(base)(kind=base.kind)  # type: ignore[arg-type]
        shares = {
            name: toward(value, getattr(rest, name), 100 if name == "offset" else 300)
            for name, value in base.model_dump().items()
            if isinstance(value, float)
        }
        return base.model_copy(update=shares)
    return base


def _tone(tone: Tone, toward: Callable[..., float], strength: float) -> Tone:
    percents = ("highlights", "shadows", "clarity", "detail", "veil", "contrast")
    amounts = ("sparkle", "depth")
    values: dict[str, Any] = {name: toward(getattr(tone, name), 0, 100) for name in percents}
    values |= {name: toward(getattr(tone, name), 0, 100, 0) for name in amounts}
    values["exposure"] = toward(tone.exposure, 0, 5)
    values["zones"] = tuple(toward(stops, 0, 2) for stops in tone.zones)
    moved = tuple((x, toward(y, x, 1, 0)) for x, y in tone.curve)
    values["curve"] = STRAIGHT if all(x == y for x, y in moved) else moved
    values["levels"] = _levels(tone.levels, toward, strength)
    return tone.model_copy(update=values)


def _levels(levels: Levels, toward: Callable[..., float], strength: float) -> Levels:
    rest = REST.tone.levels
    black = toward(levels.black, rest.black, 254, 0)
    out_black = toward(levels.out_black, rest.out_black, 254, 0)
    return Levels(
        black=black,
        middle=round(min(9.99, max(0.1, levels.middle**strength)), 4),
        white=max(black + 1, toward(levels.white, rest.white, 255, 1)),
        out_black=out_black,
        out_white=max(out_black + 1, toward(levels.out_white, rest.out_white, 255, 1)),
    )
