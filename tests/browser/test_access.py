"""Everyone can use it: axe-core on every page, keyboard alone, small and large windows."""

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO

from oatmeal.library import series
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"

#: axe-core, of the npm package of that name; `bin/refresh-assets` brings it up to date.
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


def findings(page, where="html"):
    """Serious and critical findings of axe-core on what is shown now, in words.

    The themes differ in their colours alone, so in the dark one only contrast is looked at.
    """
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    return page.evaluate(
        """async (where) => {
            const { dataset } = document.documentElement;
            const still = new CSSStyleSheet();  // or colours would be on their way
            still.replaceSync("* { transition: none !important; }");
            document.adoptedStyleSheets = [still];
            const told = [];
            for (const [theme, rules] of [["oat", {}], ["rye", { runOnly: ["color-contrast"] }]]) {
                dataset.theme = theme;
                const found = await axe.run(where, { ...rules, resultTypes: ["violations"] });
                for (const { impact, id, nodes } of found.violations) {
                    if (!["serious", "critical"].includes(impact)) continue;
                    for (const { html, any } of nodes) {
                        told.push(`${theme}, ${id}: ${html} ${any.map(({ message }) => message)}`);
                    }
                }
            }
            dataset.theme = "oat";
            return told;
        }""",
        where,
    )


def test_lists_have_no_serious_findings(desk, page, quiet):
    quiet.expected = ("404",)
    page.goto(desk.live)
    expect(page.get_by_text("Nothing here yet")).to_be_visible()
    assert findings(page) == []
    desk.begin(BUNTING)
    for address in ("/", "/series/1", "/recipes", "/exports"):
        page.goto(desk.live + address)
        if page.locator(".card").count():
            page.locator(".card").first.hover()
        assert findings(page) == []
    page.goto(f"{desk.live}/series/1")
    page.keyboard.press("Control+a")
    for name in ("Apply a recipe", "Export"):
        page.locator(".chosen").get_by_role("button", name=name).click()
        page.locator("dialog[open] .is-primary").wait_for()
        assert findings(page, "dialog[open]") == []
        page.keyboard.press("Escape")
    page.get_by_role("button", name="Check").click()
    expect(page.get_by_text("nothing stands out")).to_be_visible()
    assert findings(page) == []
    with desk.database.session() as session:
        series.create(session, "Empty")
    page.goto(f"{desk.live}/series/2")
    assert findings(page) == []
    page.goto(f"{desk.live}/nowhere")
    assert findings(page) == []


def test_the_bench_has_no_serious_findings(desk, page):
    desk.begin(BUNTING)
    page.get_by_role("main").focus()
    wrong = {}

    def look(where, part="html"):
        if found := findings(page, part):
            wrong[where] = found

    for name in ("Film", "Channels", "Six colours", "Formula", "Plain"):
        page.get_by_role("button", name=name, exact=True).click()
        desk.settled()
        look(f"base {name}", ".side" if name == "Plain" else ".side .base")
    page.get_by_role("main").focus()
    page.keyboard.press("r")
    desk.settled()
    page.get_by_role("button", name="+ upright line").click()
    for share in (0.3, 0.7):
        desk.drag(page.locator(".frameboard .body"), 5, 120, (200 + 300 * share, 80))
    look("Prepare, frame")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Light", exact=True).click()
    desk.settled()
    look("Prepare, light")
    page.get_by_role("main").focus()
    page.keyboard.press("z")
    for name in ("Sharpness", "Grain", "Edges", "Surface", "Colour"):
        groups = page.get_by_role("group", name="Group of Finish")
        groups.get_by_role("button", name=name).click()
        desk.settled()
        look(f"Finish, {name}", ".finish")
    page.get_by_role("button", name="keep a colour").click()
    page.mouse.click(*desk.at(0.5, 0.5))
    desk.settled()
    look("Finish, a kept colour", ".side")
    page.get_by_role("main").focus()
    page.keyboard.press("m")
    page.keyboard.press("i")
    desk.settled()
    page.get_by_role("main").focus()
    page.keyboard.press("s")
    desk.settled()
    look("test strip")
    page.keyboard.press("Escape")
    page.keyboard.press("k")
    page.keyboard.press("h")
    desk.settled()
    look("compare and history")
    page.keyboard.press("t")
    page.keyboard.press("f")
    desk.settled()
    look("Tone at 100 %")
    page.locator(".versions .version").first.click()
    look("menu of the version", ".topbar")
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    expect(page.get_by_role("link", name="Download")).to_be_enabled()
    look("export", "dialog[open]")
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    look("keys", "dialog[open]")
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    page.get_by_role("button", name="Starts").click()
    expect(page.locator(".offer").first).to_be_visible()
    look("starting points")
    page.get_by_role("button", name="Recipes", exact=True).click()
    expect(page.locator(".offer").nth(3)).to_be_visible()
    for number in (0, 3):
        page.get_by_role("button", name="to the wall").nth(number).click()
    page.get_by_role("button", name="Save this one").click()
    look("the drawer of recipes")
    page.keyboard.press("Escape")
    page.keyboard.press("=")
    expect(page.locator(".wall canvas[style]")).to_have_count(3)
    look("the wall")
    assert wrong == {}


