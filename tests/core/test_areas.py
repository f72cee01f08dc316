"""Areas: masks of every kind, what they do, and that they do nothing elsewhere."""

import cv2
import numpy as np
import pytest
import skimage  # its parts are loaded when they are first asked for
from hypothesis import given, settings
from hypothesis import strategies as st
from samples import DEMO, linear_of

from oatmeal.core.areas import kernels, likeness, likeness_kernels
from oatmeal.core.areas.masks import Painter
from oatmeal.core.colour import decode_srgb, hue_and_chroma, oklab
from oatmeal.core.maps import FULL
from oatmeal.core.picture import ArrayPicture, Window, framed, reduced
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.prepare import geometry
from oatmeal.core.recipe import REST, RecipeError, from_document
from oatmeal.core.recipe.settings import put
from oatmeal.core.recipe.words import changes

CODES = cv2.imread(str(DEMO / "first-lift.jpg"))[..., ::-1]
RGB = reduced(linear_of(CODES), 420)
HIGH, WIDE = RGB.shape[:2]
ALL = {"kind": "fade", "from": [2, 2], "to": [2, 2]}  # nothing lies beyond its end
NONE = {"kind": "strokes", "strokes": [{"path": "100 100", "radius": 0.002, "max": 0}]}
KINDS = {
    "strokes": {
        "kind": "strokes",
        "strokes": [
            {"path": "2000 2000 3000 1500 500 -900", "radius": 0.08, "hardness": 30, "flow": 70},
            {"path": "3000 3000 900 0", "radius": 0.03, "flow": 90, "erase": True},
        ],
    },
    "held": {
        "kind": "strokes",
        "strokes": [{"path": "2500 1500 200 800", "radius": 0.07, "flow": 100, "hold": 50}],
    },
    "fade": {"kind": "fade", "from": [0.3, 0.1], "to": [0.6, 0.5]},
    "ellipse": {"kind": "ellipse", "centre": [0.4, 0.3], "radii": [0.3, 0.1], "angle": 30},
    "outline": {"kind": "outline", "path": "2000 1000 4000 500 -900 3000 -2500 0", "feather": 0.03},
    "alike": {"kind": "alike", "this": ["2200 1500 200 300"], "not": ["6800 1500"]},
    "tones": {"kind": "tones", "low": 30, "high": 60},
    "colours": {"kind": "colours", "hue": 250, "width": 30},
    "picked": {"kind": "colours", "colour": "#5070a0", "reach": 0.1},
}  # fmt: skip
BASE = {
    "mix": {"lifts": {"green": 0.4}},
    "tone": {"sparkle": 20, "exposure": 0.2, "contrast": 10, "levels": {"black": 3, "middle": 1.2}},
}


def recipe(*areas, base=None, **step):
    named = [{"id": f"a{place}", **one} for place, one in enumerate(areas)]
    return from_document({**(BASE if base is None else base), "areas": {"list": named, **step}})


def mask(*parts, **area):
    """The mask of an area with these parts, 0 to 1, over the whole picture."""
    one = {"mask": list(parts), "values": {"exposure": 1}, **area}
    return mask_of(recipe(one))


def mask_of(wanted, name="a0", work=None):
    work = work or Pipeline(RGB)
    found = work.get("masks", wanted)[name]
    out = np.zeros(work.source.shape[:2])
    out[found.box.y0 : found.box.y1, found.box.x0 : found.box.x1] = found.plane / FULL
    return out


def smooth(t):
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


def grid():
    """Places of the pixels' middles, in shares of the longer side."""
    y, x = np.mgrid[:HIGH, :WIDE] + 0.5
    return x / WIDE, y / WIDE


def far_from(path, x, y):
    away = np.full(x.shape, np.inf)
    for (ax, ay), (bx, by) in zip(path, path[1:] or path, strict=False):
        vx, vy = bx - ax, by - ay
        t = np.clip(((x - ax) * vx + (y - ay) * vy) / max(vx * vx + vy * vy, 1e-30), 0, 1)
        away = np.minimum(away, np.hypot(x - ax - t * vx, y - ay - t * vy))
    return away


