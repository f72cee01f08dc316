"""A whole series: selecting, a recipe over the selection, the check."""

import threading
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from playwright.sync_api import expect
from samples import DEMO

from oatmeal.core.recipe import REST, from_document
from oatmeal.exports import task
from oatmeal.exports.runner import Runner
from oatmeal.exports.workers import OnExecutor
from oatmeal.library import photographs, series, versions
from oatmeal.photofile.decode import decode
from oatmeal.rendering.thumbnails import Small

FILES = [DEMO / name for name in ("first-lift.jpg", "bunting.jpg", "valley-fog.jpg")]
LOOK = {"mix": {"lifts": {"blue": -1.5, "red": 0.5}}, "tone": {"contrast": 20}}


@pytest.fixture
def sheet(desk, page):
    desk.begin(*FILES)
    with desk.database.session() as session:
        versions.save(session, 1, 1, from_document(LOOK))
    page.goto(f"{desk.live}/series/1")
    return desk


@pytest.fixture
def exporting(desk, monkeypatch):
    """Exports run, on threads of this process; while ``held`` is set no job begins its work."""
    held = threading.Event()
    work = task.run

    def waits(wanted):
        while held.is_set():
            if Path(f"{wanted.progress}.cancel").exists():
                raise task.Cancelled
            time.sleep(0.02)
        return work(wanted)

    monkeypatch.setattr(task, "run", waits)
    runner = Runner(
        desk.database, desk.importer.store, lambda: OnExecutor(ThreadPoolExecutor(2), 2)
    )
    runner.held = held
    runner.start()
    monkeypatch.setattr("oatmeal.exports.runner._LOOK_S", 0.1)
    yield runner
    held.clear()
    runner.stop()


def chosen(page):
    return page.locator(".chosen-card").count()


def test_frames_are_selected_by_ticks_clicks_keys_and_a_drawn_frame(sheet, page):
    page.get_by_label("Select Bunting").check(force=True)
    expect(page.get_by_text("1 frame selected")).to_be_visible()
    cards = page.locator(".card")
    cards.nth(2).locator("img").click(modifiers=["Shift"])
    expect(page.get_by_text("2 frames selected")).to_be_visible()
    cards.nth(1).locator("img").click(modifiers=["Control"])
    assert chosen(page) == 1
    page.keyboard.press("Control+a")
    assert chosen(page) == 3
    page.keyboard.press("Escape")
    assert chosen(page) == 0
    cards.nth(0).locator("a.cover").focus()
    page.keyboard.press("x")
    assert chosen(page) == 1
    low = cards.nth(2).bounding_box()
    page.mouse.move(low["x"] + low["width"] + 100, low["y"] + low["height"] + 40)
    page.mouse.down()
    page.mouse.move(low["x"] + 60, low["y"] + 60, steps=4)
    page.mouse.up()
    expect(page.get_by_text("1 frame selected")).to_be_visible()
    assert "chosen-card" in cards.nth(2).get_attribute("class")
    cards.nth(0).locator("img").click()  # a plain click opens the frame
    page.wait_for_url("**/bench/1")


def test_a_recipe_over_a_selection_with_preview_and_one_undo(sheet, page):
    page.locator(".card").first.hover()
    page.locator(".card").first.get_by_role("button", name="Take").click()
    page.keyboard.press("Control+a")
    page.get_by_role("button", name="Apply a recipe").click()
    box = page.get_by_role("dialog", name="Apply a recipe")
    expect(box.get_by_text("2 frames change")).to_be_visible()
    shown = box.locator(".preview li", has_text="Bunting")
    expect(shown).to_contain_text(
        "red lift 0 → 0.5 stops · blue lift 0 → −1.5 stops · contrast 0 → 20"
    )
    before, after = (shown.locator("img").nth(place).get_attribute("src") for place in (0, 1))
    assert after.startswith("blob:")
    assert before != after
    box.get_by_label("contrast and curve").uncheck()
    box.get_by_label("Strength, 0 to 150 percent").fill("150")
    page.keyboard.press("Enter")
    expect(shown).to_contain_text("red lift 0 → 0.75 stops · blue lift 0 → −2.25 stops")
    box.get_by_role("button", name="Apply to 2").click()
    expect(page.get_by_text("Applied to 2 frames.")).to_be_visible()
    assert [sheet.recipe(number).mix.lifts.blue for number in (1, 2, 3)] == [-1.5, -2.25, -2.25]
    assert sheet.recipe(2).tone.contrast == 0
    page.reload()  # the way back stays
    page.get_by_role("button", name="Undo what was applied to 2").click()
    expect(page.get_by_text("Undone for all.")).to_be_visible()
    assert [sheet.recipe(number).mix.lifts.blue for number in (1, 2, 3)] == [-1.5, 0, 0]


