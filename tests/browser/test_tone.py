"""The Tone step in the browser: points, local contrast, zones, marks and scopes."""

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST
from oatmeal.core.seeing.points import find_points
from oatmeal.photofile.decode import decode

FOG = DEMO / "valley-fog.jpg"

tone = Sitting("t")


@pytest.fixture
def bench(desk, page):
    desk.begin(FOG)
    page.keyboard.press("t")
    return desk


@pytest.fixture(scope="module")
def source():
    return decode(FOG)


def check(bench, source):
    """The shown frame is the core's frame of the stored recipe."""
    canvas = bench.canvas()
    expected = Pipeline(on_the_bench(source, canvas["width"])).codes(bench.recipe()).astype(int)
    assert np.abs(canvas["green"] - expected).max() <= 1


def type_in(bench, page, key, value):
    number = page.locator(f'input.number[data-path="tone.{key}"]')
    number.fill(str(value))
    number.press("Enter")
    bench.settled()


@tone.part
def set_points_ends_the_mud(bench, page, source):
    hint = page.locator(".hint", has_text="reaches black")
    expect(hint).to_be_visible()
    hint.get_by_role("button", name="Set points").click()
    expect(page.get_by_text("the lightest tone leaves 2 % ink")).to_be_visible()
    bench.settled()
    levels = bench.recipe().tone.levels
    expected = find_points(Pipeline(on_the_bench(source, 1600)), REST)
    assert levels.black == pytest.approx(expected.black, abs=0.5)
    assert levels.white == pytest.approx(expected.white, abs=0.5)
    assert levels.out_white == 250
    check(bench, source)
    codes = bench.canvas()["green"]
    assert np.quantile(codes, 0.999) == pytest.approx(250, abs=2)
    assert np.quantile(codes, 0.001) <= 4
    expect(hint).to_be_hidden()
    page.get_by_role("main").focus()
    page.keyboard.press("Control+z")
    bench.settled()
    assert bench.recipe() == REST


@tone.part
def points_say_when_the_curve_itself_ends_dark(bench, page):
    bench.choose("Curve", "faded")
    bench.settled()
    page.get_by_role("button", name="Set points").first.click()
    expect(page.get_by_text("the curve itself ends darker than 2 % ink")).to_be_visible()
    bench.settled()
    assert bench.recipe().tone.levels.out_white == 255


@tone.part
def what_a_click_would_do_ends_with_its_step(bench, page):
    page.get_by_role("button", name="black here").click()
    page.get_by_role("tab", name="Mix").click()
    page.mouse.click(*bench.at(0.3, 0.95))
    bench.settled()
    assert bench.recipe() == REST


@tone.part
def black_here_and_white_here(bench, page, source):
    page.get_by_role("button", name="black here").click()
    page.mouse.click(*bench.at(0.3, 0.95))
    bench.settled()
    black = bench.recipe().tone.levels.black
    assert 40 < black < 110
    page.get_by_role("button", name="white here").click()
    page.mouse.click(*bench.at(0.9, 0.43))
    bench.settled()
    assert black + 40 < bench.recipe().tone.levels.white < 240
    check(bench, source)
    assert bench.pixel(0.3, 0.95)[0] < 12


@tone.part
def local_contrast_and_light_by_number(bench, page, source):
    before = bench.canvas()["green"]
    for key, value in (
        ("clarity", 60),
        ("veil", 50),
        ("shadows", 30),
        ("highlights", -40),
        ("detail", 25),
    ):
        type_in(bench, page, key, value)
    tone = bench.recipe().tone
    assert (tone.clarity, tone.veil, tone.shadows, tone.highlights, tone.detail) == (
        60,
        50,
        30,
        -40,
        25,
    )
    check(bench, source)
    assert np.abs(bench.canvas()["green"] - before).mean() > 5
    page.get_by_role("button", name="deep").click()
    bench.settled()
    assert bench.recipe().tone.character == "deep"
    check(bench, source)
    page.get_by_role("button", name="Reset all").last.click()
    bench.settled()
    assert np.array_equal(bench.canvas()["green"], before)