def test_strokes_are_coats_over_one_another():
    x, y = grid()
    first = far_from([(0.2, 0.2), (0.5, 0.35), (0.55, 0.26)], x, y) / 0.08
    second = far_from([(0.3, 0.3), (0.39, 0.3)], x, y) / 0.03
    coat = 0.7 * (1 - smooth((first - 0.3) / 0.7))
    expected = coat - coat * 0.9 * (1 - smooth(second))
    assert np.abs(mask(KINDS["strokes"]) - expected).max() < 2e-4


def test_a_stroke_builds_up_to_its_most():
    stroke = {"path": "3000 2000 3000 0", "radius": 0.1, "flow": 30, "max": 60}
    for count in (1, 2, 12):
        found = mask({"kind": "strokes", "strokes": [stroke] * count})
        assert found.max() == pytest.approx(0.6 * (1 - 0.7**count), abs=2e-3)


def test_pressure_thins_the_paint_along_the_path():
    stroke = {"path": "2000 2000 6000 0", "radius": 0.05, "flow": 80, "pressure": "100 0"}
    line = mask({"kind": "strokes", "strokes": [stroke]})[round(0.2 * WIDE)]
    shares = line[[round(share * WIDE) for share in (0.25, 0.5, 0.75)]]
    assert shares == pytest.approx(0.8 * np.array([11 / 12, 0.5, 1 / 12]), abs=0.02)


def test_a_fade_is_a_smooth_step():
    x, y = grid()
    along = ((x - 0.3) * 0.3 + (y - 0.1) * 0.4) / 0.25
    assert np.abs(mask(KINDS["fade"]) - (1 - smooth(along))).max() < 2e-4


def test_an_ellipse_turns_clockwise_and_fades_inside():
    found = mask({**KINDS["ellipse"], "feather": 1})
    radii = (0.1 * WIDE, 0.3 * WIDE)
    rows, columns = skimage.draw.ellipse(
        0.3 * WIDE - 0.5, 0.4 * WIDE - 0.5, *radii, found.shape, -np.pi / 6
    )
    expected = np.zeros(found.shape)
    expected[rows, columns] = 1
    assert np.abs(found - expected).mean() < 4e-3
    assert 0 < mask(KINDS["ellipse"]).sum() < 0.8 * found.sum()


def test_an_outline_holds_what_it_encloses():
    found = mask({**KINDS["outline"], "feather": 0.0005})
    path = np.array([[0.2, 0.1], [0.6, 0.15], [0.51, 0.45], [0.26, 0.45]]) * WIDE - 0.5
    expected = np.zeros(found.shape)
    expected[skimage.draw.polygon(path[:, 1], path[:, 0], found.shape)] = 1
    assert np.abs(found - expected).mean() < 4e-3
    soft = mask(KINDS["outline"])
    assert soft[round(0.3 * WIDE), round(0.4 * WIDE)] == 1
    assert np.all(np.diff(soft[round(0.3 * WIDE), round(0.1 * WIDE) : round(0.3 * WIDE)]) >= 0)


def test_what_hangs_together_equals_the_reference_library():
    """scikit-image's reconstruction by dilation (Vincent 1993)."""
    found = np.random.default_rng(4).random((40, 50)).astype(np.float32)
    spots = np.array([[7.0, 9.0], [33.0, 20.0]])
    marker = np.zeros_like(found)
    for x, y in spots.astype(int):
        near = (slice(y - 1, y + 2), slice(x - 1, x + 2))
        marker[near] = found[near]
    expected = skimage.morphology.reconstruction(marker, found, footprint=np.ones((3, 3)))
    assert np.array_equal(likeness_kernels.joined(found, spots), expected.astype(np.float32))


def test_alike_takes_what_looks_alike_and_leaves_what_is_told():
    """A made-up picture: two red discs on blue ground, and an orange one."""
    rgb = np.full((200, 300, 3), (0.05, 0.1, 0.3), np.float32)
    y, x = np.mgrid[:200, :300]
    discs = [(60, (0.5, 0.05, 0.04)), (150, (0.5, 0.05, 0.04)), (240, (0.5, 0.12, 0.04))]
    inside = [np.hypot(x - across, y - 100) < 35 for across, _ in discs]
    for where, (_, colour) in zip(inside, discs, strict=True):
        rgb[where] = colour
    work = Pipeline(rgb)

    def share(**part):
        one = {"mask": [{"kind": "alike", "reach": 2, **part}], "values": {"exposure": 1}}
        found = mask_of(recipe(one), work=work)
        cores = [cv2.erode(where.astype(np.uint8), None).astype(bool) for where in inside]
        return [found[core].mean() for core in cores]

    own = "2000 3333"
    assert share(this=[own]) == pytest.approx([1, 0, 0], abs=0.02)
    assert share(this=[own], joined=False)[1] > 0.95
    assert share(this=[own], reach=0.2, joined=False)[1] < 0.05
    wide = share(this=[own], tolerance=60, joined=False)
    told = share(this=[own], tolerance=60, joined=False, **{"not": ["8000 3333"]})
    assert wide[2] > 0.5 > 0.05 > told[2]
    assert told[0] > 0.95