def test_apply_begins_with_what_was_worked_on_and_asks_before_it_puts_to_rest(sheet, page):
    """It began with the first selected frame, and an untouched one wiped finished ones."""
    ticks = page.locator("[data-frame] input[type=checkbox]")
    for number in (2, 3):
        ticks.nth(number - 1).check(force=True)
    page.get_by_role("button", name="Apply a recipe").click()
    box = page.get_by_role("dialog", name="Apply a recipe")
    source = box.get_by_role("combobox").first
    assert page.evaluate("document.querySelector('#apply-from').value") == "version:1"
    expect(box.get_by_text("it would put the others to rest")).to_be_hidden()
    box.get_by_role("button", name="Apply to 2").click()
    expect(page.get_by_text("Applied to 2 frames.")).to_be_visible()
    with sheet.database.session() as session:
        version = versions.get(session, 2)
        versions.save(session, 2, version.revision, REST)
    page.reload()
    for number in (1, 3):
        ticks.nth(number - 1).check(force=True)
    page.get_by_role("button", name="Apply a recipe").click()
    assert page.evaluate("document.querySelector('#apply-from').value") == "version:1"  # the last
    source.select_option("version:2")
    expect(box.get_by_text("it would put the others to rest")).to_be_visible()
    box.get_by_role("button", name="Put 2 to rest …").click()
    assert sheet.recipe(3).mix.lifts.blue == -1.5  # asked first
    box.get_by_role("button", name="Yes, put 2 to rest").click()
    expect(page.get_by_text("Applied to 2 frames.")).to_be_visible()
    assert sheet.recipe(3).mix.lifts.blue == 0


def test_what_most_frames_share_does_not_stand_out(sheet, page):
    """White clips in all of them: that is how the series looks, and it is said once."""
    with sheet.database.session() as session:
        for number in (1, 2, 3):
            version = versions.get(session, number)
            versions.save(
                session, number, version.revision, from_document({"tone": {"exposure": 4}})
            )
    page.reload()
    page.get_by_role("button", name="Check").click()
    expect(page.locator(".check [role=status]")).to_contain_text("white clips in 3 of 3")
    assert page.locator(".check tbody tr", has_text="white clips").count() == 0


def test_the_check_marks_what_stands_out_and_sorts(sheet, page):
    with sheet.database.session() as session:
        versions.save(session, 2, 1, from_document({"tone": {"exposure": 3}}))
    page.reload()
    page.get_by_role("button", name="Check").click()
    expect(page.locator(".check [role=status]")).to_contain_text("stand out")
    row = page.locator(".check tbody tr", has_text="Bunting")
    expect(row).to_contain_text("mean tone")
    expect(row).to_contain_text("white clips")
    with sheet.database.session() as session:
        photograph = photographs.get(session, 2)
        recipe = versions.recipe_of(photograph.shown)
    figures = Small(sheet.importer.store, sheet.importer.proxies).figures(photograph, recipe)
    expect(row.locator("td").nth(6)).to_have_text(f"{figures['mean']:.1f}")
    page.get_by_role("button", name="mean L*").click()
    expect(page.locator(".check tbody tr").last).to_contain_text("Bunting")
    page.get_by_role("button", name="mean L*").click()
    expect(page.locator(".check tbody tr").first).to_contain_text("Bunting")
    page.keyboard.press("n")
    page.wait_for_url("**/bench/*")


