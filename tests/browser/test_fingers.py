"""By touch on a phone: swipes change nothing, a finger that rests takes hold, one whole job."""

import pytest
from playwright.sync_api import expect
from samples import DEMO

from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"
PHONE = {"width": 390, "height": 844}
REST_MS = 320


class Fingers:
    """A finger on a page, through the browser's own touch input."""

    def __init__(self, page):
        self.page, self.input = page, page.context.new_cdp_session(page)

    def send(self, kind, *points):
        touched = [{"x": x, "y": y, "id": number} for number, (x, y) in enumerate(points)]
        self.input.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": touched})

    def drag(self, start, end, rest=0, steps=6):
        self.send("touchStart", start)
        if rest:
            self.page.wait_for_timeout(rest)
        for step in range(1, steps + 1):
            share = step / steps
            at = [a + (b - a) * share for a, b in zip(start, end, strict=True)]
            self.send("touchMove", at)
            self.page.wait_for_timeout(12)
        self.send("touchEnd")

    def on(self, locator, dx, dy):
        """Rest on the middle of something, then drag it."""
        locator.scroll_into_view_if_needed()
        self.page.evaluate("scrollBy(0, 60)")
        box = locator.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.drag((x, y), (x + dx, y + dy), REST_MS)


@pytest.fixture
def phone(browser, desk):
    context = browser.new_context(viewport=PHONE, has_touch=True, is_mobile=True)
    desk.page = context.new_page()
    yield desk, Fingers(desk.page)
    context.close()


def recipe_of(page):
    return page.evaluate(
        "() => JSON.stringify(document.querySelector('.bench')._x_dataStack[0].work.recipe)"
    )


def test_forty_swipes_change_nothing_and_scroll(phone):
    desk, finger = phone
    page = desk.page
    desk.begin(BUNTING)
    before, scrolled = recipe_of(page), 0
    for name in ("Prepare", "Mix", "Tone", "Areas", "Finish"):
        page.evaluate("scrollTo(0, 0)")
        page.get_by_role("tab", name=name).tap()
        desk.settled()
        for x in (60, 150, 250, 340):
            finger.drag((x, 700), (x + 10, 420))  # over the panel: up, and down
            page.wait_for_timeout(60)
            scrolled += page.evaluate("scrollY > 0")
            finger.drag((x, 180), (x - 20, 330))  # over the picture
            page.wait_for_timeout(60)
    desk.settled()
    assert recipe_of(page) == before
    assert scrolled >= 16  # Areas without an area may have nothing to scroll
    top = page.get_by_role("main").bounding_box()["y"]
    assert 0 <= top <= 60  # the picture stays in sight


def test_one_job_by_touch_from_an_empty_page_to_a_file(phone, tmp_path):
    desk, finger = phone
    page = desk.page

    def fits():
        assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]

    page.goto(desk.live)
    fits()
    with page.expect_file_chooser() as chooser:
        page.get_by_text("Add photographs", exact=True).first.tap()
    chooser.value.set_files(BUNTING)
    page.wait_for_url("**/series/*")
    fits()
    page.get_by_role("link", name="Work on Bunting").tap()
    page.wait_for_url("**/bench/*")
    desk.wait()
    fits()

    # the picture itself: what is under the finger, darker
    x, y = desk.at(0.08, 0.12)
    finger.drag((x, y), (x, y + 50), REST_MS)
    desk.until(lambda: desk.recipe().mix.lifts.blue < -0.3)
    desk.settled()
    page.get_by_role("tab", name="Tone").tap()
    desk.settled()
    finger.on(page.locator('input.track[data-path="tone.clarity"]'), 20, 0)
    desk.settled()
    assert desk.recipe().tone.clarity > 10
    page.get_by_role("button", name="Undo").first.tap()
    desk.settled()
    assert desk.recipe().tone.clarity == 0
    page.evaluate("scrollTo(0, 0)")
    page.get_by_role("tab", name="Areas").tap()
    desk.settled()
    x, y = desk.at(0.4, 0.6)
    finger.drag((x, y), (x + 80, y), REST_MS)
    desk.settled()
    (area,) = desk.recipe().areas.list
    assert len(area.mask[0].strokes) == 1
    page.get_by_role("button", name="Export").first.tap()
    page.get_by_role("button", name="PNG", exact=True).tap()
    link = page.get_by_role("link", name="Download")
    expect(link).to_be_visible(timeout=20_000)
    box = page.locator("dialog[open] .panel-box, dialog[open]").first.bounding_box()
    assert box["x"] >= 0
    assert box["x"] + box["width"] <= PHONE["width"]
    with page.expect_download() as found:
        link.tap()
    found.value.save_as(tmp_path / "out.png")
    assert decode(tmp_path / "out.png").codes.shape[:2] == (1200, 1800)


def test_two_fingers_zoom_and_end_where_they_end(phone):
    desk, finger = phone
    page = desk.page
    desk.begin(BUNTING)
    before = recipe_of(page)
    x, y = desk.at(0.5, 0.5)
    finger.send("touchStart", (x - 30, y))
    finger.send("touchStart", (x - 30, y), (x + 30, y))
    for apart in range(35, 95, 10):
        finger.send("touchMove", (x - apart, y), (x + apart, y))
        page.wait_for_timeout(16)
    finger.send("touchEnd")
    desk.settled()
    zoom = page.evaluate("() => document.querySelector('.bench')._x_dataStack[0].sight.percent")
    fit = 100 * 350 / 1800
    assert float(zoom) == pytest.approx(fit * 85 / 30, rel=0.12)
    assert recipe_of(page) == before


def test_targets_are_as_large_as_a_fingertip(phone):
    desk, _ = phone
    page = desk.page
    desk.begin(BUNTING)
    for name in ("Mix", "Tone", "Areas"):
        page.get_by_role("tab", name=name).tap()
        desk.settled()
        small = page.evaluate(
            """() => [...document.querySelectorAll(
                    ".topbar .button, .steps button, .chips > button, .side .button,"
                    + ".side .choice button")].filter((one) => one.getClientRects().length)
                .map((one) => [one.textContent.trim(), one.getBoundingClientRect().height])
                .filter(([, height]) => height < 36)"""
        )
        assert small == []
