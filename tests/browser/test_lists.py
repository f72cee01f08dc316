"""The list of series and the sheet."""

import re
from datetime import timedelta

import pytest
from playwright.sync_api import expect
from samples import DEMO

from oatmeal.library import photographs, series
from oatmeal.library.models import now

BUNTING = DEMO / "bunting.jpg"


def titles(page):
    return page.locator("[data-frame] .title").all_inner_texts()


@pytest.fixture
def sheet(desk, page):
    desk.begin(BUNTING, DEMO / "straight-up.jpg", DEMO / "valley-fog.jpg")
    page.locator(".where a").click()
    page.wait_for_url("**/series/1")
    return desk


def test_the_card_of_the_first_visit_leads_to_the_guide_and_is_closed_for_good(desk, page):
    page.goto(desk.live)
    card = page.get_by_role("complementary", name="To begin with")
    expect(card.locator("li")).to_have_count(3)
    expect(card).to_contain_text("Drop photographs on this page")
    card.get_by_role("link", name="Read the guide").click()
    expect(page.get_by_role("heading", name="Guide")).to_be_visible()
    page.go_back()
    card.get_by_role("button", name="Close for good").click()
    expect(card).to_be_hidden()
    page.reload()
    expect(page.get_by_text("Nothing here yet")).to_be_visible()
    expect(card).to_be_hidden()


def test_series_are_made_renamed_deleted_and_brought_back(desk, page):
    page.goto(desk.live)
    page.get_by_role("button", name="New series").click()
    page.get_by_role("textbox", name="Name").fill("Fog morning")
    page.get_by_role("button", name="Save").click()
    page.wait_for_url("**/series/1")
    expect(page.get_by_text("This series is empty")).to_be_visible()
    page.get_by_role("link", name="Series").click()
    card = page.locator("[data-series]")
    card.hover()
    card.get_by_role("button", name="Rename").click()
    page.get_by_role("textbox", name="Name").fill("Fog")
    page.keyboard.press("Enter")
    expect(card.locator(".title")).to_have_text("Fog")
    card.hover()
    card.get_by_role("button", name="Delete").click()
    expect(page.get_by_text("“Fog” deleted.")).to_be_visible()
    expect(card).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(card.locator(".title")).to_have_text("Fog")
    expect(card).to_contain_text("0 photographs")