@tone.part
def zones_as_handles_over_the_drawing(bench, page, source):
    page.get_by_role("button", name="zones").first.click()
    handle = page.get_by_role("slider", name="zone VII, stops")
    bench.drag(handle.locator("circle"), 0, 30)
    zones = bench.recipe().tone.zones
    assert zones[6] < -0.4
    assert not any(zones[:6])
    check(bench, source)
    handle.focus()
    handle.press("ArrowUp")
    bench.settled()
    assert bench.recipe().tone.zones[6] == pytest.approx(zones[6] + 0.1)
    handle.press("Delete")
    bench.settled()
    assert bench.recipe() == REST
    page.get_by_role("button", name="zones").first.click()


@tone.part
def the_curve_as_text_and_the_thin_line(bench, page, source):
    page.get_by_role("button", name="curve as text").click()
    text = page.get_by_label("Points of the curve")
    text.fill("0 0, 0.3 0.2, 1 1")
    text.press("Enter")
    bench.settled()
    assert bench.recipe().tone.curve == ((0, 0), (0.3, 0.2), (1, 1))
    check(bench, source)
    text.fill("1 1, 0 0")
    text.press("Enter")
    expect(page.get_by_text("from left to right")).to_be_visible()
    expect(text).to_have_value("0 0, 76.5 51, 255 255")
    text.fill("0 0, 102 51, 255 255")  # as the fields count
    text.press("Enter")
    bench.settled()
    assert bench.recipe().tone.curve == ((0, 0), (0.4, 0.2), (1, 1))
    page.get_by_role("slider", name="curve point 1").focus()
    page.keyboard.press("Insert")
    bench.settled()
    assert bench.recipe().tone.curve == ((0, 0), (0.2, 0.1), (0.4, 0.2), (1, 1))
    expect(page.get_by_role("slider", name="curve point 2")).to_be_focused()
    assert page.locator(".scale .whole").get_attribute("d").startswith("M")
    page.mouse.move(*bench.at(0.5, 0.5))
    expect(page.locator(".scale .ticks line")).to_have_count(1)


@tone.part
def contrast_is_dragged_at_the_curves_middle(bench, page, source):
    grip = page.locator(".scale .grip")
    bench.drag(grip, 0, -40)
    assert bench.recipe().tone.contrast == pytest.approx(40, abs=1)
    expect(page.locator(".scale")).to_contain_text("contrast +40")
    check(bench, source)
    grip.focus()
    grip.press("PageDown")
    bench.settled()
    assert bench.recipe().tone.contrast == pytest.approx(30, abs=1)
    grip.press("Delete")
    bench.settled()
    assert bench.recipe() == REST


@tone.part
def blacks_and_whites_are_marked_separately(bench, page):
    type_in(bench, page, "levels.white", 190)
    type_in(bench, page, "levels.black", 70)
    grey = bench.canvas()["green"]
    page.get_by_role("button", name="White clips").click()
    bench.until(lambda: (bench.canvas()["green"][grey == 255] != 255).all())
    marked = bench.canvas()["green"]
    assert np.array_equal(marked[grey < 255], grey[grey < 255])
    page.get_by_role("button", name="Black clips").click()
    page.get_by_role("button", name="White clips").click()
    bench.until(lambda: (bench.canvas()["green"][grey == 0] != 0).all())
    marked = bench.canvas()["green"]
    assert np.array_equal(marked[grey > 0], grey[grey > 0])
    # the two are told apart by the way their stripes run, not by colour alone
    expect(page.get_by_role("button", name="White clips")).to_contain_text("in areas")


@tone.part
def the_waveform_follows_the_frame(bench, page):
    page.get_by_role("button", name="waveform").click()

    def centre():
        return page.evaluate(
            """() => {
                const canvas = document.querySelector("canvas[x-ref=wave]");
                const { width, height } = canvas;
                const { data } = canvas.getContext("2d").getImageData(0, 0, width, height);
                let sum = 0, total = 0;
                for (let i = 0; i < width * height; i += 1) {
                    total += data[4 * i + 3];
                    sum += data[4 * i + 3] * Math.floor(i / width);
                }
                return total && sum / total;
            }"""
        )

    bench.until(centre)
    before = centre()
    type_in(bench, page, "exposure", -1.5)
    assert centre() > before + 10  # darker lies lower


@tone.part
def a_strip_of_clarity(bench, page, source):
    page.get_by_role("button", name="Test strip").last.click()
    page.get_by_label("Setting to try").select_option(label="clarity")
    bench.settled()
    page.get_by_role("button", name="Keep +40").click()
    bench.settled()
    assert bench.recipe().tone.clarity == 40
    check(bench, source)


def test_the_step_in_one_sitting(sitting):
    sitting(tone)
