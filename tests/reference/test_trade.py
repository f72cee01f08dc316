"""Check values that the trade states (common practice, no published source)."""

import numpy as np
from samples import colours

from oatmeal.core import colour
from oatmeal.core.mix import base_grey
from oatmeal.core.recipe import Plain, Six

PURE = {
    "red": (1, 0, 0), "yellow": (1, 1, 0), "green": (0, 1, 0),
    "cyan": (0, 1, 1), "blue": (0, 0, 1), "magenta": (1, 0, 1),
}  # fmt: skip


def six_at_rest(rgb):
    return colour.encode_srgb(base_grey(rgb, Six(kind="six")))


def test_six_colours_at_rest_equal_luma():
    """30/89/59/70/11/41 equal 0.30 R' + 0.59 G' + 0.11 B' for every colour."""
    rgb = colours(20_000)
    expected = colour.encode_srgb(rgb) @ np.array([0.30, 0.59, 0.11])
    assert np.abs(six_at_rest(rgb) - expected).max() <= 1e-6


def test_each_pure_colour_gets_its_percentage():
    shares = {"red": 30, "yellow": 89, "green": 59, "cyan": 70, "blue": 11, "magenta": 41}
    for name, rgb in PURE.items():
        assert abs(six_at_rest(np.array([[rgb]], np.float32))[0, 0] * 100 - shares[name]) < 1e-4


def test_order_of_pure_colours_from_light_to_dark():
    """Perceived order: yellow, cyan, green, magenta, red, blue."""
    rgb = np.array([[PURE[name] for name in PURE]], np.float32)
    grey = base_grey(rgb, Plain(kind="plain"))[0]
    ordered = [list(PURE)[place] for place in np.argsort(-grey)]
    assert ordered == ["yellow", "cyan", "green", "magenta", "red", "blue"]


def test_desaturating_makes_all_pure_colours_the_same_grey():
    rgb = np.array([[PURE[name] for name in PURE]], np.float32)
    grey = colour.encode_srgb(base_grey(rgb, Plain(kind="plain", weighing="middle")))
    assert np.allclose(grey, 0.5, atol=1e-6)
