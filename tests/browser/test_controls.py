"""Numbers and tracks in every group: clicked, typed, stepped, held, put back."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO
from walked import RECIPE, groups

from oatmeal.core.recipe import from_document
from oatmeal.library import versions

BUNTING = DEMO / "bunting.jpg"

#: The numbers of the open group that can be typed into, by what they say of themselves.
NUMBERS = """() => [...document.querySelectorAll(".side input.number[data-path]")]
    .filter((one) => one.checkVisibility() && !one.disabled && !one.closest(".off"))
    .map((one) => one.dataset.path)"""
VALUE = """(path) => {
    const { values } = document.querySelector(".bench")._x_dataStack[0];
    return values.value(path);
}"""
DECLARED = """(path) => {
    const bench = document.querySelector(".bench")._x_dataStack[0];
    const path2 = path.replace(/\\.\\d+\\./g, ".*.");
    const { settings } = JSON.parse(document.getElementById("vocabulary").textContent);
    const found = settings[path] ?? settings[path2]
        ?? settings[path.replace("mix.base.", `mix.base:${bench.base.now().kind}.`)];
    return [found.low, found.high, found.step ?? 1];
}"""


@pytest.fixture
def room(desk, page):
    desk.begin(BUNTING)
    with desk.database.session() as session:
        versions.save(session, 1, 1, from_document(RECIPE))
    page.reload()
    desk.wait()
    return desk


def test_every_number_is_clicked_typed_and_stepped(room, page):
    wrong = []
    tried = set()
    for where in groups(room, page):
        for path in page.evaluate(NUMBERS):
            if path in tried or path.startswith("areas."):
                continue
            tried.add(path)
            field = page.locator(f'.side input.number[data-path="{path}"]:visible').first
            low, high, step = page.evaluate(DECLARED, path)
            before = page.evaluate(VALUE, path)
            if not isinstance(before, int | float):
                continue
            field.click()
            shown = field.input_value()
            taken = "(one) => one.value.slice(one.selectionStart, one.selectionEnd)"
            if field.evaluate(taken) != shown:
                wrong.append(f"{where}, {path}: a click takes only part of {shown}")
            down = before + step > high
            for key, by in (("Arrow", 1), ("Shift+Arrow", 0.1)):
                here = page.evaluate(VALUE, path)
                page.keyboard.press(f"{key}{'Down' if down else 'Up'}")
                there = page.evaluate(VALUE, path)
                if abs(abs(there - here) - step * by) > 0.0051 and low < there < high:
                    wrong.append(f"{where}, {path}: {key} {here} to {there}, by {step * by}")
            page.keyboard.press("Enter")
            if page.evaluate("document.activeElement.getAttribute('x-ref')") != "surround":
                wrong.append(f"{where}, {path}: Enter leaves the keys in the field")
            here = page.evaluate(VALUE, path)
            field.click()
            page.keyboard.type("12345")
            page.keyboard.press("Escape")
            if page.evaluate(VALUE, path) != here:
                wrong.append(f"{where}, {path}: Escape takes what was typed")
    assert len(tried) > 70
    assert wrong == []


def test_focus_is_seen_at_every_stop(room, page):
    """Of the page's own controls; what is drawn has a mark of its own."""
    unseen = []
    told = """() => {
        const { tagName, ariaLabel, textContent, className } = document.activeElement;
        const { outlineStyle, outlineWidth } = getComputedStyle(document.activeElement);
        const drawn = document.activeElement instanceof SVGElement;
        const seen = drawn || (outlineStyle !== "none" && parseFloat(outlineWidth) >= 2);
        const name = `${tagName} ${ariaLabel || textContent.trim().slice(0, 30)} ${className}`;
        return [seen, name];
    }"""
    for key in "rmtaz":
        page.get_by_role("main").focus()
        page.keyboard.press(key)
        room.settled()
        page.evaluate("document.querySelector('.wordmark').focus()")
        stops = set()
        for _ in range(140):
            page.keyboard.press("Tab")
            seen, name = page.evaluate(told)
            if name in stops and "grey surround" in stops:
                break
            stops.add(name)
            if not seen and name[:4] != "BODY":
                unseen.append(f"{key}: {name}")
        assert len(stops) > 50
    assert unseen == []


def test_arrows_lead_from_tab_to_tab(room, page):
    page.keyboard.press("m")
    page.get_by_role("tab", name="Mix").focus()
    for key, name in (
        ("ArrowRight", "Tone"), ("ArrowLeft", "Mix"), ("End", "Finish"), ("ArrowRight", "Prepare"),
    ):  # fmt: skip
        page.keyboard.press(key)
        expect(page.get_by_role("tab", name=name)).to_be_focused()
        expect(page.get_by_role("tab", name=name)).to_have_attribute("aria-selected", "true")


