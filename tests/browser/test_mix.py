"""The Mix step's instruments, each checked in pixels and in the stored recipe."""

from importlib.util import find_spec
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST
from oatmeal.core.seeing import strip
from oatmeal.library import versions
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"
SKY = (0.08, 0.12)

mix = Sitting("m")


@pytest.fixture
def bench(desk):
    desk.begin(BUNTING)
    return desk


@pytest.fixture(scope="module")
def source():
    return decode(BUNTING)


def check(bench, source, recipe=None):
    """The shown frame is the core's frame of the stored recipe."""
    canvas = bench.canvas()
    expected = (
        Pipeline(on_the_bench(source, canvas["width"])).codes(recipe or bench.recipe()).astype(int)
    )
    assert np.abs(canvas["green"] - expected).max() <= 1


@mix.part
def film_filter_edges_and_strength(bench, page, source):
    before = bench.pixel(*SKY)[0]
    page.get_by_role("button", name="Film").click()
    bench.settled()
    assert bench.recipe() == REST  # it is only looked at
    expect(page.get_by_text("only looked at: still plain")).to_be_visible()
    expect(page.get_by_text("costs 0 stops")).to_be_visible()  # what it would be
    bench.choose("Filter", "orange filter")
    assert bench.pixel(*SKY)[0] < before - 10
    check(bench, source)
    expect(page.get_by_text("costs 1.54 stops")).to_be_visible()
    bench.choose("Filter", "red filter")
    red = bench.pixel(*SKY)[0]
    edge = page.get_by_role("slider", name="filter, low edge")
    assert edge.get_attribute("aria-valuenow") == "595"
    bench.drag(edge.locator("rect"), -90, 0)
    base = bench.recipe().mix.base
    assert base.filter_edges[0] == pytest.approx(595 - 90 / 347 * 400, abs=4)
    assert base.filter_edges[1] == 780
    assert bench.pixel(*SKY)[0] > red + 10
    check(bench, source)
    edge.focus()
    edge.press("ArrowRight")
    bench.settled()
    assert bench.recipe().mix.base.filter_edges[0] == base.filter_edges[0] + 1
    bench.choose("Filter", "yellow filter")
    assert bench.recipe().mix.base.filter_edges is None
    strength = page.locator('input.number[data-path="mix.base.strength"]')
    strength.fill("2.5")
    strength.press("Enter")
    bench.settled()
    assert bench.recipe().mix.base.strength == 2.5
    check(bench, source)
    shown = bench.canvas()["green"]
    page.get_by_role("button", name="Take as channels").click()
    bench.settled()
    base = bench.recipe().mix.base
    assert base.kind == "channels"
    assert base.light == "linear"
    assert base.red + base.green + base.blue == pytest.approx(100, abs=0.2)
    assert np.abs(bench.canvas()["green"] - shown).mean() < 1


@mix.part
def a_formula_its_error_and_its_sliders(bench, page, source, quiet):
    quiet.expected = ("422",)
    page.get_by_role("button", name="Formula").click()
    bench.settled()
    text = page.get_by_label("Formula for the grey")
    text.fill("0.8*r + 0.2*b")
    bench.until(lambda: getattr(bench.recipe().mix.base, "text", "") == "0.8*r + 0.2*b")
    bench.settled()
    check(bench, source)
    good = bench.canvas()["green"]
    text.fill("0.8*r + 0.2*bb")
    expect(page.get_by_role("button", name="column 13")).to_be_visible()
    expect(page.get_by_text("bb is not known")).to_be_visible()
    assert np.array_equal(bench.canvas()["green"], good)  # the last good picture stays
    assert bench.recipe().mix.base.text == "0.8*r + 0.2*b"
    page.get_by_role("button", name="make it a slider").click()
    bench.until(lambda: "bb" in bench.recipe().mix.base.parameters)
    page.get_by_role("main").focus()
    page.keyboard.press("Control+z")
    bench.until(lambda: "bb" not in bench.recipe().mix.base.parameters)
    bench.settled()
    text.fill("0.8*r + 0.2*bb")
    page.get_by_role("button", name="column 13").click()
    assert page.evaluate("document.activeElement.selectionStart") == 12
    page.get_by_label("Examples").select_option(label="Red against blue")
    bench.until(lambda: "share" in bench.recipe().mix.base.parameters)
    bench.settled()
    assert bench.recipe().mix.base.parameters["share"].value == 0.8
    slider = page.get_by_role("slider", name="share")
    slider.focus()
    slider.press("ArrowRight")
    bench.settled()
    assert bench.recipe().mix.base.parameters["share"].value == pytest.approx(0.81)
    check(bench, source)


