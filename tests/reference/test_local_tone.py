"""Clarity, light and veil: strong enough, without halos, noise or lost local contrast.

The limits are the project's own targets; the pictures are made here.
"""

import numpy as np
import pytest
from samples import DEMO
from scipy.ndimage import uniform_filter

from oatmeal.core import bands as bands_of
from oatmeal.core.bands import kernels as tonemaps
from oatmeal.core.colour import lightness
from oatmeal.core.picture import Window, proxy
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.recipe import REST, Levels, Recipe, Tone
from oatmeal.core.tone import fine_kernel, local
from oatmeal.photofile.decode import decode

HEIGHT, WIDTH = 500, 1600
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH]
NOISE = np.random.default_rng(5).normal(0, 1, (HEIGHT, WIDTH))
TEXTURE = 0.15 * np.sin(2 * np.pi * X / 50) * np.sin(2 * np.pi * Y / 50)


def toned(grey, **values):
    settings = Tone(**values)
    small = bands_of.small_light(grey)
    bands, ends = bands_of.find_bands(small, settings.character), bands_of.find_ends(small)
    window = Window(0, 0, grey.shape[1], grey.shape[0])
    wide, fine = bands_of.spread(bands, window, grey.shape), local.fine_band(grey, window)
    return local.apply(grey, settings, ends, wide, fine, window)


def of_stops(stops):
    return np.exp2(stops).astype(np.float32)


def spread(grey):
    """Standard deviation in stops, away from the border."""
    return float(np.std(np.log2(grey + 2.0**-12)[50:-50, 100:-100]))


@pytest.mark.parametrize(("clarity", "gain"), [(60, 1.6), (100, 2.0), (-60, 0.4)])
def test_clarity_strengthens_texture_as_much_as_it_says(clarity, gain):
    grey = of_stops(-2.3 + TEXTURE)
    changed = toned(grey, clarity=float(clarity))
    assert spread(changed) / spread(grey) == pytest.approx(gain, abs=0.12)


