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
from oatmeal.core.colour import kernels
print(*kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0])
print("numba.np.linalg" in sys.modules)
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
    assert compiling == "False"


def test_without_a_cache_it_is_compiled_and_gives_the_same(tmp_path):
    values, compiling = run(NUMBA_CACHE_DIR=str(tmp_path))
    here = kernels.luminance(np.full((1, 2, 3), 0.25, np.float32))[0]
    assert [np.float32(one) for one in values.split()] == list(here)
    assert compiling == "True"
    assert list(tmp_path.rglob("*_luminance*.nbc"))
