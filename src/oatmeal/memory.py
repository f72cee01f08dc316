"""How this process holds memory that was freed."""

from __future__ import annotations

import ctypes
from typing import Final

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
