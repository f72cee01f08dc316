"""Carrying a recipe: which settings travel, and how strongly."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oatmeal.core.recipe import REST, Recipe, Tone, from_document
from oatmeal.core.recipe.carry import GROUPS, carried, scaled

STRONG = from_document(
    {
        "prepare": {"exposure": 0.5},
        "mix": {
            "base": {"kind": "film", "filter": "orange", "strength": 0.8},
            "lifts": {"red": 0.8, "blue": -3.0},
            "centres": {"blue": 250},
            "picked": [{"colour": "#b23a2e", "lift": 0.7}],
        },
        "tone": {
            "exposure": 0.4, "clarity": 40, "contrast": 20, "zones": [1, 0, 0, 0, 0, 0, 0, 0, -2],
            "levels": {"black": 10, "middle": 1.21, "white": 245, "out_white": 250},
            "curve": [[0, 0], [0.25, 0.2], [1, 1]], "hold_ends": True,
        },
    }
)  # fmt: skip
EVERYTHING = [group.name for group in GROUPS]


def test_everything_at_full_strength_is_the_source():
    named = from_document({"name": "Mine", "tone": {"contrast": -5}})
    assert carried(STRONG, named, EVERYTHING) == STRONG.model_copy(update={"name": "Mine"})
    assert carried(STRONG, named, []) == named


def test_every_setting_belongs_to_exactly_one_group():
    for step in ("prepare", "mix", "tone"):
        keys = [key for group in GROUPS if group.step == step for key in group.keys]
        assert sorted([*keys, "on"]) == sorted(type(getattr(REST, step)).model_fields)


@pytest.mark.parametrize("group", GROUPS, ids=lambda group: group.name)
def test_a_single_group_moves_nothing_else(group):
    moved = carried(STRONG, REST, [group.name]).full_document()
    rest, source = REST.full_document(), STRONG.full_document()
    for key in group.keys:
        assert moved[group.step][key] == source[group.step][key]
        moved[group.step][key] = rest[group.step][key]
    assert moved == rest


def test_strength_goes_toward_rest_and_beyond():
    half = scaled(STRONG, 0.5)
    assert half.mix.lifts.red == 0.4
    assert half.mix.base.strength == 0.4
    assert half.mix.base.filter == "orange"
    assert half.mix.centres.blue == 250
    assert half.tone.levels.model_dump() == {
        "black": 5, "middle": 1.1, "white": 250, "out_black": 0, "out_white": 252.5,
    }  # fmt: skip
    assert half.tone.curve[1] == (0.25, 0.225)
    beyond = scaled(STRONG, 1.5)
    assert beyond.mix.lifts.blue == -4  # as far as a lift goes
    assert beyond.tone.zones[8] == -2
    assert beyond.tone.clarity == 60
    assert scaled(STRONG, 1) == STRONG
    assert scaled(STRONG, 0).tone == Tone(hold_ends=True)


@given(st.floats(0, 1.5), st.floats(-100, 100), st.floats(0.1, 9.99), st.floats(0, 200))
def test_whatever_the_strength_the_result_is_a_recipe(strength, percent, middle, black):
    levels = {"black": black, "middle": middle, "white": black + 30, "out_black": 240}
    recipe = from_document({"tone": {"shadows": percent, "levels": levels}})
    found = scaled(recipe, strength)
    assert from_document(found.document()) == found


def test_black_and_white_stay_in_order_at_any_strength():
    """Rounding once brought them 0.9999999 apart, which no recipe may be."""
    recipe = from_document({"tone": {"levels": {"black": 0.7, "white": 85, "out_black": 200}}})
    levels = scaled(recipe, 1.5).tone.levels
    assert levels.black == 1.05
    assert levels.white == pytest.approx(2.05)
    assert levels.out_white - levels.out_black == pytest.approx(1)
    assert carried(recipe, REST, EVERYTHING, 1.5).tone.levels == levels


def test_what_cannot_be_carried_is_refused():
    for groups, strength in ((["nothing"], 1), (["lifts"], 1.6), (["lifts"], -0.1)):
        with pytest.raises(ValueError, match=r"no group|strength"):
            carried(STRONG, Recipe(), groups, strength)
