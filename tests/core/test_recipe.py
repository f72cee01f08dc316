"""Recipes: reading, refusing, writing back."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from oatmeal.core import recipe as recipes
from oatmeal.core.recipe import RecipeError
from oatmeal.core.recipe.settings import put
from oatmeal.core.recipe.words import changes


def refused(document) -> list[tuple[str, str]]:
    with pytest.raises(RecipeError) as caught:
        recipes.from_document(document)
    return [(problem.path, problem.message) for problem in caught.value.problems]


def test_an_empty_recipe_is_at_rest():
    assert recipes.read("{}") == recipes.REST
    assert recipes.REST.document() == {"oatmeal": 1}


@pytest.mark.parametrize(
    ("document", "path", "words"),
    [
        ({"tone": {"exposure": 9}}, "tone.exposure", "from -5 to 5"),
        ({"tone": {"exposure": "1"}}, "tone.exposure", "not a number"),
        ({"mix": {"lifts": {"red": -4.5}}}, "mix.lifts.red", "from -4 to 4"),
        ({"mix": {"lifts": {"rot": 1}}}, "mix.lifts.rot", "no such setting"),
        ({"mix": {"base": {"kind": "six", "cyan": 301}}}, "mix.base.cyan", "from -300 to 300"),
        ({"mix": {"base": {"kind": "sepia"}}}, "mix.base.kind", "'six'"),
        ({"mix": {"base": {"kind": "plain", "weighing": "x"}}}, "mix.base.weighing", "luma-601"),
        ({"mix": {"centres": {"orange": 33}}}, "mix.centres", "10 degrees apart"),
        ({"mix": {"base": {"kind": "film", "film_edges": [600, 605]}}}, "mix.base", "10 nm above"),
        ({"mix": {"base": {"kind": "formula", "text": "r + q"}}}, "mix.base.text", "column 5"),
        (
            {"mix": {"base": {"kind": "formula", "text": "k", "parameters": {"k": {"value": 2}}}}},
            "mix.base.parameters.k",
            "from 0 to 1",
        ),
        ({"mix": {"picked": [{"colour": "red"}]}}, "mix.picked[0].colour", "pattern"),
        ({"mix": {"guard": 101}}, "mix.guard", "from 0 to 100"),
        ({"tone": {"curve": [[0, 0], [0.5, 2]]}}, "tone.curve[1][1]", "from 0 to 1"),
        ({"tone": {"curve": [[0.5, 0], [0.4, 1]]}}, "tone", "left to right"),
        ({"tone": {"levels": {"black": 200, "white": 100}}}, "tone.levels", "above black"),
        ({"tone": {"contrast": None}}, "tone.contrast", "null is not a value"),
        ({"oatmeal": 2}, "oatmeal", "newer than this program"),
        ({"sepia": 1}, "sepia", "no such setting"),
    ],
)
def test_what_is_wrong_is_said_with_its_path(document, path, words):
    problems = refused(document)
    assert any(found == path and words in message for found, message in problems), problems


@pytest.mark.parametrize(
    "text", ["", "[1]", "{", "3", '{"tone": {"exposure": NaN}}', "[" * 100_000, "x" * 1_000_001]
)
def test_hostile_text_is_refused_with_a_sentence(text):
    with pytest.raises(RecipeError):
        recipes.read(text)


def test_the_areas_of_the_first_months_were_an_empty_list():
    assert recipes.from_document({"areas": []}) == recipes.REST
    with pytest.raises(RecipeError):
        recipes.from_document({"areas": [{}]})


def test_a_step_that_is_off_is_as_at_rest():
    recipe = recipes.read('{"mix": {"on": false, "lifts": {"red": 2}}, "tone": {"contrast": 9}}')
    assert recipe.effective().mix.lifts == recipes.REST.mix.lifts
    assert recipe.effective().tone.contrast == 9


def test_the_schema_knows_every_setting():
    schema = recipes.schema()
    text = json.dumps(schema)
    assert schema["$schema"].startswith("https://json-schema.org/")
    for key in ("highlights", "sparkle", "film_edges", "filter_edges", "out_white", "reach"):
        assert f'"{key}"' in text


values = st.fixed_dictionaries(
    {},
    optional={
        "name": st.text(max_size=20).filter(lambda text: text.isprintable()),
        "mix": st.fixed_dictionaries(
            {},
            optional={
                "on": st.booleans(),
                "lifts": st.dictionaries(
                    st.sampled_from(["red", "blue", "magenta"]), st.floats(-4, 4)
                ),
                "base": st.sampled_from(
                    [
                        {"kind": "six", "red": 12.5},
                        {"kind": "channels", "offset": -3},
                        {"kind": "plain"},
                    ]
                ),
                "pale": st.floats(0, 100),
                "guard": st.one_of(st.just("auto"), st.floats(0, 100)),
            },
        ),
        "tone": st.fixed_dictionaries(
            {},
            optional={
                "exposure": st.floats(-5, 5),
                "hold_ends": st.booleans(),
                "levels": st.fixed_dictionaries({"black": st.floats(0, 100)}),
                "clarity": st.floats(-100, 100),
            },
        ),
    },
)


@given(values)
def test_recipes_survive_a_round_trip(document):
    recipe = recipes.from_document(document)
    assert recipes.read(json.dumps(recipe.document())) == recipe
    assert recipes.read(json.dumps(recipe.full_document())) == recipe


def test_changes_in_words():
    before = recipes.read('{"mix": {"lifts": {"blue": -1.6}}}')
    after = recipes.read(
        '{"mix": {"base": {"kind": "six", "red": 40}, "lifts": {"blue": -0.8}, "on": false},'
        ' "tone": {"curve": [[0, 0], [0.5, 0.6], [1, 1]], "levels": {"out_white": 250}}}'
    )
    assert set(changes(before, after)) == {
        "base plain → six colours",
        "Mix off",
        "blue lift −1.6 → −0.8 stops",
        "lightest printed 255 → 250",
        "curve",
    }
    assert changes(after, after) == []


def told(before, after):
    return changes(recipes.from_document(before), recipes.from_document(after))


def test_changes_name_what_was_changed_and_count_it_as_it_is_counted():
    film = {"kind": "film", "filter": "red"}
    assert told({"mix": {"base": film}}, {"mix": {"base": film | {"strength": 0.8}}}) == [
        "filter strength 1 → 0.8"
    ]
    own = film | {"filter_edges": [540, 700]}
    assert told({"mix": {"base": film}}, {"mix": {"base": own}}) == [
        "filter edges none → 540 to 700 nm"
    ]

    def formula(value):
        parameters = {"k": {"value": value}}
        return {"mix": {"base": {"kind": "formula", "text": "r*k", "parameters": parameters}}}

    assert told(formula(0.4), formula(0.6)) == ["k of the formula 0.4 → 0.6"]

    def picked(**values):
        return {"mix": {"picked": [{"colour": "#b23a2e", "name": "wagon"} | values]}}

    assert told(picked(), picked(lift=0.7)) == ["wagon lift 0 → 0.7 stops"]
    assert told(picked(), picked(on=False)) == ["wagon off"]
    assert told(picked(name=""), picked(name="", reach=0.1)) == ["colour 1 reach 0.06 → 0.1"]
    assert told({}, picked()) == ["wagon picked"]
    assert told(picked(), {}) == ["wagon let go"]
    zones = {"tone": {"zones": [0, 0, -1, 0, 0, 0, 0, 0, 0.5]}}
    assert told({}, zones) == ["zone III 0 → −1 stop", "zone IX 0 → 0.5 stops"]
    assert told({}, {"tone": {"levels": {"out_black": 8}}}) == ["darkest printed 0 → 8"]
    curved = {"tone": {"curve": [[0, 0], [0.5, 0.6], [1, 1]]}}
    assert told(curved, {}) == ["curve reset"]
    assert told({"name": "Dark sky"}, {}) == ["name removed"]


@pytest.mark.parametrize("path", ["a.list.3", "a.list.x", "a.name.0", "b.c"])
def test_nothing_is_put_where_a_path_leads_nowhere(path):
    document = {"a": {"list": [1, 2, 3], "name": "red"}}
    assert not put(document, path, 9)
    assert document == {"a": {"list": [1, 2, 3], "name": "red"}}
    assert put(document, "a.list.2", 9)
    assert document["a"]["list"] == [1, 2, 9]
