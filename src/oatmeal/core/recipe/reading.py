"""Reading recipes: what is wrong is said with its path and what is allowed there.

:func:`read` refuses unknown keys and values out of range.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import islice
from typing import Any, Final

from pydantic import ValidationError

from oatmeal.core.recipe import formula as formulas
from oatmeal.core.recipe.areas import PART_KINDS
from oatmeal.core.recipe.document import FORMAT, Recipe, schema
from oatmeal.core.recipe.mix import BASE_KINDS

#: A recipe document larger than this is refused unread.
MAX_BYTES: Final = 1_000_000

#: Problems of one recipe that are told.
MOST_PROBLEMS: Final = 20


@dataclass(frozen=True)
class Problem:
    """One thing wrong with a recipe: where, and what is allowed there.

    ``column`` counts the characters of a formula from 1, where the problem is inside one.
    """

    path: str
    message: str
    column: int | None = None

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


_TOO_LARGE: Final = Problem("", "the recipe is larger than 1 MB, which no recipe is")


class RecipeError(ValueError):
    """A recipe that cannot be used; ``problems`` says where and why."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        super().__init__("; ".join(str(problem) for problem in problems))


def read(text: str | bytes) -> Recipe:
    """Read a recipe from JSON text.

    Raises
    ------
    RecipeError
        With each problem's path and what is allowed there, the first of them.

    Examples
    --------
    >>> read('{"oatmeal": 1, "tone": {"contrast": 20}}').tone.contrast
    20.0
    """
    if len(text) > MAX_BYTES:
        raise RecipeError([_TOO_LARGE])
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        at = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise RecipeError([Problem("", f"the recipe is not readable JSON{at}")]) from error
    return from_document(document)


def from_document(document: object) -> Recipe:
    """Read a recipe from a decoded JSON document; raises :class:`RecipeError`."""
    if not isinstance(document, Mapping):
        raise RecipeError([Problem("", "a recipe is a JSON object, { ... }")])
    text = json.dumps(document, separators=(",", ":"))
    if len(text) > MAX_BYTES:
        raise RecipeError([_TOO_LARGE])
    nulls = list(islice(_nulls(document), MOST_PROBLEMS)) if "null" in text else []
    if nulls:
        raise RecipeError(
            [Problem(path, "null is not a value; leave the key out") for path in nulls]
        )
    version = document.get("oatmeal", FORMAT)
    if type(version) is int and version > FORMAT:
        raise RecipeError(
            [Problem("oatmeal", f"format {version} is newer than this program reads ({FORMAT})")]
        )
    try:
        now = _from_earlier(document)
        return Recipe.model_validate_json(text if now is document else json.dumps(now))
    except (ValidationError, ValueError) as error:
        if not isinstance(error, ValidationError):
            raise RecipeError([Problem("", "the recipe holds a number that is none")]) from error
        found = error.errors(include_url=False)[:MOST_PROBLEMS]
        raise RecipeError([_problem(dict(detail)) for detail in found]) from error


def _from_earlier(document: Mapping[str, Any]) -> Mapping[str, Any]:
    """Recipes of the first months had the exposure of the colour beside its light, and no areas."""
    if document.get("areas") == []:
        document = {name: value for name, value in document.items() if name != "areas"}
    prepare = document.get("prepare")
    if not isinstance(prepare, Mapping) or "exposure" not in prepare:
        return document
    rest = {name: value for name, value in prepare.items() if name != "exposure"}
    light = rest.get("light", {})
    if not isinstance(light, Mapping) or "exposure" in light:
        return document
    lit = {**rest, "light": {"exposure": prepare["exposure"], **light}}
    return {**document, "prepare": lit}


def _nulls(value: object, path: str = "") -> Iterator[str]:
    if value is None:
        yield path
    elif isinstance(value, Mapping):
        for key, inner in value.items():
            yield from _nulls(inner, f"{path}.{key}" if path else str(key))
    elif isinstance(value, list):
        for index, inner in enumerate(value):
            yield from _nulls(inner, f"{path}[{index}]")


def _problem(detail: dict[str, Any]) -> Problem:
    """Turn one of pydantic's findings into a path and a sentence of our own."""
    path = ""
    parts = list(detail["loc"])
    for place, part in enumerate(parts):
        if place == 2 and parts[:2] == ["mix", "base"] and part in BASE_KINDS:
            continue  # the union's tag is no key of the document
        if part in PART_KINDS and parts[place - 2 : place - 1] == ["mask"]:
            continue
        if part in ("float", "literal['auto']", "constrained-float"):
            continue
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    context, kind = detail.get("ctx", {}), detail["type"]
    if kind == "extra_forbidden":
        return Problem(path, "there is no such setting")
    if kind in ("greater_than_equal", "less_than_equal", "less_than"):
        return Problem(path, f"{_shown(detail['input'])} is not allowed; {_bounds(parts)}")
    if kind == "too_long":
        count, most = context["actual_length"], context["max_length"]
        return Problem(path, f"there are {count}; {most} is the most")
    if kind == "literal_error":
        return Problem(path, f"{_shown(detail['input'])} is not one of {context['expected']}")
    if kind == "union_tag_invalid":
        expected = context["expected_tags"]
        return Problem(f"{path}.kind", f"{context['tag']!r} is not one of {expected}")
    if kind == "value_error":
        error = context["error"]
        if isinstance(error, formulas.FormulaError):
            return Problem(f"{path}.text", str(error), error.column)
        return Problem(path, str(error))
    if kind.startswith("float_") or kind == "finite_number":
        return Problem(path, f"{_shown(detail['input'])} is not a number; {_bounds(parts)}")
    return Problem(path, detail["msg"][:1].lower() + detail["msg"][1:])


def _shown(value: object) -> str:
    text = json.dumps(value, default=str)
    return text if len(text) <= 40 else text[:37] + "..."


def _bounds(parts: list[str | int]) -> str:
    """The allowed range of the number at ``parts``, looked up in the published schema."""
    root = schema()
    node: Any = root
    for part in parts:
        node = _resolve(root, node)
        if part in PART_KINDS and "discriminator" in node:
            node = _resolve(root, {"$ref": node["discriminator"]["mapping"][part]})
            continue
        if isinstance(part, int):
            prefix = node.get("prefixItems")
            node = prefix[part] if prefix else node.get("items", {})
        elif "discriminator" in node and part in node["discriminator"]["mapping"]:
            node = {"$ref": node["discriminator"]["mapping"][part]}
        elif part in node.get("properties", {}):
            node = node["properties"][part]
        node = _resolve(root, node)
    if "anyOf" in node:
        node = next((option for option in node["anyOf"] if "minimum" in option), node)
    low = node.get("minimum")
    high = node.get("maximum", node.get("exclusiveMaximum"))
    if low is None and high is None:
        return "give a number"
    return f"give a number from {low:g} to {high:g}"


def _resolve(root: dict[str, Any], node: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in node:
        node = root["$defs"][node["$ref"].rsplit("/", 1)[1]]
    return node
