"""The group Clean of Prepare: noise, coloured edges, spots by hand, and specks to be confirmed."""

import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, write_png
from sittings import Sitting

from oatmeal.core.noise import measured
from oatmeal.core.picture import ArrayPicture, proxy, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.prepare.noise import needed
from oatmeal.core.recipe.paths import places
from oatmeal.photofile.decode import decode

NIGHT = DEMO / "night-burner.jpg"
WIDE, HIGH = 1200, 800

skies = Sitting("r")


def dusty(path):
    """A made-up sky with three specks and a scratch."""
    y, x = np.mgrid[:HIGH, :WIDE].astype(float)
    sky = np.stack([0.35 + 0.1 * y / HIGH, 0.5 + 0.05 * x / WIDE, 0.7 + 0 * x], axis=-1)
    for across, down in ((300, 200), (700, 300), (1000, 600)):
        far = np.hypot(x - across, y - down)
        sky *= 1 - 0.25 / (1 + np.exp(np.minimum((far - 8) / 2, 60)))[..., None]
    sky[500:504, 300:500] = 0.95
    codes = 255 * sky + np.random.default_rng(2).normal(0, 1, sky.shape)
    return write_png(path, np.clip(codes, 0, 255).round().astype(np.uint8))


@pytest.fixture
def sky(desk, page, tmp_path):
    desk.begin(dusty(tmp_path / "sky.png"))
    open_clean(page)
    desk.settled()
    return desk


def open_clean(page):
    page.keyboard.press("r")
    page.get_by_role("button", name="Clean", exact=True).click()


def cleaned(desk):
    return desk.recipe().prepare


def rings(page):
    return page.locator(".spotboard .spot")


def spot_at(sky, page, x, y):
    page.mouse.click(*sky.at(x / WIDE, y / HIGH))
    sky.settled()


def fault(sky, x, y, reach=6):
    """The darkest or brightest difference of the picture from its surroundings, in codes."""
    canvas = sky.canvas()["green"].astype(int)
    scale = canvas.shape[1] / WIDE
    column, row, far = round(x * scale), round(y * scale), round(40 * scale)
    part = canvas[row - reach : row + reach, column - reach : column + reach]
    around = canvas[row - far : row + far, column - far : column + far]
    return int(np.abs(part - np.median(around)).max())


def test_the_needed_amounts_are_marked_and_taken_in_one_step(desk, page):
    desk.begin(NIGHT)
    open_clean(page)
    file = decode(NIGHT)
    noise = measured(file.linear, file.width, file.height)
    wanted = needed(noise)
    words = f"seems to need {wanted.light:g} in light, {wanted.colour:g} in colour"
    expect(page.get_by_text(words)).to_be_visible()
    assert page.locator(".needed:visible").count() == 2
    track = page.get_by_label("noise in light", exact=True).bounding_box()
    mark = page.locator(".needed").first.bounding_box()
    share = (mark["x"] + 1 - track["x"]) / track["width"]
    assert share == pytest.approx(wanted.light / 100, abs=0.04)
    before = page.evaluate(PATCH, "patchAfter")
    page.get_by_role("button", name="take it").click()
    desk.settled()
    assert cleaned(desk).noise == wanted
    most = 0.96 * before["rough"]
    desk.until(lambda: page.evaluate(PATCH, "patchAfter")["rough"] < most)
    assert page.evaluate(PATCH, "patchBefore")["rough"] == pytest.approx(before["rough"])
    page.get_by_role("button", name="grey", exact=True).click()
    desk.settled()
    canvas = desk.canvas()
    side = max(canvas["width"], canvas["height"])
    small = reduced(proxy(file, 2048), side)
    work = Pipeline(
        ArrayPicture(
            small, scale=side / file.width, noise_of_file=lambda: noise, trust_of_file=file.trust
        )
    )
    assert np.abs(canvas["green"] - work.codes(desk.recipe()).astype(int)).max() <= 2
    page.get_by_role("button", name="Undo").first.click()
    desk.settled()
    assert cleaned(desk).noise.light == 0


