"""Frames joined on the sheet, as a photographer does it."""

from concurrent.futures import ThreadPoolExecutor

import cv2
import pytest
import wide
from playwright.sync_api import expect

from oatmeal.exports import joiner as joining
from oatmeal.exports.joiner import Joiner
from oatmeal.library import series


@pytest.fixture
def frames(desk, page, tmp_path):
    """A series of three frames that overlap, open as a sheet."""
    with desk.database.session() as session:
        number = series.create(session, "Larkmoor").id
    for n, codes in enumerate(wide.small()[:3]):
        data = cv2.imencode(".jpg", codes[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 95])[1].tobytes()
        desk.importer.add(number, f"wide-{n + 1}.jpg", [data])
    page.goto(f"{desk.live}/series/{number}")
    return desk


@pytest.fixture
def joiner(desk, monkeypatch):
    monkeypatch.setattr(joining, "_LOOK_S", 0.1)
    made = Joiner(desk.database, desk.importer.store, desk.importer, lambda: ThreadPoolExecutor(1))
    made.start()
    yield made
    made.stop()


def test_frames_are_selected_looked_at_levelled_and_joined(frames, joiner, page):
    join = page.get_by_role("button", name="Join", exact=True)
    page.get_by_label("Select Wide 1").check(force=True)
    expect(join).to_be_disabled()
    page.get_by_role("button", name="All", exact=True).click()
    join.click()
    dialog = page.get_by_role("dialog", name="Join frames")
    expect(dialog.locator(".tag")).to_have_text(["01", "02", "03"], timeout=60_000)
    expect(dialog.get_by_role("status")).to_contain_text("cylinder · ")
    expect(dialog.get_by_text("Light of the frames, in stops: 01 ")).to_be_visible()
    picture = dialog.get_by_alt_text("The joined picture")
    assert picture.evaluate("image => image.naturalWidth") > 600
    page.keyboard.down("s")
    expect(dialog.get_by_alt_text("Seams")).to_be_visible()
    page.keyboard.up("s")
    expect(dialog.get_by_alt_text("Seams")).to_be_hidden()
    dialog.get_by_role("button", name="Level line").click()
    box = picture.bounding_box()
    page.mouse.move(box["x"] + 0.2 * box["width"], box["y"] + 0.5 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.8 * box["width"], box["y"] + 0.6 * box["height"], steps=3)
    page.mouse.up()
    level = dialog.get_by_label("level, -90 to 90 degrees")
    expect(level).not_to_have_value("0")
    assert float(level.input_value()) < -1
    level.fill("0")
    level.press("Enter")
    dialog.get_by_role("button", name="keep").click()
    make = dialog.get_by_role("button", name="Make")
    expect(make).to_be_enabled(timeout=60_000)
    make.click()
    expect(dialog).to_be_hidden()
    expect(page.get_by_text("joined from 3")).to_be_visible(timeout=60_000)
    page.locator(".card").nth(3).hover()
    page.get_by_role("button", name="Join again").click()
    expect(dialog.get_by_role("button", name="keep")).to_have_attribute("aria-pressed", "true")
    expect(make).to_be_enabled(timeout=60_000)
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()
    page.locator(".card").nth(3).locator("a.cover").click()
    frames.wait()
    page.get_by_role("link", name="again", exact=True).click()
    expect(dialog).to_be_visible()
    assert page.url.endswith("/series/1")
    page.keyboard.press("Escape")
    page.goto(f"{frames.live}/bench/4")
    frames.wait()
    page.get_by_role("link", name="02", exact=True).click()
    frames.wait()
    expect(page.get_by_role("link", name="Wide, joined")).to_be_visible()


def test_frames_that_do_not_meet_say_so(frames, page):
    flat = cv2.imencode(".png", 90 + 0 * wide.taken()[1][0][:90, :120])[1].tobytes()
    frames.importer.add(1, "flat.png", [flat])
    page.reload()
    page.get_by_label("Select Wide 1").check(force=True)
    page.get_by_label("Select Flat").check(force=True)
    page.get_by_role("button", name="Join", exact=True).click()
    dialog = page.get_by_role("dialog", name="Join frames")
    expect(
        dialog.get_by_text(
            "Too little detail to find where these frames meet: Frame 01 and Frame 04."
        )
    ).to_be_visible(timeout=60_000)
    expect(dialog.get_by_role("button", name="Make")).to_be_disabled()