@mix.part
def plain_conversions_as_small_pictures(bench, page, source):
    drawn = "() => document.querySelectorAll('[data-weighing] canvas[width=\"120\"]').length === 7"
    page.wait_for_function(drawn)
    page.get_by_role("button", name="Six colours").click()
    bench.settled()
    page.get_by_role("button", name="Plain", exact=True).click()
    page.wait_for_function(drawn)  # on canvases that are new
    bench.settled()
    page.evaluate(  # there and back before a frame has come
        """() => {
            const { work } = document.querySelector(".bench")._x_dataStack[0];
            const { mix } = work.recipe;
            const plain = mix.base;
            mix.base = { kind: "channels", red: 30, green: 59, blue: 11, hold_total: true };
            work.changing();
            requestAnimationFrame(() => { mix.base = plain; work.settle(); });
        }"""
    )
    bench.settled()
    page.wait_for_function(drawn)
    page.get_by_role("button", name="lightest").click()
    bench.settled()
    assert bench.recipe().mix.base.weighing == "lightest"
    check(bench, source)
    swatch = page.locator("[data-weighing=middle] .pure i").first
    shown = swatch.evaluate("(e) => getComputedStyle(e).backgroundColor")
    assert shown in ("rgb(127, 127, 127)", "rgb(128, 128, 128)")  # half of 255


@mix.part
def dragging_on_the_picture_lifts_what_is_there(bench, page, source):
    x, y = bench.at(*SKY)
    before = bench.pixel(*SKY)[0]
    page.mouse.move(x, y)
    page.mouse.down()
    page.wait_for_timeout(250)
    page.mouse.move(x, y + 45, steps=5)
    page.wait_for_timeout(400)
    page.locator("canvas.over").wait_for(state="visible")
    over = bench.canvas("over")
    assert 0.001 < (over["green"] > 0).mean() < 0.2  # a line round the sky, not an area
    lit = page.locator(".map .column.active").evaluate_all("(l) => l.map((e) => e.dataset.range)")
    assert "blue" in lit
    page.mouse.move(x, y + 90, steps=5)
    page.mouse.up()
    bench.settled()
    assert bench.canvas("over")["hidden"]
    lifts = bench.recipe().mix.lifts
    assert lifts.blue == pytest.approx(-1, abs=0.06)
    assert lifts.red == lifts.green == 0
    assert bench.pixel(*SKY)[0] < before - 25
    check(bench, source)
    page.keyboard.press("Control+z")  # one drag is one step
    bench.settled()
    assert bench.recipe() == REST


@mix.part
def pins_read_lift_and_stay(bench, page):
    page.get_by_role("button", name="Pin", exact=True).click()
    page.mouse.click(*bench.at(*SKY))
    bench.settled()
    board = page.locator(".pinboard")
    expect(board.locator("tbody tr")).to_have_count(1)
    page.get_by_label("Label of pin 1").fill("sky")
    with page.expect_response("**/pins"):
        page.get_by_label("Label of pin 1").press("Enter")
    page.mouse.move(*bench.at(0.3, 0.72))
    page.get_by_role("main").focus()
    page.keyboard.press("i")
    bench.settled()
    expect(board).to_contain_text("Closest: 1 and 2")
    pin = page.locator("[data-pin='0']")
    pin.focus()
    before = float(board.locator("td.now").first.inner_text())
    pin.evaluate(  # one right after the other, however busy the machine is
        """(pin) => {
            const press = { key: "ArrowDown", bubbles: true, cancelable: true };
            for (const _ of [1, 2]) pin.dispatchEvent(new KeyboardEvent("keydown", press));
        }"""
    )
    bench.settled()
    assert bench.recipe().mix.lifts.blue == pytest.approx(-0.2, abs=0.03)
    assert float(board.locator("td.now").first.inner_text()) < before - 1
    page.keyboard.press("Control+z")
    bench.settled()
    assert bench.recipe() == REST  # a run of keys is one step
    place = pin.bounding_box()
    with page.expect_response("**/pins"):
        pin.press("Control+ArrowRight")
    assert pin.bounding_box()["x"] > place["x"] + 3
    page.reload()
    bench.wait()
    expect(page.get_by_label("Label of pin 1")).to_have_value("sky")
    with page.expect_response("**/pins"):
        page.locator("[data-pin='1']").press("Delete")
    expect(board.locator("tbody tr")).to_have_count(1)
    with bench.database.session() as session:
        assert [pin["label"] for pin in versions.get(session, 1).pins] == ["sky"]


