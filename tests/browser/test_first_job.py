"""From an empty start to a finished file, as a photographer does it."""

import json

import numpy as np
import tifffile
from playwright.sync_api import expect
from samples import DEMO

from oatmeal import cli
from oatmeal.core.recipe import REST

#: A spot of deep sky in the bunting picture, in shares of its sides.
SKY = (0.08, 0.12)


def test_from_an_empty_start_to_a_finished_file(desk, page, tmp_path):
    page.goto(desk.live)
    expect(page.get_by_text("Nothing here yet")).to_be_visible()
    source = DEMO / "bunting.jpg"
    desk.drop((source.name, source.read_bytes()))
    page.wait_for_url("**/series/*")
    page.get_by_role("link", name="Work on Bunting").click()
    desk.wait()
    before = desk.pixel(*SKY)[0]

    # grey map: pull blue down
    desk.drag(page.locator("[data-range=blue] .full"), 0, 45)
    lifts = desk.recipe().mix.lifts
    assert lifts.blue < -0.5
    assert lifts.red == lifts.green == 0
    darkened = desk.pixel(*SKY)[0]
    assert darkened < before - 15
    number = page.locator('[data-path="mix.lifts.blue"]')
    assert float(number.input_value().replace("\N{MINUS SIGN}", "-")) == lifts.blue

    # the scale: a new point on the curve, pulled up; black point typed
    page.get_by_role("tab", name="Tone").click()
    plot = page.locator(".scale .plot")
    plot.wait_for()
    box = plot.bounding_box()
    desk.drag(plot, 0, -30, position=(box["width"] * 0.4, box["height"] * 0.6))
    points = desk.recipe().tone.curve
    assert len(points) == 3
    assert points[1][1] > points[1][0] + 0.05
    black = page.locator('[data-path="tone.levels.black"]')
    black.fill("12")
    black.press("Enter")
    desk.settled()
    recipe = desk.recipe()
    assert recipe.tone.levels.black == 12
    shown = desk.canvas()["green"]

    # tomorrow
    page.reload()
    desk.wait()
    assert desk.recipe() == recipe
    assert np.array_equal(desk.canvas()["green"], shown)
    expect(number).to_have_value(f"\N{MINUS SIGN}{abs(lifts.blue):g}")

    # one drag is one step
    page.get_by_role("button", name="Undo").click()
    desk.settled()
    assert desk.recipe().tone.levels.black == 0
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.recipe().tone.curve == REST.tone.curve
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.recipe() == REST
    assert abs(desk.pixel(*SKY)[0] - before) <= 1
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    for _ in range(3):
        page.keyboard.press("Control+Shift+z")
        desk.settled()
    assert desk.recipe() == recipe

    # the finished file equals the command line's
    page.get_by_role("button", name="Export").click()
    tiff = page.get_by_role("button", name="TIFF")
    tiff.wait_for()
    place = tiff.bounding_box()
    tiff.click()
    page.get_by_role("button", name="16 bits").click()
    download_link = page.get_by_role("link", name="Download")
    expect(page.locator(".result")).to_contain_text("1800 × 1200 px, 16-bit grey, 4.3 MB")
    expect(page.get_by_alt_text("a part of the finished file")).to_be_visible()
    assert abs(tiff.bounding_box()["y"] - place["y"]) < 1  # nothing moves under the pointer
    with page.expect_download() as waiting:
        download_link.click()
    finished = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(finished)
    assert finished.name.endswith("-01-bunting-version-1.tif")
    (tmp_path / "recipe.json").write_text(json.dumps(recipe.document()))
    command = ["convert", str(source), "--recipe", str(tmp_path / "recipe.json")]
    assert cli.main([*command, "--out", str(tmp_path / "cli.tif"), "--depth", "16"]) == 0
    pixels = tifffile.imread(finished)
    assert pixels.dtype == np.uint16
    assert pixels.shape == (1200, 1800)
    assert np.array_equal(pixels, tifffile.imread(tmp_path / "cli.tif"))
