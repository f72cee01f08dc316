"""Glow: from what is bright, as a preview and as an export."""

import numpy as np
import pytest
from printed import finish, flat
from samples import DEMO

from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    luminance_of_lightness,
)
from oatmeal.core.finish import (
    glow,
)
from oatmeal.core.picture import proxy
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.photofile.decode import decode


def test_glow_spreads_from_what_is_bright_and_from_nothing_else():
    rgb = flat(0.2)
    rgb[110:130, 170:190] = 0.9
    before = Pipeline(rgb).encoded(finish())
    glowing = Pipeline(rgb).encoded(finish(glow={"amount": 80, "reach": 20}))
    gained = decode_srgb(glowing.astype(float)) - decode_srgb(before.astype(float))
    assert gained.min() > -1e-6  # nothing becomes darker
    assert glowing.max() <= 1
    near, farther, far = gained[120, 195], gained[120, 215], gained[10, 10]
    assert near > 2 * farther > 4 * far
    assert far < 0.001
    half = Pipeline(rgb).encoded(finish(glow={"amount": 40, "reach": 20}))
    halved = decode_srgb(half.astype(float)) - decode_srgb(before.astype(float))
    assert halved[120, 195] == pytest.approx(near / 2, rel=0.01)
    dull = flat(0.4)  # L* 43 is below where glow begins
    still = Pipeline(dull).encoded(finish(glow={"amount": 100}))
    assert np.abs(still - Pipeline(dull).encoded(finish())).max() < 1e-6


def test_glow_begins_below_its_threshold_and_is_whole_above_it():
    """Softly, over 15 L* to either side: half of the light of the threshold's own tone spreads."""
    settings = finish(glow={"amount": 100, "threshold": 70}).finish.glow
    for tone, share in ((54, 0), (62, 0.138), (70, 0.5), (78, 0.862), (86, 1)):
        light = luminance_of_lightness(np.array(float(tone)))
        encoded = np.full((60, 80), encode_srgb(light), np.float32)
        spreads = glow.spread(encoded, settings)
        assert spreads == pytest.approx(share * light, abs=0.002)


def test_glow_of_a_proxy_is_that_of_the_reduced_export():
    source = decode(DEMO / "first-lift.jpg")
    wanted = finish(glow={"amount": 70, "reach": 12, "threshold": 60})
    exported = render(source, wanted, np.float32, 600)
    small = Pipeline(proxy(source, 600)).encoded(wanted)
    assert np.abs(exported - small).mean() < 2 / 255
    plain = Pipeline(proxy(source, 600)).encoded(finish())
    assert np.abs(small - plain).mean() > 4 / 255
