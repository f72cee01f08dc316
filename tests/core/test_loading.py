"""How compiled loops come into a process: from the cache with little, or compiled."""

import os
import subprocess
import sys

import numpy as np
import pytest

from oatmeal.core.colour import kernels

LIGHT = """
import sys
import numpy as np
from numba.core.runtime import rtsys
from oatmeal.core.colour import kernels
print(*kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0])
print("numba.np.linalg" in sys.modules, rtsys._init)
"""


def run(**more):
    done = subprocess.run(
        [sys.executable, "-c", LIGHT], capture_output=True, text=True, env={**os.environ, **more}
    )
    assert done.returncode == 0, done.stderr
    return done.stdout.split("\n")[:2]


def test_a_loop_from_the_cache_needs_nothing_of_what_compiles():
    kernels.warm()  # it is in the cache
    values, compiling = run()
    assert [float(one) for one in values.split()] == pytest.approx([0.25, 0.25])
    assert compiling == "False False"


def test_without_a_cache_it_is_compiled_and_gives_the_same(tmp_path):
    values, compiling = run(NUMBA_CACHE_DIR=str(tmp_path))
    here = kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0]
    assert [np.float32(one) for one in values.split()] == list(here)
    assert compiling == "True True"
    assert list(tmp_path.rglob("*_luminance*.nbc"))


BUILT_UPON = """
import sys
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


@pytest.mark.parametrize("first", ["rows", "total"])
def test_a_loop_is_built_upon_one_from_the_cache(tmp_path, first):
    """In a process of its own each: compiled, then loaded and built upon, then both loaded."""
    path = tmp_path / "upon.py"
    path.write_text(BUILT_UPON)

    def run_loops(*names):
        done = subprocess.run([sys.executable, path, *names], capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        return done.stdout.splitlines()

    given = {"rows": "24.0", "total": "6.0"}
    assert run_loops(first) == [given[first], "[0]"]
    assert run_loops("rows", "total")[0] == "24.0 6.0"
    assert run_loops("total", "rows") == ["6.0 24.0", "[1, 1]"]
