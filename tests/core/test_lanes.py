"""The kernels' shared arithmetic, and the mark that renews their compiled loops."""

import hashlib
from pathlib import Path

import pytest

from oatmeal.core import formula_kernel, kernels, lanes, tonemaps


@pytest.mark.parametrize("module", [kernels, formula_kernel, tonemaps])
def test_a_change_of_the_arithmetic_renews_every_compiled_loop(module):
    """numba looks at a kernel's own file only; its LANES must name the present lanes.py."""
    digest = hashlib.sha256(Path(lanes.__file__).read_bytes()).hexdigest()
    assert digest[:12] == module.LANES
