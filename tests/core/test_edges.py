"""Coloured lines at strong edges: gone where the lens made them, left where things are coloured."""

import cv2
import numpy as np
import pytest
from samples import DEMO, linear_of

from oatmeal.core import colour
from oatmeal.core.colour import decode_srgb
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, render
from oatmeal.core.pipeline.render import small_of
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.seeing.sidefringes import find_side_fringes


def freeing(**settings):
    return from_document({"prepare": {"edge_colour": settings}})


def freed(rgb, **settings):
    return Pipeline(rgb).get("freed", freeing(**settings))


def chroma_off(one, other):
    return np.linalg.norm(
        (colour.oklab(np.maximum(one, 0)) - colour.oklab(np.maximum(other, 0)))[..., 1:], axis=-1
    )


def branches(tint=(1.0, 1.0, 1.0)):
    """Dark bars before a bright sky, as they are, and with a glow of purple in what is dark."""
    light = np.full((360, 540), 0.8, np.float32)
    for x in range(60, 540, 90):
        light[40:320, x : x + 34] = 0.03
    truth = (cv2.GaussianBlur(light, (0, 0), 0.7)[..., None] * tint).astype(np.float32)
    bright = (light > 0.5).astype(np.float32)
    glow = cv2.GaussianBlur(bright, (0, 0), 1.6) * (1 - bright)
    glowing = truth.copy()
    glowing[..., 0] += 0.16 * glow
    glowing[..., 2] += 0.32 * glow
    return truth, glowing


@pytest.mark.parametrize("tint", [(1.0, 1.0, 1.0), (1.0, 0.9, 0.7)])
def test_a_purple_line_is_drawn_to_what_is_round_it(tint):
    truth, glowing = branches(tint)
    lines = chroma_off(glowing, truth) > 0.02
    assert lines.mean() > 0.02
    after = freed(glowing, purple=100, width=0.8)
    left = chroma_off(after, truth)[lines].mean() / chroma_off(glowing, truth)[lines].mean()
    assert left < 0.2
    # green light told what belonged there, so that it stays as it was
    assert np.abs(after[..., 1] - glowing[..., 1]).max() < 0.01
    blue = np.abs(after[..., 2] - truth[..., 2])[lines].mean()
    assert blue < 0.2 * np.abs(glowing[..., 2] - truth[..., 2])[lines].mean()


def test_no_dark_outline_is_left_behind_a_blue_mix():
    """The fault that it is for: a line that becomes a light or dark outline in the grey."""
    truth, glowing = branches()
    blue = {"mix": {"base": {"kind": "channels", "red": 0, "green": 0, "blue": 100}}}
    recipe = from_document({"prepare": {"edge_colour": {"purple": 100, "width": 0.8}}, **blue})
    wanted = Pipeline(truth).encoded(from_document(blue))
    before = np.abs(Pipeline(glowing).encoded(from_document(blue)) - wanted)
    after = np.abs(Pipeline(glowing).encoded(recipe) - wanted)
    assert after.mean() < 0.25 * before.mean()


def test_half_the_amount_takes_about_half_and_each_hue_has_its_own():
    truth, glowing = branches()
    lines = chroma_off(glowing, truth) > 0.02
    errors = [
        chroma_off(freed(glowing, purple=amount, width=0.8), truth)[lines].mean()
        for amount in (0, 50, 100)
    ]
    assert errors[2] < errors[1] < errors[0]
    assert errors[1] == pytest.approx((errors[0] + errors[2]) / 2, rel=0.3)
    assert chroma_off(freed(glowing, green=100, width=0.8), glowing).max() < 0.02
    green = glowing[..., [1, 2, 0]]  # what was purple is green now
    assert chroma_off(freed(green, green=100, width=0.8), truth)[lines].mean() < 0.6 * errors[0]


def test_a_purple_thing_stays():
    sky = np.full((360, 540, 3), 0.8, np.float32)
    sky[120:240, 180:360] = decode_srgb(np.array([120, 60, 160]) / 255)
    thing = cv2.GaussianBlur(sky, (0, 0), 0.7)
    touched = chroma_off(freed(thing, purple=100, width=0.8), thing) > 0.02
    assert touched[120:240, 180:360].mean() < 0.02


def test_a_purple_band_that_is_wider_than_an_edge_stays():
    sky = np.full((360, 540, 3), 0.8, np.float32)
    sky[:, 180:196] = decode_srgb(np.array([120, 60, 160]) / 255)
    band = cv2.GaussianBlur(sky, (0, 0), 0.7)
    touched = chroma_off(freed(band, purple=100, width=0.8), band) > 0.02
    assert touched[:, 180:196].mean() < 0.05
    thin = np.full((360, 540, 3), 0.8, np.float32)
    thin[:, 180:183] = decode_srgb(np.array([120, 60, 160]) / 255)
    thin = cv2.GaussianBlur(thin, (0, 0), 0.7)
    assert (chroma_off(freed(thin, purple=100, width=0.8), thin) > 0.02)[:, 180:183].mean() > 0.5


