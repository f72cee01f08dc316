"""All compiled loops: made ready before anybody waits for them."""

from __future__ import annotations

import multiprocessing
import os
import signal
from multiprocessing.sharedctypes import Synchronized
from types import ModuleType
from typing import Any, Final

import numba
from numba.core.dispatcher import Dispatcher

from oatmeal.core.areas import kernels as areas
from oatmeal.core.areas import likeness_kernels
from oatmeal.core.bands import kernels as bands
from oatmeal.core.colour import filters
from oatmeal.core.colour import kernels as colour
from oatmeal.core.finish import kernels as finish
from oatmeal.core.finish import marks_kernels, quantising
from oatmeal.core.guard import kernels as guard
from oatmeal.core.join import kernels as join
from oatmeal.core.mix import formula_kernel
from oatmeal.core.mix import kernels as mix
from oatmeal.core.prepare import (
    edge_kernels,
    noise_kernels,
    resampling,
    spot_kernels,
    thread_kernels,
)
from oatmeal.core.reading import kernels as reading
from oatmeal.core.seeing import kernels as seeing
from oatmeal.core.tone import fine_kernel
from oatmeal.core.tone import kernels as tone

#: The rooms with loops; those that take longest to compile first.
_ROOMS: Final = (
    finish,
    tone,
    mix,
    noise_kernels,
    fine_kernel,
    areas,
    colour,
    resampling,
    formula_kernel,
    quantising,
    join,
    guard,
    edge_kernels,
    bands,
    marks_kernels,
    thread_kernels,
    filters,
    likeness_kernels,
    spot_kernels,
    reading,
    seeing,
)


#: Processes that compile at the same time; each holds a compiler of its own in memory.
MOST_HELPERS: Final = 8


def warm(processes: int = 1) -> None:
    """Compile every kernel, or load it from the cache, so that no drag waits for it.

    Where something is to be compiled, which takes minutes, as many processes share that.
    """
    if processes > 1 and not all(_is_compiled(room) for room in _ROOMS):
        # forking would copy the threads of OpenMP in a state that they cannot run on from
        spawning = multiprocessing.get_context("spawn")
        begun = spawning.Value("i", 0)
        helpers = [
            spawning.Process(target=_warm_some, args=(begun,), daemon=True)
            for _ in range(min(processes, MOST_HELPERS))
        ]
        for helper in helpers:
            helper.start()
        for helper in helpers:
            helper.join()
    # what a helper did not come to, whatever ended it, is compiled here
    for room in _ROOMS:
        room.warm()


def _warm_some(begun: Synchronized[int]) -> None:
    """One room after the other that no helper has begun with."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # it ends with who began it
    while True:
        with begun.get_lock():
            place = begun.value
            begun.value += 1
        if place >= len(_ROOMS):
            return
        _ROOMS[place].warm()


def _is_compiled(room: ModuleType) -> bool:
    """False if a loop of a room is not in the cache, or its source is another than it was."""
    for one in vars(room).values():
        if isinstance(one, Dispatcher) and one.py_func.__module__ == room.__name__:
            if one.stats.cache_path is None or one.targetoptions.get("inline") == "always":
                continue
            # numba marks what it keeps with a sum of the source: a copied file is the same one
            if not one._cache._cache_file._load_index():  # type: ignore[attr-defined]
                return False
    return True


def threading_layer() -> str:
    """Name of numba's threading layer; ``workqueue`` must not be entered from two threads."""
    colour.warm()
    layer: Any = numba
    return str(layer.threading_layer())


if __name__ == "__main__":
    warm(os.cpu_count() or 1)
