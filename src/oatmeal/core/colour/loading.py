"""numba made ready to load compiled loops, without what none of them uses.

When numba loads its first loop it looks for SciPy's BLAS, for products of matrices inside of
loops. There are none here, and importing it takes longer than all the loops of a conversion. To be
imported before any loop is called.
"""

from __future__ import annotations

import sys
from importlib import import_module

_BLAS = "scipy.linalg.cython_blas"


def _without_blas() -> None:
    if _BLAS in sys.modules:
        return
    sys.modules[_BLAS] = None  # type: ignore[assignment]  # importing it fails, as if not installed
    try:
        import_module("numba.np.arraymath")
    finally:
        del sys.modules[_BLAS]


_without_blas()
