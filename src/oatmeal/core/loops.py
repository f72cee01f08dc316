"""How loops are compiled, kept on disk, and shared out over the cores.

A loop over rows is compiled for one thread and given a share of its rows; threads of our own take
one share after the other, without holding the interpreter. numba's own parallel loops take twice as
long to compile, and their threads cannot be forked.

Small functions of numbers that loops are made of are compiled once and built in by the compiler of
machine code (``inline``). What works on rows is built in before types are known (``inline_rows``):
it is compiled anew wherever it is used, but the compiler sees which rows cannot overlap, and works
on eight pixels at a time.
"""

from __future__ import annotations

import hashlib
import itertools
import os
import re
import sys
import tempfile
import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path
from queue import SimpleQueue
from typing import Any, Final

import numba
import numpy as np
from llvmlite import binding
from numba.core.caching import UserProvidedCacheLocator

#: What the compiler may do with numbers: fuse a product and a sum, divide by a reciprocal, and take
#: no notice of the sign of nought. What is no number stays none.
_ARITHMETIC: Final = {"contract", "arcp", "nsz"}

#: Pixels from which on sharing a loop out gains more than it costs, some 25 microseconds.
_SHARED: Final = 40_000

#: Shares for each thread: who is held up leaves some to the others.
_SHARES: Final = 2

inline: Any = numba.njit(
    nogil=True, cache=True, error_model="numpy", fastmath=_ARITHMETIC, forceinline=True
)

inline_rows: Any = numba.njit(
    nogil=True, cache=True, error_model="numpy", fastmath=_ARITHMETIC, inline="always"
)

#: What one thread does of a long pass, as a function of its own.
serial: Any = numba.njit(nogil=True, cache=True, error_model="numpy", fastmath=_ARITHMETIC)

#: The same, with every number as it is written.
exact: Any = numba.njit(nogil=True, cache=True, error_model="numpy")


@inline
def rows_of(chunk, count):  # type: ignore[no-untyped-def]
    """The rows, of ``count``, of one chunk ``(number, of how many)``."""
    return range(count * chunk[0] // chunk[1], count * (chunk[0] + 1) // chunk[1])


class Loop:
    """A compiled loop that is called from Python with arrays.

    Parameters
    ----------
    compiled : callable
        Its first argument is the chunk of rows it works on, see :func:`rows_of`, where it is
        ``shared``; what it is called with follows.
    """

    def __init__(self, compiled: Any, *, shared: bool) -> None:
        self.compiled = compiled
        self._shared = shared
        #: The module it stands in; what is compiled together.
        self.room: str = compiled.py_func.__module__
        self.__doc__ = compiled.py_func.__doc__

    def __call__(self, *given: Any) -> Any:
        """Run it; returns what it returns, or None where it is shared out."""
        if _before is not None:
            _before(self.room)
        if not self._shared:
            return self.compiled(*given)
        count = _threads
        if count == 1 or not any(
            isinstance(one, np.ndarray) and one.size >= _SHARED for one in given
        ):
            self.compiled((0, 1), *given)
        else:
            _Job(self.compiled, given, count * _SHARES).run(count)
        return None


def parallel(loop: Callable[..., None]) -> Loop:
    """Declare a loop over rows: compiled for one thread, kept, shared out over threads."""
    return Loop(serial(loop), shared=True)


def alone(compiled: Any) -> Loop:
    """Declare a compiled loop that one thread runs, called from Python."""
    return Loop(compiled, shared=False)


class _Job:
    """A loop with its shares; whoever comes takes the next one."""

    def __init__(self, compiled: Any, given: tuple[Any, ...], shares: int) -> None:
        self._compiled, self._given, self._shares = compiled, given, shares
        # the next of either is taken by one thread alone, as the interpreter is held for it
        self._left = iter(range(shares))
        self._done = itertools.count(1)
        self._finished = threading.Lock()
        self._failed: BaseException | None = None

    def run(self, threads: int) -> None:
        """Do it all, with as many threads as are free; raises what a share raised."""
        self._finished.acquire()
        _helpers(threads - 1)
        for _ in range(threads - 1):
            _waiting.put(self)
        self.work()
        with self._finished:  # what others have begun
            pass
        if self._failed is not None:
            raise self._failed

    def work(self) -> None:
        """Take shares until there is none."""
        for number in self._left:
            try:
                self._compiled((number, self._shares), *self._given)
            except BaseException as problem:
                self._failed = problem
            if next(self._done) == self._shares:
                self._finished.release()


config: Any = numba.config

_threads = len(os.sched_getaffinity(0))
_waiting: SimpleQueue[_Job] = SimpleQueue()
_begun: list[threading.Thread] = []
_beginning = threading.Lock()


def use_threads(count: int) -> None:
    """Let loops of this process run on as many threads."""
    global _threads
    _threads = count


def _helpers(count: int) -> None:
    """Begin threads that help, where there are not as many yet."""
    if len(_begun) < count:
        with _beginning:
            while len(_begun) < count:
                helper = threading.Thread(target=_help, name="loops", daemon=True)
                helper.start()
                _begun.append(helper)


def _help() -> None:
    while True:
        _waiting.get().work()


def _forked() -> None:
    """A process that was forked has none of the threads."""
    global _waiting, _beginning
    _begun.clear()
    _waiting, _beginning = SimpleQueue(), threading.Lock()


os.register_at_fork(after_in_child=_forked)

_before: Callable[[str], None] | None = None


def ask_before(asked: Callable[[str], None] | None) -> None:
    """Have something called before each loop, with its room: it may wait until that is compiled."""
    global _before
    _before = asked


# ---------------------------------------------------------------- where compiled loops are kept

_CORE: Final = Path(__file__).parent

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
        """What changes with the source."""
        return source_of(Path(self._py_file))


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
    path = _file(room)
    return kept_in(path) / f"{path.stem}.{sys.implementation.cache_tag}.nbr"


def _marked(room: str) -> str:
    """What compiled loops of a room depend on."""
    return f"{source_of(_file(room))} {numba.__version__} {_processor()}"


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
