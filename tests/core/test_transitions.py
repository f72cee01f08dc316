"""Edges between two colours that lifts part: no line stands round what is lifted."""

import cv2
import numpy as np
import pytest

from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.recipe import REST, from_document

FINE = 8
CLOTH, SKY, GRASS = ((205, 120, 60), (110, 160, 225), (60, 140, 60))


def linear(codes):
    return decode_srgb(np.array(codes) / 255).astype(np.float32)


def balloon(inside, outside, soft=0.0):
    """A disc before a ground, eight times as fine as it is taken; colour ``(H, W, 3)``."""
    y, x = np.mgrid[0 : 100 * FINE, 0 : 140 * FINE]
    there = (np.hypot(x - 70 * FINE, y - 50 * FINE) < 33 * FINE)[..., None]
    fine = np.where(there, linear(inside), linear(outside)).astype(np.float32)
    return cv2.GaussianBlur(fine, (0, 0), soft * FINE) if soft else fine


def taken(fine):
    return cv2.resize(fine, (140, 100), interpolation=cv2.INTER_AREA)


def lifted(guard="auto", **lifts):
    return from_document({"mix": {"lifts": lifts, "guard": guard}})


@pytest.mark.parametrize("soft", [0.0, 0.5, 0.9])
@pytest.mark.parametrize(
    ("inside", "outside", "lifts"),
    [(CLOTH, SKY, {"blue": -2}), (CLOTH, SKY, {"blue": -2, "orange": 1}),
     (CLOTH, GRASS, {"green": -1.5}), (SKY, GRASS, {"blue": -3})],
)  # fmt: skip
def test_edges_are_what_a_finer_picture_makes_of_them(inside, outside, lifts, soft):
    """The ideal: both sides lifted for themselves, and then mixed by the lens and the sensor."""
    fine = balloon(inside, outside)
    recipe = lifted(**lifts)
    sides = [
        Pipeline(linear(one).reshape(1, 1, 3)).mixed(recipe)[0, 0] for one in (inside, outside)
    ]
    there = np.isclose(fine[..., 0], linear(inside)[0])
    ideal = np.where(there, sides[0], sides[1]).astype(np.float32)
    if soft:
        ideal = cv2.GaussianBlur(ideal, (0, 0), soft * FINE)
    ideal = encode_srgb(cv2.resize(ideal, (140, 100), interpolation=cv2.INTER_AREA))
    rgb = taken(balloon(inside, outside, soft))
    off, held = (
        encode_srgb(np.minimum(Pipeline(rgb).mixed(lifted(guard, **lifts)), 1))
        for guard in (0, "auto")
    )
    before, after = (np.abs(one - ideal) for one in (off, held))
    assert after.mean() < before.mean()
    # a line is what is lighter than both sides
    over = [np.maximum(one - max(encode_srgb(side) for side in sides), 0) for one in (off, held)]
    assert over[1].max() < 6 / 255 or over[1].sum() < 0.35 * over[0].sum()


def test_what_has_a_colour_of_its_own_stays():
    """Red berries of a few pixels among leaves, and a flag's stripe."""
    rgb = np.full((60, 90, 3), linear(GRASS), np.float32)
    for y, x in ((20, 20), (40, 30), (30, 60)):
        rgb[y : y + 2, x : x + 2] = linear((200, 40, 40))
    rgb[:, 75:77] = linear((230, 200, 60))
    rgb = cv2.GaussianBlur(rgb, (0, 0), 0.4)
    recipe = {"red": 1.5, "green": -1}
    off, held = (Pipeline(rgb).mixed(lifted(guard, **recipe)) for guard in (0, "auto"))
    for y, x in ((20, 20), (40, 30), (30, 60)):
        inside = (slice(y, y + 2), slice(x, x + 2))
        assert held[inside] == pytest.approx(off[inside], rel=0.02)
    assert held[30, 75:77] == pytest.approx(off[30, 75:77], rel=0.02)


def test_small_lifts_and_light_alone_change_nothing():
    rgb = taken(balloon(CLOTH, SKY))
    for recipe in (REST, lifted(blue=-0.3), lifted(0, blue=-3)):
        work = Pipeline(rgb)
        assert work.mixed(recipe) is work.get("lifted", recipe)
        assert work.get("transitions", recipe) is None
    grey = np.repeat(rgb[..., 1:2], 3, axis=2)
    assert np.array_equal(
        Pipeline(grey).mixed(lifted(blue=-3)), Pipeline(grey).mixed(lifted(0, blue=-3))
    )


def test_a_part_is_that_part_and_a_file_that_picture():
    rgb, recipe = taken(balloon(CLOTH, SKY, 0.5)), lifted(blue=-2.5, orange=0.5)
    whole = Pipeline(rgb).codes(recipe, np.uint16)
    part = Region(ArrayPicture(rgb), (31, 11, 60, 50), recipe)
    assert np.array_equal(part.codes(recipe, np.uint16), whole[11:61, 31:91])
    written = render(ArrayPicture(rgb), recipe, np.uint16)
    assert np.abs(written.astype(int) - whole).max() <= 1


def test_a_sample_of_colours_and_a_tiny_picture_have_no_edges():
    recipe = lifted(blue=-3)
    rgb = taken(balloon(CLOTH, SKY))
    sample = Pipeline(ArrayPicture(rgb, scale=0.0))
    assert np.array_equal(sample.mixed(recipe), sample.get("lifted", recipe))
    for shape in ((1, 1), (2, 5), (4, 3)):
        assert Pipeline(rgb[: shape[0], : shape[1]]).mixed(recipe).shape == shape
