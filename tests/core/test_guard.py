"""The guard: what a file's colour can be trusted with, and nothing that breaks up."""

import io

import cv2
import numpy as np
import pytest
import skimage.data
from PIL import Image
from samples import DEMO, codes, linear_of, of_scikit_learn, write_dng

from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    hue_and_chroma,
    lightness,
    luminance,
    oklab,
)
from oatmeal.core.guard import Settling
from oatmeal.core.guard.measuring import held_stops, holds, measured, trust_of
from oatmeal.core.picture import ArrayPicture, framed
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.prepare import geometry
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.trust import FINE, Trust
from oatmeal.photofile.decode import SourcePicture, decode

RECIPES = {
    "lift": {"lifts": {"blue": -2.5}},
    "red filter": {"base": {"kind": "film", "filter": "red"}},
    "channels": {"base": {"kind": "channels", "red": 120, "green": 60, "blue": -80}},
    "six": {"base": {"kind": "six", "blue": -60, "cyan": -40}},
}


def saved(codes, quality, subsampling=2, **more):
    """The codes after a JPEG, with halved colour resolution (4:2:0) unless said otherwise."""
    buffer = io.BytesIO()
    Image.fromarray(codes).save(buffer, "JPEG", quality=quality, subsampling=subsampling, **more)
    return np.asarray(Image.open(buffer))


def in_format(codes, form, **more):
    buffer = io.BytesIO()
    Image.fromarray(codes).save(buffer, form, **more)
    return np.asarray(Image.open(buffer).convert("RGB"))


def of_codes(codes):
    """A file with these codes."""
    table = decode_srgb(np.arange(256) / 255).astype(np.float32)
    return SourcePicture(np.ascontiguousarray(codes), table)


def grey(codes, mix, guard="auto"):
    """What is printed of a file, encoded."""
    recipe = from_document({"mix": {**mix, "guard": guard}})
    return render(of_codes(codes), recipe, np.float32)


def psnr(one, other):
    return float(-10 * np.log10(((one - other) ** 2).mean()))


def sky_with_trees(height=720, width=1080, seed=1):
    """A blue gradient with branching dark trees against it; and how much of each pixel is tree."""
    generator = np.random.default_rng(seed)
    down = np.linspace(0, 1, height)[:, None, None]
    sky = np.array([60, 110, 190]) * (1 - down) + np.array([170, 195, 225]) * down
    sky = sky + generator.normal(0, 1.5, (height, width, 1))
    drawn = np.zeros((2 * height, 2 * width), np.uint8)

    def branch(x, y, angle, length, thickness):
        if length < 8 or thickness < 0.5:
            return
        end = x + length * np.cos(angle), y - length * np.sin(angle)
        points = [(int(2 * px), int(2 * py)) for px, py in ((x, y), end)]
        cv2.line(drawn, *points, 255, max(1, int(2 * thickness)), cv2.LINE_AA)
        for _ in range(generator.integers(2, 4)):
            turn, shorter = generator.normal(0, 0.5), generator.uniform(0.6, 0.85)
            branch(*end, angle + turn, length * shorter, thickness * 0.62)

    for x in np.linspace(80, width - 80, 6):
        branch(x + generator.normal(0, 30), height, np.pi / 2, generator.uniform(90, 150), 11)
    tree = cv2.resize(drawn, (width, height), interpolation=cv2.INTER_AREA)[..., None] / 255
    bark = np.array([28, 26, 20]) + generator.normal(0, 4, (height, width, 1))
    codes = np.clip(sky * (1 - tree) + bark * tree, 0, 255).round().astype(np.uint8)
    return codes, tree[..., 0]


def photographs():
    """Open photographs that scikit-image and scikit-learn carry."""
    pictures = {name: getattr(skimage.data, name)() for name in ("astronaut", "coffee", "chelsea")}
    return pictures | {name: of_scikit_learn(f"{name}.jpg") for name in ("china", "flower")}