@pytest.mark.parametrize("stops", [1.0, 2.0, 3.5])
def test_clarity_leaves_no_halo_beside_an_edge(stops):
    """Overshoot at most 0.5 L* beside a clean step, 1.6 L* beside a textured one."""
    step = of_stops(np.where(X < WIDTH // 2, -1 - stops, -1.0))
    difference = lightness(toned(step, clarity=60.0)) - lightness(step)
    assert np.abs(difference[:, 100:-100]).max() <= 0.5
    textured = (step * np.exp2(TEXTURE * (X < WIDTH // 2))).astype(np.float32)
    difference = lightness(toned(textured, clarity=60.0)) - lightness(textured)
    assert np.abs(difference[:, WIDTH // 2 : -100]).max() <= 1.6


@pytest.mark.parametrize(
    ("height", "width", "radius"),
    [(1, 1, 3), (7, 1000, 2), (250, 31, 1), (201, 700, 8), (9, 6, 300)],
)
def test_the_fine_band_is_a_guided_filter_however_it_is_cut_up(height, width, radius):
    """He, Sun, Tang 2013, with SciPy's box means in double precision, edges going on."""
    grey = np.random.default_rng(radius).random((height, width), dtype=np.float32)
    light = np.log2(grey.astype(np.float64) + 2.0**-12)

    def mean(plane):
        return uniform_filter(plane, 2 * radius + 1, mode="nearest")

    variance = np.maximum(mean(light * light) - mean(light) ** 2, 0)
    slope = variance / (variance + 0.05)
    wanted = light - mean(slope) * light - mean(mean(light) * (1 - slope))
    assert fine_kernel.fine_band(grey, radius, 0.05) == pytest.approx(wanted, abs=3e-4)


def test_clarity_does_not_raise_fine_noise():
    grey = of_stops(-2.3 + 0.08 * NOISE)
    assert spread(toned(grey, clarity=60.0)) <= 1.10 * spread(grey)


def test_lifted_shadows_keep_their_local_contrast():
    """Flat noisy patches: the spread of stops grows by at most 10 % with shadows at 100."""
    for level in (-7.0, -5.5, -4.0):
        grey = of_stops(level + 0.1 * NOISE)
        lifted = toned(grey, shadows=100.0)
        assert spread(lifted) <= 1.10 * spread(grey)
        assert np.log2(lifted.mean() / grey.mean()) > 0.5
    textured = of_stops(-5.5 + TEXTURE)
    assert spread(toned(textured, shadows=100.0)) >= 0.85 * spread(textured)


def test_veil_is_removed_and_added():
    light = np.exp2(-3.5 + 1.5 * np.sin(X / 90.0) + TEXTURE)
    veiled = (0.15 + 0.85 * light).astype(np.float32)
    cleared = toned(veiled, veil=100.0)
    assert float(np.quantile(cleared, 0.005)) < 0.4 * float(np.quantile(veiled, 0.005))
    true_light = float(np.quantile(light, 0.99))
    assert float(np.quantile(cleared, 0.99)) == pytest.approx(true_light, rel=0.2)
    assert toned(veiled, veil=-50.0).min() > veiled.min()


def test_highlights_shadows_and_zones_move_their_part_alone():
    ramp = of_stops(np.linspace(-8, 0, WIDTH)[None] * np.ones((HEIGHT, 1)))
    middle = (slice(HEIGHT // 2, HEIGHT // 2 + 1), slice(None))
    star = lightness(ramp[middle])[0]

    def moved(**values):
        return np.log2(toned(ramp, **values)[middle] / ramp[middle])[0]

    assert np.abs(moved(shadows=80.0)[star > 72]).max() < 0.02
    assert moved(shadows=80.0)[star < 10].mean() > 1
    assert np.abs(moved(highlights=-80.0)[star < 58]).max() < 0.005
    assert moved(highlights=-80.0)[star > 92].mean() < -0.3
    assert np.abs(moved(depth=80.0)[star < 55]).max() < 0.005
    zones = [0.0] * 9
    for stops, reached in ((0.4, 0.4), (1.0, 0.7)):
        zones[4] = stops
        fifth = moved(zones=tuple(zones))
        assert fifth[np.argmin(np.abs(star - 50))] == pytest.approx(reached, abs=0.06)
        assert (np.diff(fifth + np.log2(ramp[middle][0])) > 0).all()  # tones stay in order
    assert (
        np.abs(moved(zones=(0.0,) * 4 + (0.4,) + (0.0,) * 4)[(star < 37) | (star > 63)]).max()
        < 0.06
    )
    sparkle = moved(sparkle=100.0)
    assert np.abs(sparkle[star > 62]).max() < 0.02
    for values in ({"shadows": 100.0}, {"highlights": -100.0}):
        assert (np.diff(toned(ramp, **values)[middle][0]) > -1e-6).all()  # light stays in order


def test_detail_strengthens_and_smooths_the_fine_band():
    grey = of_stops(-2.3 + 0.06 * np.sin(2 * np.pi * X / 4) * np.sin(2 * np.pi * Y / 4))
    assert spread(toned(grey, detail=100.0)) == pytest.approx(2.5 * spread(grey), rel=0.15)
    assert spread(toned(grey, detail=-100.0)) < 0.25 * spread(grey)
    coarse = of_stops(-2.3 + TEXTURE)
    assert spread(toned(coarse, detail=100.0)) == pytest.approx(spread(coarse), rel=0.12)


def test_rest_is_bit_identical_and_the_kernel_equals_numpy():
    grey = of_stops(-3 + TEXTURE + 0.3 * NOISE)
    recipe = Recipe(tone=Tone(contrast=20.0))
    rgb = np.repeat(grey[..., None], 3, axis=2)
    zeroed = recipe.model_copy(update={"tone": recipe.tone.model_copy(update={"clarity": 0.0})})
    assert np.array_equal(Pipeline(rgb).codes(recipe), Pipeline(rgb).codes(zeroed))
    assert np.abs(tonemaps.log_light(grey) - np.log2(grey + 2.0**-12)).max() < 2e-6
    unmoved = toned(grey, shadows=1e-9)
    assert np.abs(unmoved / grey - 1).max() < 2e-5


STRONG = Recipe(
    tone=Tone(
        clarity=60.0, shadows=50.0, highlights=-60.0, veil=30.0, detail=30.0, sparkle=20.0,
        depth=20.0, contrast=40.0, levels=Levels(black=8.0, white=245.0),
    )
)  # fmt: skip


@pytest.mark.parametrize("name", sorted(path.name for path in DEMO.glob("*.jpg")))
def test_proxy_region_and_export_agree(name):
    """A proxy within 2 codes (mean) of the reduced export; a region within 1 of the whole."""
    picture = decode(DEMO / name)
    export = render(picture, STRONG).astype(int)
    x, y, width, height = 700, 500, 300, 200
    whole = Pipeline(proxy(picture, WHOLE_SIDE))
    part = Region(picture, (x, y, width, height), STRONG, whole).codes(STRONG).astype(int)
    assert np.abs(part - export[y : y + height, x : x + width]).max() <= 1
    reduced = render(picture, STRONG, long_side=800).astype(int)
    small = Pipeline(proxy(picture, 800)).codes(STRONG).astype(int)
    assert np.abs(small - reduced).mean() <= 2


def test_no_halo_beside_masts_and_horizons_of_the_demo():
    """Sky beside the chimney: no bright rim at clarity 60."""
    picture = decode(DEMO / "straight-up.jpg")
    plain = render(picture, REST).astype(float)
    clear = render(picture, Recipe(tone=Tone(clarity=60.0))).astype(float)
    sky = (plain > 60) & (plain < 110)
    moved = (clear - plain)[:700][sky[:700]]
    assert np.quantile(np.abs(moved), 0.99) < 14
    assert abs(np.median(moved)) < 2
