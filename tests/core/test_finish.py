"""Finish: sharpness without lines, grain that keeps light, falloff without steps, toning."""

import cv2
import numpy as np
import pytest
from samples import DEMO
from scipy.special import erf

from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    hue_and_chroma,
    lightness,
    luminance,
    luminance_of_lightness,
    oklab,
)
from oatmeal.core.finish import (
    glow,
    grain,
    palette,
    quantised,
    quantising,
    sharpness,
    toning,
    widths,
)
from oatmeal.core.picture import ArrayPicture, Window, proxy
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.pipeline.work import WHOLE_SIDE
from oatmeal.core.recipe import from_document
from oatmeal.core.recipe.examples import FINISH_STARTS
from oatmeal.core.recipe.finish import Grain, Sharpness, Toning
from oatmeal.photofile.decode import decode

HIGH, WIDE = 240, 360


def finish(**parts):
    return from_document({"finish": parts})


def flat(encoded, shape=(HIGH, WIDE)):
    return np.full((*shape, 3), decode_srgb(np.array(encoded)), np.float32)


def star(encoded):
    return lightness(decode_srgb(np.asarray(encoded, dtype=float)))


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


@pytest.mark.parametrize(("amount", "roughness", "most"), [(50, 0, 0.05), (100, 100, 0.2)])
@pytest.mark.parametrize("size", [0.5, 4.0])
def test_grain_keeps_the_mean_of_the_light(amount, roughness, most, size):
    shape = (900, 900)
    made = grain.field(
        Grain(amount=amount, size=3 * min(size / 2.7, 1.0), roughness=roughness),
        Window(0, 0, 900, 900), shape, 5,
    )  # fmt: skip
    for u in (0.02, 0.1, 0.25, 0.5, 0.75, 0.95):
        settings = Grain(amount=amount, size=1, roughness=roughness)
        grained = grain.grained(np.full(shape, u, np.float32), settings, made)
        moved = float(lightness(decode_srgb(grained.astype(float)).mean())) - float(star(u))
        assert abs(moved) <= most


def test_grain_is_as_strong_as_it_says_and_none_in_black_and_white():
    settings = Grain(amount=100, size=3, roughness=0)
    made = grain.field(settings, Window(0, 0, 2000, 2000), (500, 500), 5)
    assert made[0].std() == pytest.approx(made[1], rel=0.05)
    spread = {
        u: grain.grained(np.full((500, 500), u, np.float32), settings, made).std()
        for u in (0.0, 0.25, 0.5, 0.75, 1.0)
    }
    assert spread[0.0] == spread[1.0] == 0
    assert spread[0.5] == pytest.approx(0.12, rel=0.08)
    assert spread[0.5] > spread[0.25]
    assert spread[0.5] > spread[0.75]


def test_grain_of_a_proxy_is_that_of_the_reduced_export():
    settings = {"amount": 50, "size": 0.6, "roughness": 30}
    large = Pipeline(flat(0.5, (2400, 2400))).encoded(finish(grain=settings))
    reduced = large.reshape(600, 4, 600, 4)
    light = decode_srgb(reduced.astype(float)).mean(axis=(1, 3))
    proxied = Pipeline(flat(0.5, (600, 600))).encoded(finish(grain=settings))
    assert star(proxied).std() == pytest.approx(lightness(light).std(), rel=0.05)


def test_every_photograph_has_grain_of_its_own_and_nothing_repeats():
    wanted = finish(grain={"amount": 60, "size": 2})
    one, other = (Pipeline(ArrayPicture(flat(0.5), seed=seed)).encoded(wanted) for seed in (1, 2))
    assert abs(np.corrcoef(one.ravel(), other.ravel())[0, 1]) < 0.05
    shuffled = Pipeline(ArrayPicture(flat(0.5), seed=1)).encoded(
        finish(grain={"amount": 60, "size": 2, "seed": 2})
    )
    assert abs(np.corrcoef(one.ravel(), shuffled.ravel())[0, 1]) < 0.05
    wide = Pipeline(ArrayPicture(flat(0.5, (64, 2048)), seed=1)).encoded(
        finish(grain={"amount": 60, "size": 1})
    )
    spectrum = np.abs(np.fft.fft(wide - wide.mean(), axis=1)) ** 2
    alike = np.fft.ifft(spectrum, axis=1).real.mean(axis=0)
    assert np.abs(alike[40:1000]).max() < 0.08 * alike[0]


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


