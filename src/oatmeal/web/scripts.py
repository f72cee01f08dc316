"""The script of a page as one file: its modules, in the order in which they need each other.

A browser asks for each module by itself, the bench for sixty, and that takes it longer than to run
them. Joined, each module is a function that gives what it exports, called once. The modules keep to
the few forms of import and export that are known here; whatever else they say is refused, and where
they need each other in a circle, too.
"""

from __future__ import annotations

import re
from pathlib import Path, PurePosixPath
from typing import Final

_IMPORT: Final = re.compile(r'^import (?:\{([^}]*)\}|(\w+)) from "([^"]+)";$', re.M)
_DECLARED: Final = re.compile(r"^export (?=(?:async )?(?:function|class|const) (\w+))", re.M)
_DEFAULT: Final = re.compile(r"^export default (\w+);$", re.M)
_LISTED: Final = re.compile(r"(?:^|(?<=;))export ?\{([^}]*)\}(?:;|$)", re.M)
_LEFT: Final = re.compile(
    r"^(?:import|export)\b.*|;export\b|\bawait import\(|\bimport\.meta\b", re.M
)


def joined(folder: Path, entry: str) -> str:
    """One module that does what the module ``entry`` in a folder does with all that it imports.

    Raises
    ------
    ValueError
        For a form of import or export that is not known, or a circle.
    OSError
        For a module that is not there.
    """
    order: list[str] = []
    _walk(folder, entry, order, ())
    return "\n".join(_function(folder, name, order) for name in order)


def _walk(folder: Path, name: str, order: list[str], above: tuple[str, ...]) -> None:
    if name in order:
        return
    if name in above:
        raise ValueError(f"{' needs '.join([*above, name])}")
    for found in _IMPORT.finditer((folder / name).read_text("utf-8")):
        _walk(folder, _beside(name, found[3]), order, (*above, name))
    order.append(name)


def _beside(name: str, named: str) -> str:
    """The module that another one names, from the folder of all on."""
    steps: list[str] = []
    for part in (PurePosixPath(name).parent / named).parts:
        if part == "..":
            steps.pop()
        else:
            steps.append(part)
    return "/".join(steps)


def _function(folder: Path, name: str, order: list[str]) -> str:
    given: list[str] = []

    def imported(found: re.Match[str]) -> str:
        taken = _pairs(found[1]) if found[1] is not None else [("default", found[2])]
        names = ", ".join(f"{there}: {here}" for there, here in taken)
        return f"const {{ {names} }} = $m{order.index(_beside(name, found[3]))};"

    def declared(found: re.Match[str]) -> str:
        given.append(found[1])
        return ""

    def listed(found: re.Match[str]) -> str:
        given.extend(f"{outside}: {inside}" for inside, outside in _pairs(found[1]))
        return ""

    def default(found: re.Match[str]) -> str:
        given.append(f"default: {found[1]}")
        return ""

    text = (folder / name).read_text("utf-8")
    for form, instead in (
        (_IMPORT, imported), (_DECLARED, declared), (_DEFAULT, default), (_LISTED, listed),
    ):  # fmt: skip
        text = form.sub(instead, text)
    if left := _LEFT.search(text):
        raise ValueError(f"{name} says {left[0].strip()!r}, which cannot be joined")
    place = order.index(name)
    gives = ", ".join(given)
    return f"// {name}\nconst $m{place} = (() => {{\n{text}\nreturn {{ {gives} }};\n}})();\n"


def _pairs(names: str) -> list[tuple[str, str]]:
    """Names of a list as they are and as they are called: ``a, b as c``."""
    parts = [name.split(" as ") for name in (one.strip() for one in names.split(",")) if name]
    return [(part[0].strip(), part[-1].strip()) for part in parts]
