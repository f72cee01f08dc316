"""Set points: the scale reaches both ends, reflections may burn out."""

import cv2
import numpy as np
import pytest
from samples import DEMO

from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.picture import proxy
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Recipe, Tone
from oatmeal.core.seeing.points import find_points
from oatmeal.photofile.decode import decode


def flat_picture():
    """Codes 60 to 200 in soft noise, with a few tiny reflections of 255."""
    generator = np.random.default_rng(2)
    noise = cv2.GaussianBlur(generator.normal(0, 1, (300, 400)), (0, 0), 6)
    codes = 130 + np.clip(noise / noise.std() * 28, -70, 70)
    for _ in range(25):
        y, x = generator.integers(5, 295), generator.integers(5, 395)
        codes[y : y + 2, x : x + 2] = 255
    return np.repeat(decode_srgb(codes / 255)[..., None], 3, axis=2).astype(np.float32)


def with_levels(recipe, levels):
    return recipe.model_copy(update={"tone": recipe.tone.model_copy(update={"levels": levels})})


def test_points_of_a_flat_picture_ignore_reflections():
    work = Pipeline(flat_picture())
    levels = find_points(work, REST)
    assert 60 <= levels.black < 75
    assert 185 < levels.white <= 201
    assert levels.out_white == 250


@pytest.mark.parametrize(
    "tone",
    [Tone(), Tone(contrast=60.0), Tone(curve=((0.0, 0.07), (0.5, 0.5), (1.0, 0.99))),
     Tone(exposure=-0.3, shadows=40.0, clarity=30.0)],
)  # fmt: skip
def test_the_brightest_meaningful_tone_ends_at_two_percent_ink(tone):
    """Through exposure, local tone, contrast and curve (common practice, no source)."""
    recipe = Recipe(tone=tone)
    work = Pipeline(proxy(decode(DEMO / "valley-fog.jpg"), 1200))
    set_ = with_levels(recipe, find_points(work, recipe))
    codes = work.codes(set_)
    assert np.quantile(codes, 0.9993) == pytest.approx(250, abs=2)
    beyond = encode_srgb(np.clip(work.toned(recipe), 0, 1)) * 255 > set_.tone.levels.white
    assert beyond.mean() <= 0.003
    assert np.quantile(codes, 0.0007) <= codes.min() + 4


def test_a_larger_budget_brings_the_ends_closer():
    work = Pipeline(flat_picture())
    tight, loose = find_points(work, REST, 0.0), find_points(work, REST, 0.02)
    assert loose.black > tight.black + 3
    assert loose.white < tight.white - 3


def test_pictures_without_any_range_are_not_torn_apart():
    for level in (0.0, 0.2, 1.0):
        rgb = np.full((40, 60, 3), level, np.float32)
        levels = find_points(Pipeline(rgb), REST)
        assert levels.white - levels.black >= 16