MARKS = [("dust", "amount"), ("scratches", "amount")]


@pytest.mark.parametrize(("part", "key"), MARKS)
def test_more_marks_leave_the_others_where_they_are(part, key):
    plain = Pipeline(ArrayPicture(flat(0.3, (400, 600)), seed=4))
    covers = [
        plain.encoded(finish(**{part: {key: amount}})) - np.float32(0.3) for amount in (20, 60)
    ]
    some, more = covers
    assert some.min() > -1e-6  # light marks
    assert (some > 0.1).sum() > 30
    assert (more - some).min() > -1e-6
    assert (more > 0.1).sum() > 1.5 * (some > 0.1).sum()
    dark = plain.encoded(finish(**{part: {key: 60, "light": False}})) - np.float32(0.3)
    assert dark.max() < 1e-6
    assert np.array_equal(dark < -0.05, more > 0.05 * 0.67 / 0.27)  # the same marks
    other = Pipeline(ArrayPicture(flat(0.3, (400, 600)), seed=5)).encoded(
        finish(**{part: {key: 60}})
    )
    assert not np.array_equal(other, more + np.float32(0.3))
    again = plain.encoded(finish(**{part: {key: 60, "seed": 2}}))
    assert not np.array_equal(again, more + np.float32(0.3))


@pytest.mark.parametrize(
    "part",
    [
        {"dust": {"amount": 100}},
        {"scratches": {"amount": 100}},
        {"paper": {"amount": 80, "size": 100}},
        {"border": {"uneven": {"width": 30}}},
    ],
)
def test_what_lies_on_a_print_looks_the_same_at_every_size(part):
    wanted = finish(**part)
    small, large = (
        Pipeline(ArrayPicture(flat(0.5, (high, 3 * high // 2)), seed=9)).encoded(wanted)
        - np.float32(0.5)
        for high in (800, 2000)
    )
    size = (300, 200)
    one, other = (cv2.resize(cover, size, interpolation=cv2.INTER_AREA) for cover in (small, large))
    assert np.abs(one).mean() > 3e-4
    assert np.abs(one - other).mean() < 0.15 * np.abs(one).mean()
    assert other.std() == pytest.approx(one.std(), rel=0.05)


def test_paper_keeps_the_mean_and_lies_deepest_in_the_lights():
    moved = {}
    for encoded in (0.05, 0.5, 0.85):
        made = Pipeline(flat(encoded, (400, 600))).encoded(finish(paper={"amount": 50}))
        assert abs(star(made).mean() - star(encoded)) < 0.3
        moved[encoded] = float(made.std())
    assert moved[0.85] > moved[0.5] > 1.5 * moved[0.05] > 0.001


def test_an_uneven_edge_is_paper_then_black_then_the_picture():
    wanted = finish(border={"uneven": {"width": 30, "roughness": 60, "seed": 3}})
    plain = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(finish())
    made = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(wanted)
    assert np.array_equal(made[80:320, 80:520], plain[80:320, 80:520])
    for corner in (made[0, 0], made[0, -1], made[-1, 0], made[-1, -1]):
        assert corner > 0.9  # bare paper
    for line in (made[200, :60], made[200, :-61:-1], made[:60, 300], made[:-61:-1, 300]):
        rim = np.flatnonzero(line < 0.1)
        assert 3 <= len(rim) <= 20  # a rim as wide as it says, 18 pixels with its paper
        assert rim[-1] - rim[0] + 1 == len(rim)
        assert (line[rim[-1] + 4 :] > 0.3).all()
    rim = [np.flatnonzero(line < 0.1)[0] for line in made[60:340, :60]]
    assert np.std(rim) > 0.5  # it is uneven
    even = finish(border={"uneven": {"width": 30, "roughness": 0}})
    straight = Pipeline(ArrayPicture(flat(0.5, (400, 600)), seed=2)).encoded(even)
    assert np.ptp([np.flatnonzero(line < 0.1)[0] for line in straight[60:340, :60]]) == 0


def test_falloff_has_no_steps():
    shaded = Pipeline(flat(0.45, (1067, 1600))).encoded(finish(falloff={"amount": -60}))
    codes = 65535 * shaded[533].astype(float)  # rounding them to whole ones adds up to 2
    assert np.abs(np.diff(codes, 2)).max() <= 1
    assert len(np.unique(codes)) > 400
    eight = quantised(shaded, np.uint8, dither=True).astype(float)
    rows = eight[500:566].mean(axis=0)  # 66 rows together show no ring
    assert np.abs(rows / 255 - shaded[533]).max() < 0.4 / 255


def test_falloff_and_edges_do_what_they_say():
    def light(**parts):
        return decode_srgb(Pipeline(flat(0.6)).encoded(finish(**parts)).astype(float))

    plain = light()[0, 0]
    corner = light(falloff={"amount": -100})
    assert np.log2(corner[0, 0] / plain) == pytest.approx(-3, abs=0.05)
    assert corner[HIGH // 2, WIDE // 2] == pytest.approx(plain, rel=1e-3)
    assert light(falloff={"amount": 60})[0, 0] > plain
    aside = light(falloff={"amount": -80, "centre": [0.2, 0.5]})
    assert aside[HIGH // 2, round(0.2 * WIDE)] > 1.5 * aside[HIGH // 2, round(0.8 * WIDE)]
    farthest = light(falloff={"amount": -100, "centre": [0.2, 0.5]})
    assert np.log2(farthest[0, -1] / plain) == pytest.approx(-3, abs=0.05)
    assert -2 < np.log2(farthest[0, 0] / plain) < -0.05
    top = light(burned={"top": {"amount": -100, "reach": 50}})
    assert np.log2(top[0, 9] / plain) == pytest.approx(-3, abs=0.05)
    assert top[HIGH // 2 :].min() == pytest.approx(plain, rel=1e-3)
    bright = decode_srgb(
        Pipeline(flat(0.97)).encoded(finish(falloff={"amount": -100, "spare": 100})).astype(float)
    )
    assert bright[0, 0] > 0.7 * decode_srgb(np.array(0.97))


@pytest.mark.parametrize("name", FINISH_STARTS["toning"])
def test_toning_keeps_lightness(name):
    settings = Toning.model_validate(FINISH_STARTS["toning"][name])
    greys = np.linspace(0.01, 0.99, 300, dtype=np.float32)[None]
    for dtype, most in ((np.uint8, 0.3), (np.uint16, 0.01)):
        table = toning.table(settings)
        codes = quantising.through(greys, table, dtype)[0] / np.iinfo(dtype).max
        moved = lightness(luminance(decode_srgb(codes))) - star(np.round(greys[0] * 65535) / 65535)
        assert np.abs(moved).max() <= most
    assert np.ptp(palette(settings)[128].astype(int)) > 3


def test_toning_has_the_hue_and_the_strength_that_are_said():
    """C / L 0.25 at 100, and the trade's warm tone (common practice, no source: HSV 43 degrees)."""
    settings = Toning.model_validate(
        {"lights": {"hue": 89.0, "strength": 15.0}, "darks": {"hue": 89.0, "strength": 15.0}}
    )
    greys = np.array([[0.5, 0.7]], np.float32)
    rgb = quantising.through(greys, toning.table(settings), np.uint16)[0] / 65535
    lab = oklab(decode_srgb(rgb))
    hue, chroma = hue_and_chroma(lab)
    assert hue == pytest.approx(89, abs=1)
    assert chroma[0] / lab[0, 0] == pytest.approx(0.0375, rel=0.05)
    high, low = rgb[0].max(), rgb[0].min()
    in_hsv = 60 * (rgb[0, 1] - low) / (high - low)  # red is highest, blue lowest
    assert in_hsv == pytest.approx(43, abs=4)
    assert palette(settings)[255].tolist() == [255, 255, 255]
    assert palette(settings)[0].tolist() == [0, 0, 0]


PRINT = {
    "glow": {"amount": 50, "threshold": 50},
    "sharpness": {"amount": 60}, "grain": {"amount": 40, "size": 1.2, "roughness": 40},
    "toning": {"lights": {"hue": 72, "strength": 30}, "darks": {"hue": 58, "strength": 34}},
    "falloff": {"amount": -50, "roundness": -30}, "burned": {"left": {"amount": -40}},
    "dust": {"amount": 80, "size": 90}, "scratches": {"amount": 70, "light": False},
    "paper": {"amount": 60, "size": 90}, "border": {"uneven": {"width": 25}},
    "kept": {"trace": 10, "colours": [{"colour": "#b23a2e", "amount": 80, "hue": 30}]},
}  # fmt: skip


def test_a_part_is_bit_equal_to_that_part_of_the_whole():
    draws = np.random.default_rng(1).random((301, 407, 3)).astype(np.float32)
    whole = Pipeline(ArrayPicture(draws, seed=3)).coloured(finish(**PRINT))
    picture = ArrayPicture(draws, seed=3)
    part = Region(picture, (101, 67, 150, 120), finish(**PRINT), Pipeline(draws)).coloured(
        finish(**PRINT)
    )
    assert np.array_equal(part, whole[67:187, 101:251])


def test_an_export_at_full_size_is_what_the_browser_shows_at_100_percent():
    source = decode(DEMO / "first-lift.jpg")
    wanted = finish(**PRINT)
    exported = render(source, wanted, np.float32)
    for side, most in ((WHOLE_SIDE, 1e-6), (1800, 0.5 / 255)):  # the browser has a larger one
        part = Region(source, (700, 500, 300, 200), wanted, small_of(source, side)).encoded(wanted)
        assert np.abs(exported[500:700, 700:1000] - part).max() < most
    assert render(source, wanted, np.uint16, 300).shape[2] == 3
    assert render(source, finish(falloff={"amount": -9}), np.uint8, 300).ndim == 2


RED, BLUE = (0.45, 0.05, 0.04), (0.04, 0.10, 0.40)


def patches():
    """Red, blue and grey side by side, linear colour ``(120, 360, 3)``."""
    rgb = np.full((120, 360, 3), 0.2, np.float32)
    rgb[:, :120], rgb[:, 120:240] = RED, BLUE
    return rgb


def hex_of(colour):
    codes = np.round(encode_srgb(np.array(colour)) * 255).astype(int)
    return "#" + "".join(f"{code:02x}" for code in codes)


def seen(rgb, recipe, **more):
    """Linear colour as printed, OKLab of it, and the greys it was made of."""
    work = Pipeline(rgb, **more)
    linear = decode_srgb(work.coloured(recipe, np.uint16) / 65535)
    return linear, oklab(linear), decode_srgb(work.encoded(recipe).astype(float))


def test_a_trace_of_colour_keeps_hue_and_lightness():
    rgb = patches()
    linear, lab, grey = seen(rgb, finish(kept={"trace": 20}))
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    own = oklab(rgb.astype(float))
    for x in (60, 180):
        hue, chroma = hue_and_chroma(lab[60, x][None])
        true, full = hue_and_chroma(own[60, x][None])
        assert abs((hue - true + 180) % 360 - 180) < 1.5
        share = chroma / lab[60, x, 0] / (full / own[60, x, 0])
        assert share == pytest.approx(0.2, abs=0.01)
    assert np.abs(lab[60, 300, 1:]).max() < 1e-4  # grey stays grey
    whole, _, _ = seen(rgb, finish(kept={"trace": 100}))
    assert np.abs(lightness(luminance(whole)) - lightness(grey)).max() < 0.01
    assert (whole[60, 60] == whole[60, 60].max()).tolist() == [True, False, False]


def test_only_a_kept_colour_is_let_through_and_it_can_be_turned():
    rgb = patches()
    red = {"colour": hex_of(RED), "reach": 0.05, "amount": 100.0}
    linear, lab, grey = seen(rgb, finish(kept={"colours": [red]}))
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    assert np.hypot(*lab[60, 60, 1:]) > 0.1
    assert np.abs(lab[60, 180, 1:]).max() < 1e-3
    kept, full = hue_and_chroma(lab[60, 60][None])
    for hue, strength in ((90.0, 100.0), (-120.0, 50.0)):
        other = {**red, "hue": hue, "strength": strength}
        _, turned, _ = seen(rgb, finish(kept={"colours": [other]}))
        now, chroma = hue_and_chroma(turned[60, 60][None])
        assert abs((now - kept - hue + 180) % 360 - 180) < 3
        if strength < 100:  # far from the end of the gamut
            assert chroma / turned[60, 60, 0] < 0.8 * full / lab[60, 60, 0]
    for off in ({**red, "on": False}, {**red, "amount": 0.0}):
        recipe = finish(kept={"colours": [off]})
        assert not recipe.coloured
        assert Pipeline(rgb).coloured(recipe).ndim == 2


def test_a_kept_colour_is_the_same_in_light_and_in_shade():
    rgb = patches()
    shade = np.concatenate([rgb, rgb / 8])  # three stops darker
    red = {"colour": hex_of(RED), "reach": 0.06, "amount": 100.0}
    _, lab, _ = seen(shade, finish(kept={"colours": [red]}))
    light, dark = (np.hypot(*lab[y, 60, 1:]) / lab[y, 60, 0] for y in (60, 180))
    assert dark > 0.75 * light
    for y in (60, 180):  # another colour is another one in the dark too
        assert np.hypot(*lab[y, 180, 1:]) < 0.05 * np.hypot(*lab[y, 60, 1:])


def test_kept_colour_lies_over_toning_and_under_dust_and_rim():
    rgb = np.broadcast_to(np.float32(RED), (400, 600, 3)).copy()
    toned = {"lights": {"hue": 276, "strength": 30}, "darks": {"hue": 276, "strength": 30}}
    half, _, _ = seen(rgb, finish(kept={"trace": 50}, toning=toned))
    alone, _, _ = seen(rgb, finish(toning=toned))
    whole, _, _ = seen(rgb, finish(kept={"trace": 100}, toning=toned))
    assert alone[200, 300, 2] > half[200, 300, 2] > whole[200, 300, 2]
    plain, _, _ = seen(rgb, finish(kept={"trace": 100}))
    assert np.abs(whole - plain).max() < 1e-3
    lying = {"border": {"uneven": {"width": 30}}, "dust": {"amount": 100, "size": 100}}
    under, lab, grey = seen(rgb, finish(kept={"trace": 100}, **lying))
    rim, dust = grey < 0.005, grey > 0.6
    assert rim.sum() > 500
    assert dust.sum() > 500
    assert np.hypot(lab[..., 1], lab[..., 2])[rim].max() < 0.02
    # the middle of a speck is covered by 85 %
    assert np.hypot(lab[..., 1], lab[..., 2])[grey > 0.75].max() < 0.08
    assert np.abs(under[200, 300] - plain[200, 300]).max() < 1e-3


def test_an_area_keeps_its_colour():
    rgb = patches()
    circle = {
        "kind": "ellipse",
        "how": "add",
        "centre": [0.2, 0.167],
        "radii": [0.1, 0.1],
        "feather": 10,
    }
    area = {
        "id": "a1",
        "mask": [circle],
        "values": {"kept": {"amount": 100, "hue": 40, "strength": 50}},
    }
    recipe = from_document({"areas": {"list": [area]}})
    assert recipe.coloured
    linear, lab, grey = seen(rgb, recipe)
    assert np.abs(lightness(luminance(linear)) - lightness(grey)).max() < 0.01
    assert np.hypot(*lab[60, 72, 1:]) > 0.04
    assert np.abs(lab[5, 10, 1:]).max() < 1e-3
    assert np.abs(lab[60, 180, 1:]).max() < 1e-3
    hue, _ = hue_and_chroma(lab[60, 72][None])
    own, _ = hue_and_chroma(oklab(rgb[60, 72].astype(float))[None])
    assert abs((hue - own - 40 + 180) % 360 - 180) < 3


def test_line_and_mat_enlarge_the_file_and_leave_the_picture():
    source = ArrayPicture(flat(0.5, (200, 300)))
    border = {"gap": 10, "line": 5, "line_grey": 20, "mat": 60, "mat_grey": 90, "base": 50}
    for dtype in (np.uint8, np.uint16):
        bare = render(source, finish(kept={"trace": 10}), dtype)
        made = render(source, finish(kept={"trace": 10}, border=border), dtype)
        gap, line, mat, foot = widths(finish(border=border).finish.border, 300, 200)
        assert (gap, line, mat, foot) == (3, 2, 18, 27)
        assert made.shape[:2] == (200 + 2 * 5 + 18 + 27, 300 + 2 * 23)
        assert np.array_equal(made[23:223, 23:323], bare)
        greys = star(made[..., 0] / np.iinfo(dtype).max)
        assert greys[5, 5] == pytest.approx(90, abs=0.3)
        assert greys[19, 150] == pytest.approx(20, abs=0.3)
        assert greys[21, 150] == pytest.approx(90, abs=0.3)
        assert greys[-1, 150] == pytest.approx(90, abs=0.3)
    thin = render(source, finish(border={"line": 0.1}), np.uint8)
    assert thin.shape == (202, 302)


def test_light_is_encoded_as_it_was():
    """What Finish leaves alone keeps every bit."""
    rgb = flat(0.5)
    assert Pipeline(rgb).encoded(finish(**{**PRINT, "on": False})) is not None
    plain = Pipeline(rgb).encoded(finish())
    assert np.array_equal(Pipeline(rgb).encoded(finish(on=False, **PRINT)), plain)
    assert float(plain[0, 0]) == pytest.approx(float(encode_srgb(rgb[0, 0, 0])), abs=1e-6)


def test_a_part_that_is_switched_off_is_as_if_at_rest_and_keeps_its_values():
    rgb = patches()
    plain = Pipeline(rgb).coloured(finish())
    off = {name: {**part, "on": False} for name, part in PRINT.items()}
    off["burned"]["left"] = {"amount": -40}
    recipe = finish(**off)
    assert np.array_equal(Pipeline(rgb).coloured(recipe), plain)
    assert recipe.finish.grain.amount == 40
    assert not recipe.effective().coloured
    for name in PRINT:  # each by itself
        alone = finish(**{other: part for other, part in PRINT.items() if other != name})
        one = finish(**{**PRINT, name: {**PRINT[name], "on": False}})
        assert np.array_equal(Pipeline(rgb).coloured(one), Pipeline(rgb).coloured(alone)), name
    off = finish(border={"mat": 40, "uneven": {"width": 20}, "on": False})
    alone = off.model_copy(update={"finish": off.finish.unmounted()})
    assert np.array_equal(Pipeline(rgb).coloured(alone), plain)
    mounted = finish(border={"mat": 40, "on": False})
    assert render(ArrayPicture(rgb), mounted).shape == (120, 360)


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