PATCH = """(name) => {
    const canvas = document.querySelector(`canvas[x-ref=${name}]`);
    const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
    let rough = 0;
    for (let i = 4; i < data.length; i += 4) rough += Math.abs(data[i + 1] - data[i - 3]);
    return { width: canvas.width, height: canvas.height, rough: rough / data.length };
}"""


@skies.part
def a_click_heals_a_fault_and_its_ring_can_be_worked_with(sky, page):
    assert fault(sky, 300, 200) > 20
    size = page.get_by_label("Size of the spot in pixels")
    size.fill("32")
    size.press("Enter")
    spot_at(sky, page, 300, 200)
    (spot,) = cleaned(sky).spots
    assert places(spot.path)[0] * WIDE == pytest.approx([300, 200], abs=2)
    assert spot.radius * WIDE == pytest.approx(16, abs=0.5)
    page.get_by_role("button", name="grey", exact=True).click()
    sky.settled()
    assert fault(sky, 300, 200) < 8
    # the source is dragged, the ring moved, sized, switched and removed
    source = page.get_by_role("slider", name="source of spot 1")
    sky.drag(source, 0, -40)
    led = cleaned(sky).spots[0].source
    assert led[1] < spot.source[1] - 0.02
    ring = rings(page).first
    ring.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("+")
    sky.settled()
    moved = cleaned(sky).spots[0]
    assert places(moved.path)[0][0] > places(spot.path)[0][0]
    assert moved.radius == pytest.approx(1.1 * spot.radius, rel=0.01)
    page.keyboard.press("Enter")
    sky.settled()
    assert not cleaned(sky).spots[0].on
    assert fault(sky, 300, 200) > 20
    page.keyboard.press("Delete")
    sky.settled()
    assert cleaned(sky).spots == ()
    page.get_by_role("button", name="Undo").first.click()
    sky.settled()
    assert len(cleaned(sky).spots) == 1
    expect(page.get_by_text("spots 0 → 1")).to_have_count(0)


@skies.part
def a_stroke_is_healed_and_a_key_hides_the_rings(sky, page):
    assert fault(sky, 400, 502) > 20
    x, y = sky.at(290 / WIDE, 502 / HIGH)
    to_x, to_y = sky.at(510 / WIDE, 502 / HIGH)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move((x + to_x) / 2, y, steps=6)
    page.mouse.move(to_x, to_y, steps=6)
    page.mouse.up()
    sky.settled()
    (stroke,) = cleaned(sky).spots
    assert len(places(stroke.path)) > 1
    page.get_by_role("button", name="grey", exact=True).click()
    sky.settled()
    assert fault(sky, 400, 502, 4) < 8
    expect(page.get_by_text(re.compile(r"1 · stroke, \d+ px"))).to_be_visible()
    expect(rings(page)).to_have_count(1)
    page.get_by_role("main").focus()
    page.keyboard.press("y")
    expect(rings(page)).to_have_count(0)
    page.keyboard.press("y")
    expect(rings(page)).to_have_count(1)
    page.mouse.move(*sky.at(700 / WIDE, 300 / HIGH))
    page.keyboard.press("n")
    sky.settled()
    under = places(cleaned(sky).spots[1].path)[0] * WIDE
    assert under == pytest.approx([700, 300], abs=3)
    page.get_by_role("button", name="colour", exact=True).click()
    page.get_by_role("button", name="Threads", exact=True).click()
    expect(page.locator(".spotboard")).to_be_hidden()
    page.get_by_role("button", name=re.compile("^Clean")).click()


@skies.part
def a_spot_whose_request_failed_is_not_lost(sky, page, quiet):
    quiet.expected = ("ERR_FAILED",)
    page.route("**/heal", lambda route: route.abort())
    page.mouse.click(*sky.at(300 / WIDE, 200 / HIGH))
    again = page.get_by_role("button", name="Try again")
    expect(again).to_be_visible()
    assert cleaned(sky).spots == ()
    page.unroute("**/heal")
    again.click()
    sky.settled()
    assert places(cleaned(sky).spots[0].path)[0] * WIDE == pytest.approx([300, 200], abs=3)


