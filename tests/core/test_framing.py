"""A picture seen through a geometry is another picture, with a size of its own."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from samples import codes, linear_of

from oatmeal.core import prepare
from oatmeal.core.colour import decode_srgb
from oatmeal.core.picture import ArrayPicture, Window, framed, proxy
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, opacity, render
from oatmeal.core.recipe import REST, from_document, read
from oatmeal.photofile.decode import SourcePicture

RGB = linear_of(codes(150, 230, 16))
ALPHA = codes(150, 230)[..., 0]
PICTURE = ArrayPicture(RGB, ALPHA)
RECIPE = read(
    '{"mix": {"base": {"kind": "six", "blue": -40}, "lifts": {"red": 1.5, "blue": -2}},'
    ' "tone": {"contrast": 40, "clarity": 50, "detail": 30, "shadows": 30}}'
)


TURNS = ["none", "right", "over", "left"]


def framing(lens=None, **frame):
    return from_document({"prepare": {"frame": frame, "lens": lens or {}}})


def seen(picture=PICTURE, lens=None, **frame):
    return framed(picture, prepare.geometry(framing(lens, **frame)))


def whole(view):
    return view.linear(0, 0, view.width, view.height)


def test_as_taken_is_the_picture_itself():
    assert framed(PICTURE, prepare.AS_TAKEN) is PICTURE
    assert seen(size=100, plumb=[[[0, 0], [0, 1]]], free=True, tip=9, uprights=0) is PICTURE


@settings(deadline=None)
@given(
    st.integers(0, 3), st.booleans(), st.integers(0, 149), st.integers(0, 149), st.integers(1, 90)
)
def test_any_part_of_a_turned_picture_is_that_part_of_the_turned_array(
    quarters, mirrored, x, y, side
):
    view = seen(turned=TURNS[quarters], mirrored=mirrored)
    way = slice(None, None, -1 if mirrored else 1)
    turned = np.rot90(RGB, -quarters)[:, way]
    assert (view.height, view.width) == turned.shape[:2]
    width, height = min(side, view.width - x), min(side + 3, view.height - y)
    assert np.array_equal(view.linear(x, y, width, height), turned[y : y + height, x : x + width])
    assert np.array_equal(view.alpha, np.rot90(ALPHA, -quarters)[:, way])


@pytest.mark.parametrize("quarters", [1, 2, 3])
def test_everything_rendered_is_that_of_the_turned_file(quarters):
    """Files, their opacity, the colour beside them, proxies and regions."""
    turned = ArrayPicture(
        np.ascontiguousarray(np.rot90(RGB, -quarters)), np.rot90(ALPHA, -quarters)
    )
    expected = [
        render(turned, RECIPE), render(turned, RECIPE, long_side=90), opacity(turned, RECIPE, 90),
        render(turned, RECIPE, colour=True), proxy(turned, 100),
    ]  # fmt: skip
    frame = framing(turned=TURNS[quarters]).prepare
    recipe = RECIPE.model_copy(update={"prepare": frame})
    view = seen(turned=TURNS[quarters])
    found = [
        render(PICTURE, recipe), render(PICTURE, recipe, long_side=90),
        opacity(PICTURE, recipe, 90), render(PICTURE, recipe, colour=True), proxy(view, 100),
    ]  # fmt: skip
    for one, other in zip(found, expected, strict=True):
        assert np.array_equal(one, other)
    small = Pipeline(proxy(view, WHOLE_SIDE))
    part = Region(view, (10, 20, 60, 50), RECIPE, small).codes(RECIPE).astype(int)
    assert np.abs(part - expected[0][20:70, 10:70]).max() <= 1


def test_the_colour_beside_a_file_is_dithered_from_finer_light_and_keeps_what_are_codes():
    slow = np.repeat(np.linspace(0.2, 0.21, 300, dtype=np.float32)[None, :, None], 700, 0)
    light = ArrayPicture(np.repeat(decode_srgb(slow).astype(np.float32), 3, axis=2))
    found = render(light, REST, colour=True).astype(float)
    assert np.abs(found.mean(axis=(0, 2)) / 255 - slow[0, :, 0]).max() < 0.1 / 255
    codes = np.arange(256, dtype=np.uint8).reshape(16, 16)
    exact = np.repeat(codes[..., None], 3, axis=2)
    same = ArrayPicture(linear_of(exact))
    assert np.array_equal(render(same, REST, colour=True), exact)


@pytest.mark.parametrize("turned", TURNS)
@pytest.mark.parametrize("mirrored", [False, True])
def test_a_turned_and_cropped_file_is_read_as_it_holds_its_pixels(turned, mirrored):
    file = SourcePicture(codes(60, 90), decode_srgb(np.arange(256) / 255).astype(np.float32))
    view = seen(file, turned=turned, mirrored=mirrored, size=70.0, centre=[0.3, 0.6])
    part = (5, 7, view.width - 9, view.height - 12)
    assert view.coded(*part).codes.dtype == np.uint8
    assert np.array_equal(view.coded(*part).linear, view.linear(*part))
    assert seen(file, angle=2.0, turned=turned).coded(*part) is None


@settings(deadline=None, max_examples=40)
@given(
    st.sampled_from(TURNS), st.booleans(), st.sampled_from(["taken", "1:1", "4:5", "16:9", "1:3"]),
    st.floats(5, 100), st.tuples(st.floats(0, 1), st.floats(0, 1)),
)  # fmt: skip
def test_a_crop_alone_takes_the_file_s_own_pixels(turned, mirrored, ratio, size, centre):
    view = seen(turned=turned, mirrored=mirrored, ratio=ratio, size=size, centre=list(centre))
    whole_turned = np.rot90(RGB, -TURNS.index(turned))[:, :: -1 if mirrored else 1]
    found = whole(view)
    places = np.argwhere((whole_turned == found[0, 0]).all(axis=2))
    assert any(
        np.array_equal(whole_turned[y : y + view.height, x : x + view.width], found)
        for y, x in places
    )


FRAMES = st.fixed_dictionaries(
    {
        "turned": st.sampled_from(TURNS), "mirrored": st.booleans(),
        "angle": st.floats(-45, 45), "tip": st.floats(-25, 25), "swing": st.floats(-25, 25),
        "uprights": st.floats(0, 100), "focal": st.floats(24, 200),
        "ratio": st.sampled_from(["taken", "1:1", "4:5", "16:9", "1:3"]),
        "centre": st.tuples(st.floats(0, 1), st.floats(0, 1)).map(list),
        "size": st.floats(5, 100),
    }
)  # fmt: skip
LENSES = st.fixed_dictionaries({"bend": st.floats(-8, 12), "red": st.sampled_from([0, 0.3])})


#: A side that the lens bends inward, innermost between two of the places that it is told by.
BETWEEN = {
    "turned": "none", "mirrored": False, "angle": 5.0, "tip": -15.0, "swing": 16.0,
    "uprights": 76.0, "focal": 24.0, "ratio": "1:1", "centre": [0.0, 0.0], "size": 67.0,
}  # fmt: skip


@example(BETWEEN, {"bend": -2.0, "red": 0})
@settings(deadline=None, max_examples=150)
@given(FRAMES, LENSES)
def test_places_come_back_and_no_corner_is_empty(frame, lens):
    """Whatever is set: the frame's border lies inside the picture, to a hundredth of a pixel."""
    laid = prepare.geometry(framing(lens, **frame)).on(3000, 2000)
    places = np.random.default_rng(1).random((40, 2))
    assert np.abs(laid.taken(laid.framed(places)) - places).max() < 1e-7
    t = np.linspace(0, 1, 65)
    o = np.zeros(65)
    border = np.concatenate(
        [np.stack(pair, 1) for pair in ((t, o), (t, o + 1), (o, t), (o + 1, t))]
    )
    there = laid.taken(border) * (3000, 2000)
    assert there.min() > -0.01
    assert (there < np.array([3000, 2000]) + 0.01).all()


