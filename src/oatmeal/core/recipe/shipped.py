"""Recipes that come with Oatmeal, named by what they do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

from oatmeal.core.recipe import Recipe, from_document
from oatmeal.core.recipe.carry import GROUPS
from oatmeal.core.recipe.curves import SHIPPED as CURVES
from oatmeal.core.recipe.examples import FINISH_STARTS as START


@dataclass(frozen=True)
class Shipped:
    """One recipe: its name, what it does, and its settings."""

    name: str
    words: str
    recipe: Recipe

    @property
    def groups(self) -> tuple[str, ...]:
        """All groups of settings of the steps that it changes; the other steps stay."""
        changed = self.recipe.document()
        return tuple(group.name for group in GROUPS if group.step in changed and not group.stays)


def _shipped(name: str, words: str, **steps: Any) -> Shipped:
    return Shipped(name, words, from_document({"name": name, **steps}))


SHIPPED: Final = (
    _shipped(
        "Fog lifted",
        "takes the veil from a hazy picture and gives it a full scale",
        tone={
            "veil": 40, "clarity": 25, "contrast": 18, "hold_ends": True,
            "curve": [list(point) for point in CURVES["gentle S"]],
        },
    ),
    _shipped(
        "Meadow morning",
        "light grass and leaves under a soft sky",
        mix={"lifts": {"green": 0.6, "yellow": 0.4, "cyan": -0.2, "blue": -0.4}},
        tone={"highlights": -40, "shadows": 30, "contrast": -8, "hold_ends": True},
    ),
    _shipped(
        "Storm over the valley",
        "a red filter and strong clouds, printed silver blue with dark corners",
        mix={"base": {"kind": "film", "filter": "red"}},
        tone={"clarity": 45, "character": "deep", "contrast": 24, "hold_ends": True},
        finish={
            "sharpness": START["sharpness"]["general"], "grain": START["grain"]["fine"],
            "toning": START["toning"]["silver blue"], "falloff": {"amount": -22, "spare": 30},
        },
    ),
    _shipped(
        "Balloon silk",
        "bright warm cloth before a darkened sky",
        mix={"lifts": {"red": 0.6, "orange": 0.6, "yellow": 0.4, "blue": -1.1, "magenta": 0.4}},
        tone={"clarity": 12, "contrast": 12},
    ),
    _shipped(
        "Painted wood",
        "reds stand out from greens, gritty: hard edges and the grain of a pushed film",
        mix={"lifts": {"red": 1.1, "orange": 0.5, "green": -0.9, "cyan": -0.5}},
        tone={"clarity": 35, "character": "crisp", "detail": 15, "contrast": 10},
        finish={
            "sharpness": START["sharpness"]["metal"], "grain": START["grain"]["pushed"],
            "falloff": {"amount": -30},
        },
    ),
    _shipped(
        "Faces in the crowd",
        "smooth, luminous skin on warm paper",
        mix={"base": {"kind": "channels", "red": 70, "green": 30, "blue": 0}},
        tone={"clarity": -12, "shadows": 18, "contrast": 6, "hold_ends": True},
        finish={
            "sharpness": START["sharpness"]["people"], "toning": START["toning"]["warm paper"],
            "glow": {"amount": 12, "threshold": 65}, "falloff": {"amount": -12, "spare": 50},
        },
    ),
    _shipped(
        "Burner at night",
        "opens the dark, holds the flame",
        tone={"exposure": 0.4, "shadows": 45, "highlights": -70, "depth": 30, "hold_ends": True},
    ),
    _shipped(
        "Old plate",
        "film that is blind to red, faded blacks, and what the years left on it",
        mix={"base": {"kind": "film", "film": "orthochromatic"}},
        tone={"curve": [list(point) for point in CURVES["faded"]], "levels": {"out_white": 246}},
        finish={
            "toning": START["toning"]["sepia"], "falloff": {"amount": -35, "midpoint": 45},
            "dust": {"amount": 50}, "scratches": {"amount": 25}, "paper": {"amount": 35},
            "border": {"uneven": {"width": 16}},
        },
    ),
    _shipped(
        "Far heat",
        "as film beyond the red sees: white leaves, black sky",
        mix={
            "base": {
                "kind": "channels", "red": 10, "green": 190, "blue": -100, "hold_total": False,
            },
            "lifts": {"green": 0.8, "yellow": 0.6, "cyan": -1.2, "blue": -2.0},
        },
        tone={"contrast": 14, "hold_ends": True},
    ),
    _shipped(
        "Ink and paper",
        "hard contrast and clear edges, as in a linocut, on a rough sheet",
        tone={
            "contrast": 55, "clarity": 40, "detail": 20,
            "levels": {"black": 10, "white": 246, "out_white": 250},
        },
        finish={
            "paper": {"amount": 45, "size": 65}, "border": {"uneven": {"width": 10, "black": 0}},
        },
    ),
)  # fmt: skip


def by_name(name: str) -> Shipped | None:
    """The shipped recipe of that name, if there is one."""
    return next((one for one in SHIPPED if one.name == name), None)
