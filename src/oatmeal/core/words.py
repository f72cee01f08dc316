"""Changes of a recipe in plain words, for the history and for comparisons."""

from __future__ import annotations

from typing import Any, Final

from oatmeal.core.recipe import Recipe

_BASE_NAMES: Final = {
    "plain": "plain", "channels": "channels", "six": "six colours",
    "film": "film", "formula": "formula",
}  # fmt: skip

#: Names where the last key of a path would not say enough.
_NAMES: Final = {
    "prepare.exposure": "colour exposure",
    "mix.base.offset": "offset",
    "mix.base.light": "channels weighed",
    "mix.base.hold_total": "hold 100 %",
    "mix.base.weighing": "plain",
    "tone.levels.out_black": "darkest tone",
    "tone.levels.out_white": "lightest tone",
    "tone.hold_ends": "hold ends",
    "tone.zones": "zones",
}


def changes(before: Recipe, after: Recipe) -> list[str]:
    """What differs, one short phrase each, such as ``blue lift -1.6 → -0.8``.

    Examples
    --------
    >>> from oatmeal.core.recipe import REST, read
    >>> changes(REST, read('{"tone": {"contrast": 20}}'))
    ['contrast 0 → 20']
    """
    old, new = _flat(before.full_document()), _flat(after.full_document())
    found = []
    old_kind, new_kind = old.get("mix.base.kind"), new.get("mix.base.kind")
    if old_kind != new_kind:
        found.append(f"base {_BASE_NAMES[str(old_kind)]} → {_BASE_NAMES[str(new_kind)]}")
    for path in dict.fromkeys([*new, *old]):
        if old.get(path) == new.get(path) or path in ("oatmeal", "mix.base.kind"):
            continue
        if path.startswith("mix.base.") and old_kind != new_kind:
            continue
        found.append(_phrase(path, old.get(path), new.get(path)))
    return found


def _phrase(path: str, old: Any, new: Any) -> str:
    parts = path.split(".")
    if parts[-1] == "on":
        return f"{parts[0].capitalize()} {'on' if new else 'off'}"
    if path == "name":
        return f"named {new}" if new else "name removed"
    if path == "tone.curve":
        return "curve reset" if new == [[0.0, 0.0], [1.0, 1.0]] else "curve"
    if parts[:2] == ["mix", "lifts"]:
        return f"{parts[2]} lift {_shown(old)} → {_shown(new)}"
    if parts[:2] == ["mix", "centres"]:
        return f"{parts[2]} centre {_shown(old)}° → {_shown(new)}°"
    if parts[:2] == ["mix", "base"] and isinstance(new, float):
        return f"{_NAMES.get(path, parts[-1])} {_shown(old)} → {_shown(new)} %"
    return f"{_NAMES.get(path, parts[-1])} {_shown(old)} → {_shown(new)}"


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float | int):
        return f"{round(value, 3):g}".replace("-", "\N{MINUS SIGN}")
    if isinstance(value, list):
        return "set" if any(value) else "none"
    return "none" if value is None else str(value)


def _flat(node: dict[str, Any], path: str = "") -> dict[str, Any]:
    flat: dict[str, Any] = {}
    for key, value in node.items():
        inner = f"{path}.{key}" if path else key
        if isinstance(value, dict):
            flat |= _flat(value, inner)
        else:
            flat[inner] = value
    return flat