def test_tones_and_colours_take_what_lies_in_their_range():
    x, _ = grid()
    light = decode_srgb(x)[..., None]
    grey = np.repeat(light, 3, axis=2).astype(np.float32)
    one = {"mask": [{"kind": "tones", "low": 30, "high": 60, "soft": [5, 5]}]}
    found = mask_of(recipe({**one, "values": {"exposure": 1}}), work=Pipeline(grey))
    y = light[..., 0]
    star = np.where(y > 216 / 24389, 116 * np.cbrt(y) - 16, y * 24389 / 27)
    inside, outside = (star > 32) & (star < 58), (star < 23) | (star > 67)
    assert found[inside].min() > 0.95
    assert found[outside].max() < 0.05
    hue, chroma = hue_and_chroma(oklab(RGB))
    blue = mask(KINDS["colours"])
    near = (np.abs(hue - 250) < 20) & (chroma > 0.06)
    away = np.abs((hue - 250 + 180) % 360 - 180) > 90
    assert blue[near].mean() > 0.85
    assert blue[away].mean() < 0.06


def test_parts_join_as_their_formulas_say():
    fade, oval = mask(KINDS["fade"]), mask(KINDS["ellipse"])
    part = KINDS["ellipse"]
    expected = {
        "add": 1 - (1 - fade) * (1 - oval), "subtract": fade * (1 - oval), "intersect": fade * oval,
    }  # fmt: skip
    for how, plane in expected.items():
        assert np.abs(mask(KINDS["fade"], {**part, "how": how}) - plane).max() < 1e-4
        other = mask(KINDS["fade"], {**part, "how": how, "opposite": True})
        turned = {
            "add": 1 - (1 - fade) * oval, "subtract": fade * oval, "intersect": fade * (1 - oval),
        }  # fmt: skip
        assert np.abs(other - turned[how]).max() < 1e-4
    assert np.array_equal(mask(KINDS["fade"], {**part, "on": False}), fade)
    assert np.abs(mask(part, opposite=True) - (1 - oval)).max() < 1e-4
    assert mask({**part, "how": "subtract"}).max() == 0


def test_an_area_follows_another_ones_mask_and_shields_keep_out():
    work = {"values": {"exposure": 1}}
    one = {"mask": [KINDS["ellipse"]], **work}
    outside = {"mask": [{"kind": "area", "area": "a0", "opposite": True}], **work}
    found = recipe(one, outside)
    assert np.abs(mask_of(found, "a1") - (1 - mask_of(found))).max() < 1e-4
    shield = {"kind": "shield", "mask": [KINDS["fade"]]}
    kept = recipe(one, shield)
    assert np.abs(mask_of(kept) - mask(KINDS["ellipse"]) * (1 - mask(KINDS["fade"]))).max() < 1e-4
    off = recipe(one, {**shield, "on": False})
    assert np.array_equal(mask_of(off), mask(KINDS["ellipse"]))


def test_moving_an_area_and_its_group_moves_its_places():
    part = KINDS["outline"]
    there = {**part, "path": "3500 1500 4000 500 -900 3000 -2500 0"}
    group = {"groups": [{"id": "g", "move": [0.1, 0.0]}]}
    one = {"mask": [part], "values": {"exposure": 1}, "group": "g", "move": [0.05, 0.05]}
    moved = mask_of(recipe(one, **group))
    assert np.abs(moved - mask(there)).max() < 1e-3


