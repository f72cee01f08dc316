"""Levels, contrast and curve against their formulas and SciPy."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from oatmeal.core import colour, tone
from oatmeal.core.finish import quantised
from oatmeal.core.recipe import Levels, Tone
from oatmeal.core.recipe.curves import SHIPPED, inclines, monotone
from oatmeal.core.seeing.measure import meter
from oatmeal.core.tone import curve

RAMP = np.linspace(0, 1, 4001)


def through(settings: Tone, dtype=np.uint16):
    """Codes that the compiled table gives for an even ramp of encoded values."""
    grey = colour.decode_srgb(RAMP).astype(np.float32)[None]
    return quantised(tone.encoded(grey, tone.compile_scale(settings)), dtype)[0]


def test_rest_changes_nothing():
    assert np.abs(through(Tone()) / 65535 - RAMP).max() <= 0.6 / 65535


def test_levels_formula():
    """``clip((x - black) / (white - black)) ** (1 / middle)`` on codes."""
    levels = Levels(black=15.0, middle=1.25, white=240.0)
    expected = np.clip((RAMP * 255 - 15) / 225, 0, 1) ** (1 / 1.25)
    away = expected > 0.02  # the power is vertical at black, where float32 light is coarse
    assert np.abs(through(Tone(levels=levels)) / 65535 - expected)[away].max() < 3e-5


def test_curve_equals_pchip():
    """Monotone cubic (Fritsch and Carlson 1980): SciPy's PchipInterpolator."""
    points = ((0.0, 0.0), (0.2, 0.12), (0.55, 0.7), (1.0, 0.96))
    expected = PchipInterpolator(*zip(*points, strict=True))(RAMP)
    assert np.abs(through(Tone(curve=points)) / 65535 - expected).max() < 3e-5


@given(
    st.lists(st.integers(0, 1000), min_size=2, max_size=9, unique=True),
    st.lists(st.integers(0, 5), min_size=9, max_size=9),
)
def test_curves_of_any_points_are_pchips(places, heights):
    """SciPy's PchipInterpolator, with points that are peaks, valleys and level."""
    x = np.sort(places) / 1000
    y = np.array(heights[: len(x)]) / 5
    at = np.linspace(x[0], x[-1], 257)
    assert np.abs(monotone(x, y)(at) - PchipInterpolator(x, y)(at)).max() < 1e-13
    several = np.stack([y, y[::-1], y**2], axis=1)
    expected = PchipInterpolator(x, several)(x, 1)
    assert np.abs(inclines(x, several) - expected).max() < 1e-9 * (1 + np.abs(expected).max())


@pytest.mark.parametrize("contrast", [-60.0, 25.0, 100.0])
def test_contrast_is_the_slope_at_middle_lightness(contrast):
    """x**s / (x**s + (1 - x)**s) on L*/100 has slope s at 50 and fixed ends."""
    star = np.array([0.0, 49.99, 50.0, 50.01, 100.0])
    y = colour.luminance_of_lightness(star)
    bent = colour.lightness(
        colour.decode_srgb(tone.apply_contrast(colour.encode_srgb(y), contrast))
    )
    assert bent[[0, 2, 4]] == pytest.approx([0, 50, 100], abs=1e-6)
    assert (bent[3] - bent[1]) / 0.02 == pytest.approx(2 ** (contrast / 50), rel=1e-3)


def test_convex_curve_lightens_and_keeps_the_ends():
    """Common practice, no source."""
    shaped = curve.evaluate(SHIPPED["lighten"], RAMP)
    assert shaped[0] == 0
    assert shaped[-1] == 1
    assert (shaped[1:-1] > RAMP[1:-1]).all()


def test_16_bit_gradient_shows_no_banding():
    """A full gradient through the steep S keeps its codes apart and in order."""
    gradient = np.arange(65536) / 65535
    grey = colour.decode_srgb(gradient).astype(np.float32)[None]
    settings = Tone(curve=SHIPPED["steep S"], levels=Levels(black=15.0, white=240.0))
    out = quantised(tone.encoded(grey, tone.compile_scale(settings)), np.uint16)[0].astype(int)
    assert (np.diff(out) >= 0).all()
    assert len(np.unique(out)) > 40_000
    slope = np.gradient(curve.evaluate(SHIPPED["steep S"], gradient), gradient).max()
    assert np.diff(out).max() <= np.ceil(slope * 255 / 225) + 1


def test_a_strong_scale_keeps_thousands_of_codes():
    """A 16-bit gradient through levels 15 to 240, contrast 60 and the steep S."""
    grey = colour.decode_srgb(np.arange(65536) / 65535).astype(np.float32)[None]
    settings = Tone(levels=Levels(black=15.0, white=240.0), contrast=60.0, curve=SHIPPED["steep S"])
    out = quantised(tone.encoded(grey, tone.compile_scale(settings)), np.uint16)[0].astype(int)
    assert (np.diff(out) >= 0).all()
    assert len(np.unique(out)) >= 4000


def test_meter_of_known_greys():
    """CIE 015:2018: L* 50 has Y 0.18419; ink and code follow from IEC 61966-2-1."""
    reading = meter(0.18418652)
    assert reading.lightness == pytest.approx(50, abs=1e-4)
    assert reading.zone == "V"
    assert reading.code == 119
    assert reading.ink == pytest.approx(100 * (1 - 0.46633), abs=0.01)
    assert meter(2.0).code == 255
    assert meter(-1.0).code == 0