@skies.part
def likely_specks_are_lit_and_each_is_confirmed_or_left(sky, page):
    page.get_by_role("button", name="Find specks").click()
    expect(page.get_by_text("3 likely specks: confirm each")).to_be_visible()
    assert cleaned(sky).spots == ()
    page.locator(".spotboard .speck").first.click()
    sky.settled()
    assert len(cleaned(sky).spots) == 1
    page.get_by_role("button", name="heal it").click()
    sky.settled()
    page.get_by_role("button", name="not a speck").click()
    expect(page.get_by_role("button", name="Find specks")).to_be_visible()
    spots = cleaned(sky).spots
    assert len(spots) == 2
    made = np.array([(300, 200), (700, 300), (1000, 600)])
    for spot in spots:
        assert np.hypot(*(made - places(spot.path)[0] * WIDE).T).min() < 3
    page.get_by_role("button", name="Find specks").click()
    expect(page.get_by_text("1 likely speck: confirm each")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator(".spotboard .speck")).to_have_count(0)


@skies.part
def at_full_size_a_drag_moves_the_picture_and_a_click_heals(sky, page):
    page.get_by_role("button", name="100", exact=True).click()
    sky.settled()
    x, y = (part / 2 for part in (page.viewport_size["width"], page.viewport_size["height"]))
    page.mouse.move(x + 200, y)
    page.mouse.down()
    page.mouse.move(x + 260, y + 30, steps=5)
    page.mouse.up()
    sky.settled()
    assert cleaned(sky).spots == ()
    page.mouse.click(x + 200, y)
    sky.settled()
    assert len(cleaned(sky).spots) == 1
    page.get_by_role("button", name="Dragging moves").click()
    page.mouse.move(x + 100, y + 40)
    page.mouse.down()
    page.mouse.move(x + 160, y + 60, steps=5)
    page.mouse.up()
    sky.settled()
    assert len(places(cleaned(sky).spots[1].path)) > 1


def test_spots_travel_to_other_frames_only_when_asked_for(desk, page, tmp_path):
    desk.begin(dusty(tmp_path / "sky.png"), NIGHT)
    open_clean(page)
    desk.settled()
    spot_at(desk, page, 300, 200)
    page.get_by_label("noise in light", exact=True).fill("30")
    desk.settled()
    page.goto(f"{desk.live}/series/1")
    page.locator(".card").first.hover()
    page.locator(".card").first.get_by_role("button", name="Take").click()
    page.keyboard.press("Control+a")
    page.get_by_role("button", name="Apply a recipe").click()
    box = page.get_by_role("dialog", name="Apply a recipe")
    shown = box.locator(".preview li")
    expect(shown.first).to_contain_text("noise in light 0 → 30")
    expect(shown.first).not_to_contain_text("spots")
    box.get_by_label("spots", exact=True).check()
    expect(shown.first).to_contain_text("spots 0 → 1")
    box.get_by_role("button", name="Apply to 1").click()
    expect(page.get_by_text("Applied to 1 frame.")).to_be_visible()
    assert desk.recipe(2).prepare.spots == desk.recipe(1).prepare.spots


def test_side_fringes_are_found_and_taken_back_in_one_step(desk, page, tmp_path):
    codes = cv2.imread(str(DEMO / "bunting.jpg"), cv2.IMREAD_COLOR)[..., ::-1].copy()
    height, width = codes.shape[:2]
    factor = 1 + 2.0 / (np.hypot(width, height) / 2)
    matrix = np.array(
        [[factor, 0, (width - 1) / 2 * (1 - factor)], [0, factor, (height - 1) / 2 * (1 - factor)]]
    )
    codes[..., 0] = cv2.warpAffine(codes[..., 1], matrix, (width, height), flags=cv2.INTER_CUBIC)
    codes[..., 2] = codes[..., 1]
    desk.begin(write_png(tmp_path / "fringed.png", codes))
    page.keyboard.press("r")
    page.get_by_role("button", name="Frame", exact=True).click()
    desk.settled()
    page.get_by_role("button", name="Find side fringes").click()
    expect(page.get_by_text("In the corners red 2.0 px outside green: taken back.")).to_be_visible()
    desk.settled()
    lens = cleaned(desk).lens
    assert lens.red == pytest.approx(100 * (factor - 1), abs=0.01)
    assert lens.blue == 0


def test_spots_in_one_sitting(sitting):
    sitting(skies)
