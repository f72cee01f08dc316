"""The step Finish: toning, grain, sharpness and edges, from the panel to a file."""

import base64
import re

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image
from playwright.sync_api import expect
from samples import on_the_bench, write_png
from sittings import Sitting

from oatmeal.core.colour import decode_srgb
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST
from oatmeal.core.recipe.examples import FINISH_STARTS
from oatmeal.photofile.decode import decode

WIDE, HIGH = 900, 600

ramps = Sitting("z")
cloth = Sitting("z")


@pytest.fixture
def ramp(desk, page, tmp_path):
    """Greys from dark to light, and the step open."""
    codes = np.full((HIGH, WIDE, 3), 128, np.uint8)
    codes += np.linspace(-100, 100, WIDE).astype(np.int8).astype(np.uint8)[None, :, None]
    desk.begin(write_png(tmp_path / "ramp.png", codes))
    page.keyboard.press("z")
    desk.settled()
    return desk


def group(desk, name):
    desk.page.get_by_role("group", name="Group of Finish").get_by_role("button", name=name).click()
    desk.settled()


def begin(desk, name):
    desk.page.get_by_role("button", name=name, exact=True).locator("visible=true").click()
    desk.settled()


def shown(page):
    """The whole frame as the browser shows it, RGB."""
    drawn = page.evaluate(
        "() => document.querySelector('canvas[x-ref=coarse]').toDataURL('image/png')"
    )
    png = np.frombuffer(base64.b64decode(drawn.partition(",")[2]), np.uint8)
    return cv2.imdecode(png, cv2.IMREAD_COLOR)[..., ::-1].astype(int)


def download(page, tmp_path, *buttons, size="900 × 600 px"):
    page.get_by_role("button", name="Export").click()
    for name in buttons:
        page.get_by_role("button", name=name, exact=True).click()
    result = page.locator(".result")
    expect(result).to_contain_text(size, timeout=20000)
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Download").click()
    path = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(path)
    return path, result.text_content()


