"""The step Prepare: the light, on its field, in the picture, typed and found."""

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench, write_dng
from sittings import Sitting

from oatmeal.core.colour import kernels
from oatmeal.core.picture import proxy, reduced
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.core.recipe import REST
from oatmeal.photofile.decode import decode

MUGS = DEMO / "mugs-on-the-stall.jpg"

#: A pale square of the tablecloth in shadow, in shares of the picture.
CLOTH = (0.3, 0.9)

lights = Sitting("r")


@pytest.fixture
def prepare(desk, page):
    desk.begin(MUGS)
    page.get_by_role("tab", name="Prepare").click()
    page.get_by_role("button", name="Light", exact=True).click()
    desk.settled()
    return desk


def light(desk):
    return desk.recipe().prepare.light


def prepared(desk, side):
    """What the core makes of the stored recipe, 8-bit codes."""
    return kernels.display(Pipeline(on_the_bench(decode(MUGS), side)).prepared(desk.recipe()))


def green(desk):
    canvas = desk.canvas()
    return canvas["green"], max(canvas["width"], canvas["height"])


@lights.part
def the_colour_picture_is_shown_as_it_is_prepared(prepare, page):
    shown, side = green(prepare)
    assert np.abs(shown - prepared(prepare, side)[..., 1]).max() <= 2
    prepare.drag(page.get_by_role("slider", name="light: warmth"), 60, -8)
    found = light(prepare)
    assert 60 < found.warmth < 100
    assert 10 < found.tint < 60
    shown, side = green(prepare)
    assert np.abs(shown - prepared(prepare, side)[..., 1]).max() <= 2
    said = page.get_by_role("button", name="Undo").get_attribute("title")
    assert said.startswith(f"Undo: light's warmth 0 → {found.warmth:g} mired, light's green 0 →")
    page.get_by_role("button", name="Undo").click()
    prepare.settled()
    assert light(prepare) == REST.prepare.light
    page.get_by_role("button", name="grey", exact=True).click()
    prepare.settled()
    greys = Pipeline(on_the_bench(decode(MUGS), side)).codes(REST)
    assert np.abs(green(prepare)[0] - greys).max() <= 2
    page.get_by_role("button", name="colour", exact=True).click()


@lights.part
def neutral_here_makes_what_is_clicked_grey(prepare, page):
    page.get_by_role("button", name="neutral here").click()
    page.mouse.click(*prepare.at(*CLOTH))
    prepare.settled()
    assert np.ptp(prepare.pixel(*CLOTH)) <= 4
    assert light(prepare).warmth > 10
    expect(page.locator(".toastline")).to_contain_text("This place is neutral now: light of")


@lights.part
def a_place_that_cannot_be_grey_is_refused_and_nothing_changes(prepare, page, quiet):
    quiet.expected = ("422",)
    page.get_by_role("button", name="neutral here").click()
    page.mouse.click(*prepare.at(0.62, 0.1))  # the red pennant
    expect(page.locator(".toastline")).to_contain_text("more colourful than any light")
    prepare.settled()
    assert light(prepare) == REST.prepare.light


@lights.part
def dragging_on_the_picture_moves_the_light(prepare, page):
    x, y = prepare.at(0.5, 0.5)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=5)
    page.mouse.move(x + 120, y + 40, steps=5)
    page.mouse.up()
    prepare.settled()
    assert light(prepare).warmth == pytest.approx(60, abs=2)
    assert light(prepare).tint == pytest.approx(-20, abs=2)


@lights.part
def keys_typing_and_rest(prepare, page):
    page.get_by_role("slider", name="light: warmth").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowUp")
    prepare.settled()
    assert (light(prepare).warmth, light(prepare).tint) == (10, 10)
    page.get_by_label("light's warmth, -95 to 350").fill("400")
    page.keyboard.press("Enter")
    expect(page.locator(".toastline")).to_contain_text("350 was taken")
    page.get_by_label("colour shadows, -100 to 100", exact=True).first.fill("30")
    page.keyboard.press("Enter")
    prepare.settled()
    assert light(prepare).shadows == 30
    page.get_by_role("slider", name="light: warmth").focus()
    page.keyboard.press("Delete")
    prepare.settled()
    assert (light(prepare).warmth, light(prepare).tint, light(prepare).shadows) == (0, 0, 30)
    page.get_by_role("button", name="Reset", exact=True).click()
    prepare.settled()
    assert light(prepare) == REST.prepare.light


