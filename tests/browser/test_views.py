"""Every main view of the demo is brought into its state, and written as a picture if asked to.

``bin/refresh-screenshots`` writes them all; a view whose state cannot be reached any more fails.
"""

from __future__ import annotations

import hashlib
import re
from contextlib import nullcontext
from pathlib import Path

import cv2
from PIL import Image
from playwright.sync_api import expect
from samples import DEMO, linear_of

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import from_document
from oatmeal.run import demo

ROOT = Path(__file__).parents[2]
VIEWS = {}


def view(name):
    def named(function):
        VIEWS[name] = function
        return function

    return named


def bench(desk, number, step):
    """A photograph of the demo by its number, in the step of a key."""
    desk.page.goto(f"{desk.live}/bench/{number}")
    desk.wait()
    desk.page.keyboard.press(step)
    desk.settled()


@view("series")
def _(desk, page):
    page.goto(desk.live)
    expect(page.get_by_text("To begin with")).to_be_visible()
    expect(page.locator(".card img")).to_be_visible()


@view("sheet")
def _(desk, page):
    page.goto(f"{desk.live}/series/1")
    expect(page.locator("[data-frame]")).to_have_count(13)


@view("bench-frame")
def _(desk, page):
    bench(desk, 8, "r")
    page.get_by_role("button", name="Frame").first.click()
    desk.settled()
    expect(page.locator(".frameboard")).to_be_visible()


@view("bench-threads")
def _(desk, page):
    bench(desk, 7, "r")
    page.get_by_role("button", name=re.compile("^Threads")).click()
    desk.settled()
    for name, way in (("orange", -20), ("green", 14), ("blue", -12)):
        desk.drag(page.get_by_role("slider", name=f"{name} thread"), way, 0)


@view("bench-clean")
def _(desk, page):
    bench(desk, 1, "r")
    page.get_by_role("button", name=re.compile("^Clean")).click()
    desk.settled()
    expect(page.locator("[data-panel=prepare]").get_by_text("Noise", exact=True)).to_be_visible()


@view("bench-mix")
def _(desk, page):
    bench(desk, 3, "m")
    expect(page.get_by_text("height is the grey each colour becomes")).to_be_visible()


@view("test-strip")
def _(desk, page):
    bench(desk, 3, "m")
    page.get_by_role("button", name="Test strip").first.click()
    expect(page.locator(".band-button")).to_have_count(5)
    desk.settled()


@view("reading")
def _(desk, page):
    light = linear_of(cv2.imread(str(DEMO / "mugs-on-the-stall.jpg"))[::2, ::2, ::-1])
    look = from_document({"mix": {"lifts": {"blue": -1.2, "red": 0.8}}, "tone": {"contrast": 20}})
    written = desk.folder / "print.png"
    cv2.imwrite(str(written), Pipeline(light).codes(look))
    bench(desk, 4, "m")
    page.get_by_role("button", name="Read a print").click()
    dialog = page.get_by_role("dialog", name="Read a print")
    dialog.get_by_label("Print 1 from a file").set_input_files(str(written))
    dialog.get_by_role("button", name="Read", exact=True).click()
    expect(dialog.get_by_text("It explains")).to_be_visible(timeout=120_000)


@view("bench-tone")
def _(desk, page):
    bench(desk, 3, "t")
    expect(page.get_by_role("button", name="Set points")).to_be_visible()


@view("bench-areas")
def _(desk, page):
    bench(desk, 3, "a")
    page.get_by_role("button", name="Printing map").click()
    desk.settled()
    expect(page.locator("button.tag").first).to_be_visible()


@view("bench-finish")
def _(desk, page):
    bench(desk, 2, "z")
    page.get_by_role("button", name=re.compile("^Colour")).click()
    desk.settled()
    expect(page.get_by_role("button", name="warm paper")).to_be_visible()


@view("compare")
def _(desk, page):
    bench(desk, 3, "m")
    page.keyboard.press("k")
    desk.settled()
    expect(page.get_by_role("slider", name="Divider of the comparison")).to_be_visible()


@view("export")
def _(desk, page):
    bench(desk, 3, "m")
    page.get_by_role("button", name="Export", exact=True).click()
    expect(page.get_by_role("dialog", name="Export")).to_contain_text("kB", timeout=60_000)


@view("apply")
def _(desk, page):
    page.goto(f"{desk.live}/series/1")
    for name in ("Puppet pilots", "Bunting"):
        page.get_by_label(f"Select {name}").check(force=True)
    page.get_by_role("button", name="Apply a recipe").click()
    box = page.get_by_role("dialog", name="Apply a recipe")
    box.get_by_role("combobox").first.select_option(label="04 Mugs on the stall: Blue enamel")
    expect(box.locator("img")).to_have_count(4)


