"""How this process begins others that read and write files: forked from one that is ready.

Loading what such a process needs takes most of a second. One process loads it, begins no threads
and does nothing but fork: what it forks can work at once and shares its memory. This process itself
cannot be forked, since that would copy locks that its other threads hold.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
from multiprocessing import forkserver, resource_tracker
from multiprocessing.context import ForkServerContext
from typing import Final

#: The module that loads what they need.
_READY: Final = "oatmeal.exports.ready"


def beginning() -> ForkServerContext:
    """What to begin processes with."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([_READY])
    # Ctrl-C is for this process; one that it reaches while it loads would say where it was
    resource_tracker.ensure_running()  # begun with the other, it would let Ctrl-C through to both
    before = signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        forkserver.ensure_running()
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
    return context


def settle_in() -> None:
    """What a process that was begun so does first."""
    threading.Thread(target=_end_with_parent, daemon=True).start()
    from oatmeal.core.kernels import wait_for_others  # loaded here already, elsewhere not needed

    wait_for_others()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for whoever began it
    # none is forked from this one: numba would take a lock for that, and who is killed leaves it
    multiprocessing.set_start_method("spawn", force=True)


def _end_with_parent() -> None:
    """End at once, in the middle of anything, when whoever began this process is gone."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)