@pytest.mark.parametrize("kind", KINDS)
def test_a_region_equals_that_part_of_the_whole(kind):
    one = {"mask": [KINDS[kind]], "values": {"exposure": 1, "clarity": 60, "lifts": {"blue": -1}}}
    wanted = recipe(one)
    whole = Pipeline(RGB).encoded(wanted)
    part = Region(ArrayPicture(RGB), (97, 51, 150, 120), wanted, Pipeline(RGB)).encoded(wanted)
    assert np.abs(part - whole[51:171, 97:247]).max() <= 1 / 255


@pytest.mark.parametrize("kind", KINDS)
def test_a_mask_survives_framing(kind):
    """Cropped, turned, tipped: the mask stays on what it lies on."""
    frames = (
        {"size": 60, "centre": [0.45, 0.4]},
        {"turned": "right", "mirrored": True},
        {"angle": 8, "tip": 10, "size": 70},
    )
    plain = mask(KINDS[kind])
    for frame in frames:
        one = {"mask": [KINDS[kind]], "values": {"exposure": 1}}
        wanted = recipe(one, base={"prepare": {"frame": frame}})
        view = framed(ArrayPicture(RGB), geometry(wanted))
        rgb = np.ascontiguousarray(view.linear(0, 0, view.width, view.height))
        work = Pipeline(ArrayPicture(rgb, layout=view.layout, taken_of_file=view.taken))
        found = mask_of(wanted, work=work)
        expected = view.layout.plane(plain.astype(np.float32))
        looks = kind in ("held", "alike", "tones", "colours", "picked")
        assert np.abs(found - expected).mean() < (0.02 if looks else 0.006)
        assert found.shape == (view.height, view.width)


def test_a_proxy_equals_the_reduced_export():
    areas = [
        {"mask": [KINDS[kind]], "values": {"exposure": 0.6, "contrast": 30, "clarity": 40}}
        for kind in ("strokes", "held", "alike", "fade")
    ]
    wanted = recipe(*areas)
    large = linear_of(CODES)
    export = render(ArrayPicture(large), wanted, np.float32, long_side=420)
    proxy = Pipeline(ArrayPicture(RGB, scale=420 / max(large.shape))).encoded(wanted)
    assert np.abs(export - proxy).mean() <= 2 / 255


NUMBERS = {
    "exposure": 0.7, "contrast": 55, "black": 14, "white": -19, "highlights": -55, "shadows": 55,
    "clarity": 55, "detail": 55, "veil": 55, "sparkle": 55, "depth": 70,
}  # fmt: skip


def everywhere(name, value, base=None):
    """A recipe with a value added to the setting itself."""
    document = recipe(base=base).full_document()
    path = {"black": "tone.levels.black", "white": "tone.levels.white"}.get(name, f"tone.{name}")
    node = document["tone"]["levels"] if name in ("black", "white") else document["tone"]
    put(document, path, node[name] + value)
    return from_document(document)


@pytest.mark.parametrize("base", [{}, BASE, {"tone": {"exposure": -0.4, "hold_ends": True}}])
@pytest.mark.parametrize("name", NUMBERS)
def test_all_of_a_picture_equals_the_setting_itself(name, base):
    if name in ("highlights", "shadows", "clarity") and "hold_ends" in base.get("tone", {}):
        pytest.skip("the ends are held for what is done everywhere, and for exposure")
    value = NUMBERS[name]
    found = Pipeline(RGB).encoded(recipe({"mask": [ALL], "values": {name: value}}, base=base))
    expected = Pipeline(RGB).encoded(everywhere(name, value, base))
    most = 3 / 65535 if name in ("black", "white", "contrast") else 0.1 / 255
    # the curve's bend at the picture's white lies between two entries of the whole's table
    most *= 3 if name in ("highlights", "depth") else 1
    assert np.abs(found - expected).max() <= most
    assert np.abs(found - Pipeline(RGB).encoded(recipe(base=base))).max() > 2 / 255


@pytest.mark.parametrize("name", ["clarity", "detail"])
def test_an_area_goes_on_where_the_whole_ends(name):
    """Local contrast of both adds up to twice what one may have."""
    base = {"tone": {name: 100}}
    added = [
        Pipeline(RGB).encoded(
            recipe({"mask": [ALL], "values": {name: value}}, base=base)
        ) for value in (0, 50, 100)
    ]  # fmt: skip
    more, most = (np.abs(one - added[0]).mean() for one in added[1:])
    assert more > 0.5 / 255
    assert most > 1.4 * more