def test_a_place_is_chosen_with_a_crosshair_by_keys_alone(room, page):
    page.keyboard.press("t")
    page.get_by_role("button", name="Reset all").last.click()
    room.settled()
    page.get_by_role("button", name="black here").focus()
    page.keyboard.press("Enter")
    aim = page.locator(".aim")
    expect(aim).to_be_visible()
    expect(page.get_by_text("arrows move the crosshair")).to_be_visible()
    expect(page.locator(".meter table")).to_be_visible()  # what lies there is read
    begun = aim.bounding_box()
    for key in ("ArrowRight", "ArrowRight", "Shift+ArrowDown"):
        page.keyboard.press(key)
    moved = aim.bounding_box()
    assert moved["x"] - begun["x"] == pytest.approx(20, abs=1)
    assert moved["y"] - begun["y"] == pytest.approx(1, abs=0.6)
    page.keyboard.press("Enter")
    room.settled()
    expect(aim).to_be_hidden()
    assert room.recipe().tone.levels.black > 0
    page.get_by_role("button", name="white here").focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    expect(aim).to_be_hidden()
    page.get_by_role("button", name="white here").click()  # by hand there is no crosshair
    expect(page.get_by_text("Click the tone that should become white")).to_be_visible()
    expect(aim).to_be_hidden()


def test_what_clips_of_each_channel_is_told_and_counted(room, page):
    page.keyboard.press("r")
    page.locator(".side").get_by_role("button", name="Light").first.click()
    room.settled()
    expect(page.get_by_role("img", name="Histogram of red, green and blue")).to_be_visible()
    exposure = page.locator('input.number[data-path="prepare.light.exposure"]')
    exposure.fill("2")
    exposure.press("Enter")
    room.settled()
    chip = page.locator(".chip", has_text="White clips R")
    told = [float(part) for part in re.findall(r"[\d.]+", chip.inner_text())]
    data = room.canvas()
    assert len(told) == 3
    assert told[1] == pytest.approx(100 * (data["green"] == 255).mean(), abs=0.3)
    chip.click()
    marked = room.canvas()["green"]
    assert (marked != data["green"]).mean() > 0.01
    page.keyboard.press("m")
    room.settled()
    expect(page.get_by_role("img", name="Histogram of the greys")).to_be_visible()


def test_zoom_is_typed_and_turned_freely(room, page):
    zoom = page.get_by_label("Zoom in percent, 5 to 800")
    zoom.fill("73")
    zoom.press("Enter")
    room.settled()
    scale = "() => document.querySelector('.bench')._x_dataStack[0].sight.zoom"
    assert page.evaluate(scale) == pytest.approx(0.73)
    page.mouse.move(800, 350)
    page.keyboard.down("Control")
    for _ in range(3):
        page.mouse.wheel(0, -40)
    page.keyboard.up("Control")
    room.settled()
    assert 0.9 < page.evaluate(scale) < 1.5
    zoom.fill("5000")
    zoom.press("Enter")
    room.settled()
    assert page.evaluate(scale) == 8
    for _ in range(6):
        page.keyboard.press("-")
    room.settled()
    assert page.evaluate(scale) in ("fit", 0.5)


def test_space_moves_the_picture_whatever_the_tool(room, page):
    page.keyboard.press("a")
    page.keyboard.press("Escape")
    zoom = page.get_by_label("Zoom in percent, 5 to 800")
    zoom.fill("200")
    zoom.press("Enter")
    room.settled()
    areas = room.recipe().areas
    before = room.canvas("picture")["green"]
    page.keyboard.down(" ")
    page.mouse.move(800, 350)
    page.mouse.down()
    page.mouse.move(700, 300, steps=4)
    page.mouse.up()
    page.keyboard.up(" ")
    room.settled()
    after = room.canvas("picture")["green"]
    assert before.shape != after.shape or not np.array_equal(before, after)
    assert room.recipe().areas == areas  # nothing was painted
    page.mouse.move(800, 350)
    page.mouse.down()
    page.mouse.move(760, 330, steps=4)
    page.mouse.up()
    room.settled()
    assert room.recipe().areas != areas  # the chosen tool paints at every zoom


def test_a_track_that_is_held(room, page):
    page.keyboard.press("t")
    track = page.locator('.track[data-path="tone.clarity"]')

    def value():
        return page.evaluate(VALUE, "tone.clarity")

    begun = value()
    box = track.bounding_box()
    low, high, _ = page.evaluate(DECLARED, "tone.clarity")
    per_px = (high - low) / (box["width"] - 18)
    x = box["x"] + 9 + (begun - low) / per_px
    y = box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 10, y)
    near = value() - begun
    assert near == pytest.approx(10 * per_px, abs=1.1)
    held = page.locator("output.held")
    expect(held).to_be_visible()
    here = value()
    page.mouse.move(x + 10, y + 240)
    page.mouse.move(x + 20, y + 240)
    assert 0 < value() - here < near / 3  # away from the track it is finer
    here = value()
    page.keyboard.down("Shift")
    page.mouse.move(x + 30, y + 240)
    assert value() - here == pytest.approx(10 * per_px / 10, abs=0.02)
    page.keyboard.up("Shift")
    page.mouse.up()
    expect(held).to_be_hidden()
    room.settled()
    assert room.recipe().tone.clarity == pytest.approx(value())
    assert room.recipe().tone.clarity != begun
    page.mouse.dblclick(x, y)
    room.settled()
    assert room.recipe().tone.clarity == 0
    page.keyboard.press("Control+z")  # one step
    room.settled()
    assert room.recipe().tone.clarity != 0
    track.focus()
    here = value()
    page.keyboard.press("Shift+ArrowRight")
    assert value() == pytest.approx(here + 0.1, abs=1e-6)
    page.keyboard.press("Home")
    assert value() == low
    assert track.get_attribute("aria-valuetext") == "−100, of −100 to 100"