def reduced_truth(codes, by=2):
    """A photograph whose own faults have averaged out."""
    height, width = codes.shape[:2]
    return cv2.resize(codes, (width // by, height // by), interpolation=cv2.INTER_AREA)


def test_the_luminance_of_every_pixel_is_kept_and_no_colour_leaves_its_bounds():
    for coded in (saved(sky_with_trees()[0], 40), codes(149, 211, 16).astype(np.uint8)):
        rgb = linear_of(coded)
        for trust in (Trust(), Trust(coarse=1.0, narrow=1.0), Trust(told=False)):
            made = Settling(trust).colour(rgb)
            assert np.abs(luminance(made) - luminance(rgb)).max() < 1e-6
            assert made.max() <= 1.25 + 1e-5
            assert made.min() > -1e-5
    assert Settling(FINE).colour(rgb) is rgb
    beyond = np.ascontiguousarray(linear_of(coded) * np.float32(3) - np.float32(0.05))
    made = Settling(Trust(coarse=1.0, narrow=1.0)).colour(beyond)
    low = luminance(beyond) > 0
    assert np.abs(luminance(made) - luminance(beyond))[low].max() < 1e-5


@pytest.mark.parametrize("scale", [1.0, 0.8, 0.5, 0.3])
@pytest.mark.parametrize("trust", [Trust(coarse=0.9, narrow=1.0), Trust(coarse=0.3), Trust()])
def test_a_part_is_exactly_that_part_of_the_whole(trust, scale):
    coded = saved(sky_with_trees(301, 403)[0], 40)
    picture = ArrayPicture(linear_of(coded), scale=scale, trust_of_file=lambda: trust)
    recipe = from_document({"mix": RECIPES["lift"]})
    whole = Pipeline(picture).get("settled", recipe)
    assert not np.array_equal(whole, picture.rgb_linear)
    for x, y, width, height in ((0, 0, 60, 50), (101, 77, 120, 90), (333, 251, 70, 50)):
        part = Region(picture, (x, y, width, height), recipe, last="settled")
        found = part.cut(part.pipeline.get("settled", recipe))
        assert np.array_equal(found, whole[y : y + height, x : x + width])


def test_exports_regions_and_the_bench_agree():
    coded = saved(sky_with_trees(301, 403)[0], 40)
    recipe = from_document({"mix": RECIPES["lift"], "prepare": {"frame": {"angle": 3}}})
    picture = of_codes(coded)
    exported = render(picture, recipe, np.float32)
    view = framed(picture, geometry(recipe.effective()))
    part = Region(view, (60, 50, 150, 120), recipe).encoded(recipe)
    assert np.abs(part - exported[50:170, 60:210]).max() < 1 / 255
    off = from_document({"mix": {**RECIPES["lift"], "guard": 0}})
    assert np.abs(render(picture, off, np.float32) - grey(coded, RECIPES["lift"])).max() > 10 / 255


@pytest.mark.parametrize(("quality", "gain"), [(40, 3.0), (75, 1.0)])
def test_a_darkened_sky_behind_trees(quality, gain):
    coded, tree = sky_with_trees()
    ideal = grey(coded, RECIPES["lift"], 0)
    coarse = saved(coded, quality)
    without, held = (grey(coarse, RECIPES["lift"], guard) for guard in (0, "auto"))
    assert psnr(held, ideal) >= psnr(without, ideal) + gain
    border = ((tree > 0.1) & (tree < 0.9)).astype(np.uint8)
    edge = cv2.dilate(border, np.ones((17, 17))) > 0
    errors = [np.abs(found - ideal)[edge].mean() for found in (without, held)]
    assert errors[1] <= 0.9 * errors[0]


@pytest.mark.parametrize("name", RECIPES)
def test_no_recipe_draws_the_blocks_of_an_ordinary_jpeg(name):
    """scikit-learn's china.jpg, in its sky: steps at block borders against the plain conversion."""
    coded = of_scikit_learn("china.jpg")

    def steps(made):
        return 255 * np.abs(np.diff(made[:70, :200], axis=1))[:, 7::8].mean()

    plain = steps(grey(coded, {}))
    assert steps(grey(coded, RECIPES[name])) <= 1.1 * plain
    if name == "lift":
        assert steps(grey(coded, RECIPES[name], 0)) > 1.4 * plain


def test_threads_draw_no_blocks_either():
    """Blue led away, strengthened and darkened in the colour picture, in china.jpg's sky."""
    coded = of_scikit_learn("china.jpg")
    blue = {"prepare": {"threads": {"blue": {"hue": 15, "strength": 180, "bright": -1.5}}}}

    def steps(document, guard):
        made = render(
            of_codes(coded), from_document({**document, "mix": {"guard": guard}}), np.float32
        )
        return 255 * np.abs(np.diff(made[:70, :200], axis=1))[:, 7::8].mean()

    plain = steps({}, 0)
    assert steps(blue, "auto") <= 1.1 * plain
    assert steps(blue, 0) > steps(blue, "auto")


def test_colour_of_a_raw_file_is_as_fine_as_its_light(tmp_path):
    """A mosaic of scikit-image's coffee, developed: nothing was compressed."""
    light = decode_srgb(skimage.data.coffee() / 255)
    found = decode(write_dng(tmp_path / "a.dng", light)).trust()
    assert not found.settles
    assert found.wanted("auto").coarse == 0


@pytest.mark.parametrize(
    ("form", "more"),
    [
        ("JPEG", {"quality": 75, "subsampling": 2}), ("JPEG", {"quality": 92, "subsampling": 2}),
        ("JPEG", {"quality": 85, "subsampling": 0}), ("WEBP", {"quality": 85}),
        ("AVIF", {"quality": 70}),
    ],
)  # fmt: skip
def test_photographs_become_truer_in_every_format(form, more):
    gains = []
    for name, coded in photographs().items():
        if name == "china":
            continue  # reduced by half it still has its own faults, and is no truth
        truth = reduced_truth(coded)
        made = in_format(truth, form, **more)
        for mix in RECIPES.values():
            ideal = grey(truth, mix, 0)
            gains.append(psnr(grey(made, mix), ideal) - psnr(grey(made, mix, 0), ideal))
    assert np.mean(gains) > (0.3 if more.get("subsampling") == 2 else 0.05)
    assert min(gains) > -0.25


def before_edges(codes, mix, guard="auto"):
    """The lifted grey, encoded, before pixels that edges cross are lifted as mixtures."""
    recipe = from_document({"mix": {**mix, "guard": guard}})
    return encode_srgb(np.clip(Pipeline(of_codes(codes)).get("lifted", recipe), 0, 1))


def test_clean_files_hardly_change():
    """99 of 100 pixels of a clean picture within 2 codes; what is deeper than 8 bits not at all."""
    for coded in (codes(149, 211, 16).astype(np.uint8), skimage.data.astronaut()):
        for mix in RECIPES.values():
            apart = np.abs(before_edges(coded, mix) - before_edges(coded, mix, 0))
            assert 255 * np.quantile(apart, 0.99) <= 2.5
    deep = of_codes(skimage.data.astronaut())
    deep.codes = deep.codes.astype(np.uint16) * 257
    deep.tables = decode_srgb(np.arange(65536) / 65535).astype(np.float32)
    assert deep.trust() == FINE
    recipe = from_document({"mix": RECIPES["lift"]})
    off = from_document({"mix": {**RECIPES["lift"], "guard": 0}})
    lifted = [Pipeline(deep).get("lifted", one) for one in (recipe, off)]
    assert np.array_equal(*lifted)


def test_texture_of_colour_alone_is_kept():
    """A field of poppies that are exactly as bright as the grass."""
    generator = np.random.default_rng(3)
    flowers = np.zeros((320, 480), np.float32)
    for _ in range(1200):
        centre = int(generator.integers(0, 480)), int(generator.integers(0, 320))
        cv2.circle(flowers, centre, int(generator.integers(2, 6)), 1.0, -1, cv2.LINE_AA)
    red, green = np.array([178, 52, 44.0]), decode_srgb(np.array([38, 108, 40]) / 255)
    green = encode_srgb(green * luminance(decode_srgb(red / 255)) / luminance(green)) * 255
    mixed = flowers[..., None] * red + (1 - flowers[..., None]) * green
    field = np.clip(mixed + generator.normal(0, 4, (320, 480, 1)), 0, 255).round().astype(np.uint8)
    mix = {"lifts": {"red": 1.2, "green": -1.2}}
    for quality in (60, 90):
        coarse = saved(field, quality)
        ideal = grey(field, mix, 0)
        assert psnr(grey(coarse, mix), ideal) >= psnr(grey(coarse, mix, 0), ideal) - 1.2


@pytest.mark.parametrize("name", ["painted-wagon.jpg", "first-lift.jpg"])
def test_red_and_green_of_equal_light_stay_parted(name):
    """A guard that follows light alone would smear these into each other."""
    whole = np.asarray(Image.open(DEMO / name))
    hue, chroma = hue_and_chroma(oklab(decode_srgb(whole / 255)))
    red = (chroma > 0.1) & ((hue < 45) | (hue > 350))
    green = (chroma > 0.07) & (hue > 110) & (hue < 165)
    coarse = saved(whole, 50)

    def distance(guard):
        star = lightness(decode_srgb(grey(coarse, {"lifts": {"red": 1.2, "green": -1.2}}, guard)))
        return star[red].mean() - star[green].mean()

    assert distance("auto") == pytest.approx(distance(0), rel=0.1)


def test_trust_is_told_from_pixels_and_not_from_tables():
    """Of photographs as they are, compressed once and twice, with colour of half the size."""

    def told(make):
        found = [trust_of([make(reduced_truth(one)).astype(float)]) for one in truths]
        return [
            float(np.median([getattr(one, key) for one in found])) for key in ("coarse", "narrow")
        ]

    truths = [one for name, one in photographs().items() if name != "flower"]
    clean = told(lambda one: one)
    once = told(lambda one: saved(one, 75))
    twice = told(lambda one: saved(saved(one, 75), 96, 0))
    half = told(lambda one: saved(one, 92))
    assert clean[0] < 0.1
    assert once[0] > 0.4
    assert twice[0] == pytest.approx(once[0], abs=0.15)  # its second tables say that it is clean
    assert half[1] > 0.7
    assert once[1] > 0.7
    grey_ = np.repeat(skimage.data.camera()[..., None], 3, axis=2).astype(float)
    assert not trust_of([grey_]).told
    assert of_codes(skimage.data.camera()[..., None]).trust() == FINE


def test_a_range_holds_as_much_as_its_faults_leave():
    """china.jpg breaks up where its sky is moved by more than about two stops."""
    china = of_codes(of_scikit_learn("china.jpg"))
    size = (china.width, china.height)
    told = held_stops(china.trust(), china.linear, *size)
    assert 1.5 < told["blue"] < 2.6
    assert "purple" not in told  # there is none
    clean = of_codes(skimage.data.astronaut())
    assert held_stops(clean.trust(), clean.linear, 512, 512) == {}
    settled = Settling(china.trust()).colour(china.linear(0, 0, *size))
    # what is settled has hardly anything left to take
    assert "blue" not in holds([settled], china.trust())


def test_a_percentage_says_how_coarse_colour_is_taken_to_be():
    known = Trust(coarse=0.2, narrow=0.7, told=False)
    assert known.wanted("auto") is known
    assert known.wanted(80.0) == Trust(coarse=0.8, narrow=0.7)
    assert not known.wanted(0).settles
    assert FINE.wanted(50.0).settles
    assert Trust(coarse=1.0).floor == pytest.approx(2 / 255)
    assert Trust(coarse=1.0).step == 4


def test_what_depends_on_light_alone_has_nothing_to_settle():
    picture = of_codes(saved(sky_with_trees(90, 120)[0], 40))
    work = Pipeline(picture)
    by_light = from_document(
        {"tone": {"contrast": 40, "clarity": 50}, "finish": {"glow": {"amount": 30}}}
    )
    assert work.get("settled", by_light) is work.source
    for more in (
        {"mix": {"lifts": {"red": 1}}}, {"prepare": {"light": {"warmth": 20}}},
        {"prepare": {"threads": {"red": {"hue": 10}}}}, {"finish": {"kept": {"trace": 20}}},
        {"mix": {"base": {"kind": "six"}}},
    ):  # fmt: skip
        assert work.get("settled", from_document(more)) is not work.source
    assert np.array_equal(
        Pipeline(picture).encoded(REST), Pipeline(picture.linear(0, 0, 120, 90)).encoded(REST)
    )


def test_a_small_copy_does_not_ask_what_its_file_is_like():
    """Pictures of a whole sheet are drawn without a look into their files."""

    def asked():
        raise AssertionError("the file was asked")

    rgb = linear_of(saved(sky_with_trees(90, 120)[0], 40))
    recipe = from_document({"mix": RECIPES["lift"], "tone": {"hold_ends": True}})
    small = ArrayPicture(rgb, scale=0.2, trust_of_file=asked)
    plain = ArrayPicture(rgb, scale=0.2)
    assert np.array_equal(Pipeline(small).codes(recipe), Pipeline(plain).codes(recipe))
    with pytest.raises(AssertionError, match="asked"):
        Pipeline(ArrayPicture(rgb, scale=0.5, trust_of_file=asked)).codes(recipe)


def test_held_ends_make_no_room_for_light_that_settling_keeps():
    """Lifts move the luminance, which is kept; what is made of channels may become brighter."""
    picture = of_codes(saved(sky_with_trees(90, 120)[0], 40))

    def peak(mix, guard):
        document = {"mix": {**mix, "guard": guard}, "tone": {"hold_ends": True}}
        return Pipeline(picture).get("peak", from_document(document))

    for mix in ({}, {"lifts": {"blue": -2, "red": 1}}):
        assert peak(mix, "auto") == peak(mix, 0)
    assert peak(RECIPES["channels"], "auto") > peak(RECIPES["channels"], 0)


def test_files_tell_their_trust_once_and_a_copy_has_its_file_s(tmp_path):
    path = tmp_path / "a.jpg"
    Image.fromarray(sky_with_trees(300, 400)[0]).save(path, quality=60)
    picture = decode(path)
    assert picture.trust() is picture.trust()
    assert picture.trust() == measured(picture.linear, picture.width, picture.height)
    assert picture.trust().settles
