"""The kernels' shared arithmetic, and the mark that renews their compiled loops."""

import hashlib
from pathlib import Path

import numpy as np
import pytest

from oatmeal.core.bands import kernels as bands
from oatmeal.core.colour import kernels, lanes
from oatmeal.core.mix import formula_kernel
from oatmeal.core.mix import kernels as mixing
from oatmeal.core.tone import kernels as toning


@pytest.mark.parametrize("module", [kernels, bands, mixing, formula_kernel, toning])
def test_a_change_of_the_arithmetic_renews_every_compiled_loop(module):
    """numba looks at a kernel's own file only; its LANES must name the present lanes.py."""
    digest = hashlib.sha256(Path(lanes.__file__).read_bytes()).hexdigest()
    assert digest[:12] == module.LANES


def test_every_finite_half_becomes_the_same_single():
    """IEEE 754: numpy's own conversion, which is exact."""
    halves = np.arange(65536, dtype=np.uint16).view(np.float16).reshape(64, 256, 4)[..., :3]
    finite = np.where(np.isfinite(halves), halves, np.float16(1))
    assert np.array_equal(kernels.from_half(finite), finite.astype(np.float32))
    assert np.signbit(kernels.from_half(np.full((1, 1, 3), -0.0, np.float16))).all()
