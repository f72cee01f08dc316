"""How this process holds memory that was freed, and how much of it something holds."""

from __future__ import annotations

import ctypes
import gc
import sys
from collections import deque
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from functools import partial
from typing import Any, Final

#: Parameters of glibc's ``mallopt`` (malloc.h; mallopt(3)).
_TRIM_THRESHOLD: Final = -1
_MMAP_THRESHOLD: Final = -3
_ARENA_MAX: Final = -8

#: Arrays up to this size are cut from the heap and used again; the planes of a frame fit.
REUSED_BYTES: Final = 48 << 20

#: Freed memory beyond this goes back to the system.
KEPT_BYTES: Final = 256 << 20


def keep_frames() -> bool:
    """Let the memory of one frame serve the next.

    A frame's planes are large enough that the C library would fetch fresh pages from the system for
    each and give them back at once; touching those pages for the first time costs more than the
    arithmetic. Larger arrays (whole files) still go back at once.

    Returns
    -------
    bool
        False where the C library is not glibc; nothing is changed then.
    """
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (AttributeError, OSError):
        return False
    # all threads share one heap, or each would keep frames of its own
    wanted = ((_ARENA_MAX, 1), (_MMAP_THRESHOLD, REUSED_BYTES), (_TRIM_THRESHOLD, KEPT_BYTES))
    done = [mallopt(name, value) == 1 for name, value in wanted]
    return all(done)


def give_back() -> None:
    """Let the system have what was freed between things that are still held (malloc_trim(3))."""
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).malloc_trim(0)


@contextmanager
def made_to_last() -> Iterator[None]:
    """What is made meanwhile, such as imported modules, is never looked through for garbage.

    Hundreds of thousands of objects come with an import and all stay: looking through them again
    and again is an eighth of its time.
    """
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


#: Values that hold nothing.
_PLAIN: Final = frozenset({str, bytes, int, float, bool, type(None)})


def held_bytes(root: object, without: tuple[str, ...] = ()) -> int:
    """Bytes of the arrays that an object of ours holds, itself or in what it holds, each once.

    ``without`` are beginnings of modules whose objects hold none, but perhaps thousands of values.

    Examples
    --------
    >>> import numpy as np
    >>> plane = np.zeros((2, 3), np.float32)
    >>> held_bytes({"whole": plane, "part": [plane[1:], plane[:1]]})
    24
    """
    numpy = sys.modules.get("numpy")
    array: Any = numpy.ndarray if numpy else ()
    seen: set[int] = set()
    todo, total = [root], 0
    while todo:
        one: Any = todo.pop()
        if type(one) in _PLAIN or id(one) in seen:
            continue
        seen.add(id(one))
        if isinstance(one, array):
            if isinstance(one.base, array):
                todo.append(one.base)
            else:
                total += one.nbytes
        elif isinstance(one, Mapping):
            todo.extend(list(one.values()))
        elif isinstance(one, list | tuple | set | deque):
            todo.extend(list(one))
        elif isinstance(one, partial):
            todo.extend((one.args, one.keywords))
        elif hasattr(one, "__self__"):
            todo.append(one.__self__)
        elif type(one).__module__.startswith("oatmeal.") and not type(one).__module__.startswith(
            without
        ):
            todo.append(getattr(one, "__dict__", {}))
    return total