@pytest.mark.parametrize("name", ["highlights", "shadows", "veil"])
def test_light_of_an_area_and_of_the_whole_ends_where_one_does(name):
    base = {"tone": {name: 70}}
    full = Pipeline(RGB).encoded(recipe(base={"tone": {name: 100}}))
    both = recipe({"mask": [ALL], "values": {name: 60}}, base=base)
    most = 0.3 if name == "highlights" else 0.1
    assert np.abs(Pipeline(RGB).encoded(both) - full).max() <= most / 255


@pytest.mark.parametrize("part", ["lifts", "threads"])
def test_all_of_a_picture_equals_the_ranges_themselves(part):
    values = {
        "lifts": {"blue": -1.5, "green": 0.5},
        "threads": {"blue": {"hue": 20, "bright": 0.5}},
    }
    found = Pipeline(RGB).encoded(recipe({"mask": [ALL], "values": {part: values[part]}}, base={}))
    base = {"mix": {"lifts": values["lifts"]}} if part == "lifts" else {}
    base |= {"prepare": {"threads": values["threads"]}} if part == "threads" else {}
    assert np.abs(found - Pipeline(RGB).encoded(recipe(base=base))).max() <= 0.1 / 255
    assert np.abs(found - Pipeline(RGB).encoded(REST)).max() > 2 / 255


@pytest.mark.parametrize("character", ["soft", "crisp", "deep"])
def test_clarity_of_an_area_has_a_character_of_its_own(character):
    one = {"mask": [ALL], "values": {"clarity": 55, "character": character}}
    found = Pipeline(RGB).encoded(recipe(one, base={"tone": {"character": character}}))
    same = {"mask": [ALL], "values": {"clarity": 55}}
    assert np.array_equal(
        found, Pipeline(RGB).encoded(recipe(same, base={"tone": {"character": character}}))
    )
    plain = Pipeline(RGB).encoded(recipe(same, base={"tone": {"character": "crisp"}}))
    other = Pipeline(RGB).encoded(recipe(one, base={"tone": {"character": "crisp"}}))
    assert (np.abs(other - plain).max() > 2 / 255) == (character != "crisp")


def printed(wanted):
    return Pipeline(RGB).get("printed", wanted)


@pytest.mark.parametrize("name", ["grain", "paper"])
@pytest.mark.parametrize(
    "base", [{}, {"finish": {"grain": {"amount": 30}, "paper": {"amount": 20}}}]
)
def test_what_is_laid_on_a_part_is_that_of_the_whole_there(name, base):
    """All of a picture equals the setting, nothing beyond a mask moves, and the light stays."""
    document = recipe(base=base).full_document()
    document["finish"][name]["amount"] += 40
    everywhere = printed(from_document(document))
    plain = printed(recipe(base=base))
    found = printed(recipe({"mask": [ALL], "values": {name: 40}}, base=base))
    assert np.abs(found - everywhere).max() < 0.1 / 255
    assert np.abs(found - plain).max() > 4 / 255
    part = printed(recipe({"mask": [KINDS["ellipse"]], "values": {name: 40}}, base=base))
    beyond = mask(KINDS["ellipse"]) == 0
    assert np.abs(part[beyond] - plain[beyond]).max() < 0.1 / 255
    half = printed(recipe({"mask": [ALL], "values": {name: 40}, "amount": 50}, base=base))
    light = [decode_srgb(one.astype(float)).mean() for one in (half, found)]
    assert abs(light[0] - light[1]) < 2e-3


