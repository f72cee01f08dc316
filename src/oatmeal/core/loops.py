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

import itertools
import os
import threading
from collections.abc import Callable
from queue import SimpleQueue
from typing import Any, Final

import numba
import numpy as np

from oatmeal.core import kept as kept  # before any loop is declared

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