@mix.part
def picked_colours(bench, page, source):
    page.get_by_role("button", name="Pick colour").click()
    page.mouse.click(*bench.at(*SKY))
    bench.settled()
    picked = bench.recipe().mix.picked
    assert len(picked) == 1
    red, _, blue = (int(picked[0].colour[place : place + 2], 16) for place in (1, 3, 5))
    assert blue > red + 50
    assert not bench.canvas("over")["hidden"]  # its reach is shown
    bench.drag(page.locator("[data-range=picked-0] .full"), 0, 40)
    assert bench.recipe().mix.picked[0].lift < -0.4
    check(bench, source)
    reach = page.get_by_role("slider", name="reach", exact=True)
    reach.fill("0.15")
    bench.settled()
    assert bench.recipe().mix.picked[0].reach == 0.15
    check(bench, source)
    page.get_by_label("Name of the picked colour").fill("deep sky")
    page.get_by_label("Name of the picked colour").press("Enter")
    bench.settled()
    assert bench.recipe().mix.picked[0].name == "deep sky"
    page.locator(".picked").get_by_text("on", exact=True).click()
    bench.settled()
    check(bench, source, REST)
    page.get_by_role("button", name="Remove", exact=True).click()
    bench.settled()
    assert bench.recipe() == REST


@mix.part
def centres_move_in_the_maps_foot(bench, page, source):
    bench.drag(page.locator("[data-range=blue] .full"), 0, 40)
    centre = page.get_by_role("slider", name="blue centre")
    bench.drag(centre, 14, 0)
    moved = bench.recipe().mix.centres.blue
    assert 258 < moved < 290
    check(bench, source)
    centre.focus()
    centre.press("ArrowLeft")
    bench.settled()
    assert bench.recipe().mix.centres.blue == pytest.approx(moved - 1)
    centre.press("Delete")
    bench.settled()
    assert bench.recipe().mix.centres.blue == 255


@mix.part
def guard_auto_and_by_hand(bench, page):
    expect(page.get_by_text("colour is half as fine as light here: drawn from it")).to_be_visible()
    page.get_by_label("auto").click()
    bench.settled()
    assert bench.recipe().mix.guard == 0
    number = page.locator('input.number[data-path="mix.guard"]')
    number.fill("65")
    number.press("Enter")
    bench.settled()
    assert bench.recipe().mix.guard == 65
    page.get_by_label("auto").click()
    bench.settled()
    assert bench.recipe().mix.guard == "auto"


@mix.part
def balance_and_separate_say_what_they_did(bench, page, source):
    page.get_by_label("Strength of Balance").fill("100")
    page.get_by_role("button", name="Balance").click()
    expect(page.get_by_text("Balance at 100:")).to_be_visible()
    bench.settled()
    lifts = bench.recipe().mix.lifts.model_dump()
    assert sum(abs(stops) for stops in lifts.values()) > 0.3
    check(bench, source)
    page.get_by_role("button", name="Undo").first.click()
    bench.settled()
    assert bench.recipe() == REST
    apart = page.locator(".merging span span").first.inner_text()
    page.get_by_role("button", name="Separate").click()
    bench.settled()
    said = page.locator(".toastline").last
    expect(said).to_contain_text("Separated")
    assert page.locator(".merging span span").first.inner_text() != apart


@mix.part
def starting_points(bench, page, source):
    page.get_by_role("button", name="Starts").click()
    drawer = page.get_by_role("complementary", name="Starts")
    offers = drawer.locator(".offer")
    expect(offers).to_have_count(12)
    expect(offers.nth(3)).to_contain_text("merging", timeout=15_000)
    expect(offers.nth(3)).to_contain_text("Red filter")
    offers.nth(3).click()
    page.mouse.move(0, 0)
    bench.settled()
    assert bench.recipe().mix.base.filter == "red"
    check(bench, source)
    page.keyboard.press("Control+z")
    bench.settled()
    assert bench.recipe() == REST


