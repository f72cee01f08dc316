"""The group Threads of Prepare: drawn, dragged, typed, and on the picture."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST
from oatmeal.photofile.decode import decode

WAGON = DEMO / "painted-wagon.jpg"
STORES = "document.querySelector('.bench')._x_dataStack[0]"

looms = Sitting("r")


@pytest.fixture
def loom(desk, page):
    desk.begin(WAGON)
    page.keyboard.press("r")
    page.get_by_role("button", name="Threads", exact=True).click()
    desk.settled()
    return desk


def threads(desk):
    return desk.recipe().prepare.threads


def foot(page, name):
    return page.get_by_role("slider", name=f"{name} thread")


@looms.part
def a_foot_is_dragged_to_its_neighbour_s_and_the_greys_follow(loom, page):
    expect(page.get_by_role("button", name="grey", exact=True)).to_have_attribute(
        "aria-pressed", "true"
    )
    loom.drag(foot(page, "orange"), -20, 0)
    assert -15 < threads(loom).orange.hue < -8
    canvas = loom.canvas()
    side = max(canvas["width"], canvas["height"])
    work = Pipeline(on_the_bench(decode(WAGON), side))
    assert np.abs(canvas["green"] - work.codes(loom.recipe()).astype(int)).max() <= 1
    loom.drag(foot(page, "orange"), -300, 0)
    assert threads(loom).orange.hue == -24  # two degrees beside red
    page.get_by_role("button", name="Undo").first.click()
    loom.settled()
    assert threads(loom).orange.hue > -20


@looms.part
def a_foot_led_past_the_end_comes_in_at_the_other(loom, page):
    """It can be taken again, and nothing is selected."""
    plot = page.get_by_role("group", name=re.compile("^Threads")).bounding_box()
    loom.drag(foot(page, "red"), -27, 0)
    led = threads(loom).red.hue
    assert led < -20
    place = foot(page, "red").bounding_box()
    assert place["x"] > plot["x"] + 0.9 * plot["width"]
    assert place["x"] + place["width"] < plot["x"] + plot["width"] + 5
    loom.drag(foot(page, "red"), 6, 0)
    assert led < threads(loom).red.hue < led + 10
    word = page.locator(".ribbons .name").first.bounding_box()
    page.mouse.move(word["x"] + 2, word["y"] + 5)
    page.mouse.down()
    page.mouse.move(plot["x"] + 300, word["y"] + 20, steps=5)
    page.mouse.up()
    assert page.evaluate("getSelection().toString()") == ""


@looms.part
def keys_typing_and_putting_back(loom, page):
    foot(page, "green").focus()
    for key in ("ArrowRight", "ArrowUp", "PageUp", "PageUp"):
        page.keyboard.press(key)
    loom.settled()
    green = threads(loom).green
    assert (green.hue, green.bright, green.strength) == (1, 0.1, 120)
    field = page.get_by_label("green led, -90 to 90")
    field.fill("80")
    field.press("Enter")
    loom.settled()
    assert threads(loom).green.hue == 195 - 142 - 2  # it stops beside cyan
    page.get_by_role("button", name="put back").click()
    loom.settled()
    assert threads(loom) == REST.prepare.threads


@looms.part
def on_the_picture_sideways_leads_hue_and_up_brightness(loom, page):
    x, y = loom.at(0.06, 0.5)  # green planks
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 40, y, steps=4)
    page.mouse.up()
    loom.settled()
    led = threads(loom)
    moved = [name for name in type(led).model_fields if not getattr(led, name).rests]
    assert moved in (["green"], ["yellow"])
    assert getattr(led, moved[0]).hue == pytest.approx(10, abs=0.5)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 45, steps=4)
    page.mouse.up()
    loom.settled()
    assert getattr(threads(loom), moved[0]).bright == pytest.approx(0.5, abs=0.02)
    assert page.evaluate(f"() => {STORES}.threads.chosen") == moved[0]


@looms.part
def hues_of_the_picture_stand_over_the_ribbon(loom, page):
    bars = page.locator(".ribbons g rect")
    expect(bars).to_have_count(36)
    heights = bars.evaluate_all("(bars) => bars.map((bar) => Number(bar.getAttribute('height')))")
    assert max(heights[0:8]) > 30  # reds to yellows
    assert max(heights[24:32]) < 8  # no blues


def test_threads_in_one_sitting(sitting):
    sitting(looms)
