"""Compiled loops of what is measured."""

from __future__ import annotations

import numpy as np
from numba import prange
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import parallel


@parallel
def _counts(codes, partial):  # type: ignore[no-untyped-def]
    bands = partial.shape[0]
    for band in prange(bands):
        for y in range(band * codes.shape[0] // bands, (band + 1) * codes.shape[0] // bands):
            for x in range(codes.shape[1]):
                partial[band, codes[y, x]] += 1


def counts(codes: NDArray[np.uint8]) -> NDArray[np.int64]:
    """Histogram of 8-bit codes, 256 counts."""
    partial = np.zeros((8, 256), dtype=np.int64)
    _counts(codes, partial)
    return np.asarray(partial.sum(axis=0))


def warm() -> None:
    """Compile, or load from the cache."""
    counts(np.zeros((2, 2), dtype=np.uint8))