def test_dropping_on_a_series_adds_to_it_and_bad_files_are_listed(desk, page, quiet):
    quiet.expected = ("422",)
    desk.begin(DEMO / "bunting.jpg")
    page.goto(desk.live)
    jpeg = (DEMO / "straight-up.jpg").read_bytes()
    desk.drop(
        ("straight-up.jpg", jpeg), ("half.jpg", jpeg[: len(jpeg) // 2]), ("notes.txt", b"hello"),
        on="[data-series='1'] .title",
    )  # fmt: skip
    panel = page.get_by_label("Photographs being added")
    expect(panel).to_contain_text("1 of 3 added, 2 refused")
    expect(panel).to_contain_text("half.jpg is damaged or incomplete")
    expect(panel).to_contain_text("notes.txt is not a picture")
    panel.get_by_role("button", name="Close").click()
    page.wait_for_url("**/series/1")
    assert [re.sub(r"\s+", " ", text) for text in titles(page)] == ["01 Bunting", "02 Straight up"]


def test_adding_by_button(desk, page):
    page.goto(desk.live)
    page.locator("input[type=file]").set_input_files(
        [DEMO / "bunting.jpg", DEMO / "straight-up.jpg"]
    )
    page.wait_for_url("**/series/1")
    assert [text[:2] for text in titles(page)] == ["01", "02"]
    assert page.locator("[data-frame]").first.get_attribute("data-name") == "Bunting"


def test_frames_are_moved_renamed_removed_and_brought_back(sheet, page):
    assert [text[:2] for text in titles(page)] == ["01", "02", "03"]
    last = page.locator("[data-frame]").last
    name = last.get_attribute("data-name")
    last.hover()
    with page.expect_response("**/order"):
        page.get_by_role("button", name=f"Move {name} earlier").click()
    page.reload()
    assert page.locator("[data-frame]").nth(1).get_attribute("data-name") == name
    first = page.locator("[data-frame]").first
    with page.expect_response("**/order"):
        first.drag_to(page.locator("[data-frame]").last)
    page.reload()
    assert page.locator("[data-frame]").first.get_attribute("data-name") == name
    card = page.locator("[data-frame]").first
    card.hover()
    card.get_by_role("button", name="Rename").click()
    page.get_by_role("textbox", name="Name").fill("Renamed")
    page.keyboard.press("Enter")
    expect(card.locator(".title")).to_contain_text("Renamed")
    card.hover()
    card.get_by_role("button", name="Remove").click()
    expect(page.locator("[data-frame]")).to_have_count(2)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-frame]")).to_have_count(3)
    assert page.locator("[data-frame]").first.get_attribute("data-name") == "Renamed"


def test_what_was_removed_is_listed_and_brought_back(sheet, page):
    """One by one, all, or by the same file; a series likewise."""
    frames = page.locator("[data-frame]")
    removed = page.locator(".removed")
    expect(removed).to_be_hidden()
    for left in (2, 1):
        frames.first.hover()
        frames.first.get_by_role("button", name="Remove").click()
        expect(frames).to_have_count(left)
    removed.locator("summary").click()
    expect(removed.locator("li")).to_have_count(2)
    removed.get_by_role("button", name="Bring Bunting back").click()
    expect(frames).to_have_count(2)
    frames.first.hover()
    frames.first.get_by_role("button", name="Remove").click()
    expect(frames).to_have_count(1)
    removed.locator("summary").click()
    removed.get_by_role("button", name="Bring all back").click()
    expect(frames).to_have_count(3)
    assert [text[:2] for text in titles(page)] == ["01", "02", "03"]
    page.get_by_role("link", name="Series").click()
    card = page.locator("[data-series]")
    card.hover()
    card.get_by_role("button", name="Delete").click()
    expect(card).to_have_count(0)
    page.reload()  # the line with Undo is gone
    removed.locator("summary").click()
    removed.get_by_role("button", name="Bring Meet back").click()
    expect(card).to_contain_text("3 photographs")


def test_what_was_removed_long_ago_is_not_listed(sheet, page, database):
    with database.session() as session:
        for number, days in ((1, 29), (2, 31)):
            photograph = photographs.get(session, number)
            photograph.deleted_at = now() - timedelta(days=days)
    page.reload()
    page.locator(".removed summary").click()
    expect(page.locator(".removed li")).to_have_count(1)
    expect(page.locator(".removed li")).to_contain_text("Bunting")


def test_a_new_file_beside_known_ones_leaves_their_order_and_shows(sheet, page):
    """Some are there already, one had been removed: the sheet shows it without a reload."""
    order = [text.split()[-1] for text in titles(page)]
    frames = page.locator("[data-frame]")
    frames.nth(1).hover()
    frames.nth(1).get_by_role("button", name="Remove").click()
    expect(frames).to_have_count(2)
    names = ("bunting.jpg", "first-lift.jpg", "straight-up.jpg", "valley-fog.jpg")
    desk = sheet
    desk.drop(*((name, (DEMO / name).read_bytes()) for name in names))
    panel = page.get_by_label("Photographs being added")
    expect(panel).to_contain_text("1 of 4 added, 2 there already, 1 back again")
    expect(frames).to_have_count(4)
    assert [text.split()[-1] for text in titles(page)] == [*order, "lift"]
    expect(page.locator(".where")).to_contain_text("4 frames")
    expect(page.locator(".removed")).to_be_hidden()


def test_a_line_with_undo_waits_while_it_is_pointed_at(sheet, page):
    frames = page.locator("[data-frame]")
    page.clock.install()
    frames.last.hover()
    frames.last.get_by_role("button", name="Remove").click()
    line = page.locator(".toastline")
    expect(frames).to_have_count(2)
    place = line.bounding_box()
    page.mouse.move(place["x"] + 8, place["y"] + 8)
    page.clock.run_for(30_000)
    expect(line).to_be_visible()
    page.mouse.move(600, 300)
    page.clock.run_for(10_000)
    expect(line).to_have_count(0)


def test_the_sheet_shows_the_present_version_or_the_colour(sheet, page):
    def greyness():
        page.wait_for_function("() => [...document.images].every((image) => image.complete)")
        return page.evaluate(
            """() => {
                const image = document.querySelector("[data-name=Bunting] img");
                const canvas = document.createElement("canvas");
                Object.assign(canvas, { width: 60, height: 40 });
                const context = canvas.getContext("2d", { willReadFrequently: true });
                context.drawImage(image, 0, 0, 60, 40);
                const data = context.getImageData(0, 0, 60, 40).data;
                let most = 0, sum = 0;
                for (let i = 0; i < data.length; i += 4) {
                    most = Math.max(most, Math.abs(data[i] - data[i + 2]));
                    sum += data[i];
                }
                return [most, sum / 2400];
            }"""
        )

    assert greyness()[0] == 0
    page.get_by_role("button", name="Colour").click()
    sheet.until(lambda: greyness()[0] > 100)
    page.get_by_role("button", name="Sheet").click()
    sheet.until(lambda: greyness()[0] == 0)
    before = greyness()[1]
    page.get_by_role("link", name="Work on Bunting").click()
    sheet.wait()
    number = page.locator('[data-path="mix.lifts.blue"]')
    number.fill("-3")
    number.press("Enter")
    sheet.settled()
    page.locator(".where a").click()
    page.wait_for_url("**/series/1")
    sheet.until(lambda: greyness()[1] < before - 10)
    expect(page.locator("[data-name=Bunting] .under")).to_contain_text("Version 1")


def test_the_export_panel_tells_the_size_before_saving(desk, page):
    desk.begin(DEMO / "bunting.jpg")
    page.get_by_role("button", name="Export").click()
    result = page.locator(".result")
    expect(result).to_contain_text(re.compile(r"1800 × 1200 px, 8-bit grey, \d+ kB"))

    def kilobytes():
        found = re.search(r"(\d+) kB", result.inner_text())
        return int(found[1]) if found else 0

    large = kilobytes()
    expect(page.get_by_role("button", name="16 bits")).to_be_disabled()
    page.get_by_label("Quality", exact=True).fill("50")
    desk.until(lambda: 0 < kilobytes() < large)
    size = page.get_by_label("Longer side")
    size.fill("900")
    size.press("Enter")
    expect(result).to_contain_text("900 × 600 px")
    size.fill("99999")
    size.press("Enter")
    expect(result).to_contain_text("it is never enlarged")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Export")).to_be_hidden()


def test_after_a_broken_connection_a_file_is_sent_again(desk, page, quiet):
    quiet.expected = ("ERR_",)
    with desk.database.session() as session:
        series.create(session, "Meet")
    page.goto(f"{desk.live}/series/1")
    broken = []

    def breaks(route):
        if len(broken) < 2:
            broken.append(route.request.url)
            route.abort("connectionreset")
        else:
            route.continue_()

    page.route("**/api/series/1/photographs", breaks)
    desk.drop(("bunting.jpg", BUNTING.read_bytes()))
    expect(page.get_by_text("waiting for the connection")).to_be_visible()
    expect(page.locator(".card")).to_have_count(1, timeout=30_000)
    assert len(broken) == 2
