"""What is written from the declarations is up to date."""

import pytest

from oatmeal.core.recipe import (
    DECLARED,
    Recipe,
    RecipeError,
    document,
    from_document,
    published,
    schema,
)
from oatmeal.core.recipe.settings import Declared, setting


def test_the_table_of_the_format_is_the_declared_one():
    page = (published.PROJECT / published.TABLE_IN).read_text()
    assert published.with_table(page) == page
    for path in DECLARED:
        if ":" not in path and ".*" not in path and path.count(".") == 1:
            assert f"`{path}`" in page


def test_the_types_of_the_scripts_are_those_of_the_schema():
    assert (published.PROJECT / published.TYPES_IN).read_text() == published.typescript()


def test_the_schema_at_hand_is_that_of_the_models():
    assert document.SCHEMA_IN.read_text() == published.schema_at_hand()
    assert schema() == document.made_schema()


def test_a_schema_of_other_declarations_is_not_read(tmp_path, monkeypatch):
    stale = tmp_path / "schema.json"
    stale.write_text('{"mark": "0", "schema": {}}')
    monkeypatch.setattr(document, "SCHEMA_IN", stale)
    assert document.schema.__wrapped__() == document.made_schema()


def test_a_new_number_is_declared_by_one_line():
    """Everything that reads declarations sees a setting of a step that nobody else knows of."""

    class Tone(type(Recipe().tone)):
        hush: float = setting("hush", 0, 40, unit="stops", group="light", trial=5)

    class Other(Recipe):
        tone: Tone = Tone()

    one = Declared(Other.model_json_schema())["tone.hush"]
    assert (one.words, one.low, one.high, one.rest, one.group) == ("hush", 0, 40, 0, "light")
    assert (one.unit, one.trial, one.kind, one.origin, one.signed) == (
        "stops",
        5,
        "number",
        0,
        False,
    )
    assert "tone.hush" in Declared(Other.model_json_schema()).of_step("tone", "light")


def test_a_problem_is_told_without_making_the_schema_again(monkeypatch):
    schema()
    monkeypatch.setattr(Recipe, "model_json_schema", None)
    with pytest.raises(RecipeError, match="from -5 to 5"):
        from_document({"tone": {"exposure": 9, "contrast": "x"}})
