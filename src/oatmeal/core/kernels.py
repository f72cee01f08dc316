"""All compiled loops: made ready before anybody waits for them."""

from __future__ import annotations

from typing import Any

import numba

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
from oatmeal.core.seeing import kernels as seeing
from oatmeal.core.tone import kernels as tone


def warm() -> None:
    """Compile every kernel, or load it from the cache, so that no drag waits for it."""
    rooms = (
        colour,
        filters,
        areas,
        likeness_kernels,
        bands,
        resampling,
        noise_kernels,
        edge_kernels,
        spot_kernels,
        thread_kernels,
        mix,
        guard,
        formula_kernel,
        tone,
        quantising,
        finish,
        marks_kernels,
        seeing,
        join,
    )
    for room in rooms:
        room.warm()


def threading_layer() -> str:
    """Name of numba's threading layer; ``workqueue`` must not be entered from two threads."""
    colour.warm()
    layer: Any = numba
    return str(layer.threading_layer())