def test_what_is_laid_on_a_part_of_an_export_is_that_of_the_whole():
    one = {"mask": [KINDS["ellipse"]], "values": {"grain": 60, "paper": 60}}
    wanted = recipe(one, base={})
    whole = printed(wanted)
    export = render(ArrayPicture(RGB), wanted, np.float32)
    assert np.abs(whole - export).max() < 1e-5
    small = render(ArrayPicture(RGB), wanted, np.float32, WIDE // 2)
    plain = render(ArrayPicture(RGB), recipe(base={}), np.float32, WIDE // 2)
    beyond = (
        cv2.resize(mask(KINDS["ellipse"]), small.shape[::-1], interpolation=cv2.INTER_AREA) == 0
    )
    assert np.abs(small - plain)[5:-5][beyond[5:-5]].max() < 0.1 / 255
    assert np.abs(small - plain).max() > 4 / 255


def test_a_colour_is_painted_where_the_area_is_and_the_light_stays():
    """Hue and chroma over lightness of OKLab (Ottosson 2020) are those of the colour painted."""
    one = {"mask": [KINDS["ellipse"]], "values": {"paint": {"amount": 100, "colour": "#b06a3c"}}}
    codes = Pipeline(RGB).coloured(recipe(one, base={}), np.uint16) / 65535
    grey = printed(recipe(base={}))
    full = (mask(KINDS["ellipse"]) > 0.999) & (grey > 0.3) & (grey < 0.7)
    hue, chroma = hue_and_chroma(oklab(decode_srgb(codes[full])))
    painted = oklab(decode_srgb(np.array([[0xB0, 0x6A, 0x3C]]) / 255))
    wanted_hue, wanted_chroma = hue_and_chroma(painted)
    assert np.abs(hue - wanted_hue).max() < 1
    ratio = chroma / oklab(decode_srgb(codes[full]))[..., 0]
    assert np.abs(ratio - wanted_chroma / painted[..., 0]).max() < 0.01
    luminance = decode_srgb(codes[full]) @ np.array([0.2126, 0.7152, 0.0722])
    assert np.abs(luminance - decode_srgb(grey[full].astype(float))).max() < 2e-3
    beyond = mask(KINDS["ellipse"]) == 0
    assert np.ptp(codes[beyond], axis=-1).max() < 1e-4


VALUES = {**NUMBERS, "lifts": {"blue": -1.5}, "threads": {"blue": {"strength": 200}}}


@pytest.mark.parametrize("base", [{}, BASE])
@pytest.mark.parametrize("name", VALUES)
def test_nothing_of_a_picture_changes_nothing(name, base):
    plain = Pipeline(RGB).encoded(recipe(base=base))
    none = recipe({"mask": [NONE], "values": {name: VALUES[name]}}, base=base)
    assert np.array_equal(Pipeline(RGB).encoded(none), plain)


@pytest.mark.parametrize("name", NUMBERS)
def test_beyond_a_mask_every_pixel_is_the_same(name):
    plain = Pipeline(RGB).encoded(recipe())
    one = {"mask": [KINDS["ellipse"]], "values": {name: NUMBERS[name]}}
    found = Pipeline(RGB).encoded(recipe(one))
    outside = mask(KINDS["ellipse"]) == 0
    assert np.array_equal(found[outside], plain[outside])
    assert not np.array_equal(found, plain)


def test_amounts_scale_and_switches_take_out():
    def at(values=None, **more):
        one = {"mask": [ALL], "values": {"exposure": 0.8} if values is None else values, **more}
        groups = [{"id": "g", "amount": 50}, {"id": "off", "on": False}]
        return Pipeline(RGB).encoded(recipe(one, groups=groups, base={}))

    plain = Pipeline(RGB).encoded(REST)
    assert np.abs(at(amount=50) - at({"exposure": 0.4})).max() < 1e-5
    assert np.abs(at(amount=150, group="g") - at({"exposure": 0.6})).max() < 1e-5
    assert np.array_equal(at(kind="shield"), at())  # it is kept out of nothing itself
    for off in ({"on": False}, {"amount": 0}, {"group": "off"}):
        assert np.array_equal(at(**off), plain)
    step = recipe({"mask": [ALL], "values": {"exposure": 1}}, base={}, on=False)
    assert np.array_equal(Pipeline(RGB).encoded(step), plain)


def test_contrasts_compose_and_exposures_add():
    twice = [{"mask": [ALL], "values": {"contrast": 30, "exposure": 0.3}}] * 2
    once = {"mask": [ALL], "values": {"contrast": 60, "exposure": 0.6}}
    found, expected = Pipeline(RGB).encoded(recipe(*twice)), Pipeline(RGB).encoded(recipe(once))
    assert np.abs(found - expected).max() < 1e-5


@settings(max_examples=15, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.integers(500, 9000), st.integers(500, 6000), st.booleans(), st.integers(5, 90)
        ),
        min_size=1, max_size=6,
    )
)  # fmt: skip
def test_a_stroke_being_drawn_equals_the_mask_made_afresh(strokes):
    work, drawn = Pipeline(RGB), []
    for x, y, erase, flow in strokes:
        drawn.append({"path": f"{x} {y} 300 200", "radius": 0.06, "flow": flow, "erase": erase})
        one = {"mask": [{"kind": "strokes", "strokes": list(drawn)}], "values": {"exposure": 1}}
        found = mask_of(recipe(one), work=work)
        assert np.abs(found - mask_of(recipe(one))).max() <= 1.01 / FULL