@pytest.mark.parametrize(
    ("frame", "lens"),
    [
        ({"angle": 3}, {}), ({"angle": 45, "ratio": "1:1"}, {}),
        ({"tip": 15, "swing": -9, "angle": 2, "turned": "right", "mirrored": True}, {}),
        ({"angle": -4}, {"bend": -6, "falloff": 1.2}), ({"tip": 8}, {"red": 0.3, "blue": -0.2}),
        ({"angle": 20, "inside": False, "size": 130}, {}),
    ],
)  # fmt: skip
def test_a_part_of_any_frame_is_that_part_of_the_whole(frame, lens, monkeypatch):
    """Bit for bit, across the squares that it is made in."""
    monkeypatch.setattr("oatmeal.core.prepare.frame.TILE", 200)
    big = ArrayPicture(linear_of(codes(700, 1100, 16)))
    view = seen(big, lens, **frame)
    found = whole(view)
    for x, y in ((0, 0), (130, 77), (view.width - 150, view.height - 120)):
        assert np.array_equal(view.linear(x, y, 150, 120), found[y : y + 120, x : x + 150])


def test_falloff_is_given_back_by_stops_at_the_corner():
    flat = ArrayPicture(np.full((400, 600, 3), 0.2, dtype=np.float32))
    light = whole(seen(flat, {"falloff": 1.5}))[..., 0]
    assert light[200, 300] == pytest.approx(0.2, rel=1e-4)
    assert light[0, 0] == pytest.approx(0.2 * 2**1.5, rel=0.01)
    square = (150**2 + 100**2) / (300**2 + 200**2)
    assert light[100, 150] == pytest.approx(0.2 * 2 ** (1.5 * square), rel=0.01)


