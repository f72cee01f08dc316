"""Where compiled loops are kept on disk, and what they depend on; imported before any loop."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import sys
import tempfile
from functools import cache
from pathlib import Path
from typing import Any, Final

import llvmlite
import numba
from llvmlite import binding
from numba.core.caching import UserProvidedCacheLocator

config: Any = numba.config

_CORE: Final = Path(__file__).parent

#: The versions of numba and llvmlite for which compiled loops are loaded quickly, by functions in
#: the place of numba's own (:mod:`oatmeal.core.colour.loading`), and whether these are they.
WRITTEN_FOR: Final = ("0.68.1", "0.50.0")
QUICK: Final = (numba.__version__, llvmlite.__version__) == WRITTEN_FOR

#: Kept loops name what loads them.
_LOADED: Final = "quickly" if QUICK else "as numba does"

#: Imports from this package.
_IMPORT: Final = re.compile(rb"^from (oatmeal\.core[\w.]*) import (\([^)]*\)|[^\n]*)", re.M)


class Locator(UserProvidedCacheLocator):
    """Where numba keeps the loops of :mod:`oatmeal.core`, and of what they were compiled.

    In ``__pycache__`` beside their source where that can be written, otherwise in
    :func:`folder`. numba looks at a loop's own file alone to know whether it is the same; here that
    is the file and all of the core that it imports, whose functions and constants are built in.
    """

    def __init__(self, py_func: Any, py_file: str) -> None:
        self._py_file = py_file
        self._lineno = py_func.__code__.co_firstlineno
        self._cache_path = str(kept_in(Path(py_file)))

    @classmethod
    def from_function(cls, py_func: Any, py_file: str) -> Locator | None:
        """For loops of the core; for others numba's own ways."""
        return cls(py_func, py_file) if Path(py_file).is_relative_to(_CORE) else None

    def get_source_stamp(self) -> str:
        """What changes with the source, and with how compiled loops come back."""
        return f"{source_of(Path(self._py_file))} {_LOADED}"


@cache
def source_of(path: Path) -> str:
    """A sum of a module's source and of what it imports from the core, directly or not."""
    seen: dict[Path, bytes] = {}
    todo = [path]
    while todo:
        one = todo.pop()
        if one not in seen:
            seen[one] = _read(one)
            todo += _imported(one)
    total = hashlib.sha256()
    for one in sorted(seen):
        total.update(seen[one])
    return total.hexdigest()


@cache
def _read(path: Path) -> bytes:
    return path.read_bytes()


@cache
def _imported(path: Path) -> tuple[Path, ...]:
    found = []
    for module, names in _IMPORT.findall(_read(path)):
        place = _CORE.joinpath(*module.decode().split(".")[2:])
        inside = (place / name for name in re.findall(r"\w+", names.decode()))
        for one in (place, *inside):
            files = (one.with_suffix(".py"), one / "__init__.py")
            found += [file for file in files if file.is_file()]
    return tuple(found)


def is_ready(room: str) -> bool:
    """Whether all loops of a room (a module's name) were compiled, here and of this source."""
    try:
        return mark_file(room).read_text() == _marked(room)
    except OSError:
        return False


def mark_ready(room: str) -> None:
    """Remember that all loops of a room are compiled."""
    mark_file(room).write_text(_marked(room))


def _file(room: str) -> Path:
    return _CORE.joinpath(*room.split(".")[2:]).with_suffix(".py")


def mark_file(room: str) -> Path:
    """The file that says of what the loops of a room were compiled."""
    path = _file(room)
    return kept_in(path) / f"{path.stem}.{sys.implementation.cache_tag}.nbr"


def _marked(room: str) -> str:
    """What compiled loops of a room depend on."""
    return f"{source_of(_file(room))} {numba.__version__} {_LOADED} {_processor()}"


@cache
def _processor() -> str:
    return f"{binding.get_host_cpu_name()} {binding.get_host_cpu_features().flatten()}"


@cache
def kept_in(path: Path) -> Path:
    """The folder in which the compiled loops of a source file are kept."""
    if not config.CACHE_DIR:
        beside = path.parent / "__pycache__"
        if _can_be_written(beside):
            return beside
    inside = folder() / path.parent.relative_to(_CORE)
    inside.mkdir(parents=True, exist_ok=True)
    if not config.CACHE_DIR:
        for made in path.parent.glob("__pycache__/*.nb[cir]"):  # by who may write there
            copy = inside / made.name
            if not copy.exists() or copy.stat().st_mtime < made.stat().st_mtime:
                shutil.copy2(made, copy)
    return inside


@cache
def folder() -> Path:
    """Where loops are kept if not beside their source: with the data, for this user, or for now."""
    if config.CACHE_DIR:
        return Path(config.CACHE_DIR)
    home = os.environ.get("OATMEAL_HOME")
    user = os.environ.get("XDG_CACHE_HOME") or Path("~/.cache").expanduser()
    for place in ([Path(home).expanduser() / "loops"] if home else []) + [Path(user) / "oatmeal"]:
        if _can_be_written(place):
            return place
    return Path(tempfile.mkdtemp(prefix="oatmeal-loops-"))


def _can_be_written(place: Path) -> bool:
    try:
        place.mkdir(parents=True, exist_ok=True)
        tempfile.TemporaryFile(dir=place).close()
    except OSError:
        return False
    return True


config.CACHE_LOCATOR_CLASSES = ",".join(
    (f"{__name__}.{Locator.__name__}", "UserProvidedCacheLocator", "InTreeCacheLocator",
     "UserWideCacheLocator", "ZipCacheLocator")
)  # fmt: skip
