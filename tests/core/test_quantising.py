"""Quantising: codes of encoded values, rounded or dithered."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oatmeal.core.finish import quantised


@pytest.mark.parametrize(("dtype", "top"), [(np.uint8, 255), (np.uint16, 65535)])
def test_values_go_to_the_nearest_code(dtype, top):
    values = np.linspace(-0.1, 1.1, 5001, dtype=np.float32)[None]
    expected = np.clip(values.astype(float) * top, 0, top)
    assert np.abs(quantised(values, dtype) - expected).max() <= 0.5 + 0.01 * (top > 255)
    assert quantised(values, dtype).dtype == dtype


def test_what_lies_on_a_code_keeps_it_under_dither():
    values = np.repeat(np.arange(256, dtype=np.float32)[None] / 255, 300, axis=0)
    assert np.array_equal(quantised(values, np.uint8, dither=True), quantised(values, np.uint8))


@given(st.floats(0, 1, width=32))
def test_dither_stays_within_a_code_and_keeps_the_mean(value):
    flat = np.full((64, 64), value, np.float32)
    codes = quantised(flat, np.uint8, dither=True).astype(float)
    assert np.abs(codes - value * 255).max() < 1
    assert abs(codes.mean() - value * 255) < 0.03


def test_a_slow_gradient_has_no_steps():
    """Averaged over 16 pixels a side, a ramp over two codes stays a ramp."""
    ramp = np.repeat(np.linspace(100, 102, 1024, dtype=np.float32)[None] / 255, 64, axis=0)
    errors = {}
    for dither in (False, True):
        codes = quantised(ramp, np.uint8, dither=dither).astype(float)
        cells = codes.reshape(4, 16, 64, 16).mean(axis=(1, 3))
        exact = ramp.reshape(4, 16, 64, 16).mean(axis=(1, 3)) * 255
        errors[dither] = np.abs(cells - exact).max()
    assert errors[False] > 0.4
    assert errors[True] < 0.08


def test_parts_and_whole_agree_and_colour_has_three_channels():
    generator = np.random.default_rng(1)
    values = generator.random((50, 70, 3)).astype(np.float32)
    whole = quantised(values, np.uint8, dither=True)
    part = quantised(values[13:40, 21:60], np.uint8, dither=True, corner=(21, 13))
    assert np.array_equal(part, whole[13:40, 21:60])
    grey = quantised(np.ascontiguousarray(values[..., 1]), np.uint8, dither=True)
    assert np.array_equal(grey, whole[..., 1])
