"""A recipe read off a print at the bench, as a photographer does it."""

import json

import cv2
import pytest
from playwright.sync_api import expect
from samples import DEMO, linear_of

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import from_document
from oatmeal.library import series

LOOK = {"mix": {"lifts": {"blue": -1.2, "red": 0.8}}, "tone": {"contrast": 20}}


@pytest.fixture
def print_of(tmp_path):
    codes = cv2.imread(str(DEMO / "mugs-on-the-stall.jpg"))[..., ::-1]
    light = linear_of(codes[::2, ::2])
    path = tmp_path / "print.png"
    cv2.imwrite(str(path), Pipeline(light).codes(from_document(LOOK)))
    return path


def test_a_print_is_read_used_in_one_step_and_kept(desk, page, print_of):
    desk.begin(DEMO / "mugs-on-the-stall.jpg", DEMO / "valley-fog.jpg")
    page.get_by_role("tab", name="Mix").click()
    page.get_by_role("button", name="Read a print").click()
    dialog = page.get_by_role("dialog", name="Read a print")
    read = dialog.get_by_role("button", name="Read", exact=True)
    expect(read).to_be_disabled()
    dialog.get_by_label("Print 1 from a file").set_input_files(str(print_of))
    expect(dialog.get_by_label("Print 1 from the library")).to_contain_text("print.png")
    read.click()
    expect(dialog.get_by_text("It explains")).to_be_visible(timeout=120_000)
    expect(dialog.get_by_text("Made from plain")).to_be_visible()
    expect(dialog.locator("figure img")).to_have_count(3)
    expect(dialog.locator(".lifts-read")).to_contain_text("blue −1.")
    dialog.get_by_label("Name of the recipe").fill("From the print")
    dialog.get_by_role("button", name="Save as a recipe").click()
    expect(page.get_by_text("Saved as the recipe “From the print”.")).to_be_visible()
    dialog.get_by_role("button", name="Use", exact=True).click()
    expect(dialog).to_be_hidden()
    desk.wait()
    saved = json.loads(page.evaluate("fetch('/api/recipes').then((reply) => reply.text())"))
    assert "From the print" in [one["name"] for one in saved["recipes"]]
    assert desk.recipe().mix.lifts.blue == pytest.approx(-1.2, abs=0.25)
    page.get_by_role("button", name="Undo").click()
    desk.wait()
    assert desk.recipe().mix.lifts.blue == 0
    # only the look, of another photograph
    page.get_by_role("button", name="Read a print").click()
    dialog.get_by_role("button", name="Only its look").click()
    dialog.get_by_label("Print 1 from the library").select_option(label="02 Valley fog")
    read.click()
    expect(dialog.locator("figure img")).to_have_count(2, timeout=60_000)
    dialog.get_by_role("button", name="Use", exact=True).click()
    desk.wait()
    assert desk.recipe().mix.lifts.blue == 0
    assert desk.recipe().tone != from_document({}).tone


def test_another_subject_is_refused_in_one_sentence(desk, page):
    desk.begin(DEMO / "mugs-on-the-stall.jpg", DEMO / "valley-fog.jpg")
    page.get_by_role("tab", name="Mix").click()
    page.get_by_role("button", name="Read a print").click()
    dialog = page.get_by_role("dialog", name="Read a print")
    dialog.get_by_label("Print 1 from the library").select_option(label="02 Valley fog")
    dialog.get_by_role("button", name="Another pair").click()
    expect(dialog.get_by_label("Photograph 2")).to_be_visible()
    dialog.get_by_role("button", name="Remove").click()
    dialog.get_by_role("button", name="Read", exact=True).click()
    expect(dialog.get_by_text("use it for its look instead")).to_be_visible(timeout=60_000)
    page.keyboard.press("Escape")
    expect(dialog).to_be_hidden()


def test_a_handed_over_photograph_is_exported_back(desk, page, tmp_path):
    original = tmp_path / "DSC_7.jpg"
    original.write_bytes((DEMO / "valley-fog.jpg").read_bytes())
    with desk.database.session() as session:
        number = series.create(session, "Larkmoor").id
    desk.importer.add(number, original.name, [original.read_bytes()], came_from=original)
    page.goto(f"{desk.live}/bench/1")
    desk.wait()
    page.get_by_role("button", name="Export", exact=True).click()
    back = page.get_by_role("button", name="Export back")
    expect(back).to_be_enabled(timeout=60_000)
    back.click()
    expect(page.get_by_text("DSC_7-version-1.jpg")).to_be_visible()
    assert sorted(one.name for one in tmp_path.iterdir()) == ["DSC_7-version-1.jpg", "DSC_7.jpg"]
