"""What stands where in the order of the work, and which tones each setting reaches."""

import numpy as np
import pytest

from oatmeal.core import mix, tone
from oatmeal.core.colour import encode_srgb, lightness, oklab_to_linear
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Levels, Mix, Picked, Recipe, Tone, from_document
from oatmeal.core.seeing.clusters import Clusters
from oatmeal.core.seeing.greymap import GreyMap, merging
from oatmeal.core.tone import curve

RAMP = np.linspace(0, 1, 501)


def test_levels_come_first_then_contrast_then_the_curve_then_the_limits():
    points = ((0.0, 0.1), (0.3, 0.2), (1.0, 0.9))
    settings = Tone(
        levels=Levels(black=20, middle=1.4, white=230, out_black=8, out_white=246),
        contrast=45, curve=points,
    )  # fmt: skip
    value = np.clip((RAMP * 255 - 20) / 210, 0, 1) ** (1 / 1.4)
    value = curve.evaluate(points, tone.apply_contrast(value, 45))
    expected = (8 + value * 238) / 255
    assert np.allclose(tone.transfer(RAMP, settings), expected, atol=1e-12)


def texture(settings, light):
    """How strong a fine wave on a flat tone is, beside what it was: 1 where it stays."""
    y, x = np.mgrid[0:240, 0:320]
    wave = 2.0 ** (0.12 * np.sin(2 * np.pi * x / 12) * np.sin(2 * np.pi * y / 12))
    rgb = np.repeat((light * wave)[..., None], 3, axis=2).astype(np.float32)
    inside = slice(60, 180), slice(80, 240)
    before = np.log2(Pipeline(rgb).toned(Recipe()))[inside].std()
    return np.log2(Pipeline(rgb).toned(Recipe(tone=settings)))[inside].std() / before


DARK, LIGHT = 0.012, 0.75  # L* of about 10 and 89


def test_sparkle_is_for_dark_tones_and_depth_for_light_ones():
    assert texture(Tone(sparkle=100), DARK) > 1.5
    assert texture(Tone(sparkle=100), LIGHT) == pytest.approx(1, abs=0.02)
    assert texture(Tone(depth=100), LIGHT) > 1.3
    assert texture(Tone(depth=100), DARK) == pytest.approx(1, abs=0.02)


def test_characters_of_clarity_reach_the_tones_they_name():
    """Deep acts most in the dark, soft on middle tones only, crisp on all alike."""
    gains = {
        character: [texture(Tone(clarity=60, character=character), y) for y in (DARK, 0.18, LIGHT)]
        for character in ("soft", "crisp", "deep")
    }
    assert gains["deep"][0] > gains["deep"][2] + 0.15
    assert gains["soft"][1] > max(gains["soft"][0], 1.3)
    assert max(gains["crisp"]) - min(gains["crisp"]) < 0.1


def test_shadows_and_highlights_reach_their_end_of_the_scale():
    """In a picture that has a black and a white besides."""
    for settings, moved, least in ((Tone(shadows=60), 0, 0.5), (Tone(highlights=-60), 1, 0.15)):
        rgb = np.zeros((40, 80, 3), np.float32)
        for column, light in enumerate((DARK, LIGHT, 1.0, 0.001)):
            rgb[:, 20 * column : 20 * column + 20] = light
        toned = Pipeline(rgb).toned(Recipe(tone=settings))
        stops = np.log2(toned / rgb[..., 0])[:, [10, 30]].mean(axis=0)
        assert abs(stops[moved]) > least
        assert abs(stops[1 - moved]) < 0.05


@pytest.mark.parametrize("base", ["plain", "channels", "six", "film"])
def test_no_grey_is_brighter_than_the_peak_that_is_held(base):
    """With lifts of ranges and of picked colours, which both can raise it."""
    generator = np.random.default_rng(6)
    rgb = (generator.random((40, 50, 3)) ** 0.4).astype(np.float32)
    settings = Mix.model_validate(
        {
            "base": {"kind": base},
            "lifts": {"red": 1.0},
            "picked": (Picked(colour="#ffffff", reach=0.3, lift=2.0),),
        }
    )
    grey = Pipeline(rgb).mixed(Recipe(mix=settings))
    assert grey.max() <= mix.peak(settings, float(rgb.max())) + 1e-6
    bare = settings.model_copy(update={"picked": ()})
    assert grey.max() > mix.peak(bare, float(rgb.max()))


def test_merging_pairs_are_told_worst_first():
    """The larger and the touching ones before the smaller and the distant ones."""
    hues = np.radians([20, 140, 250, 330])
    centres = np.stack([np.full(4, 0.6), 0.15 * np.cos(hues), 0.15 * np.sin(hues)], axis=-1)
    shares = np.array([0.4, 0.3, 0.2, 0.1])

    def told(contact, on_edges=(False,) * 4):
        clusters = Clusters(np.zeros(1, int), centres, shares, contact, np.array(on_edges))
        return merging(clusters, np.full(4, 50.0))

    found = told(np.zeros((4, 4)))
    weights = [one["shares"][0] * one["shares"][1] for one in found]
    assert len(found) == 6
    assert weights == sorted(weights, reverse=True)
    touching = np.zeros((4, 4))
    touching[2, 3] = touching[3, 2] = 1.0
    first = told(touching)[0]
    assert first["shares"] == [0.4, 0.3] or first["shares"] == [0.2, 0.1]
    assert found[0]["shares"] == [0.4, 0.3]
    left = told(touching, (False, True, False, False))  # one stands on edges alone
    assert sorted(one["shares"] for one in left) == [[0.2, 0.1], [0.4, 0.1], [0.4, 0.2]]


def test_a_trace_sees_what_the_whole_sample_saw():
    """It repeats the lift alone: base and colours come from the picture, not from single pixels."""
    lab = np.array([[0.6, 0.15, 0.05], [0.6, -0.12, 0.08], [0.5, 0.0, -0.14], [0.7, 0.0, 0.0]])
    patches = np.repeat(np.repeat(oklab_to_linear(lab)[None], 40, axis=0), 30, axis=1)
    work = GreyMap(patches.astype(np.float32))
    recipe = from_document({"prepare": {"exposure": -0.5}, "mix": {"lifts": {"blue": -1.0}}})
    heights = dict(work.trace(recipe, "blue"))
    figures = {one["name"]: one["now"] for one in work.figures(recipe)["ranges"]}
    assert heights[-1.0] == pytest.approx(figures["blue"], abs=0.3)
    lifted = from_document({"prepare": {"exposure": -0.5}, "mix": {"lifts": {"blue": 1.5}}})
    figures = {one["name"]: one["now"] for one in work.figures(lifted)["ranges"]}
    assert heights[1.5] == pytest.approx(figures["blue"], abs=0.3)
    assert float(lightness(0.5)) > 0
    assert encode_srgb(0.0) == 0
