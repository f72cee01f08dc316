"""Threads: where colours are led before the mix, what stays, and what never folds."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import BLUE, GREEN, GREY, RED, codes, linear_of, patches

from oatmeal.core import colour
from oatmeal.core.colour import ranges
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.prepare import threads as leading
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.recipe.carry import scaled
from oatmeal.core.recipe.threads import NEAREST_FEET
from oatmeal.core.seeing.greymap import GreyMap

RGB = linear_of(codes(300, 410, 16))


def led(threads, **more):
    return from_document({"prepare": {"threads": threads}, **more})


def prepared(rgb, threads):
    return Pipeline(np.asarray(rgb, np.float32)).prepared(led(threads))


def of_hue(*degrees, chroma=0.12, lightness=0.6):
    """A row of colours of OKLCh hues, linear."""
    angle = np.radians(degrees)
    lab = np.stack(
        [np.full(len(degrees), lightness), chroma * np.cos(angle), chroma * np.sin(angle)], axis=-1
    )
    return colour.oklab_to_linear(lab)[None].astype(np.float32)


def hues(rgb):
    return colour.hue_and_chroma(colour.oklab(np.asarray(rgb, float)).reshape(-1, 3))


def test_at_rest_the_very_array_is_handed_on():
    work = Pipeline(RGB)
    assert work.prepared(led({"red": {"hue": 0, "strength": 100}})) is work.source


def test_a_range_is_led_to_its_foot_and_keeps_its_luminance():
    before = of_hue(*ranges.CENTRES.values())
    after = prepared(before, {"orange": {"hue": -22}, "blue": {"hue": 15}})
    hue, _ = hues(after)
    assert hue[1] == pytest.approx(55 - 22, abs=0.5)
    assert hue[5] == pytest.approx(255 + 15, abs=0.5)
    assert hue[[0, 3, 7]] == pytest.approx([29, 142, 340], abs=0.1)
    assert np.abs(colour.luminance(after) - colour.luminance(before)).max() < 1e-5


@settings(deadline=None, max_examples=60)
@given(st.lists(st.floats(-40, 40), min_size=8, max_size=8))
def test_hue_order_never_folds(wanted):
    """For whatever feet are allowed, a colour that lay before another lies before it still."""
    threads = {name: {"hue": hue} for name, hue in zip(ranges.NAMES, wanted, strict=True)}
    feet = [centre + hue for centre, hue in zip(ranges.CENTRES.values(), wanted, strict=True)]
    if min(np.diff([*feet, feet[0] + 360])) < NEAREST_FEET:
        with pytest.raises(ValueError, match="would cross"):
            led(threads)
        return
    recipe = led(threads)
    circle = np.linspace(0, 360, 1441)
    ways = leading.led(recipe.prepare.threads, circle)
    assert np.diff(ways).min() > 0
    assert ways[-1] - ways[0] == pytest.approx(360)


def test_threads_that_would_cross_are_refused_and_strength_stops_before():
    with pytest.raises(ValueError, match="red and orange would cross"):
        led({"orange": {"hue": -26}})
    strong = scaled(led({"orange": {"hue": -20}}), 1.5).prepare.threads
    assert strong.orange.hue == pytest.approx(-(26 - NEAREST_FEET), abs=0.01)


def test_orange_and_yellow_led_to_red_are_moved_by_the_red_lift():
    """The trade's example: one lift for all three; without the threads it moves red alone."""
    before = of_hue(29, 55, 100)
    threads = {"orange": {"hue": -23.5}, "yellow": {"hue": -65}}
    lift = {"mix": {"lifts": {"red": -2.0}}}
    plain = Pipeline(before).mixed(led({}, **lift)) / Pipeline(before).mixed(REST)
    assert np.log2(plain)[0] == pytest.approx([-2, 0, 0], abs=0.1)
    moved = Pipeline(before).mixed(led(threads, **lift)) / Pipeline(before).mixed(led(threads))
    assert (np.log2(moved)[0] < [-1.9, -1.8, -1.6]).all()


def test_two_reds_are_parted_by_strength():
    """A pale red counts as colour less than a full one; stronger, the lift reaches it wholly."""
    pale = of_hue(29, chroma=0.02)
    lift = {"mix": {"lifts": {"red": -2.0}, "pale": 0}}
    weak = np.log2(Pipeline(pale).mixed(led({}, **lift)) / Pipeline(pale).mixed(REST))
    threads = {"red": {"strength": 300}}
    strong = np.log2(
        Pipeline(pale).mixed(led(threads, **lift)) / Pipeline(pale).mixed(led(threads))
    )
    assert weak.item() > -0.4
    assert strong.item() < weak.item() - 0.3