def test_empty_corners_are_white_and_transparent_where_the_file_is():
    dark = ArrayPicture(
        np.zeros((200, 300, 3), dtype=np.float32), np.full((200, 300), 255, np.uint8)
    )
    view = seen(dark, angle=20, inside=False, size=150)
    found = whole(view)
    assert found[0, 0, 0] == 1.0
    assert found[view.height // 2, view.width // 2, 0] == 0.0
    assert view.alpha[0, 0] == 0
    assert view.alpha[view.height // 2, view.width // 2] == 255


def test_fringes_come_together():
    """Red drawn 0.3 % larger than green about the middle, as a lens does, and set right."""
    y, x = np.mgrid[0:600, 0:900].astype(float)

    def rings(scale):
        radius = np.hypot((x - 449.5) / scale, (y - 299.5) / scale)
        return (0.5 + 0.4 * np.sin(radius / 6)).astype(np.float32)

    fringed = ArrayPicture(np.stack([rings(1.003), rings(1), rings(0.998)], axis=2))
    found = whole(seen(fringed, {"red": 0.3, "blue": -0.2}))
    assert np.abs(fringed.rgb_linear[..., 0] - fringed.rgb_linear[..., 1]).max() > 0.09
    inner = found[20:-20, 20:-20]
    assert np.abs(inner[..., 0] - inner[..., 1]).max() < 0.01
    assert np.abs(inner[..., 2] - inner[..., 1]).max() < 0.01


def test_colours_read_apart_are_those_read_together():
    """Two loops, one meaning: fringes of nothing change nothing."""
    together = whole(seen(angle=7, tip=5))
    apart = whole(seen(lens={"red": 1e-9}, angle=7, tip=5))
    assert np.abs(together - apart).max() < 2e-6


def test_a_reduced_copy_shows_the_same_part():
    """A frame on a copy of half the size against the frame of the file, reduced."""
    y, x = np.mgrid[0:801, 0:1203]
    soft = 0.4 + 0.3 * np.sin(x / 41)[..., None] * np.cos(y / 37)[..., None]
    file = ArrayPicture(np.repeat(soft, 3, axis=2).astype(np.float32))
    copy = ArrayPicture(proxy(file, 602))
    for frame in ({"ratio": "1:1", "size": 61}, {"angle": 7, "tip": 6, "size": 83}):
        geometry = prepare.geometry(framing(**frame))
        large = proxy(framed(file, geometry), 200)
        small = proxy(framed(copy, geometry, (1203, 801)), 200)
        assert large.shape == small.shape
        assert np.abs(large - small).mean() < 0.002


@pytest.mark.parametrize("size", [50, 25])
def test_a_crop_changes_no_look(size):
    """Clarity raises a wave as much in a crop as in the whole: its reach is of the uncropped."""
    y, x = np.mgrid[0:900, 0:1200]
    wave = 2.0 ** (0.35 * np.sin(2 * np.pi * x / 80) * np.sin(2 * np.pi * y / 80) - 2.2)
    big = ArrayPicture(np.repeat(wave[..., None], 3, axis=2).astype(np.float32))
    recipe = read('{"tone": {"clarity": 80}}')
    crop = framing(ratio="4:3", size=size)
    cut = render(big, recipe.model_copy(update={"prepare": crop.prepare}), np.uint16)
    height, width = cut.shape
    top, left = (900 - height) // 2, (1200 - width) // 2
    same = render(big, recipe, np.uint16)[top : top + height, left : left + width]
    inner = np.s_[40:-40, 40:-40]
    assert cut[inner].std() == pytest.approx(same[inner].std(), rel=0.04)


@pytest.mark.parametrize("bend", [-8, -3, 3, 10])
@pytest.mark.parametrize("frame", [{}, {"ratio": "1:1"}])
def test_the_largest_frame_touches_the_picture_s_edge(bend, frame):
    """Whichever way the lens bent the sides: no more is cut away than must be.

    A turned frame gives away a little where sides bend inward, see ``crop.outline``.
    """
    laid = prepare.geometry(framing({"bend": bend}, **frame)).on(3000, 2000)
    t = np.linspace(0, 1, 301)
    o = np.zeros(301)
    sides = ((t, o), (t, o + 1), (o, t), (o + 1, t))
    there = laid.taken(np.concatenate([np.stack(side, 1) for side in sides])) * (3000, 2000)
    to_edge = np.minimum(there, np.array([3000, 2000]) - there).min(axis=1)
    assert -0.01 < to_edge.min() < 2.5


@settings(deadline=None, max_examples=80)
@given(FRAMES, st.booleans(), st.floats(2, 200))
def test_no_frame_has_many_more_pixels_than_its_file(frame, inside, size):
    laid = prepare.geometry(framing(None, **frame | {"inside": inside, "size": size})).on(
        3000, 2000
    )
    assert laid.width * laid.height <= 1.51 * 3000 * 2000
    assert laid.width / laid.height == pytest.approx(
        laid._sides[0] / laid._sides[1], rel=0.05, abs=0.6
    )


def test_a_frame_that_became_coarser_keeps_the_look():
    """Neighbourhoods are measured in the frame's own pixels."""
    wide = {"tip": 30, "swing": 10, "focal": 18, "inside": False, "size": 200}
    view = seen(ArrayPicture(np.zeros((400, 600, 3), np.float32)), **wide)
    assert view.layout.scale < 0.9
    whole = Window(0, 0, view.width, view.height, view.layout)
    assert whole.long_side == pytest.approx(600 * view.layout.scale, rel=0.002)
