"""Mix: bases, lifts and ranges; kernels against plain numpy twins."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import colours

from oatmeal.core import colour, mix
from oatmeal.core.colour import kernels, ranges
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Centres, Channels, Lifts, Mix, Plain, Recipe, Six

RGB = colours(3000)


def encoded(grey):
    return colour.encode_srgb(grey)


@pytest.mark.parametrize("light", ["encoded", "linear"])
def test_channels_equal_their_formula(light):
    base = Channels(kind="channels", red=70.0, green=60.0, blue=-30.0, offset=4.0, light=light)
    grey = mix.base_grey(RGB, base)
    weights = np.array([0.7, 0.6, -0.3])
    if light == "encoded":
        expected = encoded(RGB) @ weights + 0.04
    else:
        expected = encoded(RGB @ weights) + 0.04
    assert np.abs(encoded(grey) - np.maximum(expected, 0)).max() < 2e-6


def test_plain_weighings_equal_their_formulas():
    shown = encoded(RGB)
    expected = {
        "average": shown.mean(axis=-1),
        "lightest": shown.max(axis=-1),
        "darkest": shown.min(axis=-1),
    }
    for name, value in expected.items():
        grey = mix.base_grey(RGB, Plain(kind="plain", weighing=name))
        assert np.abs(encoded(grey) - value).max() < 2e-6


def test_six_equals_its_definition():
    """min + (mid - min) s + (max - mid) p, written out for sorted channels."""
    shares = {
        "red": 55.0,
        "yellow": 120.0,
        "green": -20.0,
        "cyan": 80.0,
        "blue": 5.0,
        "magenta": 60.0,
    }
    grey = encoded(mix.base_grey(RGB, Six(kind="six", **shares)))
    primaries = ["red", "green", "blue"]
    secondaries = {
        frozenset((0, 1)): "yellow",
        frozenset((1, 2)): "cyan",
        frozenset((0, 2)): "magenta",
    }
    for shown, found in zip(encoded(RGB)[0], grey[0], strict=True):
        low, mid, high = np.argsort(shown, kind="stable")
        value = shown[low]
        value += (
            (shown[mid] - shown[low]) * shares[secondaries[frozenset((int(mid), int(high)))]] / 100
        )
        value += (shown[high] - shown[mid]) * shares[primaries[high]] / 100
        assert found == pytest.approx(max(value, 0), abs=3e-6)


lift_values = st.fixed_dictionaries({name: st.floats(-4, 4) for name in ranges.NAMES})


@settings(max_examples=40, deadline=None)
@given(lift_values, st.floats(0, 100))
def test_neutrals_never_move_under_lifts(lifts, pale):
    greys = np.repeat(np.linspace(0, 1.2, 50, dtype=np.float32)[:, None], 3, axis=1)[None]
    recipe = Recipe(mix=Mix(lifts=Lifts(**lifts), pale=pale))
    assert np.array_equal(Pipeline(greys).mixed(recipe), Pipeline(greys).mixed(Recipe()))


@settings(max_examples=25, deadline=None)
@given(lift_values, st.floats(0, 100))
def test_lifts_equal_their_definition(lifts, pale):
    """Y * 2 ** (s(C) * sum(lift_i w_i(h))), from OKLab in double precision."""
    settings_ = Mix(lifts=Lifts(**lifts), pale=pale)
    grey = Pipeline(RGB).get("lifted", Recipe(mix=settings_))
    hue, chroma = colour.hue_and_chroma(colour.oklab(RGB))
    weights = ranges.weights(hue, settings_.centres.model_dump())
    stops = weights @ np.array([lifts[name] for name in ranges.NAMES])
    expected = colour.luminance(RGB) * 2 ** (stops * ranges.colourfulness(chroma, pale))
    assert np.allclose(grey, expected, rtol=4e-3, atol=1e-6)


@given(st.floats(0, 360), st.integers(0, 7))
def test_weights_sum_to_one_and_peak_at_centres(hue, place):
    weights = ranges.weights(hue, ranges.CENTRES)
    assert weights.sum() == pytest.approx(1)
    assert (weights >= 0).all()
    assert np.count_nonzero(weights) <= 2
    at_centre = ranges.weights(ranges.CENTRES[ranges.NAMES[place]], ranges.CENTRES)
    assert at_centre[place] == pytest.approx(1)


def test_moved_centres_move_the_range():
    moved = Centres(blue=270.0)
    assert ranges.weights(270.0, moved.model_dump())[5] == pytest.approx(1)
    assert ranges.weights(255.0, moved.model_dump())[5] < 1


def test_analysis_kernel_equals_its_twin():
    _, a_axis, b_axis = kernels.colours(RGB)
    hue, chroma = kernels.polar(a_axis, b_axis)
    twin_hue, twin_chroma = colour.hue_and_chroma(colour.oklab(RGB))
    assert np.allclose(chroma, twin_chroma, atol=2e-6)
    coloured = twin_chroma > 0.01
    apart = (hue / 10 - twin_hue + 180) % 360 - 180
    assert np.abs(apart[coloured]).max() < 0.01


def test_wide_gamut_colours_are_kept_until_the_grey():
    wide = np.array([[[1.2, -0.1, 0.05], [-0.2, 0.9, -0.1]]], np.float32)
    grey = mix.base_grey(wide, Plain(kind="plain"))
    assert np.allclose(grey, np.maximum(colour.luminance(wide), 0), atol=1e-6)


def test_peak_bounds_what_can_come_out():
    generator = np.random.default_rng(2)
    for _ in range(30):
        shares = generator.uniform(-100, 300, 6)
        names = ("red", "yellow", "green", "cyan", "blue", "magenta")
        base = Six(kind="six", **dict(zip(names, shares, strict=True)))
        settings_ = Mix(base=base, lifts=Lifts(red=float(generator.uniform(-2, 2))))
        assert Pipeline(RGB).mixed(Recipe(mix=settings_)).max() <= mix.peak(settings_) * 1.001
        bright = Pipeline(RGB * 4).mixed(Recipe(mix=settings_))
        assert bright.max() <= mix.peak(settings_, 4.0) * 1.001
