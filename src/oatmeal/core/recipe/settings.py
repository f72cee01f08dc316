"""What a setting is: declared once where the recipe's model stands, read by everything else.

A field of a recipe's part is declared with :func:`setting`. The declaration travels in the
published JSON Schema (keyword ``about``), and this module reads it from there: the words of the
history, the groups that travel to other frames, strength, test strips, the cells of the screens,
the keys of the pipeline and the table in the guide to the format all come from it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any, Final, Literal

from pydantic import Field

#: How strength changes a setting: its distance from rest, as a power, point by point, or not at
#: all, because it says how or where and not how much.
Scale = Literal["toward", "power", "curve", "stays"]

Path = str
Document = Mapping[str, Any]


def setting(
    words: str,
    low: float | None = None,
    high: float | None = None,
    rest: Any = 0.0,
    *,
    unit: str = "",
    group: str = "",
    step: float = 1,
    trial: float = 0,
    within: tuple[float, float] | None = None,
    scale: Scale = "toward",
    origin: float | None = None,
    area: bool | tuple[float, float] = False,
    signed: bool | None = None,
    meaning: str = "",
    kind: str = "",
    names: tuple[str, ...] = (),
    silent: bool = False,
    bound: bool = True,
    **more: Any,
) -> Any:
    """Declare a setting of a recipe's part.

    Parameters
    ----------
    words : str
        Its name on every screen and in the history. ``{}`` stands for the name of the list's item
        that it belongs to.
    low, high : float, optional
        The numbers that are allowed, both included; none for what is no number.
    rest : object
        The value that does nothing.
    unit : str
        What the number counts: ``stops``, ``%``, ``°``; empty for codes and for percent sliders.
    group : str
        The settings that it travels with when a recipe is applied to other frames; only fields of a
        step itself have one.
    step : float
        One press of an arrow key.
    trial : float
        Distance between the bands of a test strip; 0: none is offered.
    within : (float, float), optional
        What a test strip tries at the most, if less than everything that is allowed.
    scale : Scale
        How strength changes it.
    origin : float, optional
        What strength 0 leaves, if not the value at rest.
    area : bool or (float, float)
        True if a part of the picture may have its own value: the kernels take a map for it. Two
        numbers: between which the sum of that value and the one of everywhere is held.
    signed : bool, optional
        True if a positive number is shown with its sign; usual for numbers that go both ways.
    meaning : str
        A phrase for the guide to the format.
    kind : str
        ``curve`` or ``colour`` where the type alone does not say it.
    names : tuple of str
        Of the items of a list whose length is fixed; each can be tried and typed by itself.
    silent : bool
        True if it serves editors alone and never changes the picture.
    bound : bool
        False where the annotation itself holds the bounds.
    more
        Passed on to :func:`pydantic.Field`.

    Examples
    --------
    >>> setting("depth", 0, 100, group="local contrast", trial=20).default
    0.0
    """
    about: dict[str, Any] = {"words": words, "scale": scale, "step": step}
    given = {
        "low": low, "high": high, "unit": unit, "group": group, "trial": trial, "origin": origin,
        "area": bool(area), "sum": list(area) if isinstance(area, tuple) else None,
        "meaning": meaning, "within": list(within) if within else None,
        "kind": kind, "names": list(names), "silent": silent,
    }  # fmt: skip
    about |= {name: value for name, value in given.items() if _said(value)}
    both_ways = rest == 0 and low is not None and low < 0
    if both_ways if signed is None else signed:
        about["signed"] = True
    limits: dict[str, Any] = {"ge": low, "le": high} if bound else {}
    make = {"default_factory": shared(rest)} if callable(rest) else {"default": rest}
    return Field(**make, **limits, json_schema_extra={"about": about}, **more)


def shared(part: Callable[[], Any]) -> Callable[[], Any]:
    """What makes a part of a recipe at rest: the same one every time, since none can change."""
    return cache(getattr(part, "at_rest", part))


@dataclass(frozen=True)
class Setting:
    """One declared setting.

    Attributes
    ----------
    path : str
        Where it stands in a recipe's document: ``tone.levels.black``. Any item of a list is ``*``,
        and a base's settings name its kind: ``mix.picked.*.lift``, ``mix.base:film.strength``.
    words, unit, step, trial, scale, area, signed, meaning, names, silent
        As :func:`setting` takes them.
    group : str
        Of the step's field that it lies in.
    kind : str
        ``number``, ``switch``, ``choice``, ``text``, ``colour``, ``curve``, ``lines``, ``spots``,
        ``mask`` or ``list``.
    low, high : float or None
        Of a number, both included.
    rest : object
        None where there is no value until one is given.
    choices : tuple
        Of a choice; of a number, words that may stand in its place.
    origin : float
        What strength 0 leaves of a number.
    within : (float, float) or None
        What a test strip tries at the most.
    sum : (float, float) or None
        Where the sum of an area's value and that of everywhere ends.
    """

    path: Path
    words: str
    kind: str
    rest: Any
    group: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    step: float = 1
    trial: float = 0
    within: tuple[float, float] | None = None
    scale: Scale = "toward"
    origin: float | None = None
    area: bool = False
    sum: tuple[float, float] | None = None
    signed: bool = False
    meaning: str = ""
    choices: tuple[str, ...] = ()
    names: tuple[str, ...] = field(default=(), repr=False)
    silent: bool = False

    @property
    def top(self) -> Path:
        """The field of a step that it lies in: ``tone.levels`` for ``tone.levels.black``."""
        return ".".join(self.path.split(":")[0].split(".")[:2])

    @property
    def how_much(self) -> bool:
        """True for what moves greys by itself; false for what says how, where or which."""
        return self.scale != "stays"

    @property
    def acts(self) -> bool:
        """True for what changes greys by itself, at whatever strength."""
        return self.how_much or self.kind == "spots"

    def public(self) -> dict[str, Any]:
        """For scripts: everything that is not at its usual."""
        shown = {
            "words": self.words, "kind": self.kind, "unit": self.unit, "low": self.low,
            "high": self.high, "step": self.step, "trial": self.trial, "rest": self.rest,
            "within": list(self.within) if self.within else None, "signed": self.signed,
            "area": self.area, "choices": list(self.choices), "group": self.group,
        }  # fmt: skip
        return {name: value for name, value in shown.items() if _said(value)}


_PLAIN_KINDS: Final = {"boolean": "switch", "string": "text", "array": "list", "number": "number"}


class Declared(dict[Path, Setting]):
    """All settings of a JSON Schema by their paths, in the order of their declaration."""

    def __init__(self, schema: Document) -> None:
        super().__init__()
        self._definitions = schema.get("$defs", {})
        for step, node in schema["properties"].items():
            if "$ref" in node:
                self._walk_fields(step, self._resolved(node), "")
        self._open = {f"{path.split('.*.')[0]}.*." for path in self if ".*." in path}
        self._forks = {path.partition(":")[0] for path in self if ":" in path}

    def _resolved(self, node: Document) -> Document:
        if "$ref" not in node:
            return node
        found = self._definitions[node["$ref"].rsplit("/", 1)[1]]
        return {**found, **{key: value for key, value in node.items() if key != "$ref"}}

    def _walk_fields(self, path: Path, node: Document, group: str) -> None:
        for name, inner in node.get("properties", {}).items():
            if "const" not in inner:  # the kind of a base is no setting of it
                self._walk(f"{path}.{name}", inner, group)

    def _walk(self, path: Path, given: Document, group: str) -> None:
        node = self._resolved(given)
        about = node.get("about", {})
        group = about.get("group", group)
        if about.get("kind") in ("spots", "mask"):
            self._add(path, node, about, group)
        elif "discriminator" in node:
            for kind, reference in node["discriminator"]["mapping"].items():
                self._walk_fields(f"{path}:{kind}", self._resolved({"$ref": reference}), group)
        elif "properties" in node:
            self._walk_fields(path, node, group)
        elif "$ref" in (items := node.get("items", {})):
            self._walk_fields(f"{path}.*", self._resolved(items), group)
        elif "$ref" in (values := node.get("additionalProperties") or {}):
            self._walk_fields(f"{path}.*", self._resolved(values), group)
        elif "words" in about:
            self._add(path, node, about, group)

    def _add(self, path: Path, node: Document, about: Document, group: str) -> None:
        known = dict(about)
        options = node.get("anyOf", [node])
        kind, choices = _kind_of(options)
        if known.pop("kind", None):
            kind = about["kind"]
        known["group"] = group
        for pair in ("within", "sum"):
            if pair in known:
                known[pair] = tuple(known[pair])
        known["names"] = tuple(known.get("names", ()))
        rest: Any = node.get("default")
        if kind == "number":
            known = {**_limits_of(options), **known}
            if isinstance(rest, int | float):
                known.setdefault("origin", float(rest))
        self[path] = Setting(path, kind=kind, rest=rest, choices=choices, **_without(known))
        if known["names"]:
            for place, name in enumerate(known["names"]):
                inside = {**_without(known), "words": name, "names": (), "origin": rest[place]}
                one = Setting(
                    f"{path}.{place}", kind="number", rest=rest[place], choices=(), **inside
                )
                self[one.path] = one

    def pattern(self, path: Path, document: Document) -> Path:
        """The path under which a document's value is declared.

        Examples
        --------
        >>> from oatmeal.core.recipe import DECLARED
        >>> DECLARED.pattern("mix.base.red", {"mix": {"base": {"kind": "six"}}})
        'mix.base:six.red'
        """
        node: Any = document
        found = ""
        for key in path.split("."):
            declared = f"{found}.{key}" if found else key
            items = isinstance(node, list | tuple) and declared not in self
            if items or (isinstance(node, Mapping) and f"{found}.*." in self._open):
                declared = f"{found}.*"
            found, node = declared, _inside(node, key)
            if isinstance(node, Mapping) and found in self._forks:
                found = f"{found}:{node['kind']}"
        return found

    def inside(self, document: Document) -> Iterator[tuple[Path, Any, Setting]]:
        """Every declared value of a document: its path there, the value, and the setting."""
        yield from self._inside("", "", document)

    def _inside(self, path: Path, declared: Path, node: Any) -> Iterator[tuple[Path, Any, Setting]]:
        if declared in self:
            yield path, node, self[declared]
        elif isinstance(node, Mapping):
            own = f"{declared}:{node['kind']}" if declared in self._forks else declared
            open_keys = f"{own}.*." in self._open
            for key, inner in node.items():
                name = "*" if open_keys else key
                yield from self._inside(_joined(path, key), _joined(own, name), inner)
        elif isinstance(node, list | tuple):
            for place, inner in enumerate(node):
                yield from self._inside(f"{path}.{place}", f"{declared}.*", inner)

    def words(self, path: Path, document: Document) -> str:
        """The words for a value of a document, with the name of the list's item it lies in."""
        one = self[self.pattern(path, document)]
        words = one.words
        if "{}" in words:
            words = words.replace("{}", _item_words(path.rpartition(".")[0], document))
        inside = path.split(".")
        if inside[0] != "areas" or ("{}" in one.words and len(inside) == 4):
            return words
        return f"{_item_words('.'.join(inside[:3]), document)}: {words}"

    def limits(self, path: Path) -> tuple[float, float]:
        """The lowest and the highest number of a setting; KeyError for what is no number."""
        one = self[path]
        if one.low is None or one.high is None:
            raise KeyError(f"{path} is no number within limits")
        return one.low, one.high

    def of_step(self, step: str, *groups: str) -> tuple[Path, ...]:
        """Paths of a step's own fields, of some groups or of all, in order of declaration."""
        found = [
            one.top
            for one in self.values()
            if one.path.startswith(f"{step}.") and one.group and (not groups or one.group in groups)
        ]
        return tuple(dict.fromkeys(found))


