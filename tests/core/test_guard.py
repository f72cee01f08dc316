"""The guard: less of the blocks of a JPEG, nothing lost where colour alone draws the picture."""

import io

import cv2
import numpy as np
import pytest
import skimage.data
from PIL import Image
from samples import DEMO, linear_of, of_scikit_learn

from oatmeal.core import mix
from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    hue_and_chroma,
    kernels,
    lightness,
    luminance,
    oklab,
)
from oatmeal.core.guard import Guarding
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline, Region, render
from oatmeal.core.recipe import Lifts, Mix, Recipe
from oatmeal.photofile import compression
from oatmeal.photofile.decode import SourcePicture, decode


def jpeg(codes, quality):
    """The codes after a JPEG with halved colour resolution (4:2:0)."""
    buffer = io.BytesIO()
    Image.fromarray(codes).save(buffer, "JPEG", quality=quality, subsampling=2)
    return np.asarray(Image.open(buffer))


def shown(codes, guard=0.0, **lifts):
    """Encoded grey under lifts, with a guard from 0 to 1."""
    rgb = linear_of(codes)
    analysis = mix.analyse(rgb, Guarding(guard) if guard else None)
    grey = mix.lifted(kernels.luminance(rgb), analysis, Mix(lifts=Lifts(**lifts)))
    return encode_srgb(np.minimum(grey, 1))


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


@pytest.mark.parametrize(("quality", "gain"), [(35, 3.0), (60, 4.5)])
def test_a_darkened_sky_behind_trees(quality, gain):
    codes, tree = sky_with_trees()
    ideal = shown(codes, blue=-2.5)
    coarse = jpeg(codes, quality)
    without, with_guard = shown(coarse, blue=-2.5), shown(coarse, 1.0, blue=-2.5)
    assert psnr(with_guard, ideal) >= psnr(without, ideal) + gain
    border = ((tree > 0.1) & (tree < 0.9)).astype(np.uint8)
    edge = cv2.dilate(border, np.ones((17, 17))) > 0
    errors = [np.abs(found - ideal)[edge].mean() for found in (without, with_guard)]
    assert errors[1] <= 0.65 * errors[0]


@pytest.mark.parametrize("quality", [35, 60])
def test_photographs_do_not_suffer(quality):
    """Open photographs that scikit-image and scikit-learn carry, blue and red moved by 2 stops."""
    pictures = [getattr(skimage.data, name)() for name in ("astronaut", "coffee", "chelsea")]
    pictures += [of_scikit_learn(name) for name in ("china.jpg", "flower.jpg")]
    for codes in pictures:
        coarse = jpeg(codes, quality)
        for lift in ({"blue": 2.0}, {"blue": -2.0}, {"red": 2.0}, {"red": -2.0}):
            ideal = shown(codes, **lift)
            loss = psnr(shown(coarse, **lift), ideal) - psnr(shown(coarse, 1.0, **lift), ideal)
            assert loss <= 0.2


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
    codes = np.clip(mixed + generator.normal(0, 4, (320, 480, 1)), 0, 255).round().astype(np.uint8)
    lifts = {"red": 1.2, "green": -1.2}
    for quality in (35, 60, 90):
        coarse = jpeg(codes, quality)
        ideal = shown(codes, **lifts)
        assert psnr(shown(coarse, 1.0, **lifts), ideal) >= psnr(shown(coarse, **lifts), ideal) - 1


@pytest.mark.parametrize("name", ["painted-wagon.jpg", "first-lift.jpg"])
def test_red_and_green_of_equal_light_stay_parted(name):
    """A guard that follows luminance alone would smear these into each other."""
    codes = np.asarray(Image.open(DEMO / name))
    hue, chroma = hue_and_chroma(oklab(decode_srgb(codes / 255)))
    red = (chroma > 0.1) & ((hue < 45) | (hue > 350))
    green = (chroma > 0.07) & (hue > 110) & (hue < 165)
    coarse = jpeg(codes, 50)

    def distance(guard):
        star = lightness(decode_srgb(shown(coarse, guard, red=1.2, green=-1.2)))
        return star[red].mean() - star[green].mean()

    assert distance(1.0) == pytest.approx(distance(0.0), rel=0.10)


def test_auto_reads_the_files_own_tables(tmp_path):
    """The Independent JPEG Group's scale of quality, as Pillow writes it; PNG is never touched."""
    codes = sky_with_trees(64, 96)[0]
    strengths = {}
    for quality in (35, 50, 75, 88, 90, 92, 95, 100):
        path = tmp_path / f"{quality}.jpg"
        Image.fromarray(codes).save(path, quality=quality)
        assert compression.chroma_quality(path) == pytest.approx(quality, abs=1.7)
        strengths[quality] = decode(path).auto_guard
    assert strengths[35] == strengths[75] == strengths[88] == 1
    assert 0 < strengths[90] < 1
    assert strengths[92] == strengths[100] == 0
    Image.fromarray(codes).save(tmp_path / "clean.png")
    clean = decode(tmp_path / "clean.png")
    assert clean.auto_guard == 0
    lifted = Recipe(mix=Mix(lifts=Lifts(blue=-2.0)))
    unguarded = Recipe(mix=Mix(lifts=Lifts(blue=-2.0), guard=0.0))
    assert np.array_equal(render(clean, lifted), render(clean, unguarded))
    Image.fromarray(codes[..., 0]).save(tmp_path / "grey.jpg", quality=40)
    assert decode(tmp_path / "grey.jpg").auto_guard == 0


def test_a_guarded_region_equals_that_region_of_the_whole():
    codes = jpeg(sky_with_trees(301, 403)[0], 40)
    table = decode_srgb(np.arange(256) / 255).astype(np.float32)
    picture = SourcePicture(codes, table, auto_guard=1.0)
    recipe = Recipe(mix=Mix(lifts=Lifts(blue=-2.5, cyan=1.0)))
    whole = (
        Pipeline(ArrayPicture(picture.linear(0, 0, 403, 301), auto_guard=1.0))
        .codes(recipe)
        .astype(int)
    )
    for x, y, width, height in ((0, 0, 60, 50), (101, 77, 120, 90), (333, 251, 70, 50)):
        part = Region(picture, (x, y, width, height), recipe).codes(recipe).astype(int)
        assert np.abs(part - whole[y : y + height, x : x + width]).max() <= 1
    assert np.abs(render(picture, recipe).astype(int) - whole).max() <= 1
    off = Recipe(mix=Mix(lifts=Lifts(blue=-2.5, cyan=1.0), guard=0.0))
    assert np.abs(render(picture, off).astype(int) - whole).max() > 10
