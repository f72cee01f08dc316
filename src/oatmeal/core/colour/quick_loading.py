"""numba made to load compiled loops without the parts of it that compile.

Before it looks into its cache, numba imports all that a loop might be compiled from: its linear
algebra, random numbers, typed lists and more; it compiles functions of its own that count who holds
an array, and reads what each loop was compiled from, for others that might be built with it. That
takes longer than all the loops of a conversion, and code that is compiled already needs none of it;
whatever does compile asks for it then. For one version alone, see :mod:`.loading`.
"""

from __future__ import annotations

import sys
from functools import cache
from typing import Any

from llvmlite import binding
from numba.core import environment
from numba.core.caching import Cache
from numba.core.codegen import JITCodeLibrary, JITCPUCodegen
from numba.core.environment import Environment
from numba.core.runtime import _nrt_python  # type: ignore[attr-defined]


def _load_overload(cache: Any, signature: Any, context: Any) -> Any:
    """What ``numba.core.caching.Cache.load_overload`` does, with less made ready."""
    _name_helpers()
    with cache._guard_against_spurious_io_errors():
        return cache._load_overload(signature, context)


@cache
def _name_helpers() -> None:
    """Tell the linker where the functions are that give out memory for arrays.

    ``numba.core.runtime.nrt._Runtime.initialize`` does so, too, and compiles the functions
    that loops are built with; a loop from the cache holds them.
    """
    for name, address in _nrt_python.c_helpers.items():
        binding.add_symbol(name if name.startswith("_") else f"NRT_{name}", address)


class _Loaded(JITCodeLibrary):
    """Machine code from the cache; what it was compiled from is read by who builds upon it."""

    def __init__(self, codegen: Any, name: str, code: bytes, compiled_from: bytes) -> None:
        super().__init__(codegen, name)
        self._compiled_from: bytes | None = compiled_from
        self.enable_object_caching()
        self._set_compiled_object(code)
        self._finalize_final_module()

    def _get_module_for_linking(self) -> Any:
        if self._compiled_from is not None:
            self._shared_module = binding.parse_bitcode(self._compiled_from)
            self._compiled_from = None
        return super()._get_module_for_linking()

    def get_pointer_to_function(self, name: str) -> int:
        """Address of one of its functions; only those that every loop has are asked for."""
        address: int = self._codegen._engine.get_function_address(name)
        return address


def _unserialize(codegen: Any, state: Any) -> Any:
    """What ``numba.core.codegen.Codegen.unserialize_library`` does."""
    name, kind, data = state
    if kind == "object":
        return _Loaded(codegen, name, *data)
    return JITCodeLibrary._unserialize(codegen, state)


def _rebuild_environment(module: str, constants: list[Any], name: str) -> Any:
    """What ``numba.core.environment._rebuild_env`` does; a module is not imported for it.

    Functions that run without the interpreter never look into their module.
    """
    known = environment.lookup_environment(name)
    if known is not None:
        return known
    there = sys.modules.get(module)
    made = Environment({"__name__": module} if there is None else vars(there))
    made.consts[:] = constants
    made.env_name = name
    Environment._memo[name] = made
    return made


Cache.load_overload = _load_overload  # type: ignore[method-assign]
JITCPUCodegen.unserialize_library = _unserialize  # type: ignore[method-assign]
environment._rebuild_env = _rebuild_environment
