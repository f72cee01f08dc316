"""What moves at once under the pointer, what is asked meanwhile, and what covers what."""

import io
import json
import re

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from samples import DEMO
from sittings import Sitting

from oatmeal.core.finish import quantised
from oatmeal.core.picture import proxy, reduced
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.library import versions
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"
STORES = "document.querySelector('.bench')._x_dataStack[0]"

bench = Sitting()


@pytest.fixture
def opened(desk):
    desk.begin(BUNTING)
    return desk


def column(page, name="blue"):
    """Height of a column's full dot, in the drawing's units."""
    return float(page.locator(f"[data-range={name}] .full").get_attribute("cy"))


def test_a_dragged_column_stands_at_once_where_the_pointer_is(opened, page):
    """By the heights the trace knows, while no frame can arrive."""
    dot = page.locator("[data-range=blue] .full")
    box = dot.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 4, steps=2)
    page.wait_for_function(f"() => {STORES}.frame.tracing === null")
    page.wait_for_timeout(300)
    page.route(re.compile(r"/frame$"), lambda route: None)  # nothing comes back from here on
    page.mouse.move(x, y + 20)
    stands = dot.bounding_box()
    assert abs(stands["y"] + stands["height"] / 2 - (y + 20)) < 3
    page.mouse.move(x, y + 30)
    stands = dot.bounding_box()
    assert abs(stands["y"] + stands["height"] / 2 - (y + 30)) < 3
    page.unroute_all(behavior="ignoreErrors")
    page.mouse.up()


@bench.part
def a_wish_is_put_together_when_it_can_be_sent(opened, page):
    """Many moves while one request is under way make one wish, the newest."""
    page.evaluate(
        f"""() => {{
            const stores = {STORES};
            window.made = 0;
            const wish = stores.frame.wish.bind(stores.frame);
            stores.frame.wish = (moving) => {{ window.made += 1; return wish(moving); }};
        }}"""
    )
    asked = []
    page.on("request", lambda sent: asked.append(sent) if sent.url.endswith("/frame") else None)
    moves = 40
    page.evaluate(
        f"""(moves) => {{
            const {{ work }} = {STORES};
            for (let step = 1; step <= moves; step += 1) {{
                work.recipe.tone.exposure = step / 100;
                work.changing();
            }}
        }}""",
        moves,
    )
    page.wait_for_timeout(50)
    page.evaluate(f"() => {STORES}.work.settle()")
    opened.settled()
    made = page.evaluate("() => window.made")
    assert made <= len(asked)
    assert made < moves / 4
    assert opened.recipe().tone.exposure == 0.4


@bench.part
def chips_stay_on_one_line_and_off_the_picture(opened, page):
    """At 1280 px, with the longest words that a chip can have."""
    page.evaluate(
        f"""() => {{
            const {{ sight, mix }} = {STORES};
            sight.clipping = {{ low: 0.1234, high: 0.1234, areas: 0, low_code: 0, high_code: 255 }};
            mix.mergingCount = 128;
        }}"""
    )
    expect(page.get_by_role("button", name="White clips 12.34 %, in spots")).to_be_visible()
    boxes = [chip.bounding_box() for chip in page.locator(".chips > *:visible").all()]
    assert len({round(box["y"] + box["height"] / 2) for box in boxes}) == 1
    _, top, _, height = opened.canvas()["box"]
    assert min(box["y"] for box in boxes) >= top + height


@bench.part
def messages_never_cover_the_tone_band_and_stand_above_a_dialog(opened, page):
    say = "(text) => window.dispatchEvent(new CustomEvent('say', { detail: { text } }))"
    for number in range(4):
        page.evaluate(say, f"Something was done for the {number}th time, and this says what.")
    band = page.locator(".band").bounding_box()
    expect(page.locator(".toastline")).to_have_count(1)  # the newest
    line = page.locator(".toastline").bounding_box()
    steps = page.get_by_role("tablist").first.bounding_box()
    assert line["x"] + line["width"] < band["x"]
    assert line["y"] > steps["y"] + steps["height"]
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.evaluate(say, "Take a single letter or sign.")
    seen = page.get_by_text("Take a single letter or sign.")
    expect(seen).to_be_visible()
    box = seen.bounding_box()
    shot = Image.open(io.BytesIO(page.screenshot())).convert("L")
    assert shot.getpixel((int(box["x"]) - 6, int(box["y"] + box["height"] / 2))) < 60  # its own ink


