"""How compiled loops come into a process: from the cache with little, or compiled."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from oatmeal.core import kept
from oatmeal.core.colour import kernels

ROOT = Path(__file__).parents[2]

LIGHT = """
import sys
import numpy as np
from numba.core.runtime import rtsys
from oatmeal.core.colour import kernels
print(*kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0])
print("numba.np.linalg" in sys.modules, rtsys._init)
"""


#: As if the very next version of llvmlite were installed.
OTHER = "import llvmlite\nllvmlite.__version__ = '0.50.1'\n"


def run(before="", **more):
    done = subprocess.run(
        [sys.executable, "-c", before + LIGHT],
        capture_output=True,
        text=True,
        env={**os.environ, **more},
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.split("\n")[:2]


def test_a_loop_from_the_cache_needs_nothing_of_what_compiles():
    kernels.warm()  # it is in the cache
    values, compiling = run()
    assert [float(one) for one in values.split()] == pytest.approx([0.25, 0.25])
    assert compiling == "False False"


def test_with_another_version_loops_are_loaded_as_the_library_does(tmp_path):
    """Compiled anew, then from the cache: the same numbers, and all is ready that compiles."""
    here = kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0]
    run(NUMBA_CACHE_DIR=str(tmp_path))  # what is kept for quick loading is not taken
    for _ in range(2):
        values, compiling = run(OTHER, NUMBA_CACHE_DIR=str(tmp_path))
        assert [np.float32(one) for one in values.split()] == list(here)
        assert compiling == "True True"


def test_it_is_written_for_the_versions_that_are_locked():
    lock = (ROOT / "requirements.lock").read_text()
    for name, version in zip(("numba", "llvmlite"), kept.WRITTEN_FOR, strict=True):
        assert f"\n{name}=={version} " in lock
    assert kept.QUICK


def test_without_a_cache_it_is_compiled_and_gives_the_same(tmp_path):
    values, compiling = run(NUMBA_CACHE_DIR=str(tmp_path))
    here = kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0]
    assert [np.float32(one) for one in values.split()] == list(here)
    assert compiling == "True True"
    assert list(tmp_path.rglob("*_luminance*.nbc"))


BUILT_UPON = """
import sys
if "other" in sys.argv:
    sys.argv.remove("other")
    import llvmlite
    llvmlite.__version__ = "0.50.1"
import numpy as np
import numba
from oatmeal.core.colour import loading

@numba.njit(cache=True)
def rows(count):
    return np.full((count, 2), 3.0)

@numba.njit(cache=True)
def total(count):
    made = rows(count)
    return made.sum() / made.shape[0]

wanted = [globals()[name] for name in sys.argv[1:]]
print(*[float(np.sum(one(4))) for one in wanted])
print([sum(one.stats.cache_hits.values()) for one in wanted])
"""


@pytest.mark.parametrize("other", [(), ("other",)], ids=["quick", "as the library does"])
@pytest.mark.parametrize("first", ["rows", "total"])
def test_a_loop_is_built_upon_one_from_the_cache(tmp_path, first, other):
    """In a process of its own each: compiled, then loaded and built upon, then both loaded."""
    path = tmp_path / "upon.py"
    path.write_text(BUILT_UPON)

    def run_loops(*names):
        command = [sys.executable, path, *names, *other]
        done = subprocess.run(command, capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        return done.stdout.splitlines()

    given = {"rows": "24.0", "total": "6.0"}
    assert run_loops(first) == [given[first], "[0]"]
    assert run_loops("rows", "total")[0] == "24.0 6.0"
    assert run_loops("total", "rows") == ["6.0 24.0", "[1, 1]"]