@view("join")
def _(desk, page):
    page.goto(f"{desk.live}/series/1")
    for number in range(1, 5):
        page.get_by_label(f"Select Wide meadow {number}").check(force=True)
    page.get_by_role("button", name="Join", exact=True).click()
    dialog = page.get_by_role("dialog", name="Join frames")
    expect(dialog.locator(".tag")).to_have_count(4, timeout=120_000)
    expect(dialog.get_by_alt_text("The joined picture")).to_be_visible()


@view("check")
def _(desk, page):
    page.goto(f"{desk.live}/series/1")
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("looking at")).to_be_hidden(timeout=60_000)


@view("recipes")
def _(desk, page):
    page.goto(f"{desk.live}/recipes?photograph=5")
    expect(page.locator("article img").nth(7)).to_be_visible(timeout=60_000)


@view("wall")
def _(desk, page):
    page.emulate_media(color_scheme="dark")  # Rye, the dark theme
    bench(desk, 3, "m")
    page.keyboard.press("*")
    for name in ("Faces in the crowd", "Old plate", "Far heat"):
        page.get_by_role("button", name=f"Pin {name} to the wall").click()
    page.get_by_role("button", name="Close Recipes").click()
    page.keyboard.press("=")
    expect(page.locator(".wall canvas[style]")).to_have_count(4)
    page.locator(".toasts").evaluate("(one) => one.hidePopover()")


@view("phone")
def _(desk, page):
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{desk.live}/bench/3")
    desk.wait()


def loaded(page):
    """All pictures of the page are there, and nothing is drawn that is still to come."""
    page.mouse.move(0, 0)
    page.wait_for_function(
        """() => Array.from(document.images).every(
            (image) => image.complete || image.getBoundingClientRect().top > innerHeight
        )"""
    )
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(60)


def test_every_main_view_of_the_demo_can_be_reached(desk, page, request, subtests, tmp_path, quiet):
    folder = request.config.getoption("--screenshots")
    home = tmp_path / "home"
    home.mkdir()
    demo.load(desk.database, desk.importer, home, lambda words: nullcontext())
    desk.folder = tmp_path
    shown = {path.stem for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert set(VIEWS) == shown, "a picture for each view, and a view for each picture"
    guide = ROOT / "src" / "oatmeal" / "web" / "static" / "guide"
    wanted = set(re.findall(r"screenshots/([\w-]+)\.png", (ROOT / "docs" / "guide.md").read_text()))
    assert wanted == {path.stem for path in guide.glob("*.webp")} or folder
    for name, reach in VIEWS.items():
        with subtests.test(view=name):
            page.emulate_media(color_scheme="light")
            page.set_viewport_size({"width": 1280, "height": 800})
            reach(desk, page)
            loaded(page)
            quiet.check()
            page.evaluate("sessionStorage.clear()")  # the next one does not begin as this one ended
            if folder:
                target = Path(folder) / f"{name}.png"
                page.screenshot(path=target, animations="disabled")
                if name in wanted:
                    guide.mkdir(exist_ok=True)
                    with Image.open(target) as picture:
                        picture.convert("RGB").save(guide / f"{name}.webp", quality=82, method=6)


def test_the_guide_in_the_application_is_the_guide(page, live):
    """Of the words of docs/guide.md today, with a chapter for every group that leads to one."""
    page.goto(f"{live}/guide")
    text = (ROOT / "docs" / "guide.md").read_bytes()
    fragment = ROOT / "src" / "oatmeal" / "web" / "templates" / "_guide.html"
    assert hashlib.sha256(text).hexdigest() in fragment.read_text().splitlines()[0]
    groups = {
        "prepare": ("frame", "light", "threads", "clean"),
        "mix": ("film", "channels", "six-colours", "formula", "plain"),
        "finish": ("sharpness", "grain", "colour", "edges", "surface"),
    }
    for step, names in groups.items():
        for name in names:
            assert page.locator(f"#{step}-{name}").count() == 1, (step, name)
    for name in ("tone", "areas"):
        assert page.locator(f"h2#{name}").count() == 1
    page.locator("article img").first.scroll_into_view_if_needed()
    loaded(page)
    assert (
        page.evaluate(
            "Array.from(document.images).filter((i) => i.complete && !i.naturalWidth).length"
        )
        == 0
    )