def test_ranges_that_a_picture_hardly_has_can_be_read(desk, page):
    desk.begin(DEMO / "valley-fog.jpg")
    assert page.locator(".lifts .pale").count() > 0
    assert findings(page, ".side") == []


def test_from_an_empty_page_to_a_file_by_keyboard_alone(desk, page, tmp_path):
    page.goto(desk.live)

    def walk_to(role, name, key="Tab", limit=90):
        wanted = page.get_by_role(role, name=name).first
        for _ in range(limit):
            if wanted.evaluate("(element) => element === document.activeElement"):
                return
            page.keyboard.press(key)
        raise AssertionError(f"{name} was not reached")

    for _ in range(30):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.type === 'file'"):
            break
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files(BUNTING)
    page.wait_for_url("**/series/*")
    walk_to("link", "Work on Bunting")
    page.keyboard.press("Enter")
    page.wait_for_url("**/bench/1")
    desk.wait()
    walk_to("slider", "blue lift")
    for _ in range(3):
        page.keyboard.press("PageDown")
    desk.settled()
    assert desk.recipe().mix.lifts.blue == pytest.approx(-1.5)
    page.keyboard.press("t")
    walk_to("button", "Set points")
    page.keyboard.press("Enter")
    desk.settled()
    walk_to("slider", "contrast", limit=150)
    page.keyboard.press("ArrowRight")
    desk.settled()
    assert desk.recipe().tone.contrast > 0
    page.keyboard.press("a")  # a stroke by the crosshair
    page.get_by_role("main").focus()
    page.keyboard.press("n")
    page.keyboard.press("Enter")
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    desk.settled()
    (area,) = desk.recipe().areas.list
    assert area.mask[0].strokes[0].path.count(" ") >= 3
    walk_to("slider", "exposure of the area", limit=120)
    page.keyboard.press("PageUp")
    desk.settled()
    assert desk.recipe().areas.list[0].values.exposure > 0
    page.keyboard.press("k")  # a look at both
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    walk_to("button", "PNG", "Shift+Tab")
    page.keyboard.press("Enter")
    walk_to("link", "Download")
    expect(page.locator(".result")).to_contain_text("1800 × 1200 px")
    with page.expect_download() as found:
        page.keyboard.press("Enter")
    found.value.save_as(tmp_path / "out.png")
    assert decode(tmp_path / "out.png").codes.shape[:2] == (1200, 1800)
    for _ in range(12):  # the dialog keeps the focus
        page.keyboard.press("Tab")
        assert page.evaluate("!document.activeElement.closest('nav, aside, main, footer')")


def test_what_happens_is_heard(desk, page):
    """Step, zoom, marks, comparing and which step was undone; not that it is being saved."""
    desk.begin(BUNTING)
    told = page.locator(".topbar [role=status]")
    page.get_by_role("main").focus()
    for key, words in (
        ("t", "Tone"), ("f", "Zoom 100 %"), ("e", "Marked: blacks and whites that clip"),
        ("k", "Comparing"), ("k", "No longer comparing"),
    ):  # fmt: skip
        page.keyboard.press(key)
        expect(told).to_have_text(words)
    page.locator('[data-path="tone.exposure"].number').fill("1")
    page.keyboard.press("Enter")
    desk.settled()
    page.keyboard.press("Control+z")
    expect(told).to_have_text("Undone: exposure 0 \u2192 1 stop")
    assert page.get_by_role("img", name="Bunting: in grey, zoom 100 %").count() == 1