@mix.part
def a_test_strip_of_a_number(bench, page, source):
    page.locator("[data-range=blue]").focus()
    page.keyboard.press("s")
    expect(page.get_by_text("Test strip: blue lift")).to_be_visible()
    bench.settled()
    canvas = bench.canvas()
    recipes = strip.variants(REST, "mix.lifts.blue", [-1.0, -0.5, 0.0, 0.5, 1.0])
    small = on_the_bench(source, canvas["width"])
    expected = strip.render(small, recipes, upright=True).astype(int)
    assert np.abs(canvas["green"] - expected).max() <= 1
    page.get_by_role("button", name="wider").click()
    expect(page.get_by_role("button", name="Keep \N{MINUS SIGN}2")).to_be_visible()
    page.keyboard.press("Escape")
    bench.settled()
    check(bench, source, REST)
    assert bench.recipe() == REST
    page.locator("[data-range=blue]").focus()
    page.keyboard.press("s")
    bench.settled()
    page.keyboard.press("1")
    bench.settled()
    assert bench.recipe().mix.lifts.blue == -1
    check(bench, source)


@mix.part
def a_test_strip_of_choices(bench, page, source):
    page.get_by_role("button", name="Film").click()
    page.get_by_role("button", name="Use it now").click()
    bench.settled()
    page.get_by_role("button", name="Test strip").first.click()
    page.get_by_label("Setting to try").select_option(label="filters")
    bench.settled()
    expect(page.locator(".band-button")).to_have_count(11)
    page.get_by_role("button", name="Keep red").click()
    bench.settled()
    assert bench.recipe().mix.base.filter == "red"
    check(bench, source)


def test_the_step_in_one_sitting(sitting):
    sitting(mix)


def test_a_lift_beyond_what_the_file_carries_is_told_beside_the_picture(desk, page):
    """scikit-learn's china.jpg, whose sky holds about two stops."""
    packages = Path(find_spec("sklearn").origin).parent
    desk.begin(packages / "datasets" / "images" / "china.jpg")
    page.keyboard.press("m")
    expect(page.get_by_text("colour was kept coarsely here: held")).to_be_visible()
    told = page.locator(".shown-as", has_text="This file’s colour carries blue to about 2 stops")
    field = page.locator('input.number[data-path="mix.lifts.blue"]')
    # what it carries is measured once nothing else is to be done, and told without another frame
    for stops, shown in (("-3", True), ("-1", False), ("2.9", True)):
        field.fill(stops)
        field.press("Enter")
        desk.settled()
        expect(told).to_be_visible(visible=shown)
    page.keyboard.press("Escape")
    page.keyboard.press("t")
    expect(told).to_be_hidden()


def test_lifts_that_tear_a_surface_are_told_and_softened(desk, page):
    desk.begin(DEMO / "puppet-pilots.jpg")
    page.keyboard.press("m")
    told = page.get_by_text("Red and orange tear what lies between them.")
    expect(told).to_be_hidden()
    for name, stops in (("red", "-0.8"), ("orange", "0.5")):
        field = page.locator(f'input.number[data-path="mix.lifts.{name}"]')
        field.fill(stops)
        field.press("Enter")
        desk.settled()
    expect(told).to_be_visible()
    page.get_by_role("button", name="Soften").click()
    desk.settled()
    expect(told).to_be_hidden()
    lifts = desk.recipe().mix.lifts
    assert (lifts.red, lifts.orange) == (-0.5, 0.2)
    page.get_by_role("button", name="Undo", exact=True).last.click()
    desk.settled()
    assert desk.recipe().mix.lifts.red == -0.8


def test_the_light_of_a_version_made_before_is_told_once(desk, page):
    desk.begin(DEMO / "bunting.jpg")
    with desk.database.session() as session:
        versions.get(session, 1).again = "light"
    page.reload()
    desk.wait()
    told = page.get_by_text("look at this one again")
    expect(told).to_be_visible()
    page.reload()
    desk.wait()
    expect(told).to_be_hidden()
