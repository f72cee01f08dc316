"""Tone: properties of the compiled scale."""

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from samples import colours

from oatmeal.core import colour, tone
from oatmeal.core.colour import kernels
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Levels, Recipe, Tone
from oatmeal.core.tone import curve

RGB = colours(2000)
RAMP = np.linspace(0, 1, 2001)


@st.composite
def curves(draw):
    xs = sorted(draw(st.sets(st.integers(1, 254), max_size=6)))
    ys = sorted(draw(st.lists(st.floats(0, 1), min_size=len(xs) + 2, max_size=len(xs) + 2)))
    return tuple(zip([0.0, *(x / 255 for x in xs), 1.0], ys, strict=True))


@given(curves())
def test_rising_points_make_a_rising_curve(points):
    assert (np.diff(curve.evaluate(points, RAMP)) >= -1e-12).all()


@settings(deadline=None)
@given(curves(), st.floats(0, 120), st.floats(130, 255), st.floats(0.1, 9.99), st.floats(-100, 100))
def test_the_scale_never_turns_back(points, black, white, middle, contrast):
    assume(white - black >= 1)
    settings_ = Tone(
        levels=Levels(black=black, white=white, middle=middle), contrast=contrast, curve=points
    )
    assert (np.diff(tone.compile_scale(settings_).table) >= -1e-6).all()


@settings(deadline=None)
@given(st.floats(0, 60), st.floats(150, 255), st.floats(-2, 3))
def test_held_ends_do_not_clip(black, white, exposure):
    settings_ = Tone(levels=Levels(black=black, white=white), exposure=exposure, hold_ends=True)
    peak = float(colour.encode_srgb(max(1.0, 2.0 * 2**exposure)))
    assert (np.diff(tone.transfer(RAMP * peak, settings_, peak)) > 0).all()
    gain = 2**exposure
    scale = tone.compile_scale(settings_, peak=2.0 * gain)
    light = np.array([[0.0, 1.999, 2.0]], np.float32)
    found = tone.encoded(light, scale, gain)[0]
    assert found[0] == 0
    assert found[1] <= found[2]
    assert found[2] >= 0.9995 or gain * 2 < 1


def test_held_ends_change_nothing_when_nothing_clips():
    assert np.allclose(
        tone.transfer(RAMP, Tone(hold_ends=True)), tone.transfer(RAMP, Tone()), atol=1e-12
    )


def test_output_limits():
    settings_ = Tone(levels=Levels(out_black=12.0, out_white=250.0))
    scale = tone.compile_scale(settings_)
    assert scale.end_codes == (12, 250)
    codes = Pipeline(RGB).codes(Recipe(tone=settings_))
    assert codes.min() == 12
    assert codes.max() == 250


def test_exposure_multiplies_light():
    once = Pipeline(RGB * np.float32(0.25)).codes(Recipe(tone=Tone(exposure=2.0)), np.uint16)
    assert np.abs(once.astype(int) - Pipeline(RGB).codes(Recipe(), np.uint16)).max() <= 1


def test_table_kernel_equals_its_twin():
    settings_ = Tone(contrast=30.0, levels=Levels(black=9.0, middle=1.3), exposure=0.4)
    grey = kernels.luminance(RGB)
    scale = tone.compile_scale(settings_)
    exact = tone.transfer(colour.encode_srgb(np.minimum(grey * 2**0.4, 1)), settings_)
    assert np.abs(tone.encoded(grey, scale, 2**0.4) - exact).max() <= 2 / 65535
