"""Changes of a recipe in plain words, for the history and for comparisons."""

from __future__ import annotations

from typing import Any, Final

from oatmeal.core.recipe.areas import Values
from oatmeal.core.recipe.document import DECLARED, REST, STEPS, Recipe
from oatmeal.core.recipe.settings import Document, Setting, value_at

#: What the bases are called.
BASE_NAMES: Final = {
    "film": "film", "channels": "channels", "six": "six colours", "formula": "formula",
    "plain": "plain",
}  # fmt: skip


def changes(before: Recipe, after: Recipe) -> list[str]:
    """What differs, one short phrase each, such as ``blue lift -1.6 → -0.8 stops``.

    Examples
    --------
    >>> from oatmeal.core.recipe import REST, read
    >>> changes(REST, read('{"tone": {"contrast": 20, "exposure": 0.5}}'))
    ['exposure 0 → 0.5 stops', 'contrast 0 → 20']
    """
    old, new = before.full_document(), after.full_document()
    found = [] if before.name == after.name else [_named(after.name)]
    for step, model in STEPS.items():
        if old[step]["on"] != new[step]["on"]:
            found.append(f"{model.title} {_switched(new[step]['on'])}")
    old_base, new_base = old["mix"]["base"]["kind"], new["mix"]["base"]["kind"]
    if old_base != new_base:
        found.append(f"base {BASE_NAMES[old_base]} → {BASE_NAMES[new_base]}")
    found += _counted(old["mix"]["picked"], new["mix"]["picked"], "picked")
    found += _counted(old["finish"]["kept"]["colours"], new["finish"]["kept"]["colours"], "kept")
    for owner, what in (("groups", "group"), ("list", "area")):
        found += _come_and_gone(old["areas"][owner], new["areas"][owner], what)
    was, is_now = _by_item(_other_than(old, new)), _by_item(_other_than(new, old))
    for key in dict.fromkeys([*is_now, *was]):
        (_, before_value), (path, value) = was.get(key, ("", None)), is_now.get(key, ("", None))
        if before_value == value or _told_already(key, was, is_now, old, new):
            continue
        document = new if path else old
        path = path or was[key][0]
        one = DECLARED[DECLARED.pattern(path, document)]
        found += _phrases(path, before_value, value, one, document)
    return found


def _other_than(document: Document, other: Document) -> Document:
    """What a document's steps have otherwise than another's; most of two recipes is the same."""
    return {
        step: {key: value for key, value in document[step].items() if value != other[step].get(key)}
        for step in STEPS
    }


def _by_item(document: Document) -> dict[str, tuple[str, Any]]:
    """Paths and values of all settings; areas and groups by their ids, wherever they stand."""
    found = {}
    for path, value, _ in DECLARED.inside(document):
        key = path
        if path.startswith("areas."):
            step, owner, place, rest = path.split(".", 3)
            key = f"{step}.{owner}.{document[step][owner][int(place)]['id']}.{rest}"
        found[key] = (path, value)
    return found


def _come_and_gone(old: list[Any], new: list[Any], what: str) -> list[str]:
    """Areas, or groups, that were added, taken away or put in another order."""
    before, after = [one["id"] for one in old], [one["id"] for one in new]
    names = {
        one["id"]: one["name"] or f"{what} {place + 1}"
        for items in (old, new)
        for place, one in enumerate(items)
    }
    found = [f"{names[one]} added" for one in after if one not in before]
    found += [f"{names[one]} removed" for one in before if one not in after]
    if [one for one in before if one in after] != [one for one in after if one in before]:
        found.append(f"{what}s in another order")
    return found


def _told_already(key: str, was: Any, is_now: Any, old: Document, new: Document) -> bool:
    if key.startswith("mix.base."):
        return bool(old["mix"]["base"]["kind"] != new["mix"]["base"]["kind"])
    if key.startswith("mix.picked."):
        return len(old["mix"]["picked"]) != len(new["mix"]["picked"])
    if key.startswith("finish.kept.colours."):
        return len(old["finish"]["kept"]["colours"]) != len(new["finish"]["kept"]["colours"])
    return key.startswith("areas.") and (key not in was or key not in is_now)


def _named(name: str) -> str:
    return f"named {name}" if name else "name removed"


def _counted(old: list[Any], new: list[Any], how: str) -> list[str]:
    """What was picked or kept and what was let go, where their number changed."""
    if len(old) == len(new):
        return []
    more, fewer = [one for one in new if one not in old], [one for one in old if one not in new]
    picked = [f"{_called(one)} {how}" for one in more]
    return [*picked, *(f"{_called(one)} let go" for one in fewer)]


def _called(picked: dict[str, Any]) -> str:
    return str(picked["name"] or picked["colour"])


def _phrases(path: str, old: Any, new: Any, one: Setting, document: Document) -> list[str]:
    words = DECLARED.words(path, document)
    if one.kind == "curve":
        return [f"{words} reset" if new == value_at(REST.full_document(), path) else words]
    if one.kind == "coefficients":
        return []  # told by the name beside them
    if one.kind == "lines":
        count, before = len(new or ()), len(old or ())
        return [f"{words} moved" if count == before else f"{words} {before} → {count}"]
    if one.kind == "mask":
        return [f"{words} changed" if words.endswith("mask") else f"{words} moved"]
    if one.kind == "spots":
        count, before = len(new or ()), len(old or ())
        return [f"{words} changed" if count == before else f"{words} {before} → {count}"]
    if one.kind == "switch" and one.words == "{}":
        return [f"{words} {_switched(new)}"]
    if one.names:
        pairs = zip(one.names, old, new, strict=True)
        return [_phrase(name, was, now, one.unit) for name, was, now in pairs if was != now]
    return [_phrase(words, old, new, one.unit)]


def area_words(values: Values) -> list[str]:
    """What is done in an area, one short phrase each, such as ``exposure +0.5 stops``."""
    rest = Values().model_dump(mode="json")
    given = values.model_dump(mode="json")
    found = []
    for path in DECLARED:
        key = path.removeprefix("areas.list.*.values.")
        if key == path or value_at(given, key) == value_at(rest, key):
            continue
        one = DECLARED[path]
        words = one.words.replace("{}", key.split(".")[-2]) if "{}" in one.words else one.words
        value = value_at(given, key)
        sign = "+" if one.signed and value > 0 else ""
        unit = "" if not one.unit else one.unit if one.unit == "°" else f" {one.unit}"
        found.append(f"{words} {sign}{shown(value)}{unit}")
    return found


def _phrase(words: str, old: Any, new: Any, unit: str) -> str:
    number = isinstance(new, list) or (isinstance(new, int | float) and not isinstance(new, bool))
    if not number or not unit:
        return f"{words} {shown(old)} → {shown(new)}"
    if unit == "°":
        return f"{words} {shown(old)}° → {shown(new)}°"
    one = unit == "stops" and new in (1, -1)
    return f"{words} {shown(old)} → {shown(new)} {'stop' if one else unit}"


def _switched(on: bool) -> str:
    return "on" if on else "off"


def shown(value: Any) -> str:
    """A value for people: a true minus sign, no more than three decimals, a range with ``to``."""
    if isinstance(value, bool):
        return _switched(value)
    if isinstance(value, float | int):
        return f"{round(value, 3):g}".replace("-", "\N{MINUS SIGN}")
    if isinstance(value, list):
        return " to ".join(shown(item) for item in value)
    return "none" if value in (None, "") else str(value)