def test_begin_says_what_it_did_and_is_one_undo(desk, page):
    desk.begin(DEMO / "painted-wagon.jpg")
    page.keyboard.press("r")
    page.get_by_role("button", name="Light", exact=True).click()
    page.get_by_role("button", name="Begin").click()
    expect(page.locator(".toastline")).to_contain_text(
        "Begin: 0.35 stops more, since its middle is"
    )
    desk.settled()
    assert light(desk).exposure == 0.35
    page.locator(".toastline").get_by_role("button", name="Undo").click()
    desk.settled()
    assert light(desk) == REST.prepare.light


@lights.part
def find_does_nothing_where_the_picture_does_not_tell(prepare, page):
    page.get_by_role("button", name="Find").click()
    expect(page.locator(".toastline")).to_contain_text("does not tell its light for sure")
    prepare.settled()
    assert light(prepare) == REST.prepare.light


@lights.part
def plain_follows_and_the_file_holds_what_was_seen(prepare, page):
    page.get_by_label("colour exposure, -5 to 5 stops", exact=True).first.fill("-1")
    page.keyboard.press("Enter")
    prepare.settled()
    page.get_by_role("tab", name="Mix").click()
    prepare.settled()
    page.keyboard.down("p")
    shown, side = green(prepare)
    page.keyboard.up("p")
    plain = Pipeline(on_the_bench(decode(MUGS), side)).codes(prepare.recipe().plain())
    assert np.abs(shown - plain).max() <= 2
    page.get_by_role("button", name="Export").click()
    page.get_by_role("button", name="TIFF").click()
    page.get_by_role("button", name="16 bits").click()
    page.wait_for_function(
        "() => document.querySelector('.bench')._x_dataStack[0].output.exportReady"
    )
    expect(page.locator(".result")).to_contain_text("16-bit grey")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download").click()
    content = decode(download.value.path(), "a.tif").codes[..., 0]
    assert np.array_equal(content, render(decode(MUGS), prepare.recipe(), np.uint16))


@lights.part
def without_the_step_and_the_meter_and_the_test_strip(prepare, page):
    page.get_by_label("light's warmth, -95 to 350").fill("90")
    page.keyboard.press("Enter")
    prepare.settled()
    x, y = prepare.at(*CLOTH)
    page.mouse.move(x, y)
    swatch = page.locator("[title='colour']").evaluate("(one) => one.style.background")
    shown = [int(part) for part in swatch[4:-1].split(",")]
    assert shown == pytest.approx(prepare.pixel(*CLOTH), abs=3)
    page.locator("main.surround").focus()
    page.keyboard.down("w")  # without what is in the open group
    prepare.settled()
    without = prepare.canvas("otherCoarse")
    page.keyboard.up("w")
    source = kernels.display(reduced(proxy(decode(MUGS), 2048), without["width"]))
    assert np.abs(without["green"] - source[..., 1]).max() <= 2
    page.keyboard.press("s")
    prepare.until(lambda: len(set(prepare.pixel(*CLOTH))) == 1)  # bands of greys
    expect(page.locator(".stripbar")).to_contain_text("light's warmth")
    page.keyboard.press("Escape")
    prepare.settled()
    assert len(set(prepare.pixel(*CLOTH))) > 1


def test_a_raw_file_says_what_developed_it_and_is_shown_as_its_camera_meant(desk, page, tmp_path):
    _, x = np.mgrid[0:128, 0:192]
    light = np.repeat(((x + 0.5) / 192)[..., None] ** 1.8, 3, axis=2)
    shown = np.clip(1.055 * light ** (1 / 2.4) - 0.055, 0, 1)
    preview = (shown**0.75 * 255).round().astype(np.uint8)
    desk.begin(write_dng(tmp_path / "meant.dng", light, preview=preview))
    page.keyboard.press("r")
    page.get_by_role("button", name="Light", exact=True).click()
    desk.settled()
    expect(page.get_by_text("developed by LibRaw")).to_be_visible()
    assert desk.recipe().prepare.lens.developed.startswith("LibRaw ")
    before = desk.pixel(0.5, 0.5)
    page.get_by_role("button", name="as the camera meant").click()
    desk.settled()
    assert len(desk.recipe().prepare.light.camera) > 4
    assert desk.pixel(0.5, 0.5)[1] == pytest.approx(int(preview[64, 96, 1]), abs=4)
    page.get_by_role("button", name="flat", exact=True).click()
    desk.settled()
    assert desk.pixel(0.5, 0.5) == before


def test_the_light_in_one_sitting(sitting):
    sitting(lights)
