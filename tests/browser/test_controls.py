"""Numbers and tracks in every group: clicked, typed, stepped, held, put back."""

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
