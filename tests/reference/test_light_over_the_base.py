"""Highlights, shadows, depth: they hold white, spread what is near it and turn no slope round.

The limits are the project's own targets. The pictures are made here, and scikit-learn's china.jpg
and scikit-image's rocket and coffee, which their packages carry.
"""

from functools import cache

import cv2
import numpy as np
import pytest
from skimage import data
from sklearn.datasets import load_sample_image

from oatmeal.core.bands import Ends, Moves, move_light
from oatmeal.core.bands.light import STOPS, WHITE_STOPS, light_rows, pressed, stops_of
from oatmeal.core.colour import decode_srgb, lightness
from oatmeal.core.colour.spaces import luminance_of_lightness
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, from_document

WIDTH = 1600
ALL = {"highlights": -100, "shadows": 100, "clarity": 100, "depth": 100, "sparkle": 100}


def step(x, low, high):
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def toned(rgb, **tone):
    """L* of a picture under settings of Tone, which may go beyond 100."""
    return lightness(Pipeline(rgb).toned(from_document({"tone": tone})))


def grey(star):
    light = luminance_of_lightness(star).astype(np.float32)
    return np.repeat(light[..., None], 3, axis=2)


@cache
def ramps():
    """Rises from one flat to another, 4 to 500 px wide."""
    across = np.arange(WIDTH, dtype=np.float64)
    return [
        grey(np.repeat((low + (high - low) * step(across, 800 - w / 2, 800 + w / 2)
                        + 3 * (across / WIDTH - 0.5))[None], 200, axis=0))
        for low, high in ((70, 92), (60, 97), (80, 96), (30, 88), (5, 30), (12, 60))
        for w in (4, 30, 90, 200, 500)
    ]  # fmt: skip


@pytest.mark.parametrize(
    "tone",
    [{"highlights": -100}, {"shadows": 100}, {"clarity": 60}, {"veil": -100}, {"depth": 100}, ALL,
     ALL | {"veil": 60, "exposure": 0.5}],
)  # fmt: skip
def test_smooth_slopes_are_not_turned_round(tone):
    """The largest run the wrong way along rising ramps, in L*."""
    for one in ramps():
        line = toned(one, **tone)[100]
        assert (np.maximum.accumulate(line) - line).max() <= 0.2


PHOTOGRAPHS = {
    "china": lambda: load_sample_image("china.jpg"),
    "coffee": data.coffee,
    "rocket": data.rocket,
}


@cache
def photograph(name):
    codes = PHOTOGRAPHS[name]()
    linear = decode_srgb(codes / 255.0).astype(np.float32)
    return np.ascontiguousarray(linear * (1 / np.quantile(linear.max(axis=2), 0.998)))


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_highlights_stay_light_and_leave_the_rest_alone(name):
    before, after = toned(photograph(name)), toned(photograph(name), highlights=-100)
    assert np.quantile(np.minimum(after, 100), 0.998) >= 90
    below = before < 58
    assert abs((after - before)[below].mean()) <= 0.2
    assert (after - before)[before > 75].mean() < -2
    deep = toned(photograph(name), depth=100)
    assert (deep > 99.9).mean() <= (before > 99.9).mean() + 1e-3
    assert (deep - before)[(before > 70) & (before < 90)].mean() < -2


def test_clarity_clips_no_more_than_was_white():
    """Thin bright wires before a sky, as bright as the picture's white."""
    star = np.full((500, 1600), 75.0)
    star[:, ::40] = star[:, 1::40] = 97
    star[:40], star[-40:] = 100, 2
    after = toned(grey(star), clarity=100)
    wires = after[100:400, 400:1200:40]
    assert wires.max() < 100
    assert wires.min() > 97


def clouds():
    """A sky with clouds of soft edges of many widths, up to L* 97, with texture in them."""
    y, x = np.mgrid[0:1067, 0:1600].astype(float)
    star, inside = 62 + 20 * y / 1067, np.zeros((1067, 1600))
    for cx, cy, radius, soft in ((250, 250, 150, 20), (700, 260, 170, 60), (1230, 280, 190, 150),
                                 (300, 780, 170, 300), (800, 800, 90, 100)):  # fmt: skip
        mask = 1 - step(np.hypot(x - cx, (y - cy) * 1.25), radius - soft / 2, radius + soft / 2)
        star = star + (96 - star) * mask
        inside = np.maximum(inside, mask)
    rough = cv2.GaussianBlur(np.random.default_rng(3).normal(0, 1, star.shape), (0, 0), 6)
    return grey(np.clip(star + 1.5 * rough / rough.std() * inside, 0, 100)), inside


