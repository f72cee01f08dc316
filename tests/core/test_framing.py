"""A picture seen through a geometry is another picture, with a size of its own."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import codes

from oatmeal.core import prepare
from oatmeal.core.colour import decode_srgb
from oatmeal.core.picture import AS_TAKEN, ArrayPicture, Turn, framed, proxy
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, opacity, render, render_colour
from oatmeal.core.recipe import REST, read

RGB = decode_srgb(codes(150, 230, 16) / 65535).astype(np.float32)
ALPHA = codes(150, 230)[..., 0]
PICTURE = ArrayPicture(RGB, 0.0, ALPHA)
RECIPE = read(
    '{"mix": {"base": {"kind": "six", "blue": -40}, "lifts": {"red": 1.5, "blue": -2}},'
    ' "tone": {"contrast": 40, "clarity": 50, "detail": 30, "shadows": 30}}'
)


def test_as_taken_is_the_picture_itself():
    assert framed(PICTURE, AS_TAKEN) is PICTURE


@settings(deadline=None)
@given(st.integers(0, 3), st.integers(0, 149), st.integers(0, 149), st.integers(1, 90))
def test_any_part_of_a_turned_picture_is_that_part_of_the_turned_array(quarters, x, y, side):
    view = framed(PICTURE, Turn(quarters))
    turned = np.rot90(RGB, -quarters)
    assert (view.height, view.width) == turned.shape[:2]
    width, height = min(side, view.width - x), min(side + 3, view.height - y)
    assert np.array_equal(view.linear(x, y, width, height), turned[y : y + height, x : x + width])
    assert np.array_equal(view.alpha, np.rot90(ALPHA, -quarters))


@pytest.mark.parametrize("quarters", [1, 2, 3])
def test_everything_rendered_is_that_of_the_turned_file(quarters, monkeypatch):
    """Files, their opacity, the colour beside them, proxies and regions."""
    turned = ArrayPicture(
        np.ascontiguousarray(np.rot90(RGB, -quarters)), 0.0, np.rot90(ALPHA, -quarters)
    )
    expected = [
        render(turned, RECIPE), render(turned, RECIPE, long_side=90), opacity(turned, RECIPE, 90),
        render_colour(turned, RECIPE), proxy(turned, 100),
    ]  # fmt: skip
    monkeypatch.setattr(prepare, "geometry", lambda recipe: Turn(quarters))
    view = framed(PICTURE, Turn(quarters))
    found = [
        render(PICTURE, RECIPE), render(PICTURE, RECIPE, long_side=90),
        opacity(PICTURE, RECIPE, 90), render_colour(PICTURE, RECIPE), proxy(view, 100),
    ]  # fmt: skip
    for one, other in zip(found, expected, strict=True):
        assert np.array_equal(one, other)
    whole = Pipeline(proxy(view, WHOLE_SIDE))
    part = Region(view, (10, 20, 60, 50), RECIPE, whole).codes(RECIPE).astype(int)
    assert np.abs(part - expected[0][20:70, 10:70]).max() <= 1


def test_the_colour_beside_a_file_is_dithered_from_finer_light_and_keeps_what_are_codes():
    slow = np.repeat(np.linspace(0.2, 0.21, 300, dtype=np.float32)[None, :, None], 700, 0)
    light = ArrayPicture(np.repeat(decode_srgb(slow).astype(np.float32), 3, axis=2))
    found = render_colour(light, REST).astype(float)
    assert np.abs(found.mean(axis=(0, 2)) / 255 - slow[0, :, 0]).max() < 0.1 / 255
    codes = np.arange(256, dtype=np.uint8).reshape(16, 16)
    exact = np.repeat(codes[..., None], 3, axis=2)
    same = ArrayPicture(decode_srgb(exact / 255).astype(np.float32))
    assert np.array_equal(render_colour(same, REST), exact)
