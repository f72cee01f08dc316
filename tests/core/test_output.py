"""Sharpening for output: crisper edges, no lines beside them, and the same in strips."""

import numpy as np
import pytest
from samples import codes

from oatmeal.core.finish import Printing, looks_around
from oatmeal.core.finish import sharpening as output
from oatmeal.core.finish.sharpening import sharpened
from oatmeal.core.media import MEDIA
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.recipe import from_document


def soft_edge():
    ramp = 0.2 + 0.6 / (1 + np.exp(-(np.arange(120) - 60.3) / 1.1))
    return np.tile(ramp, (50, 1)).astype(np.float32)


def grey(height, width):
    return codes(height, width)[..., 1].astype(np.float32) / 255


@pytest.mark.parametrize("medium", MEDIA)
def test_edges_become_steeper_without_lines_beside_them(medium):
    edge = soft_edge()
    sharp = sharpened(edge, medium, 100)
    assert np.diff(sharp[25]).max() > 1.02 * np.diff(edge[25]).max()
    assert sharp.min() >= edge.min()  # an unsharp mask alone would go beyond both
    assert sharp.max() <= edge.max()
    assert np.all(np.diff(sharp[25]) >= -1e-6)


def test_colour_is_sharpened_channel_by_channel():
    planes = np.stack([soft_edge(), 1 - soft_edge(), np.full((50, 120), 0.5, np.float32)], axis=-1)
    sharp = sharpened(planes, "glossy", 70)
    for channel in range(3):
        alone = sharpened(np.ascontiguousarray(planes[..., channel]), "glossy", 70)
        assert np.allclose(sharp[..., channel], alone, atol=1e-6)


def test_more_amount_is_more_and_none_is_nothing():
    edge = soft_edge()
    steps = [np.diff(sharpened(edge, "matte", amount)[25]).max() for amount in (25, 75)]
    assert steps[0] < steps[1]
    assert np.array_equal(sharpened(edge, "matte", 0), edge)
    flat = np.full((30, 40), 0.5, np.float32)
    assert np.allclose(sharpened(flat, "glossy", 100), flat, atol=1e-6)


def test_paper_goes_by_the_resolution_and_a_screen_does_not():
    plane = grey(80, 90)
    assert np.array_equal(sharpened(plane, "screen", 60, 72), sharpened(plane, "screen", 60, 600))
    assert MEDIA["matte"].radius_px(600) == 2 * MEDIA["matte"].radius_px(300)
    assert MEDIA["matte"].radius_px(300) > MEDIA["glossy"].radius_px(300)


def test_strips_leave_no_seams(monkeypatch):
    plane = grey(300, 70)
    whole = sharpened(plane, "matte", 80, 400)
    monkeypatch.setattr(output, "_STRIP_ROWS", 37)
    assert np.allclose(sharpened(plane, "matte", 80, 400), whole, atol=1e-6)


def test_a_medium_that_does_not_exist():
    with pytest.raises(KeyError):
        sharpened(soft_edge(), "linen")


@pytest.mark.parametrize("medium", MEDIA)
@pytest.mark.parametrize("rows", [1, 7, 64, 500])
def test_a_picture_printed_strip_by_strip_is_the_whole_to_the_bit(medium, rows):
    """Glow, falloff, sharpening for the medium, grain and what lies on the print."""
    plane = grey(150, 90)
    recipe = from_document(
        {
            "finish": {
                "glow": {"amount": 40}, "falloff": {"amount": -30},
                "burned": {"top": {"amount": -20}}, "grain": {"amount": 30},
                "dust": {"amount": 60}, "paper": {"amount": 40},
            }
        }
    )  # fmt: skip
    spreading = np.linspace(0, 0.2, 20 * 12).reshape(20, 12).astype(np.float32)

    def between(part):
        return sharpened(part, medium, 60, 300)

    asked = {"spreading": spreading}.get
    picture = ArrayPicture(np.zeros((150, 90, 3), np.float32), seed=5)
    colour = np.random.default_rng(2).random((150, 90, 3)).astype(np.float32)
    _, whole, bare = Printing(90, 150, picture, recipe, between, 0, asked).take(plane, colour)
    assert not np.array_equal(bare, colour)
    around = looks_around(medium, 300)
    printing = Printing(90, 150, picture, recipe, between, around, asked)
    found, kept, reached = np.empty_like(whole), np.empty_like(colour), 0
    for top in range(0, 150, rows):
        rows_ = slice(top, top + rows)
        first, part, through = printing.take(plane[rows_], colour[rows_])
        assert first == reached
        reached += len(part)
        assert reached == 150 or reached <= max(0, top + rows - around)
        found[first:reached], kept[first:reached] = part, through
    assert reached == 150
    assert np.array_equal(found, whole)
    assert np.array_equal(kept, bare)