def test_only_what_changed_is_made_again(monkeypatch):
    """A drag of a value makes no mask; a new stroke paints itself alone."""
    counted = []
    original = kernels.paint
    monkeypatch.setattr(
        kernels, "paint", lambda *args: counted.append(len(args[2])) or original(*args)
    )
    work = Pipeline(RGB)

    def frame(count, exposure):
        stroke = {"path": "3000 2000 900 300", "radius": 0.05}
        strokes = [{**stroke, "flow": 5 + number} for number in range(count)]
        one = {"mask": [{"kind": "strokes", "strokes": strokes}], "values": {"exposure": exposure}}
        work.encoded(recipe(one))

    frame(20, 0.5)
    assert sum(counted) == 20
    counted.clear()
    frame(20, 0.7)
    assert counted == []
    frame(21, 0.7)
    assert counted == [1]


def test_what_is_wrong_with_areas_is_said_in_one_sentence():
    def told(**areas):
        with pytest.raises(RecipeError) as caught:
            from_document({"areas": areas})
        assert len(caught.value.problems) == 1
        return str(caught.value)

    strokes = [{"path": "1 2"}] * 10_000
    circle = [
        {"id": "a", "name": "Sky", "mask": [{"kind": "area", "area": "b"}]},
        {"id": "b", "name": "Sea", "mask": [{"kind": "area", "area": "a"}]},
    ]
    assert told(list=circle) == "areas: masks follow each other in a circle: Sky, Sea"
    assert "which is no area" in told(list=circle[:1])
    assert "the same id" in told(list=[{"id": "a"}, {"id": "a"}])
    assert "the group g, which is none" in told(list=[{"id": "a", "group": "g"}])

    def part(**one):
        return told(list=[{"id": "a", "mask": [one]}])

    where = "areas.list[0].mask[0]"
    assert part(kind="strokes", strokes=strokes) == (
        f"{where}.strokes: there are 10000; 2000 is the most"
    )
    assert "must stay inside the picture" in part(kind="strokes", strokes=[{"path": "1 20000"}])
    assert part(kind="fade", **{"from": [float("nan"), 0]}) == (
        f"{where}.from[0]: NaN is not a number; give a number from -1 to 2"
    )
    assert "'blob' is not one of" in part(kind="blob")
    assert "one number for each place" in part(
        kind="strokes", strokes=[{"path": "1 2 3 4", "pressure": "50"}]
    )
    assert "must end above" in part(kind="tones", low=60, high=30)


def test_the_history_tells_areas_by_their_names():
    sky = {"id": "s", "name": "Sky", "mask": [KINDS["fade"]], "values": {"exposure": -0.7}}
    field = {"id": "f", "mask": [KINDS["ellipse"]]}
    one = from_document({"areas": {"list": [sky, field]}})
    assert changes(REST, one) == ["Sky added", "area 2 added"]
    other = {**sky, "mask": [KINDS["ellipse"]], "values": {"exposure": -1, "lifts": {"blue": -0.5}}}
    assert changes(one, from_document({"areas": {"list": [field, other]}})) == [
        "areas in another order", "Sky: mask changed", "Sky: exposure −0.7 → −1 stop",
        "Sky: blue lift 0 → −0.5 stops",
    ]  # fmt: skip
    assert changes(one, from_document({"areas": {"list": [sky]}})) == ["area 2 removed"]
    off = {**sky, "on": False, "move": [0.1, 0]}
    assert changes(one, from_document({"areas": {"list": [off, field]}})) == [
        "Sky off", "Sky: place moved",
    ]  # fmt: skip