@pytest.mark.parametrize("codes", [(176, 28, 24), (165, 20, 50), (220, 120, 140), (180, 80, 90)])
def test_no_notches_are_bitten_into_red_paint(codes):
    """Bars and letters of red, crimson and pink before light and dark, with the widest edge."""
    paint = decode_srgb(np.array(codes) / 255)
    sky = np.full((400, 1600, 3), 0.85, np.float32)
    sky[200:] = 0.02
    for place, width in enumerate((4, 8, 12, 20, 40)):
        sky[60:340, 60 + 120 * place : 60 + 120 * place + width] = paint
    sky[60:340, 800:1200] = paint
    for place in range(8):
        sky[80:320, 820 + 40 * place : 832 + 40 * place] = 0.02
    sky = cv2.GaussianBlur(sky, (0, 0), 0.7)
    after = freed(sky, purple=100, width=1.0)
    light = [colour.lightness(np.clip(colour.luminance(one), 0, 1)) for one in (sky, after)]
    assert np.abs(light[1] - light[0]).max() < 1


def test_a_fringe_as_wide_as_a_hundredth_of_the_side_is_reached():
    light = np.full((600, 1600), 0.85, np.float32)
    for x in range(100, 1600, 260):
        light[60:540, x : x + 130] = 0.02
    truth = np.repeat(cv2.GaussianBlur(light, (0, 0), 0.8)[..., None], 3, axis=2)
    bright = (truth[..., 1] > 0.4).astype(np.float32)
    glow = cv2.GaussianBlur(bright, (0, 0), 16 / 2.5) * (1 - bright)
    glowing = truth + glow[..., None] * np.array([0.12, 0, 0.3], np.float32)
    lines = chroma_off(glowing, truth) > 0.02
    left = chroma_off(freed(glowing, purple=100, width=1.0), truth)[lines].mean()
    assert left < 0.1 * chroma_off(glowing, truth)[lines].mean()


def test_at_rest_the_very_array_is_handed_on_and_without_contrast_nothing_moves():
    _, glowing = branches()
    work = Pipeline(glowing)
    assert work.get("freed", REST) is work.source
    assert work.get("freed", freeing(width=0.8)) is work.source
    faint = (0.3 + 0.05 * glowing).astype(np.float32)
    assert np.abs(freed(faint, purple=100, width=0.8) - faint).max() < 1e-6


def test_what_is_wider_than_an_edge_is_no_edge():
    truth, glowing = branches()
    lines = chroma_off(glowing, truth) > 0.02
    left = [
        chroma_off(freed(glowing, purple=100, width=width), truth)[lines].mean()
        for width in (0.2, 0.8)
    ]
    assert left[1] < 0.8 * left[0]


@pytest.mark.parametrize("size", [100, 30])
def test_an_edge_is_as_wide_in_a_crop_as_in_the_whole(size):
    """Its width is a share of the picture as it was taken, not of what is left of it."""
    side = np.full((600, 1600, 3), 0.9, np.float32)
    side[:, 800:] = 0.02
    side[:, 794:800] = decode_srgb(np.array([150, 70, 210]) / 255)
    side = cv2.GaussianBlur(side, (0, 0), 1.0)
    document = {"frame": {"size": size}, "edge_colour": {"purple": 100, "width": 0.8}}
    free = render(ArrayPicture(side), from_document({"prepare": document}), colour=True)
    left = np.ptp(free.astype(int), axis=2)
    assert left.max() < 40


def test_a_part_alone_is_that_part_of_the_whole():
    _, glowing = branches()
    source, recipe = ArrayPicture(glowing), freeing(purple=90, green=40)
    whole = render(source, recipe, np.uint16).astype(int)
    part = Region(source, (101, 55, 220, 160), recipe, small_of(source, WHOLE_SIDE))
    assert np.abs(part.codes(recipe, np.uint16).astype(int) - whole[55:215, 101:321]).max() <= 1


def scaled(plane, factor):
    height, width = plane.shape
    middle = (width - 1) / 2, (height - 1) / 2
    matrix = np.array(
        [[factor, 0, middle[0] * (1 - factor)], [0, factor, middle[1] * (1 - factor)]]
    )
    return cv2.warpAffine(
        plane, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )


def test_side_fringes_are_measured_to_a_fraction_of_a_pixel():
    codes = cv2.imread(str(DEMO / "bunting.jpg"), cv2.IMREAD_COLOR)[..., ::-1]
    light = linear_of(codes)
    grey = np.repeat(light[..., 1:2], 3, axis=2).copy()
    corner = np.hypot(*grey.shape[:2]) / 2
    none = find_side_fringes(ArrayPicture(grey))
    assert none.red == none.blue == 0
    assert "no side fringes" in none.words
    grey[..., 0] = scaled(grey[..., 0], 1 + 1.5 / corner)
    grey[..., 2] = scaled(grey[..., 2], 1 - 1.5 / corner)
    found = find_side_fringes(ArrayPicture(grey))
    assert found.red * corner / 100 == pytest.approx(1.5, abs=0.15)
    assert found.blue * corner / 100 == pytest.approx(-1.5, abs=0.15)
    assert "red 1.5 px outside green" in found.words
    even = find_side_fringes(ArrayPicture(np.full((600, 900, 3), 0.3, np.float32)))
    assert even.red is None
    assert "does not tell" in even.words
