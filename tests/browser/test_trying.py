"""Trying on the picture, the drawer of recipes and starts, the wall."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, Film, carry, shipped
from oatmeal.core.recipe.examples import FINISH_STARTS
from oatmeal.library import recipes
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"

tries = Sitting("m")

STORM = "Storm over the valley"


@pytest.fixture
def bench(desk):
    desk.begin(BUNTING)
    return desk


def shown(page):
    """Greens of what is shown in place of the picture, or None."""
    return page.evaluate(
        """() => {
            const aside = document.querySelector(".pane.other");
            if (aside.hidden) return null;
            const { width, height } = aside.querySelector("canvas");
            const { data } = aside.querySelector("canvas").getContext("2d").getImageData(0, 0, width, height);
            return { width, greens: Array.from({ length: width * height }, (_, i) => data[4 * i + 1]) };
        }"""  # noqa: E501
    )


def is_tried(page, recipe, by=1):
    found = shown(page)
    assert found is not None
    expected = Pipeline(on_the_bench(decode(BUNTING), found["width"])).codes(recipe).astype(int)
    assert np.abs(np.array(found["greens"]).reshape(expected.shape) - expected).max() <= by


def red_filter():
    film = Film(kind="film", filter="red")
    return REST.model_copy(update={"mix": REST.mix.model_copy(update={"base": film})})


@tries.part
def a_filter_that_is_rested_on(bench, page):
    page.get_by_role("button", name="Film", exact=True).click()
    page.get_by_role("combobox", name="Filter", exact=True).click()
    page.get_by_role("option", name="red filter", exact=True).hover()
    chip = page.locator(".chip.tried")
    expect(chip).to_have_text("trying red filter · press to keep, Esc goes back")
    bench.settled()
    is_tried(page, red_filter())
    page.get_by_role("option", name="no filter").hover()
    expect(chip).to_contain_text("trying no filter")
    page.mouse.move(700, 300)
    expect(chip).to_be_hidden()
    assert shown(page) is None
    assert bench.recipe() == REST
    page.get_by_role("option", name="red filter", exact=True).click()
    page.mouse.move(700, 300)
    bench.settled()
    assert shown(page) is None
    assert bench.recipe() == red_filter()
    assert page.evaluate("document.activeElement.getAttribute('x-ref')") == "surround"


@tries.part
def a_list_by_keys(bench, page):
    page.get_by_role("button", name="Film", exact=True).click()
    page.get_by_role("combobox", name="Filter", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("option", name="no filter")).to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(page.locator(".chip.tried")).to_contain_text("trying light-yellow filter")
    page.evaluate(  # as a browser tells of a pointer that lies still when what is under it changes
        """() => document.querySelector("nav").dispatchEvent(
            new PointerEvent("pointerover", { bubbles: true, pointerType: "mouse" }))"""
    )
    expect(page.locator(".chip.tried")).to_contain_text("trying light-yellow filter")
    page.wait_for_timeout(60)
    expect(page.locator(".chip.tried")).to_contain_text("trying light-yellow filter")
    page.keyboard.press("End")
    expect(page.locator(".chip.tried")).to_contain_text("trying purple filter")
    page.keyboard.press("Escape")
    expect(page.locator(".chip.tried")).to_be_hidden()
    bench.settled()
    assert bench.recipe() == REST
    page.get_by_role("combobox", name="Filter", exact=True).focus()
    page.keyboard.press("Enter")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    bench.settled()
    assert bench.recipe().mix.base.filter == "yellow"


@tries.part
def a_second_look_asks_for_nothing(bench, page):
    page.keyboard.press("z")
    page.get_by_role("button", name="Colour", exact=True).click()
    sepia = page.get_by_role("button", name="sepia", exact=True)
    asked = []
    page.on("request", lambda one: asked.append(one.url) if one.url.endswith("/frame") else None)
    sepia.hover()
    expect(page.locator(".chip.tried")).to_contain_text("trying sepia")
    bench.settled()
    first = len(asked)
    assert first >= 1
    toning = FINISH_STARTS["toning"]["sepia"]
    finish = REST.finish.model_copy(
        update={"toning": type(REST.finish.toning).model_validate({**toning, "on": True})}
    )
    assert shown(page)["greens"] != bench.canvas()["green"].ravel().tolist()
    page.mouse.move(700, 300)
    expect(page.locator(".chip.tried")).to_be_hidden()
    sepia.hover()
    expect(page.locator(".chip.tried")).to_contain_text("trying sepia")
    page.wait_for_function("() => !document.querySelector('.pane.other').hidden")
    assert len(asked) == first
    page.keyboard.press("Escape")  # with nothing focused in the panel it is the page's
    sepia.click()
    page.mouse.move(700, 300)
    bench.settled()
    assert bench.recipe().finish == finish


@tries.part
def a_recipe_from_the_drawer_more_or_less_strongly(bench, page):
    named = shipped.by_name(STORM)
    groups = [group for group in named.groups if group in recipes.USUAL_GROUPS]
    page.keyboard.press("*")
    drawer = page.get_by_role("complementary", name="Recipes")
    storm = drawer.get_by_role("button", name=f"{STORM} ").first
    storm.hover()
    expect(page.locator(".chip.tried")).to_contain_text(f"trying {STORM}")
    bench.settled()
    is_tried(page, carry.carried(named.recipe, REST, groups), 3)  # greens of a toned print
    storm.click()
    page.mouse.move(700, 300)
    bench.settled()
    bench.until(lambda: bench.recipe() == carry.carried(named.recipe, REST, groups))
    much = drawer.get_by_label("How much of the recipe")
    much.fill("50")
    much.press("Enter")
    bench.settled()
    bench.until(lambda: bench.recipe() == carry.carried(named.recipe, REST, groups, 0.5))
    page.keyboard.press("m")
    page.locator('[data-path="mix.lifts.red"]').fill("1")
    page.locator('[data-path="mix.lifts.red"]').press("Enter")
    expect(much).to_be_hidden()  # something else was done
    expect(drawer.locator('.offer[aria-pressed="true"]')).to_have_count(0)
    drawer.get_by_label("Find by name or tag").fill("old pl")
    expect(drawer.locator(".offer")).to_have_count(1)
    drawer.get_by_label("Find by name or tag").fill("")
    shown_all = """() => [...document.querySelectorAll(".offer canvas")].slice(0, 4).every(
        (canvas) => canvas.width > 96)"""
    page.wait_for_function(shown_all)  # all that are seen are drawn, those that came back too
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    page.get_by_role("main").focus()
    page.keyboard.press("Escape")
    expect(drawer).to_be_hidden()


@tries.part
def saving_a_recipe_from_the_drawer(bench, page):
    page.locator('[data-path="mix.lifts.blue"]').fill("-1")
    page.locator('[data-path="mix.lifts.blue"]').press("Enter")
    bench.settled()
    page.keyboard.press("*")
    page.get_by_role("button", name="Save this one").click()
    name = page.get_by_label("Name of the recipe")
    expect(name).to_be_focused()
    name.fill("Bunting blue")
    save = page.get_by_role("button", name="Save", exact=True)
    page.get_by_role("button", name="none", exact=True).click()
    expect(save).to_be_disabled()
    page.get_by_role("button", name="only Mix").click()
    save.click()
    expect(page.locator(".offer").first).to_contain_text("Bunting blue")
    with bench.database.session() as session:
        kept = recipes.get(session, "saved:1")
    steps = {group.step for group in carry.GROUPS if group.name in kept.groups}
    assert steps == {"mix"}
    assert kept.recipe.mix.lifts.blue == -1


@tries.part
def the_wall(bench, page):
    page.keyboard.press("=")
    expect(page.locator(".toastline")).to_contain_text("Nothing hangs on the wall")
    page.keyboard.press("*")
    pins = page.get_by_role("complementary", name="Recipes").get_by_role("button", name="Pin ")
    for number in (1, 2, 3):
        pins.nth(number).click()
    expect(page.locator(".toastline")).to_contain_text("4 with the present picture")
    pins.nth(3).click()
    expect(page.locator(".toastline")).to_contain_text("hangs there already")
    page.get_by_role("main").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("=")
    tiles = page.locator(".wall .tile")
    expect(tiles).to_have_count(4)
    expect(page.locator(".wall canvas[style]")).to_have_count(4)
    page.get_by_role("group", name="Zoom of the wall").get_by_role("button", name="100 %").click()
    page.wait_for_function(
        """() => [...document.querySelectorAll(".wall canvas")].every((canvas) => (
            canvas.width === Math.round(canvas.parentElement.clientWidth)))"""
    )
    before = tiles.nth(0).locator("canvas").evaluate("(canvas) => canvas.toDataURL()")
    bench.drag(tiles.nth(1), -60, -20)
    page.wait_for_function(
        "(before) => document.querySelector('.wall canvas').toDataURL() !== before", arg=before
    )
    assert bench.recipe() == REST  # a drag moves all of them and chooses none
    own = "() => document.querySelector('[data-tile=now] canvas').toDataURL()"
    begun = page.evaluate(own)
    page.locator('[data-path="mix.lifts.blue"]').fill("-2")
    page.locator('[data-path="mix.lifts.blue"]').press("Enter")
    page.wait_for_function(f"(begun) => ({own})() !== begun", arg=begun)  # it follows the work
    page.keyboard.press("Control+z")
    bench.settled()
    assert bench.recipe() == REST
    tiles.nth(2).locator(".hung").focus()
    page.keyboard.press("Delete")
    expect(tiles).to_have_count(3)
    page.locator(".toastline").get_by_role("button", name="Undo").click()
    expect(tiles).to_have_count(4)
    name = tiles.nth(1).locator(".chip").inner_text()
    tiles.nth(1).locator(".hung").focus()
    page.keyboard.press("Enter")
    expect(page.locator(".wall")).to_have_count(0)
    bench.settled()
    named = shipped.by_name(name)
    groups = [group for group in named.groups if group in recipes.USUAL_GROUPS]
    assert bench.recipe() == carry.carried(named.recipe, REST, groups)
    page.reload()
    bench.wait()
    expect(page.get_by_role("button", name="Wall: 4")).to_be_visible()


def test_choices_in_one_sitting(sitting):
    sitting(tries)


def test_a_finger_that_is_held_looks_and_does_not_press(desk, browser):
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)
    page = context.new_page()
    desk.page = page
    desk.begin(BUNTING)
    page.keyboard.press("z")
    page.get_by_role("button", name="Colour", exact=True).click()
    sepia = page.get_by_role("button", name="sepia", exact=True)
    sepia.scroll_into_view_if_needed()
    box = sepia.bounding_box()
    touch = context.new_cdp_session(page)
    at = [{"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2}]
    touch.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": at})
    expect(page.locator(".chip.tried")).to_contain_text("trying sepia")
    touch.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    expect(page.locator(".chip.tried")).to_be_hidden()
    desk.settled()
    assert desk.recipe() == REST
    context.close()