def test_a_held_brush_spills_less_than_a_plain_one():
    """A made-up edge; the stroke runs inside, a third of its radius away from it."""
    rgb = np.full((300, 400, 3), (0.12, 0.14, 0.16), np.float32)
    rgb[:, 200:] = (0.3, 0.2, 0.12)
    rgb *= 1 + 0.02 * np.random.default_rng(3).standard_normal(rgb.shape).astype(np.float32)
    work = Pipeline(rgb)
    stroke = {"path": "4400 1500 0 4000", "radius": 0.15, "flow": 100}

    def painted(hold):
        part = {"kind": "strokes", "strokes": [{**stroke, "hold": hold}]}
        return mask_of(recipe({"mask": [part], "values": {"exposure": 1}}), work=work)

    plain, held = painted(0), painted(60)
    assert held[:, 204:].sum() < 0.1 * plain[:, 204:].sum()
    assert held[100:200, 150:196].sum() > 0.95 * plain[100:200, 150:196].sum()


def test_the_guide_brings_a_step_to_its_place():
    """A mask told on cells four pixels wide follows the edge of the picture itself."""
    rgb = np.full((400, 1600, 3), 0.05, np.float32)
    rgb[:, 803:] = (0.5, 0.3, 0.2)
    known = likeness.ground(reduced(rgb, 400))
    fits = likeness.fitted(known, (known.smoothed[0] > 0.5).astype(np.float32))
    window = Window(0, 0, 1600, 400)
    painter = Painter(window, (400, 1600), {}, None, lambda key, make: make())
    out = np.empty((400, 1600), np.float32)
    guide = np.moveaxis(oklab(rgb), -1, 0).astype(np.float32)
    kernels.guided(painter.nodes, guide, fits.planes, fits.cells, fits.cell, (0, 0), out)
    assert out[:, :803].max() < 0.1
    assert out[:, 803:].min() > 0.9


def test_a_stroke_that_holds_is_told_anew_where_its_area_was_moved_to():
    work = Pipeline(RGB)
    for move in ((0.0, 0.0), (0.15, 0.05), (-0.1, 0.0)):
        one = recipe({"mask": [KINDS["held"]], "values": {"exposure": 1}, "move": list(move)})
        assert np.array_equal(mask_of(one, work=work), mask_of(one))


def test_an_export_in_strips_equals_the_whole_at_once():
    """Taller than a strip; everything that looks at the picture, drawn across where they meet."""
    tall = np.ascontiguousarray(np.rot90(reduced(RGB, 420), 1))
    tall = np.ascontiguousarray(cv2.resize(tall, (280 * 2, 420 * 2)))
    parts = [KINDS["held"], KINDS["alike"], {**KINDS["tones"], "how": "intersect"}]
    stroke = {"path": "1000 5000 3000 2000 1500 -1500", "radius": 0.1, "flow": 90, "hold": 40}
    areas = (
        {"mask": parts, "values": {"exposure": 0.8, "detail": 40, "threads": {"blue": {"hue": 9}}}},
        {"mask": [{"kind": "strokes", "strokes": [stroke]}], "values": {"veil": 40, "black": 9}},
        {"mask": [KINDS["outline"]], "values": {"lifts": {"green": -1}, "contrast": 30}},
    )
    wanted = recipe(*areas)
    whole = Pipeline(tall).encoded(wanted)
    strips = render(ArrayPicture(tall), wanted, np.float32)
    assert np.abs(strips - whole).max() <= 1 / 255
    assert np.abs(whole - Pipeline(tall).encoded(recipe())).max() > 10 / 255


def test_what_is_laid_on_a_part_is_the_same_in_strips():
    """Only one strip holds the most grain; the others are scaled by the same number."""
    tall = np.ascontiguousarray(cv2.resize(np.rot90(RGB, 1), (280 * 2, 420 * 2)))
    dot = {"kind": "ellipse", "centre": [0.3, 0.15], "radii": [0.1, 0.05]}
    areas = (
        {"mask": [dot], "values": {"grain": 80, "paper": 60}},
        {"mask": [ALL], "values": {"grain": 20}},
    )
    wanted = recipe(*areas, base={"finish": {"grain": {"roughness": 100}}})
    whole = Pipeline(tall).get("printed", wanted)
    strips = render(ArrayPicture(tall), wanted, np.float32)
    assert np.abs(strips - whole).max() < 0.2 / 255