def _item_words(owner: Path, document: Document) -> str:
    """What the item of a list, or a part by its key, is called."""
    item, key = value_at(document, owner), owner.rpartition(".")[2]
    named = item.get("name", "") if isinstance(item, Mapping) else ""
    if key.isdecimal():
        what = {"areas.list": "area", "areas.groups": "group"}.get(owner.rpartition(".")[0])
        key = f"{what or 'colour'} {int(key) + 1}"
    return str(named or key)


def _said(value: Any) -> bool:
    return value is not None and value is not False and value != "" and value != []


def _limits_of(options: list[Document]) -> dict[str, float]:
    number = next(option for option in options if option.get("type") == "number")
    limits = {
        "low": number.get("minimum"),
        "high": number.get("maximum", number.get("exclusiveMaximum")),
    }
    return {name: limit for name, limit in limits.items() if limit is not None}


def _without(known: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in known.items() if name != "kind"}


def _kind_of(options: list[Document]) -> tuple[str, tuple[str, ...]]:
    """What values a node of the schema takes, and the words among them."""
    words = tuple(
        str(word)
        for option in options
        for word in option.get("enum", [option["const"]] if "const" in option else [])
    )
    kinds = [option.get("type") for option in options if "const" not in option]
    if "number" in kinds:
        return "number", words
    if words:
        return "choice", words
    return _PLAIN_KINDS.get(next((str(kind) for kind in kinds if kind != "null"), ""), "text"), ()


def _inside(node: Any, key: str) -> Any:
    if isinstance(node, (dict, Mapping)):  # what it nearly always is is told soonest
        return node.get(key)
    if isinstance(node, list | tuple) and key.isdecimal() and int(key) < len(node):
        return node[int(key)]
    return None


def _joined(path: Path, key: str) -> Path:
    return f"{path}.{key}" if path else key


def value_at(document: Document, path: Path) -> Any:
    """The value at a path of a document; None where there is nothing."""
    node: Any = document
    for key in path.split("."):
        node = _inside(node, key)
    return node


def put(document: dict[str, Any], path: Path, value: Any) -> bool:
    """Set the value at a path of a document; False where the path leads nowhere."""
    parents, _, last = path.rpartition(".")
    node = value_at(document, parents) if parents else document
    if isinstance(node, dict):
        node[last] = value
    elif isinstance(node, list) and last.isdecimal() and int(last) < len(node):
        node[int(last)] = value
    else:
        return False
    return True
