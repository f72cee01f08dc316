"""Starting points: one photograph in a dozen conversions, to choose where to begin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.recipe import Film, Lifts, Mix, Plain, Recipe
from oatmeal.core.recipe.shipped import by_name
from oatmeal.core.seeing.balance import Balance


@dataclass(frozen=True)
class Start:
    """One starting point: what to call it, what it does, and its Mix step."""

    name: str
    words: str
    mix: Mix


#: Shipped mixes, named by what they do.
_RECIPES = (
    Start(
        "Dark sky, light earth",
        "blues and cyans down, warm colours up",
        Mix(lifts=Lifts(red=0.6, orange=0.5, yellow=0.3, cyan=-0.9, blue=-1.4, purple=-0.5)),
    ),
    Start(
        "Soft skin",
        "reds and oranges up, the rest a little down",
        Mix(lifts=Lifts(red=0.7, orange=0.5, yellow=0.1, green=-0.3, blue=-0.3, magenta=0.4)),
    ),
)

_FILMS = (
    ("Yellow filter", "sky a little darker, leaves lighter", Film(kind="film", filter="yellow")),
    ("Orange filter", "darker sky, lighter brick and skin", Film(kind="film", filter="orange")),
    ("Red filter", "dramatic sky, very light reds", Film(kind="film", filter="red")),
    ("Green filter", "lighter leaves, darker lips", Film(kind="film", filter="green")),
    ("Blue filter", "light sky and haze, dark earth", Film(kind="film", filter="blue")),
    (
        "Orthochromatic film",
        "blind to red: dark lips, pale sky",
        Film(kind="film", film="orthochromatic"),
    ),
)

_BALANCE_STRENGTHS = (40.0, 100.0)


def _far_heat() -> Start:
    """The mix of the recipe that is shipped as such."""
    one = by_name("Far heat")
    assert one is not None
    return Start(one.name, one.words, one.recipe.mix)


def starts(rgb_linear: NDArray[np.float32], recipe: Recipe) -> list[Start]:
    """Twelve starting points for a picture; the other steps of ``recipe`` stay.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The picture or a proxy of it.
    recipe : Recipe
        What stands; only its Prepare step matters here.
    """
    plain = recipe.model_copy(update={"mix": Mix()})
    found = Balance(rgb_linear, plain).find(100.0)
    balanced = []
    for strength in _BALANCE_STRENGTHS:
        lifts = {name: round(stops * strength / 100, 2) for name, stops in found.lifts.items()}
        balanced.append(Start(f"Balance at {strength:g}", found.words, Mix(lifts=Lifts(**lifts))))
    return [
        Start("Plain", "luminance: how bright each colour looks", Mix(base=Plain(kind="plain"))),
        *(Start(name, words, Mix(base=film)) for name, words, film in _FILMS),
        _far_heat(),
        *balanced,
        *_RECIPES,
    ]
