"""Sharpness: edges steeper, without lines beside them and without stairs."""

import cv2
import numpy as np
import pytest
from printed import HIGH, WIDE, finish, star
from scipy.special import erf

from oatmeal.core.colour import (
    decode_srgb,
    luminance_of_lightness,
)
from oatmeal.core.finish import (
    sharpness,
)
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe.finish import Sharpness


def edge(deviation):
    """An upright edge from L* 30 to 70, blurred, linear colour; and its lightness."""
    x = np.arange(400) - 199.2
    light = 50 + 20 * erf(x / deviation / np.sqrt(2))
    row = luminance_of_lightness(light).astype(np.float32)
    return np.repeat(np.tile(row, (60, 1))[..., None], 3, axis=2), light


@pytest.mark.parametrize(("deviation", "radius"), [(0.7, 1.0), (1.2, 1.5)])
def test_sharpness_makes_edges_steeper_and_draws_no_line_beside_them(deviation, radius):
    rgb, light = edge(deviation)
    wanted = finish(sharpness={"amount": 40, "radius": radius, "detail": 0, "edges": 0})
    sharp = star(Pipeline(rgb).encoded(wanted)[30])
    steeper = np.abs(np.diff(sharp)).max() / np.abs(np.diff(light)).max()
    assert steeper > 1.3
    assert sharp.max() - light.max() <= 0.1
    assert light.min() - sharp.min() <= 0.1
    # the same steepness by plain unsharp masking goes 3 L* and more beyond
    over = light + (steeper - 1) * 4 * (light - np.convolve(light, np.ones(7) / 7, "same"))
    assert over[50:350].max() - light.max() > 1


def test_sharpness_leaves_flat_noise_alone_and_shows_where_it_acts():
    draws = np.random.default_rng(2).normal(0.5, 0.01, (HIGH, WIDE))
    rgb = np.repeat(decode_srgb(draws)[..., None], 3, axis=2).astype(np.float32)
    rgb[:, 200:] *= 3
    work = Pipeline(rgb)
    before = work.encoded(finish())
    sharp = work.encoded(finish(sharpness={"amount": 100, "detail": 100, "edges": 30}))
    assert np.std(sharp[:, :150]) == pytest.approx(np.std(before[:, :150]), rel=0.03)
    mask = work.get("edge_mask", finish(sharpness={"amount": 100, "edges": 30}))
    assert mask[:, :150].max() < 0.1
    assert mask[20:220, 199:201].min() > 0.9


def test_sharpness_is_of_the_file_and_too_fine_for_a_small_copy():
    rgb, _ = edge(1.2)
    small = Pipeline(ArrayPicture(rgb, scale=0.3))
    assert np.array_equal(small.encoded(finish(sharpness={"amount": 80})), small.encoded(finish()))


def slanted(angle, blur, side=200, fine=8):
    """An edge of an angle to the upright in degrees, as a lens and a sensor draw it."""
    y, x = np.mgrid[0 : side * fine, 0 : side * fine].astype(np.float32)
    over = (x - side * fine / 2) - (y - side * fine / 2) * np.tan(np.radians(angle))
    drawn = cv2.GaussianBlur(np.where(over > 0, 0.75, 0.25).astype(np.float32), (0, 0), blur * fine)
    return cv2.resize(drawn, (side, side), interpolation=cv2.INTER_AREA)


def off_its_line(plane):
    """How far an edge strays from a straight line, rms in pixels (as ISO 12233 finds it)."""
    places = []
    for row in plane[40:-40]:
        rising = np.nonzero((row[:-1] < 0.5) & (row[1:] >= 0.5))[0]
        at = rising[np.argmin(np.abs(rising - len(row) / 2))]
        places.append(at + (0.5 - row[at]) / (row[at + 1] - row[at]))
    rows = np.arange(len(places))
    return (places - np.polyval(np.polyfit(rows, places, 1), rows)).std()


@pytest.mark.parametrize("radius", [1.0, 2.0, 3.0])
@pytest.mark.parametrize(("angle", "blur"), [(3, 0.4), (11, 0.6), (33, 0.9)])
def test_slanted_edges_stay_smooth_however_sharp(angle, blur, radius):
    edge = slanted(angle, blur)
    for edges in (25.0, 90.0):
        settings = Sharpness(amount=100, radius=radius, edges=edges)
        sharp = sharpness.sharper(edge, settings, radius, sharpness.edge_mask(edge, radius, edges))
        assert off_its_line(sharp) - off_its_line(edge) <= 0.125