@ramps.part
def a_toned_print_is_rgb_and_the_file_holds_what_is_shown(ramp, page, tmp_path):
    group(ramp, "Colour")
    begin(ramp, "sepia")
    toning = ramp.recipe().finish.toning.model_dump(exclude={"on"})
    assert toning == FINISH_STARTS["toning"]["sepia"]
    expect(page.get_by_text("A print with colour is RGB")).to_be_visible()
    seen = shown(page)
    assert (seen[..., 0] - seen[..., 2])[:, WIDE // 3 : WIDE // 2].mean() > 15  # warm
    lit = page.locator(".wedge span").nth(5).evaluate("(e) => getComputedStyle(e).backgroundColor")
    red, green, blue = (int(part) for part in lit[4:-1].replace(",", " ").split())
    assert red > green > blue
    path, words = download(page, tmp_path, "TIFF", "16 bits")
    assert "16-bit RGB" in words
    kept = tifffile.imread(path)
    assert kept.dtype == np.uint16
    assert kept.shape == (HIGH, WIDE, 3)
    if seen.shape == kept.shape:
        assert np.abs(kept / 257 - seen).max() <= 1.01
    else:  # shown smaller: the means of the same parts
        parts = [np.array([np.array_split(one, 9, 1)[place].mean((0, 1)) for place in range(9)])
                 for one in (kept / 257, seen)]  # fmt: skip
        assert np.abs(parts[0] - parts[1]).max() < 1
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    ramp.settled()
    assert ramp.recipe() == REST
    grey = shown(page)
    assert np.array_equal(grey[..., 0], grey[..., 2])


@ramps.part
def a_tint_is_dragged_in_one_step_and_shown_louder_with_shift(ramp, page):
    group(ramp, "Colour")
    strip = page.get_by_role("group", name="Colour of the darks")
    strip.wait_for()
    box = strip.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.8)
    page.keyboard.down("Shift")
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.7, steps=4)
    page.wait_for_timeout(500)
    loud = np.ptp(shown(page)[HIGH // 4, 60])
    page.mouse.up()
    page.keyboard.up("Shift")
    ramp.settled()
    darks = ramp.recipe().finish.toning.darks
    assert darks.hue == pytest.approx(270, abs=6)
    assert 5 < darks.strength < 30
    quiet = np.ptp(shown(page)[HIGH // 4, 60])
    assert 0 < quiet < loud
    page.get_by_role("slider", name="hue of the darks").press("ArrowRight")
    ramp.settled()
    assert ramp.recipe().finish.toning.darks.hue == darks.hue + 2
    for _ in range(2):
        page.keyboard.press("Control+z")
        ramp.settled()
    assert ramp.recipe() == REST


@ramps.part
def grain_begins_by_speed_and_is_shuffled(ramp, page):
    group(ramp, "Grain")
    smooth = shown(page)[..., 1]
    begin(ramp, "pushed")
    grain = ramp.recipe().finish.grain
    assert grain.amount == FINISH_STARTS["grain"]["pushed"]["amount"]
    grainy = shown(page)[..., 1]
    middle = slice(2 * grainy.shape[1] // 5, 3 * grainy.shape[1] // 5)
    assert (grainy - smooth)[:, middle].std() > 6
    light = [decode_srgb(one[:, middle] / 255).mean() for one in (grainy, smooth)]
    assert light[0] == pytest.approx(light[1], rel=0.01)
    begin(ramp, "shuffle")
    assert ramp.recipe().finish.grain.seed != grain.seed
    assert not np.array_equal(shown(page)[..., 1], grainy)
    patch = page.get_by_role("img", name="The file’s own pixels at twice their size")
    expect(patch).to_be_visible()
    begun = patch.evaluate("(canvas) => canvas.width")
    assert begun > 0


def test_sharpness_shows_its_edges_while_held(desk, page, tmp_path):
    codes = np.full((HIGH, WIDE, 3), 90, np.uint8)
    codes[:, WIDE // 2 :] = 180
    desk.begin(write_png(tmp_path / "edge.png", codes))
    page.keyboard.press("z")
    desk.settled()
    group(desk, "Sharpness")
    held = page.get_by_role("button", name="edges", exact=True)
    expect(held).to_be_disabled()
    begin(desk, "metal")
    assert desk.recipe().finish.sharpness.amount == 80
    page.keyboard.press("f")
    desk.settled()
    box = held.bounding_box()
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    expect(held).to_have_attribute("aria-pressed", "true")
    desk.wait()
    desk.until(lambda: np.median(desk.canvas("picture")["green"]) < 20)
    assert desk.canvas("picture")["green"].max() > 200  # the edge is white
    page.mouse.up()
    desk.settled()
    assert np.median(desk.canvas("picture")["green"]) >= 85


@ramps.part
def falloff_is_dragged_and_its_middle_is_put_on_the_picture(ramp, page):
    group(ramp, "Edges")
    plain = shown(page)[..., 1]
    page.mouse.click(*ramp.at(0.9, 0.2))  # there is no falloff yet
    ramp.settled()
    assert ramp.recipe() == REST
    grip = page.get_by_role("slider", name="light in the corner")
    ramp.drag(grip, 0, 40)
    amount = ramp.recipe().finish.falloff.amount
    assert amount < -30
    dark = shown(page)[..., 1]
    assert (plain - dark)[5, -5] > 30
    assert abs((plain - dark)[plain.shape[0] // 2, plain.shape[1] // 2]) <= 1
    page.mouse.click(*ramp.at(0.9, 0.2))
    ramp.settled()
    assert ramp.recipe().finish.falloff.centre == pytest.approx((0.9, 0.2), abs=0.01)
    moved = shown(page)[..., 1]
    assert (moved - dark)[5, -5] > 10
    page.get_by_role("button", name="middle of the falloff: drag or arrows").press("ArrowLeft")
    ramp.settled()
    assert ramp.recipe().finish.falloff.centre[0] == pytest.approx(0.88, abs=0.011)
    for _ in range(3):
        page.keyboard.press("Control+z")
        ramp.settled()
    assert ramp.recipe() == REST


@ramps.part
def glow_is_typed_and_undone(ramp, page):
    group(ramp, "Surface")
    plain = shown(page)[..., 1]
    amount = page.locator('input.number[data-path="finish.glow.amount"]')
    amount.fill("80")
    amount.press("Enter")
    ramp.settled()
    assert ramp.recipe().finish.glow.amount == 80
    gained = shown(page)[..., 1] - plain
    assert gained[:, 4 * gained.shape[1] // 5].mean() > 5
    assert abs(gained[:, 5].mean()) <= 1
    page.get_by_role("main").focus()
    page.keyboard.press("Control+z")
    ramp.settled()
    assert ramp.recipe() == REST


@ramps.part
def a_group_is_taken_out_and_put_back(ramp, page):
    group(ramp, "Grain")
    smooth = shown(page)
    begin(ramp, "pushed")
    grainy = shown(page)
    assert not np.array_equal(grainy, smooth)
    switch = page.get_by_role("switch", name="grain on")
    switch.uncheck()
    ramp.settled()
    assert np.array_equal(shown(page), smooth)
    assert ramp.recipe().finish.grain.amount == FINISH_STARTS["grain"]["pushed"]["amount"]
    switch.check()
    ramp.settled()
    assert np.array_equal(shown(page), grainy)
    group(ramp, "Surface")
    expect(page.get_by_role("switch", name="surface on")).to_be_checked()


@ramps.part
def dust_is_added_shuffled_made_dark_and_undone(ramp, page):
    group(ramp, "Surface")
    plain = shown(page)[..., 1]
    amount = page.locator('input.number[data-path="finish.dust.amount"]')
    amount.fill("100")
    amount.press("Enter")
    ramp.settled()
    light = shown(page)[..., 1]
    assert (light - plain).max() > 60
    assert (light - plain).min() >= -1
    page.get_by_role("button", name="Shuffle dust").click()
    ramp.settled()
    assert ramp.recipe().finish.dust.seed != 1
    assert not np.array_equal(shown(page)[..., 1], light)
    dark = page.get_by_role("button", name="Dust dark")
    dark.click()
    ramp.settled()
    expect(dark).to_have_attribute("aria-pressed", "true")
    assert (shown(page)[..., 1] - plain).max() <= 1
    for _ in range(3):
        page.keyboard.press("Control+z")
        ramp.settled()
    assert ramp.recipe() == REST


@ramps.part
def an_edge_is_burned_by_its_handle(ramp, page):
    group(ramp, "Edges")
    plain = shown(page)[..., 1]
    ramp.drag(page.get_by_role("slider", name="top edge: inward its reach"), 0, 30)
    top = ramp.recipe().finish.burned.top
    assert top.amount < -15
    assert top.reach == pytest.approx(-top.amount, abs=1)
    burned = shown(page)[..., 1]
    assert (plain - burned)[2].mean() > 10
    assert np.array_equal(plain[-1], burned[-1])
    strip = page.get_by_role("switch", name="Finish on")
    strip.uncheck()
    ramp.settled()
    assert np.array_equal(shown(page)[..., 1], plain)
    expect(page.get_by_text("off: as it comes from Areas")).to_be_visible()


@ramps.part
def a_test_strip_over_the_strength_of_a_tint(ramp, page):
    group(ramp, "Colour")
    page.locator(".instruments.finish").get_by_role("button", name="Test strip").click()
    ramp.settled()
    setting = page.get_by_label("Setting to try")
    setting.select_option(label="lights toning")
    ramp.settled()
    cast = np.abs(shown(page)[..., 0] - shown(page)[..., 2])
    bands = [part.mean() for part in np.array_split(cast, 5, 1)]
    assert bands[0] < 2 < 5 < max(bands)
    page.locator(".strip .band-button").last.click()
    ramp.settled()
    assert ramp.recipe().finish.toning.lights.strength > 0


@ramps.part
def a_toned_png_opens_elsewhere(ramp, page, tmp_path):
    group(ramp, "Colour")
    begin(ramp, "iron blue")
    path, words = download(page, tmp_path, "PNG")
    assert "RGB" in words
    with Image.open(path) as opened:
        assert opened.mode == "RGB"
        pixels = np.asarray(opened, int)
    assert (pixels[..., 2] - pixels[..., 0])[:, 250:450].mean() > 10


@pytest.fixture
def cloths(desk, page, tmp_path):
    """Red and blue cloth, and the step open."""
    codes = np.full((HIGH, WIDE, 3), 128, np.uint8)
    codes[:, : WIDE // 2], codes[:, WIDE // 2 :] = (178, 58, 46), (60, 80, 170)
    desk.begin(write_png(tmp_path / "cloths.png", codes))
    page.keyboard.press("z")
    desk.settled()
    group(desk, "Colour")
    return desk


def as_rendered(path, recipe, side):
    """What the core makes of a file at a size."""
    return Pipeline(on_the_bench(decode(path), side)).coloured(recipe).astype(int)


def coloured(page):
    """How far red stands from blue in the two halves of what is shown."""
    picture = shown(page)
    apart = picture[..., 0] - picture[..., 2]
    middle = apart.shape[1] // 2
    return apart[:, 20 : middle - 20].mean(), apart[:, middle + 20 : -20].mean()


@cloth.part
def a_colour_is_kept_turned_taken_out_and_let_go(cloths, page, tmp_path):
    assert coloured(page) == (0, 0)
    page.get_by_role("button", name="keep a colour").click()
    page.mouse.click(*cloths.at(0.25, 0.5))
    expect(page.get_by_role("group", name="Kept colours").get_by_role("button")).to_have_count(1)
    cloths.settled()
    red, blue = coloured(page)
    assert red > 60
    assert abs(blue) < 3
    recipe = cloths.recipe()
    assert recipe.finish.kept.colours[0].amount == 100
    seen = shown(page)
    made = as_rendered(tmp_path / "cloths.png", recipe, max(seen.shape))
    assert np.abs(seen - made).max() <= 2
    turned = page.get_by_label("turned, ° of the kept colour, -180 to 180")
    turned.fill("150")
    turned.press("Enter")
    cloths.settled()
    assert coloured(page)[0] < -20
    page.mouse.move(*cloths.at(0.25, 0.5))  # the meter reads greys, whatever colour they have
    code = page.locator(".meter tbody tr").last.locator("td").nth(2)
    expect(code).to_have_text(re.compile(r"^\d+$"))
    page.get_by_role("checkbox", name="on", exact=True).locator("visible=true").uncheck()
    cloths.settled()
    assert coloured(page) == (0, 0)
    page.get_by_role("button", name="Remove").locator("visible=true").click()
    cloths.settled()
    assert not cloths.recipe().finish.kept.colours
    for _ in range(4):
        page.get_by_role("button", name="Undo").first.click()
        cloths.settled()
    assert cloths.recipe() == REST


@cloth.part
def a_trace_is_rgb_and_the_file_holds_what_is_shown(cloths, page, tmp_path):
    trace = page.locator('input.number[data-path="finish.kept.trace"]')
    trace.fill("40")
    trace.press("Enter")
    cloths.settled()
    red, blue = coloured(page)
    assert red > 10
    assert blue < -10
    seen = shown(page)
    path, words = download(page, tmp_path, "PNG", "8 bits")
    assert "8-bit RGB" in words
    with Image.open(path) as file:
        assert file.mode == "RGB"
        kept = np.asarray(file).astype(int)
    for half in (slice(20, 400), slice(500, 880)):
        x = slice(half.start * seen.shape[1] // WIDE, half.stop * seen.shape[1] // WIDE)
        assert np.abs(kept[:, half].mean((0, 1)) - seen[:, x].mean((0, 1))).max() < 1


@ramps.part
def line_and_mat_stand_round_the_picture_and_in_the_file(ramp, page, tmp_path):
    group(ramp, "Surface")
    mount = page.locator(".mount").first
    expect(mount).to_be_hidden()
    before = ramp.canvas("coarse")["box"]
    for name, value in (("line", "5"), ("mat", "50")):
        field = page.locator(f'input.number[data-path="finish.border.{name}"]')
        field.fill(value)
        field.press("Enter")
        ramp.settled()
    expect(mount).to_be_visible()
    left, _, width, _ = ramp.canvas("coarse")["box"]
    assert width < before[2]
    box = mount.bounding_box()
    around = 5 + 45  # pixels of the file: 5 and 50 thousandths of 900
    scale = width / WIDE
    assert left - box["x"] == pytest.approx(around * scale, abs=1)
    assert box["width"] == pytest.approx((WIDE + 2 * around) * scale, abs=1)
    size = f"{WIDE + 2 * around} × {HIGH + 2 * around} px"
    expect(page.get_by_text(f"The whole file: {size}")).to_be_visible()
    path, _ = download(page, tmp_path, "PNG", "8 bits", size=size)
    with Image.open(path) as file:
        assert file.size == (WIDE + 2 * around, HIGH + 2 * around)
        grey = np.asarray(file).astype(int)
    assert grey[2, 2] > 230
    assert grey[HIGH // 2, around - 3] < 40
    picture = grey[around : around + HIGH, around : around + WIDE]
    assert np.abs(picture - (128 + np.linspace(-100, 100, WIDE))).max() <= 2


def test_finish_in_one_sitting(sitting):
    sitting(ramps)


def test_kept_colours_in_one_sitting(sitting):
    sitting(cloth)
