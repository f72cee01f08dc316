"""What is found in a photograph that should be cleaned."""

import numpy as np
import pytest
from samples import codes, linear_of

from oatmeal.core import prepare
from oatmeal.core.colour import decode_srgb
from oatmeal.core.noise import Noise
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.recipe import REST, Spot, from_document
from oatmeal.core.recipe.paths import path
from oatmeal.library.errors import Invalid
from oatmeal.rendering.cleaning import Cleaning

RGB = linear_of(codes(300, 420, 16))


def cleaning(rgb, noise=None):
    picture = ArrayPicture(rgb)
    return Cleaning(picture, lambda: picture, lambda: noise or picture.noise())


def a_spot(x, y, radius=10):
    return Spot(path=path([(x / 420, y / 420)]), radius=radius / 420)


def test_a_source_stays_in_the_frame_as_long_as_there_is_room():
    frame = {"ratio": "1:3", "size": 60, "centre": [0.3, 0.5]}
    recipe = from_document({"prepare": {"frame": frame}})
    layout = prepare.geometry(recipe).on(420, 300)
    left, _ = layout.taken(np.array([[0.0, 0.5]]))[0] * 420
    right, _ = layout.taken(np.array([[1.0, 0.5]]))[0] * 420
    assert right - left < 80
    # what matches best lies beside the frame: the pattern comes again every 60 px across
    pattern = decode_srgb(0.3 + 0.3 * np.random.default_rng(2).random((300, 60, 3)))
    repeated = np.tile(pattern, (1, 7, 1))[:, :420].astype(np.float32)
    free, _ = cleaning(repeated).heal(REST, a_spot(126, 150, 9), None)
    assert abs(420 * free) == pytest.approx(60, abs=0.5)
    x, _ = cleaning(repeated).heal(recipe, a_spot(126, 150, 9), None)
    assert left + 9 <= 126 + 420 * x <= right - 9
    tight = from_document({"prepare": {"frame": frame | {"size": 10}}})
    assert cleaning(RGB).heal(tight, a_spot(126, 150, 6), None) != (0, 0)


def test_a_spot_is_healed_past_the_others_and_its_own_place_is_not_in_the_way():
    bad = RGB.copy()
    bad[143:157, 203:217] = 0.9
    other = {"path": path([(210 / 420, 150 / 420)]), "radius": 12 / 420, "source": [0.0, 0.2]}
    recipe = from_document({"prepare": {"spots": [other]}})
    # a place that holds the fault would match worse than one where it is painted over
    sick, cured = (cleaning(bad).heal(one, a_spot(180, 150, 8), None) for one in (REST, recipe))
    assert np.hypot(*sick) > 0
    assert np.hypot(*cured) > 0
    moved = cleaning(bad).heal(recipe, a_spot(210, 150, 12), 0)
    assert np.hypot(*moved) * 420 >= 24
    with pytest.raises(Invalid, match="no room beside this spot"):
        cleaning(RGB[:3, :3]).heal(REST, Spot(path="5000 5000", radius=0.03), None)


def test_specks_that_a_spot_covers_are_not_proposed_again():
    y, x = np.mgrid[:400, :600].astype(float)
    sky = np.full((400, 600, 3), (0.3, 0.4, 0.6))
    for across, down in ((150, 200), (420, 120)):
        far = np.hypot(x - across, y - down)
        sky *= 1 - 0.2 / (1 + np.exp(np.minimum((far - 8) / 1.6, 60)))[..., None]
    sky = (sky + np.random.default_rng(1).normal(0, 0.002, sky.shape)).astype(np.float32)
    told = cleaning(sky).specks(REST)
    assert len(told) == 2
    covered = {**told[0], "source": [0.1, 0.0]}
    recipe = from_document({"prepare": {"spots": [covered]}})
    assert cleaning(sky).specks(recipe) == told[1:]


def test_what_a_picture_needs_is_told_from_its_noise():
    assert cleaning(RGB, Noise((0.0,) * 3, (0.0,) * 3)).needed().light == 0
    assert cleaning(RGB, Noise((0.004,) * 3, (1e-5,) * 3)).needed().light > 50