def test_a_batch_with_progress_and_its_zip(sheet, page, tmp_path, exporting, quiet):
    quiet.expected = ("422",)
    page.keyboard.press("Control+a")
    page.get_by_role("group", name="Selected frames").get_by_role("button", name="Export").click()
    box = page.get_by_role("dialog", name="Export the selection")
    box.get_by_role("button", name="TIFF").click()
    box.get_by_role("button", name="16 bits").click()
    box.get_by_label("Names").fill("{title} {wrong}")
    expect(box.get_by_text("{wrong} cannot be part of a file name")).to_be_visible()
    expect(box.get_by_role("button", name="Start")).to_be_disabled()
    box.get_by_label("Names").fill("{number} {title}")
    expect(box.get_by_text("01-first-lift.tif")).to_be_visible()
    box.get_by_role("button", name="Start").click()
    page.get_by_role("button", name="See exports").click()
    page.wait_for_url("**/exports")
    expect(page.get_by_text("3 of 3 done")).to_be_visible(timeout=60_000)
    with page.expect_download() as found:
        page.get_by_role("link", name="Download all").click()
    found.value.save_as(tmp_path / "all.zip")
    with zipfile.ZipFile(tmp_path / "all.zip") as packed:
        assert packed.namelist() == ["01-first-lift.tif", "02-bunting.tif", "03-valley-fog.tif"]
        packed.extract("02-bunting.tif", tmp_path)
    picture = decode(tmp_path / "02-bunting.tif")
    assert (picture.width, picture.height, picture.bits) == (1800, 1200, 16)


def test_a_batch_is_cancelled_and_retried(sheet, page, exporting):
    exporting.held.set()
    page.keyboard.press("Control+a")
    page.get_by_role("group", name="Selected frames").get_by_role("button", name="Export").click()
    page.get_by_role("button", name="Start").click()
    page.get_by_role("button", name="See exports").click()
    page.get_by_role("button", name="Cancel").click()
    expect(page.get_by_text("3 cancelled")).to_be_visible()
    exporting.held.clear()
    page.get_by_role("button", name="Retry").click()
    expect(page.get_by_text("3 of 3 done")).to_be_visible(timeout=60_000)
    page.get_by_role("button", name="Delete").click()
    expect(page.get_by_text("No exports yet")).to_be_visible()


def test_recipes_are_shown_saved_used_deleted_and_taken_in(sheet, page, tmp_path, quiet):
    quiet.expected = ("422",)
    page.goto(f"{sheet.live}/bench/1")
    sheet.wait()
    page.locator(".versions .version").click()
    page.get_by_role("button", name="Recipes …").click()
    page.wait_for_url("**/recipes?photograph=1*")
    expect(page.locator(".recipe-cards img:visible")).to_have_count(10)
    page.get_by_role("button", name="Save “Version 1” as a recipe").click()
    page.get_by_label("Name", exact=True).fill("Dark sky")
    page.get_by_label("contrast and curve").uncheck()
    page.get_by_role("button", name="Save", exact=True).click()
    card = page.locator(".card", has_text="Dark sky")
    expect(card).to_contain_text("red lift 0 → 0.5 stops · blue lift 0 → −1.5 stops")
    expect(card).not_to_contain_text("contrast")
    card.get_by_role("button", name="Edit").click()
    card.get_by_label("Tags").fill("noon")
    card.get_by_role("button", name="Done").click()
    expect(card).to_contain_text("noon")
    page.get_by_label("Find by name or tag").fill("noon")
    expect(page.locator(".recipe-cards .card")).to_have_count(1)
    card.get_by_role("button", name="Delete").click()
    expect(page.locator(".recipe-cards .card")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(card).to_be_visible()
    page.get_by_label("Find by name or tag").fill("")
    wrong = tmp_path / "wrong.json"
    wrong.write_text('{"oatmeal": 1, "tone": {"contrast": 400}}')
    page.locator("input[type=file]").set_input_files(wrong)
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("wrong.json cannot be used")
    expect(alert).to_contain_text("tone.contrast: 400 is not allowed")
    page.locator(".card", has_text="Fog lifted").get_by_role("button", name="Use").click()
    page.wait_for_url("**/bench/1?version=1")
    sheet.wait()
    used = sheet.recipe()
    assert (used.tone.veil, used.mix.lifts.blue) == (40, -1.5)


def test_a_new_series_is_called_by_the_day_and_its_first_file(desk, page):
    page.goto(desk.live)
    one, other = (DEMO / name for name in ("bunting.jpg", "valley-fog.jpg"))
    desk.drop(("meet 10.jpg", one.read_bytes()), ("meet 9.jpg", other.read_bytes()))
    page.wait_for_url("**/series/*")
    with desk.database.session() as session:
        (made,) = series.listed(session)
    assert made.name.endswith(" meet 9")
