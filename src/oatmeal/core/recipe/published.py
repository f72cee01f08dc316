"""The declarations in other forms: the guide's table, types for scripts, the schema at hand.

``python -m oatmeal.core.recipe.published`` writes them where they stand in the project; a test
tells when they are out of date.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final

from oatmeal.core.recipe.document import (
    DECLARED,
    SCHEMA_IN,
    made_schema,
    schema,
    schema_mark,
)
from oatmeal.core.recipe.settings import Setting

#: The project's folder, where the module runs from a checkout.
PROJECT: Final = Path(__file__).parents[4]

TABLE_IN: Final = "docs/recipe.md"
TYPES_IN: Final = "frontend/types/static/js/types/recipe.d.ts"

_BEGIN: Final = "<!-- settings: written by python -m oatmeal.core.recipe.published -->"
_END: Final = "<!-- end of settings -->"

#: Settings that differ by their last key alone share a row; what that key names.
_FAMILIES: Final = {
    "mix.lifts": "range", "mix.centres": "range", "mix.base:six": "colour",
    "areas.list.*.values.lifts": "range",
}  # fmt: skip

#: Parts that stand in several places and are told once.
_TOLD_ELSEWHERE: Final = {"areas.list.*.values.threads.": "as `prepare.threads`, inside"}


def table() -> str:
    """Every setting as a row of a Markdown table: key, range and rest, group, meaning."""
    rows = ["| key | range, value at rest | travels with | meaning |", "| --- | --- | --- | --- |"]
    for key, family in _families().items():
        first = family[0]
        cells = (f"`{key}`", _allowed(family), first.group, _meaning(family))
        rows.append("| " + " | ".join(cells) + " |")
    for owner, words in _TOLD_ELSEWHERE.items():
        group = next(one.group for path, one in DECLARED.items() if path.startswith(owner))
        rows.append(f"| `{_kind_shown(owner)}<range>` | | {group} | {words} |")
    return "\n".join(rows)


def _families() -> dict[str, list[Setting]]:
    found: dict[str, list[Setting]] = {}
    for path, one in DECLARED.items():
        owner = path.rpartition(".")[0]
        if path.startswith(("tone.zones.", *_TOLD_ELSEWHERE)):
            continue  # the list, or another place, says it
        if owner in _FAMILIES:
            found.setdefault(_kind_shown(f"{owner}.<{_FAMILIES[owner]}>"), []).append(one)
        else:
            found[_kind_shown(path)] = [one]
    return found


def _kind_shown(path: str) -> str:
    """``mix.base:film.strength`` as ``mix.base.strength (film)``."""
    found = re.match(r"(mix\.base):(\w+)(.*)", path)
    return f"{found[1]}{found[3]} ({found[2]})" if found else path.replace(".*", "[]")


def _allowed(family: list[Setting]) -> str:
    one = family[0]
    rests = [_shown(member.rest) for member in family]
    rest = rests[0] if len(set(rests)) == 1 else " / ".join(rests)
    unit = f" {one.unit}" if one.unit not in ("", "°") else one.unit
    if one.kind == "number":
        also = "".join(f" or `{word}`" for word in one.choices)
        return f"{one.low:g} to {one.high:g}{unit}{also}, {rest}"
    if one.kind == "choice":
        return f"{', '.join(one.choices)}; {rest}"
    if one.kind == "switch":
        return f"true or false; {rest}"
    if one.names:
        return f"{len(one.names)} values {one.low:g} to {one.high:g}{unit}, all 0"
    return {"list": f"two numbers{unit}, none", "curve": "points, straight"}.get(one.kind, rest)


def _shown(rest: Any) -> str:
    if isinstance(rest, bool):
        return "true" if rest else "false"
    if isinstance(rest, float):
        return f"{rest:g}"
    if rest is None:
        return "required"
    return f"`{rest}`" if rest != "" else "empty"


def _meaning(family: list[Setting]) -> str:
    one = family[0]
    if len(family) > 1:
        return ", ".join(member.path.rpartition(".")[2] for member in family)
    named = one.path.split(".")[-2] if one.path.startswith("finish.") else "of one colour:"
    item = {"areas.list": "the area", "areas.groups": "the group"}.get(one.top, named)
    return one.meaning or one.words.replace("{}", item).strip()


def typescript() -> str:
    """TypeScript types of a recipe's full document, from its JSON Schema."""
    root = schema()
    lines = [
        "// Types of a recipe, written by python -m oatmeal.core.recipe.published.",
        "",
        *_interface("Recipe", root),
    ]
    for name, node in root["$defs"].items():
        lines += _interface(name, node)
    return "\n".join(lines)


def _interface(name: str, node: Mapping[str, Any]) -> list[str]:
    lines = [f"export interface {name} {{"]
    for key, inner in node.get("properties", {}).items():
        optional = "?" if _may_be_absent(inner) else ""
        lines.append(f"  {key}{optional}: {_type(inner)};")
    return [*lines, "}", ""]


def _may_be_absent(node: Mapping[str, Any]) -> bool:
    return any(option.get("type") == "null" for option in node.get("anyOf", []))


def _type(node: Mapping[str, Any]) -> str:
    if "$ref" in node:
        return str(node["$ref"].rsplit("/", 1)[1])
    if "oneOf" in node:
        return "any"  # editors look at the kind of a base themselves
    if "anyOf" in node:
        options = [option for option in node["anyOf"] if option.get("type") != "null"]
        return " | ".join(dict.fromkeys(_type(option) for option in options))
    if "const" in node:
        return json.dumps(node["const"])
    if "enum" in node:
        return " | ".join(json.dumps(value) for value in node["enum"])
    if node.get("type") == "array":
        if "prefixItems" in node:
            return f"[{', '.join(_type(item) for item in node['prefixItems'])}]"
        return f"{_type(node.get('items', {}))}[]"
    if node.get("type") == "object":
        values = node.get("additionalProperties")
        return f"Record<string, {_type(values) if isinstance(values, dict) else 'any'}>"
    names = {"number": "number", "integer": "number", "string": "string", "boolean": "boolean"}
    return names.get(str(node.get("type")), "any")


def with_table(text: str) -> str:
    """A page with the table between its marks made anew."""
    begin, end = text.index(_BEGIN) + len(_BEGIN), text.index(_END)
    return f"{text[:begin]}\n{table()}\n{text[end:]}"


def schema_at_hand() -> str:
    """The schema with its mark, as every start reads it."""
    return json.dumps({"mark": schema_mark(), "schema": made_schema()}, separators=(",", ":"))


def write(project: Path = PROJECT) -> None:
    """Write all of them into the project's files."""
    SCHEMA_IN.write_text(schema_at_hand())
    page = project / TABLE_IN
    page.write_text(with_table(page.read_text()))
    (project / TYPES_IN).parent.mkdir(parents=True, exist_ok=True)
    (project / TYPES_IN).write_text(typescript())


if __name__ == "__main__":
    write()