def test_strength_and_brightness_mean_what_they_say():
    before = of_hue(29, 142, chroma=0.1)
    after = prepared(before, {"red": {"strength": 150}, "green": {"bright": -1}})
    y = colour.luminance(before)[..., None]
    assert np.allclose(after[0, 0], y[0, 0] + 1.5 * (before[0, 0] - y[0, 0]), atol=1e-5)
    assert np.allclose(after[0, 1], before[0, 1] / 2, atol=1e-5)
    full = prepared(patches(RED, GREEN, BLUE), {name: {"strength": 300} for name in ranges.NAMES})
    assert full.min() > -0.26 * colour.luminance(full).max()
    grey = prepared(before, {name: {"strength": 0} for name in ranges.NAMES})
    assert np.ptp(grey, axis=-1).max() < 1e-5


def test_neutrals_never_move():
    greys = np.linspace(0, 1, 64, dtype=np.float32)[None, :, None].repeat(3, axis=2)
    threads = {name: {"hue": 8, "strength": 300, "bright": 2} for name in ranges.NAMES}
    assert np.abs(prepared(greys, threads) - greys).max() < 1e-6
    assert np.allclose(prepared(patches(GREY), threads), patches(GREY), atol=1e-6)


def test_the_kernel_equals_its_plain_twin():
    threads = led({"orange": {"hue": -20}, "green": {"strength": 180}, "blue": {"bright": 0.7}})
    found = Pipeline(RGB).prepared(threads)
    lab = colour.oklab(RGB.astype(float))
    hue, chroma = colour.hue_and_chroma(lab)
    share = ranges.colourfulness(chroma, 50)
    way = np.radians(leading.led(threads.prepare.threads, hue) - hue)
    cosine, sine = 1 + share * (np.cos(way) - 1), share * np.sin(way)
    turned = lab.copy()
    turned[..., 1] = cosine * lab[..., 1] - sine * lab[..., 2]
    turned[..., 2] = sine * lab[..., 1] + cosine * lab[..., 2]
    rgb = colour.oklab_to_linear(turned)
    was = np.maximum(RGB @ colour.LUMINANCE_WEIGHTS, 1e-6)[..., None]
    now = np.maximum(rgb @ colour.LUMINANCE_WEIGHTS, 1e-6)[..., None]
    rgb *= np.clip(was / now, 0.25, 4)
    weights = ranges.weights(hue, ranges.CENTRES)
    green, blue = ranges.NAMES.index("green"), ranges.NAMES.index("blue")
    strength = 1 + share * 0.8 * weights[..., green]
    below = was[..., 0] - rgb.min(axis=-1)
    strength = np.minimum(strength, np.maximum(1.25 * was[..., 0] / np.maximum(below, 1e-6), 1))
    rgb = was + strength[..., None] * (rgb - was)
    rgb *= 2.0 ** (share * 0.7 * weights[..., blue])[..., None]
    off = np.abs(found - rgb)
    assert np.quantile(off, 0.999) < 2e-4
    assert off.max() < 5e-3  # at the edges of a hue that barely is one


def test_a_region_alone_equals_the_whole_with_the_guard_on():
    recipe = led({"orange": {"hue": -20}, "blue": {"strength": 200}}, mix={"guard": 60})
    picture = ArrayPicture(RGB)
    whole = render(picture, recipe).astype(int)
    part = Region(picture, (101, 60, 140, 120), recipe, small_of(picture, WHOLE_SIDE)).codes(recipe)
    assert np.abs(part - whole[60:180, 101:241]).max() <= 1


def test_guarded_threads_multiply_less_noise():
    """Opposed gains of neighbours over blocks of coarse colour: a JPEG's."""
    generator = np.random.default_rng(3)
    flat = np.full((160, 240, 3), (0.5, 0.25, 0.12)) * (
        1 + generator.normal(0, 0.02, (160, 240, 1))
    )
    blocks = generator.normal(0, 0.05, (20, 30, 3)).repeat(8, axis=0).repeat(8, axis=1)
    rgb = np.clip(flat * (1 + blocks - blocks.mean(axis=2, keepdims=True)), 0, 1).astype(np.float32)
    threads = {"red": {"bright": -2}, "orange": {"bright": 2}}
    spread = []
    for guard in (0, 100):
        grey = Pipeline(rgb).mixed(led(threads, mix={"guard": guard}))
        spread.append(np.log2(grey).std())
    assert spread[1] < 0.8 * spread[0]


def test_the_grey_map_shows_the_moved_colours():
    greymap = GreyMap(patches(RED, GREEN, BLUE, GREY))
    before = greymap.figures(REST)
    after = greymap.figures(led({"red": {"bright": 1.0}}))
    lighter = [
        two["now"] - one["now"] for one, two in zip(before["ranges"], after["ranges"], strict=True)
    ]
    assert lighter[0] > 8
    assert abs(lighter[3]) < 1
    assert sum(greymap.hues(REST)) == pytest.approx(0.75, abs=0.02)


def test_no_grey_is_brighter_than_the_peak_that_is_held():
    recipe = led({"blue": {"bright": 1, "hue": 30}, "red": {"strength": 300}})
    peak = Pipeline(RGB).get("brightest", recipe)
    assert peak >= Pipeline(np.clip(RGB, 0, 1)).prepared(recipe).max() - 1e-4
