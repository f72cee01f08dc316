"""How this process begins others that read and write files: forked from one that is ready.

Loading what such a process needs takes most of a second. One process loads it, begins no threads
and does nothing but fork: what it forks can work at once and shares its memory. This process itself
cannot be forked, since that would copy locks that its other threads hold.
"""

from __future__ import annotations

import multiprocessing
import os
import shutil
import signal
import stat
import tempfile
import threading
import time
from collections.abc import Callable
from multiprocessing import forkserver, resource_tracker
from multiprocessing.context import ForkServerContext
from pathlib import Path
from typing import Final

#: Modules that load what they need.
_first: list[str] = []

#: Bytes of a folder's path at the most, so that those of sockets in it stay below 108 (unix(7)).
_LONGEST: Final = 72

#: Seconds after which a folder for a socket has one.
_BEGINNING_S: Final = 60


def load_first(module: str) -> None:
    """Have a module loaded by the process that others are forked from."""
    if module not in _first:
        _first.append(module)


def beginning() -> ForkServerContext:
    """What to begin processes with."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_first)
    # Ctrl-C is for this process; one that it reaches while it loads would say where it was
    resource_tracker.ensure_running()  # begun with the other, it would let Ctrl-C through to both
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    temporary = tempfile.tempdir
    try:
        tempfile.tempdir = _sockets()
        forkserver.ensure_running()
    finally:
        tempfile.tempdir = temporary
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
    return context


def _sockets() -> str | None:
    """A folder of this user for the sockets of processes, without those that killed ones left.

    multiprocessing removes its folder when a process ends, but not when it is killed. None, which
    stands for the usual place, where somebody else holds the folder's name.
    """
    folder = Path(tempfile.gettempdir()) / f"oatmeal-{os.getuid()}"
    if len(os.fsencode(folder)) > _LONGEST:
        return None
    try:
        folder.mkdir(mode=0o700, exist_ok=True)
        status = folder.lstat()
    except OSError:
        return None
    if not stat.S_ISDIR(status.st_mode) or status.st_uid != os.getuid():
        return None
    listening = Path("/proc/net/unix").read_text()  # to ask at a socket would disturb its process
    for left in folder.glob("pymp-*"):
        if f"{left}/" not in listening and _age_s(left) > _BEGINNING_S:
            shutil.rmtree(left, ignore_errors=True)
    return str(folder)


def _age_s(folder: Path) -> float:
    try:
        return time.time() - folder.stat().st_mtime
    except OSError:
        return 0.0  # its process ended meanwhile


def settle_in(wait: Callable[[], None]) -> None:
    """What a process that was begun so does first; ``wait`` for what others make for it."""
    threading.Thread(target=_end_with_parent, daemon=True).start()
    wait()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for whoever began it
    # none is forked from this one: numba would take a lock for that, and who is killed leaves it
    multiprocessing.set_start_method("spawn", force=True)


def _end_with_parent() -> None:
    """End at once, in the middle of anything, when whoever began this process is gone."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)