def test_clouds_get_their_forms_and_no_rims():
    sky, inside = clouds()
    before, after = toned(sky), toned(sky, highlights=-100)
    fine = [one - cv2.GaussianBlur(one, (0, 0), 8) for one in (before, after)]
    middle = cv2.erode(inside, np.ones((41, 41))) > 0.99
    assert fine[1][middle].std() >= 1.2 * fine[0][middle].std()
    smooth = [cv2.GaussianBlur(one, (0, 0), 4) for one in (before, after)]
    slopes = [np.stack(np.gradient(one)) for one in smooth]
    length = np.hypot(*slopes[0])
    against = np.maximum(-(slopes[0] * slopes[1]).sum(axis=0) / np.maximum(length, 1e-6), 0)
    use = length > 0.015
    assert against[use].sum() <= 0.0005 * length[use].sum()


def test_grain_in_lights_grows_little_and_thin_bright_things_reach_white():
    star = np.full((500, 1600), 85.0)
    star[:, :200], star[:, 1400:] = 98, 3  # the picture's own white and black
    star[:, 200:1400] += np.random.default_rng(1).normal(0, 1.0, (500, 1200))
    star[300:304, 300:1300] = 97
    before, after = (toned(grey(star), highlights=value) for value in (0, -100))
    inside = (slice(50, 200), slice(400, 1200))
    assert after[inside].std() <= 1.2 * before[inside].std()
    assert np.median(after[302, 400:1200]) > 88


@pytest.mark.parametrize("stops", [1.0, 2.0, 3.5])
@pytest.mark.parametrize("tone", [{"clarity": 60}, {"highlights": -100}, {"shadows": 100}])
def test_beside_a_hard_edge_nothing_bends(stops, tone):
    line = np.where(np.arange(WIDTH) < 800, -1.0 - stops, -1.0)
    edge = np.exp2(np.repeat(line[None], 200, axis=0)).astype(np.float32)
    rgb = np.repeat(edge[..., None], 3, axis=2)
    moved = (toned(rgb, **tone) - toned(rgb))[100]
    for side, far in ((slice(100, 798), slice(100, 400)), (slice(802, -100), slice(-400, -100))):
        assert np.abs(moved[side] - np.median(moved[far])).max() <= 0.1


@pytest.mark.parametrize("exposure", [-1.0, 0.0, 1.5])
@pytest.mark.parametrize("white", [70.0, 92.0, 100.0, 130.0])
def test_all_moves_together_keep_tones_in_order(white, exposure):
    for highlights in (-100, -40, 60, 100):
        for shadows in (-100, 100):
            moves = Moves(highlights, shadows, 100, exposure)
            gain, more = move_light(moves, Ends(stops_of(2.0), stops_of(white)))
            assert np.diff(STOPS + gain).min() > -1e-9
            assert more.min() >= -0.65
            assert more.max() <= 0.5


def test_the_figures_of_highlights():
    """L* 70 to 98 of a picture whose white is 98, as they were drawn."""
    tones = np.array([58, 70, 80, 85, 90, 95, 98.0])
    stops = np.log2(luminance_of_lightness(tones))
    found = lightness(np.exp2(stops + pressed(stops, stops_of(98.0))))
    assert found == pytest.approx([58, 66, 71, 74, 79, 86, 91.6], abs=0.6)


def test_kept_curves_are_the_curves():
    highlights, _, _ = light_rows()
    whites = np.linspace(*WHITE_STOPS, highlights.shape[1])
    for row in (0, 20, 48):
        assert highlights[0, row] == pytest.approx(pressed(STOPS + whites[row], whites[row]))


def test_the_colour_picture_moves_as_the_grey_does_and_keeps_hue():
    rgb = photograph("china")
    light = {"highlights": -80, "shadows": 60}
    moved = Pipeline(rgb).prepared(from_document({"prepare": {"light": light}}))
    bright = rgb.min(axis=2) > 0.01
    gains = (moved / np.maximum(rgb, 1e-6))[bright]
    assert np.ptp(gains, axis=1).max() < 1e-4 * gains.max()
    plain = Pipeline(rgb).toned(REST)
    here = np.log2(Pipeline(moved).toned(REST)[bright] / plain[bright])
    there = Pipeline(rgb).toned(from_document({"tone": light}))[bright]
    there = np.log2(there / plain[bright])
    # both take the same steps; the bands of the one are found on light that was averaged first
    assert np.abs(here - there).mean() < 0.02
