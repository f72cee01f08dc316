"""numba made to load compiled loops without the parts of it that compile.

Before it looks into its cache, numba imports all that a loop might be compiled from: its linear
algebra, random numbers, typed lists and more. That takes longer than all the loops of a conversion,
and code that is compiled already needs none of it; whatever does compile asks for it again. To be
imported before any loop is called.
"""

from __future__ import annotations

from typing import Any

from numba.core.caching import Cache
from numba.core.runtime.nrt import rtsys


def _load_overload(cache: Any, signature: Any, context: Any) -> Any:
    """What :meth:`numba.core.caching.Cache.load_overload` does, with less made ready."""
    rtsys.initialize(context)
    with cache._guard_against_spurious_io_errors():
        return cache._load_overload(signature, context)


Cache.load_overload = _load_overload  # type: ignore[method-assign]