@bench.part
def a_dialog_is_the_browsers_own(opened, page):
    """What lies under it cannot be reached; Escape, Close and a press beside it leave it."""
    keys = page.get_by_role("dialog", name="Keys")
    page.keyboard.press("?")
    assert page.evaluate("() => document.querySelector('dialog[open]').matches(':modal')")
    page.keyboard.press("Escape")
    expect(keys).to_be_hidden()
    page.keyboard.press("?")
    page.mouse.click(640, 20)
    expect(keys).to_be_hidden()
    page.keyboard.press("?")
    keys.get_by_role("button", name="Close", exact=True).click()
    expect(keys).to_be_hidden()
    page.keyboard.press("t")
    expect(page.get_by_role("tab", name="Tone")).to_have_attribute("aria-selected", "true")


@bench.part
def the_bench_shows_the_picture_as_it_is_framed(opened, page):
    """Its size, its parts at 100 % and what a press on it means, of a picture that stands."""
    page.keyboard.press("r")
    page.get_by_role("button", name="Turn right").click()
    opened.settled()
    page.keyboard.press("m")
    opened.settled()
    canvas = opened.canvas()
    assert canvas["height"] > canvas["width"]
    small = Pipeline(reduced(np.rot90(proxy(decode(BUNTING), 2048), -1), canvas["height"]))
    assert np.abs(canvas["green"] - small.codes(opened.recipe()).astype(int)).max() <= 1
    page.get_by_role("button", name="100", exact=True).click()
    opened.settled()
    x, y, width, height = page.evaluate(f"() => {STORES}.frame.wish(false).region")
    whole = quantised(
        render(decode(BUNTING), opened.recipe(), np.float32), np.uint8
    )  # framed as well
    shown = opened.canvas("picture")["green"]
    assert np.array_equal(shown, whole[y : y + height, x : x + width])


def test_what_was_left_unsaved_in_another_library_is_not_stored_here(page, desk):
    """It is named by the library, not by the number of a version alone."""
    desk.begin(BUNTING)
    stored = desk.recipe()
    moved = stored.model_copy(update={"tone": stored.tone.model_copy(update={"contrast": 77.0})})
    left = json.dumps({"revision": 1, "recipe": moved.full_document()})
    page.evaluate(
        """(left) => {
            localStorage.setItem("oatmeal-unsaved-1", left);
            localStorage.setItem("oatmeal-unsaved-1-0123456789ab", left);
        }""",
        left,
    )
    page.reload()
    desk.wait()
    page.wait_for_timeout(300)
    assert desk.recipe() == stored
    own = page.evaluate("() => document.querySelector('meta[name=library]').content")
    page.evaluate(
        "([name, left]) => localStorage.setItem(name, left)", [f"oatmeal-unsaved-1-{own}", left]
    )
    page.reload()
    desk.wait()
    assert desk.recipe().tone.contrast == 77


def test_pins_are_stored_in_order_with_changes_and_a_conflict_is_told(page, desk, quiet):
    quiet.expected = ("409",)
    desk.begin(BUNTING)
    page.evaluate(
        f"""() => {{
            const {{ pins, work }} = {STORES};
            work.recipe.tone.contrast = 11;
            work.settle();
            pins.putPin({{ x: 0.5, y: 0.5 }});
            work.recipe.tone.contrast = 12;
            work.settle();
            pins.putPin({{ x: 0.25, y: 0.5 }});
        }}"""
    )
    desk.settled()
    with desk.database.session() as session:
        version = versions.get(session, 1)
        assert [pin["x"] for pin in version.pins] == [0.5, 0.25]
        assert versions.recipe_of(version).tone.contrast == 12
        versions.pin(session, 1, version.revision, [])
    page.evaluate(f"() => {STORES}.pins.putPin({{ x: 0.75, y: 0.5 }})")
    notice = page.get_by_text("was changed in another tab")
    expect(notice).to_be_visible()
    page.get_by_role("button", name="Show the newer state").click()
    expect(notice).to_be_hidden()
    expect(page.locator(".pin")).to_have_count(0)


def test_the_bench_in_one_sitting(sitting):
    sitting(bench)
