"""The light of the colour picture: its colour, its ends, and what is found in the picture."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import DEMO, codes, linear_of

from oatmeal.core import colour
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.picture import ArrayPicture, proxy, reduced
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.prepare import white
from oatmeal.core.prepare.white import NoLight
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.seeing.begin import begin, find_light, neutral
from oatmeal.photofile.decode import decode

RGB = linear_of(codes(300, 410, 16))
FRAMES = ("bunting", "first-lift", "mugs-on-the-stall", "night-burner", "painted-wagon",
          "puppet-pilots", "straight-up", "valley-fog")  # fmt: skip


def lit(**light):
    return from_document({"prepare": {"light": light}})


def prepared(rgb, **light):
    return Pipeline(np.asarray(rgb, np.float32)).prepared(lit(**light))


@settings(deadline=None)
@given(st.floats(-95, 350), st.floats(-120, 120))
def test_what_was_grey_under_a_light_becomes_grey_and_is_found_again(warmth, tint):
    under = np.linalg.inv(colour.spaces.SRGB_TO_XYZ) @ white.light_xyz(warmth, tint)
    grey = white.adaptation(warmth, tint) @ under
    assert np.ptp(grey) < 1e-6
    found = white.light_of(under)
    assert found == pytest.approx((warmth, tint), abs=1e-6)


def test_at_rest_nothing_is_touched():
    work = Pipeline(RGB)
    assert work.prepared(REST) is work.source
    assert work.prepared(lit(warmth=0, tint=0, highlights=0)) is work.source
    off = from_document({"prepare": {"on": False, "light": {"warmth": 90, "shadows": 50}}})
    assert work.prepared(off) is work.source


def test_recipes_of_before_keep_their_exposure():
    before = from_document({"prepare": {"exposure": 0.7}})
    assert before == lit(exposure=0.7)
    assert before.document()["prepare"] == {"light": {"exposure": 0.7}}
    assert np.array_equal(prepared(RGB, exposure=0.7), RGB * np.float32(2**0.7))
    both = {"prepare": {"exposure": 0.7, "light": {"exposure": 0.2}}}
    with pytest.raises(ValueError, match="exposure"):
        from_document(both)


def test_the_direction_a_warm_light_is_taken_out_in():
    """A light warmer than daylight leaves a picture that is bluer without it (common practice)."""
    cooler = prepared(RGB, warmth=100).reshape(-1, 3).mean(axis=0)
    assert cooler[2] > RGB.reshape(-1, 3).mean(axis=0)[2] * 1.2
    less_green = prepared(RGB, tint=60).reshape(-1, 3).mean(axis=0)
    assert less_green[1] < RGB.reshape(-1, 3).mean(axis=0)[1]


def test_highlights_and_shadows_keep_hue_and_saturation():
    moved = prepared(RGB, highlights=-60, shadows=70)
    gain = moved / RGB
    assert np.ptp(gain, axis=2).max() < 1e-4  # the same factor on all three
    stops = np.log2(gain[..., 0])
    seen = RGB @ np.array(colour.LUMINANCE_WEIGHTS)
    assert stops[seen < 0.02].mean() > 0.25
    assert stops[(seen > 0.4) & (seen < 0.8)].mean() < -0.1
    assert np.abs(stops[(seen > 0.24) & (seen < 0.255)]).max() < 0.05  # L* 56 to 58
    assert stops.min() > -2
    assert stops.max() < 2


def test_a_part_equals_the_whole_and_a_proxy_the_reduced():
    recipe = from_document(
        {"prepare": {"light": {"warmth": 60, "tint": -20, "highlights": -70, "shadows": 80}},
         "mix": {"lifts": {"blue": -1.5, "red": 0.8}}, "tone": {"contrast": 20, "clarity": 30}}
    )  # fmt: skip
    picture = ArrayPicture(RGB)
    whole = render(picture, recipe, np.uint16)
    part = Region(picture, (100, 60, 90, 70), recipe, Pipeline(proxy(picture, WHOLE_SIDE)))
    codes_ = part.codes(recipe, np.uint16).astype(int)
    assert np.abs(codes_ - whole[60:130, 100:190]).max() <= 257
    small = (
        Pipeline(ArrayPicture(reduced(RGB, 205), scale=0.5)).codes(recipe, np.uint16).astype(float)
    )
    export = render(picture, recipe, np.uint16, long_side=205).astype(float)
    assert np.abs(small - export).mean() <= 2 * 257


def test_the_brightest_holds_what_can_come():
    top = np.ones((40, 40, 3), np.float32)
    top[:20] = np.eye(3, dtype=np.float32)[np.arange(40) % 3][None]
    for light in ({"warmth": 200}, {"tint": -150, "exposure": 1}, {"highlights": 100},
                  {"camera": [[0, 0], [0.5, 0.8], [1, 1]]}):  # fmt: skip
        recipe = from_document({"prepare": {"light": light}, "tone": {"hold_ends": True}})
        work = Pipeline(top)
        assert work.prepared(recipe).max() <= work.get("brightest", recipe) * 1.0001


def test_neutral_here_makes_the_place_grey():
    rgb = RGB.copy()
    rgb[100:120, 200:220] = (0.42, 0.35, 0.2)
    warmth, tint = neutral(rgb, 210 / 410, 110 / 300)
    patch = prepared(rgb, warmth=warmth, tint=tint)[110, 210]
    assert np.ptp(patch) / patch.mean() < 0.003
    assert warmth > 0  # the place looked warm


@pytest.mark.parametrize(
    ("colour_", "words"),
    [((0, 0, 0), "too little light"), ((1, 1, 1), "burnt out"), ((0.7, 0.01, 0.0), "colourful"),
     ((np.nan, 0.2, 0.2), "too little light")],
)  # fmt: skip
def test_places_that_cannot_be_grey_are_refused_with_a_sentence(colour_, words):
    rgb = np.full((60, 60, 3), colour_, np.float32)
    with pytest.raises(NoLight, match=words):
        neutral(rgb, 0.5, 0.5)


def frames():
    return {name: proxy(decode(DEMO / f"{name}.jpg"), 600) for name in FRAMES}


def mean_tone(rgb):
    seen = np.clip(np.asarray(rgb, np.float64) @ colour.LUMINANCE_WEIGHTS, 0, 1)
    return colour.lightness(seen).mean()


def test_begin_is_modest_on_pictures_as_they_were_made_and_the_night_stays():
    moved = {}
    for name, rgb in frames().items():
        found = begin(rgb, REST)
        light = found.light.model_dump()
        moved[name] = mean_tone(prepared(rgb, **light)) - mean_tone(rgb)
        assert found.words
        assert abs(light["exposure"]) <= 0.4, name
    assert moved["night-burner"] == 0
    assert np.mean(np.abs(list(moved.values()))) < 2.5
    assert "meant dark" in begin(frames()["night-burner"], REST).words


def test_begin_brings_back_most_of_a_wrong_exposure():
    before, after = [], []
    for name, rgb in frames().items():
        if name == "night-burner":
            continue
        for stops in (-1.2, 1.0):
            taken = np.rint(encode_srgb(np.clip(rgb * 2.0**stops, 0, 1)) * 255) / 255
            dark = decode_srgb(taken).astype(np.float32)
            fixed = prepared(dark, **begin(dark, REST).light.model_dump())
            before.append(abs(mean_tone(dark) - mean_tone(rgb)))
            after.append(abs(mean_tone(fixed) - mean_tone(rgb)))
    assert np.mean(after) < 0.55 * np.mean(before)


def test_begin_leaves_a_white_sky_white():
    """A third of the picture is paper white cloud: nothing in it could be held."""
    rgb = frames()["valley-fog"].copy()
    rgb[: rgb.shape[0] // 3] = 0.97
    found = begin(rgb, REST).light
    lit_sky = prepared(rgb, **found.model_dump())[: rgb.shape[0] // 3]
    exposed = prepared(rgb, exposure=found.exposure)[: rgb.shape[0] // 3]
    assert mean_tone(lit_sky) > mean_tone(exposed) - 2.5


def test_begin_leaves_the_colour_of_the_light():
    recipe = lit(warmth=40, tint=-10, exposure=3)
    light = begin(frames()["mugs-on-the-stall"], recipe).light
    assert (light.warmth, light.tint) == (40, -10)
    assert (
        light.exposure
        == begin(frames()["mugs-on-the-stall"], lit(warmth=40, tint=-10)).light.exposure
    )


def angle(one, other):
    both = one @ other / np.linalg.norm(one) / np.linalg.norm(other)
    return np.degrees(np.arccos(np.clip(both, -1, 1)))


def test_the_light_is_only_proposed_where_it_is_found():
    """The measures of the step: where it proposes, the error is halved, and seldom made worse."""
    before, after = [], []
    for rgb in frames().values():
        for light in ((40, 0), (-40, 0), (90, 0), (200, 0), (0, 30), (0, -30), (90, -20)):
            cast = np.linalg.inv(white.adaptation(*light))
            found = find_light(np.clip(rgb @ cast.T, 0, 1).astype(np.float32)).light
            if found is not None:
                grey = cast @ np.ones(3)
                before.append(angle(grey, np.ones(3)))
                after.append(angle(grey, np.linalg.inv(white.adaptation(*found)) @ np.ones(3)))
    before, after = np.array(before), np.array(after)
    assert len(after) >= 8
    assert np.median(after) <= np.median(before) / 2
    assert (after > before + 2).mean() <= 0.15


def test_a_picture_without_tones_has_no_light_to_find():
    for value in (0.0, 1.0):
        found = find_light(np.full((50, 60, 3), value, np.float32))
        assert found.light is None
        assert found.words.endswith(".")


@pytest.mark.parametrize("one", [(0.01, 0.7, 0.005), (0.5, 0.001, 0.6), (0.0, 0.02, 0.8)])
def test_a_picture_of_one_strong_colour_tells_no_light(one):
    """Two ways agree there, but no light is of such a colour; or it is within what can be set."""
    rgb = (np.linspace(0.2, 1, 60)[:, None, None] * np.array(one)).repeat(50, axis=1)
    found = find_light(rgb.astype(np.float32))
    if found.light is not None:
        assert -95 <= found.light[0] <= 350
        assert -200 <= found.light[1] <= 200
    assert found.words


def test_begin_says_the_truth_where_something_was_set_before():
    rgb = frames()
    night = lit(exposure=-1, highlights=-20)
    found = begin(rgb["night-burner"], night)
    assert found.light == night.prepare.light
    assert "stays as it is" in found.words
    upright = begin(rgb["straight-up"], lit(exposure=-1, shadows=20))
    assert upright.light == REST.prepare.light
    assert "back at rest" in upright.words
    assert "nothing was changed" in begin(rgb["straight-up"], REST).words


def test_the_camera_s_rendering_moves_tones_as_its_curve_says_and_keeps_hue():
    curve = [[0, 0], [0.25, 0.33], [0.5, 0.62], [0.75, 0.85], [1, 1]]
    grey = decode_srgb(np.linspace(0.05, 1, 20))[None, :, None].repeat(3, axis=2).astype(np.float32)
    found = encode_srgb(prepared(grey, camera=curve)[0, :, 1])
    from scipy.interpolate import PchipInterpolator

    meant = PchipInterpolator(*np.array(curve).T)(np.linspace(0.05, 1, 20))
    assert np.abs(found - meant).max() < 2e-3
    before, after = RGB.reshape(-1, 3), prepared(RGB, camera=curve).reshape(-1, 3)
    bright = before.min(axis=1) > 0.02
    shares = [one[bright] / one[bright].sum(axis=1, keepdims=True) for one in (before, after)]
    assert np.abs(shares[0] - shares[1]).max() < 1e-5
    with pytest.raises(ValueError, match="must rise"):
        lit(camera=[[0, 0], [0.5, 0.6], [0.4, 0.7], [1, 1]])


def test_colour_strength_leads_away_from_grey_and_keeps_luminance():
    for strength in (0, 50, 100, 150, 200):
        found = prepared(RGB, colour=strength)
        own, grey = RGB.astype(float), colour.luminance(RGB)[..., None]
        assert np.abs(found - (grey + strength / 100 * (own - grey))).max() < 1e-5
        assert np.abs(colour.luminance(found) - grey[..., 0]).max() < 1e-5
    assert prepared(RGB, colour=100) is not None
    warm = prepared(RGB, colour=0, warmth=90)
    assert np.ptp(warm, axis=2).max() < 1e-5  # without colour the light has none either


@pytest.mark.parametrize(
    ("group", "part", "values"),
    [
        ("light", "light", {"warmth": 80, "exposure": 1}),
        ("threads", "threads", {"blue": {"bright": -1}}),
        ("clean", "noise", {"light": 60}),
        ("clean", "spots", [{"path": "3000 3000", "radius": 0.03, "source": [0.2, 0.2]}]),
    ],
)
def test_a_group_that_is_out_is_as_if_it_were_at_rest(group, part, values):
    work = Pipeline(ArrayPicture(RGB))
    on = from_document({"prepare": {part: values}})
    out = from_document({"prepare": {part: values, f"{group}_on": False}})
    assert not np.array_equal(work.prepared(on), RGB)
    assert np.array_equal(work.prepared(out), work.prepared(REST))