def test_letters_at_twice_their_size_grow_and_leave_half_of_the_window(browser, desk, page):
    """A window of 640 x 400 is one of 1280 x 800 at 200 %."""
    desk.begin(BUNTING)
    page.set_viewport_size({"width": 640, "height": 400})
    desk.settled()
    box = page.get_by_role("main").bounding_box()
    assert box["width"] * box["height"] >= 0.5 * 640 * 400
    page.set_viewport_size({"width": 1280, "height": 800})
    sizes = """() => [...document.querySelectorAll(
            ".bench :is(button, label, span, small, strong, input)")]
        .filter((one) => one.getClientRects().length && one.textContent.trim())
        .map((one) => parseFloat(getComputedStyle(one).fontSize))"""
    before = page.evaluate(sizes)
    page.evaluate("document.documentElement.style.fontSize = '28px'")
    after = page.evaluate(sizes)
    assert len(before) > 60
    assert all(b == pytest.approx(2 * a, rel=0.01) for a, b in zip(before, after, strict=True))


def test_forced_colours_keep_the_surround_and_show_what_is_chosen(browser, desk, live, database):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, forced_colors="active")
    desk.page = context.new_page()
    desk.begin(BUNTING)
    found = desk.page.evaluate(
        """() => {
            const colour = (selector) =>
                getComputedStyle(document.querySelector(selector)).backgroundColor;
            return [colour(".surround"), colour('.steps [aria-selected="true"]'),
                colour('.steps [aria-selected="false"]'),
                ...[2, 8].map((zone) => colour(`.band .bar.full div:nth-child(${zone})`))];
        }"""
    )
    context.close()
    surround, chosen, other, dark, light = found
    assert surround == "rgb(123, 123, 123)"
    assert chosen != other
    assert dark != light


@pytest.mark.parametrize("size", [(1024, 700), (2560, 1440)])
def test_nothing_sticks_out_of_the_window(desk, page, size):
    page.set_viewport_size({"width": size[0], "height": size[1]})
    desk.begin(BUNTING)
    page.get_by_role("main").focus()
    page.keyboard.press("k")
    page.keyboard.press("h")
    desk.settled()
    for step in ("t", "m"):
        page.keyboard.press(step)
        wide, high = page.evaluate(
            "[document.documentElement.scrollWidth, document.documentElement.scrollHeight]"
        )
        assert (wide, high) == size
        out = page.evaluate(
            """() => {
                const bars = [".topbar > *", ".below > *", ".chips > *", ".comparebar > *"];
                return Array.from(document.querySelectorAll(bars.join()))
                    .filter((element) => element.offsetWidth)
                    .filter((element) => {
                        const { right, bottom } = element.getBoundingClientRect();
                        return right > window.innerWidth + 1 || bottom > window.innerHeight + 1;
                    }).map((element) => element.outerHTML);
            }"""
        )
        assert out == []


def test_on_a_phone_one_looks_and_compares_in_one_column(browser, desk, live, database):
    context = browser.new_context(
        viewport={"width": 390, "height": 800}, has_touch=True, is_mobile=True
    )
    page = context.new_page()
    desk.page = page
    desk.begin(BUNTING)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Compare", exact=True).tap()
    desk.settled()
    picture = desk.canvas()
    assert picture["box"][2] == pytest.approx(350, abs=2)
    assert np.ptp(desk.canvas("otherCoarse")["green"]) > 100
    band, side = (page.locator(name).bounding_box() for name in (".below", ".side"))
    assert picture["box"][1] < band["y"] < side["y"]  # picture, tone band, instruments
    page.get_by_role("button", name="100", exact=True).tap()
    desk.settled()
    before = desk.at(0, 0)
    page.touchscreen.tap(200, 300)
    assert desk.at(0, 0) == before
    context.close()
