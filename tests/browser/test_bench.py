"""The bench: instruments, keys, looking, and what happens when two pages disagree."""

import numpy as np
import pytest
from playwright.sync_api import expect
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.finish import quantised
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.core.recipe import REST, from_document
from oatmeal.core.recipe.curves import SHIPPED
from oatmeal.core.seeing import measure
from oatmeal.library import versions
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"

looks = Sitting("m")


@pytest.fixture
def bench(desk):
    desk.begin(BUNTING)
    return desk


def shown(bench, ref="coarse"):
    return bench.canvas(ref)["green"]


def expected(bench, recipe, layer="grey"):
    """The frame that the core renders for this recipe at the size that is shown."""
    picture = decode(BUNTING)
    canvas = bench.canvas()
    return Pipeline(on_the_bench(picture, canvas["width"])).codes(recipe).astype(int)


@looks.part
def the_picture_is_the_cores_frame_and_fits(bench):
    canvas = bench.canvas()
    assert np.abs(shown(bench) - expected(bench, REST)).max() <= 1
    assert canvas["box"][2] / canvas["box"][3] == pytest.approx(1.5, rel=0.01)
    assert canvas["width"] == round(canvas["box"][2])


@looks.part
def lifts_by_keys_wheel_typing_and_back_to_rest(bench, page):
    column = page.get_by_role("slider", name="cyan lift")
    column.focus()
    column.press("ArrowDown")
    column.press("Shift+ArrowDown")
    column.press("PageDown")
    bench.settled()
    assert bench.recipe().mix.lifts.cyan == pytest.approx(-0.62)
    expect(column).to_have_attribute("aria-valuenow", "-0.62")
    page.mouse.wheel(0, 0)
    box = column.locator(".full").bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + 8)
    page.mouse.wheel(0, -100)
    bench.settled()
    assert bench.recipe().mix.lifts.cyan == pytest.approx(-0.52)
    number = page.locator('[data-path="mix.lifts.red"]')
    number.fill("+1,5")
    number.press("Enter")
    bench.settled()
    assert bench.recipe().mix.lifts.red == 1.5
    number.fill("nonsense")
    number.press("Tab")
    expect(page.get_by_text("Type a number.")).to_be_visible()
    expect(number).to_have_value("+1.5")
    number.fill("9")
    number.press("Enter")
    bench.settled()
    assert bench.recipe().mix.lifts.red == 4
    page.get_by_role("button", name="Put red lift back to rest").click()
    bench.settled()
    assert bench.recipe().mix.lifts.red == 0
    column.focus()
    column.press("Delete")
    bench.settled()
    assert bench.recipe() == REST


@looks.part
def a_dragged_column_stands_where_it_was_let_go(bench, page):
    full = page.locator("[data-range=green] .full")
    start = full.bounding_box()
    bench.drag(full, 0, -40)
    assert full.bounding_box()["y"] == pytest.approx(start["y"] - 40, abs=2.5)
    assert bench.recipe().mix.lifts.green > 0.5


@looks.part
def bases(bench, page):
    for button, path, value, field in (
        ("Six colours", "mix.base.blue", "-40", "blue"),
        ("Channels", "mix.base.red", "90", "red"),
    ):
        page.get_by_role("button", name=button).click()
        bench.settled()
        number = page.locator(f'input.number[data-path="{path}"]')
        number.fill(value)
        number.press("Enter")
        bench.settled()
        base = bench.recipe().mix.base
        assert getattr(base, field) == float(value)
        if base.kind == "channels":  # the total is held
            assert base.red + base.green + base.blue == pytest.approx(100)
            assert base.green / base.blue == pytest.approx(59 / 11, rel=0.01)
        assert np.abs(shown(bench) - expected(bench, bench.recipe())).max() <= 1
        page.get_by_role("button", name="Plain", exact=True).click()
        page.get_by_role("button", name="lightest").click()
        bench.settled()
        assert bench.recipe().mix.base.weighing == "lightest"
        page.get_by_role("button", name="Reset all").click()
        bench.settled()
        assert bench.recipe() == REST


@looks.part
def the_curve_by_keyboard_and_the_shipped_ones(bench, page):
    page.keyboard.press("t")
    bench.choose("Curve", "steep S")
    assert bench.recipe().tone.curve == SHIPPED["steep S"]
    point = page.get_by_role("slider", name="curve point 2")
    point.focus()
    point.press("ArrowUp")
    point.press("Shift+ArrowRight")
    bench.settled()
    x, y = bench.recipe().tone.curve[1]
    assert (x, y) == pytest.approx((0.25 + 0.2 / 255, 0.13 + 1 / 255), abs=1e-4)
    point.press("Delete")
    bench.settled()
    assert len(bench.recipe().tone.curve) == 4
    white = page.get_by_role("slider", name="white point")
    bench.drag(white, -50, 0)
    assert bench.recipe().tone.levels.white == pytest.approx(255 - 50 / 330 * 255, abs=3)
    middle = page.get_by_role("slider", name="middle point")
    middle.focus()
    middle.press("ArrowUp")
    bench.settled()
    assert bench.recipe().tone.levels.middle == 1.02
    assert np.abs(shown(bench) - expected(bench, bench.recipe())).max() <= 1


@looks.part
def a_step_can_be_switched_off_to_judge_it(bench, page):
    bench.drag(page.locator("[data-range=blue] .full"), 0, 45)
    with_mix = shown(bench)
    switch = page.get_by_role("switch", name="Mix on")
    switch.click()
    bench.settled()
    assert np.abs(shown(bench) - expected(bench, REST)).max() <= 1
    assert bench.recipe().mix.lifts.blue < 0
    switch.click()
    bench.settled()
    assert np.array_equal(shown(bench), with_mix)


@looks.part
def holding_a_key_shows_the_original_and_the_plain_conversion(bench, page):
    bench.drag(page.locator("[data-range=blue] .full"), 0, 45)
    lifted = shown(bench)
    page.get_by_role("main").focus()
    page.keyboard.down("c")
    expect(page.locator(".shown-as")).to_contain_text("colour original")
    bench.until(lambda: bench.pixel(0.08, 0.12)[2] > bench.pixel(0.08, 0.12)[0] + 40)
    page.keyboard.up("c")
    page.keyboard.down("p")
    bench.until(lambda: np.abs(shown(bench) - expected(bench, REST)).max() <= 1)
    page.keyboard.up("p")
    bench.until(lambda: np.array_equal(shown(bench), lifted))


@looks.part
def single_keys_do_nothing_while_typing(bench, page):
    number = page.locator('[data-path="mix.lifts.red"]')
    number.focus()
    number.press("t")
    expect(page.get_by_role("tab", name="Mix")).to_have_attribute("aria-selected", "true")


@looks.part
def clipping_is_marked_and_counted(bench, page):
    page.keyboard.press("t")
    number = page.locator('[data-path="tone.levels.white"]')
    number.fill("190")
    number.press("Enter")
    bench.settled()
    grey = shown(bench)
    chip = page.get_by_role("button", name="White clips")
    share = (grey == 255).mean() * 100
    expect(chip).to_contain_text(f"White clips {share:.2f} %, in areas")
    chip.click()
    bench.until(lambda: (shown(bench)[grey == 255] != 255).all())
    marked = shown(bench)
    assert len(np.unique(marked[grey == 255])) == 2  # stripes, not a flat colour alone
    assert np.array_equal(marked[(grey > 0) & (grey < 255)], grey[(grey > 0) & (grey < 255)])
    chip.click()


@looks.part
def one_hundred_percent_shows_the_files_own_pixels(bench, page):
    bench.drag(page.locator("[data-range=blue] .full"), 0, 45)
    page.get_by_role("button", name="100", exact=True).click()
    bench.settled()
    whole = quantised(render(decode(BUNTING), bench.recipe(), np.float32), np.uint8)

    def region():
        return page.evaluate(
            """() => {
                const [surround, whole] = [".surround", "canvas[x-ref=coarse]"].map(
                    (name) => document.querySelector(name).getBoundingClientRect());
                return [Math.max(0, surround.x - whole.x), Math.max(0, surround.y - whole.y)];
            }"""
        )

    for key in ("Shift+ArrowRight", "ArrowUp", "Shift+ArrowUp"):
        page.get_by_role("main").focus()
        page.keyboard.press(key)
        bench.settled()
        part = shown(bench, "picture")
        x, y = (round(value) for value in region())
        assert np.array_equal(part, whole[y : y + part.shape[0], x : x + part.shape[1]])
    bench.drag(page.locator(".surround"), 120, 60)
    moved = [round(value) for value in region()]
    assert moved == [max(0, x - 120), max(0, y - 60)]
    page.keyboard.press("f")
    bench.settled()
    assert bench.canvas("picture")["hidden"]


@looks.part
def the_meter_reads_what_is_under_the_pointer(bench, page):
    canvas = bench.canvas()
    x, y, width, height = canvas["box"]
    page.mouse.move(x + 0.08 * width, y + 0.12 * height)
    code = bench.pixel(0.08, 0.12)[0]
    reading = measure.code_readings()[code]
    row = page.locator(".meter tbody tr").last
    expect(row).to_contain_text(f"{reading.zone}{round(reading.lightness)}{code}")


@looks.part
def a_number_gives_the_keys_back_to_the_picture(bench, page):
    """A click takes the whole number; Enter, Escape and undo leave nothing behind in a field."""
    focused = "document.activeElement.className + document.activeElement.tagName"
    page.get_by_role("tab", name="Mix").click()
    number = page.locator('[data-path="mix.lifts.red"]')
    for value, wanted in (("0.8", 0.8), ("0.5", 0.5)):
        number.click()
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        bench.settled()
        assert bench.recipe().mix.lifts.red == wanted
        assert "surround" in page.evaluate(focused)
    number.click()
    page.keyboard.type("3")
    page.keyboard.press("Escape")
    bench.settled()
    expect(number).to_have_value("+0.5")
    assert bench.recipe().mix.lifts.red == 0.5
    number.click()
    page.keyboard.press("Control+z")
    bench.settled()
    assert bench.recipe().mix.lifts.red == 0.8
    page.keyboard.press("t")
    expect(page.get_by_role("tab", name="Tone")).to_have_attribute("aria-selected", "true")


@looks.part
def a_letter_never_changes_what_a_list_has_chosen(bench, page):
    page.keyboard.press("m")
    page.get_by_role("button", name="Film", exact=True).click()
    bench.settled()
    bench.choose("Filter", "yellow filter")
    chosen = bench.recipe().mix.base
    page.get_by_role("combobox", name="Filter", exact=True).click()
    page.keyboard.press("r")
    expect(page.get_by_role("tab", name="Prepare")).to_have_attribute("aria-selected", "true")
    bench.settled()
    assert bench.recipe().mix.base == chosen


def test_a_second_tab_that_is_behind_is_told(bench, page, context, quiet):
    quiet.expected = ("409",)
    other = context.new_page()
    other.goto(page.url)
    other.wait_for_function("() => document.querySelector('.bench')._x_dataStack[0].frame.ready")
    bench.drag(page.locator("[data-range=blue] .full"), 0, 45)
    here = bench.recipe()
    number = other.locator('[data-path="mix.lifts.red"]')
    number.fill("2")
    number.press("Enter")
    expect(other.get_by_text("changed in another tab")).to_be_visible()
    assert bench.recipe() == here  # nothing was overwritten
    other.get_by_role("button", name="Take over with mine").click()
    bench.until(lambda: bench.recipe().mix.lifts.red == 2)
    assert bench.recipe().mix.lifts.blue == 0
    page.bring_to_front()
    page.evaluate("window.dispatchEvent(new Event('focus'))")
    expect(page.get_by_text("changed in another tab")).to_be_visible()
    page.get_by_role("button", name="Show the newer state").click()
    bench.settled()
    expect(page.locator('[data-path="mix.lifts.red"]')).to_have_value("+2")
    page.keyboard.press("Control+z")  # the state that was taken over is one step back
    bench.settled()
    assert bench.recipe() == here


def test_the_work_of_a_tab_that_shows_the_newer_state_stays_in_the_history(bench, page, quiet):
    quiet.expected = ("409",)
    with bench.database.session() as session:
        version = versions.get(session, 1)
        newer = from_document({"tone": {"contrast": 33}})
        versions.save(session, 1, version.revision, newer)
    number = page.locator('[data-path="mix.lifts.red"]')
    number.fill("1.7")
    number.press("Enter")
    page.get_by_role("button", name="Show the newer state").click()
    expect(page.get_by_text("changed in another tab")).to_be_hidden()
    bench.settled()
    assert bench.recipe() == newer
    assert page.locator('[data-path="mix.lifts.red"]').input_value() == "0"
    page.get_by_role("button", name="Redo").click()  # mine is a branch that was left
    bench.settled()
    assert bench.recipe().mix.lifts.red == 1.7


def test_a_change_that_could_not_be_saved_comes_back(bench, page, quiet):
    quiet.expected = ("ERR_FAILED",)
    page.route("**/recipe", lambda route: route.abort())
    number = page.locator('[data-path="mix.lifts.red"]')
    number.fill("1.2")
    number.press("Enter")
    expect(page.get_by_text("not saved yet, trying again")).to_be_visible()
    assert bench.recipe() == REST
    page.reload()
    page.unroute("**/recipe")
    page.reload()
    bench.settled()
    assert bench.recipe().mix.lifts.red == 1.2


def test_the_version_can_be_named_and_frames_walked(desk, page):
    desk.begin(BUNTING, DEMO / "straight-up.jpg")
    page.get_by_title("This version").click()
    page.get_by_role("button", name="Rename").click()
    page.get_by_label("Name of this version").fill("Dark sky")
    page.keyboard.press("Enter")
    expect(page.get_by_title("This version")).to_contain_text("Dark sky")
    page.get_by_role("main").focus()
    page.keyboard.press(".")
    page.wait_for_url("**/bench/2")
    desk.wait()
    assert desk.canvas()["height"] > desk.canvas()["width"]
    page.keyboard.press("?")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog", name="Keys")).to_be_hidden()
    page.keyboard.press(",")
    page.wait_for_url("**/bench/1")
    desk.wait()
    expect(page.get_by_title("This version")).to_contain_text("Dark sky")


def test_a_panel_that_was_not_bound_yet_works_once_it_is_opened(desk, page):
    page.add_init_script("window.requestIdleCallback = () => 0;")  # there is never time
    desk.begin(BUNTING)
    panel = page.get_by_role("region", name="Tone")
    expect(panel).to_be_hidden()
    assert page.locator("[data-panel][x-ignore]").count() == 8
    page.get_by_role("tab", name="Tone").click()
    expect(panel).to_be_visible()
    number = panel.locator('[data-path="tone.exposure"].number')
    expect(number).to_have_value("0")
    number.fill("1")
    number.press("Enter")
    desk.settled()
    assert desk.recipe().tone.exposure == 1
    page.get_by_role("main").focus()
    for key, name in (("?", "Keys"), ("d", "Export")):
        page.keyboard.press(key)
        assert page.evaluate("() => document.querySelector('dialog[open]').ariaLabel") == name
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog", name=name)).to_be_hidden()
    page.get_by_role("tab", name="Mix").click()
    page.get_by_role("button", name="Read a print").click()
    assert page.evaluate("() => document.querySelector('dialog[open]').ariaLabel") == "Read a print"
    page.get_by_role("button", name="Close", exact=True).click()
    page.get_by_role("button", name="Starts").click()
    expect(page.get_by_role("complementary", name="Starts")).to_be_visible()


def test_all_is_bound_where_a_browser_does_not_tell_when_there_is_time(desk, page):
    page.add_init_script("delete window.requestIdleCallback;")
    desk.begin(BUNTING)
    assert page.locator("[data-panel][x-ignore]").count() == 8  # not before a moment of quiet
    expect(page.locator("[data-panel][x-ignore]")).to_have_count(0)
    page.get_by_role("button", name="Export").click()
    expect(page.get_by_role("dialog", name="Export")).to_be_visible()


def test_a_page_that_is_never_told_its_size_has_its_picture_all_the_same(desk, page):
    """As a tab in the background, which is not laid out until it is looked at."""
    page.add_init_script("ResizeObserver.prototype.observe = () => {}")
    desk.begin(BUNTING)
    assert desk.canvas()["width"] > 800


def test_a_photograph_is_asked_for_once_and_as_large_as_it_is_shown(desk, page):
    """The first one in a tab, too, where nothing tells how large the page will be; and the next."""
    wholes = []

    def heard(request):
        if request.url.endswith("/frame") and request.post_data_json.get("measured") is True:
            wholes.append(request.post_data_json["side"])

    page.on("request", heard)
    desk.begin(BUNTING, DEMO / "first-lift.jpg")
    page.wait_for_timeout(400)  # longer than what stands still waits to be asked for again
    assert wholes == [desk.canvas()["width"]]
    page.get_by_role("main").focus()
    with page.expect_navigation():
        page.keyboard.press(".")
    desk.wait()
    page.wait_for_timeout(400)
    assert wholes == [desk.canvas()["width"]] * 2


def test_the_bench_in_one_sitting(sitting):
    sitting(looks)


def test_undo_while_the_server_is_away_waits_like_any_edit(bench, page, quiet):
    """It is undone when the server answers again, after a reload, too."""
    quiet.expected = ("ERR_FAILED", "ERR_CONNECTION")
    number = page.locator('[data-path="mix.lifts.red"]')
    for value in ("1", "2"):
        number.fill(value)
        number.press("Enter")
        bench.settled()
    away = "**/api/versions/**"
    trouble = page.get_by_text("not saved yet, trying again")

    def undo(times):
        page.route(away, lambda route: route.abort())
        page.get_by_role("main").focus()
        for _ in range(times):
            page.keyboard.press("Control+z")
        expect(trouble).to_be_visible()
        page.unroute(away)

    undo(2)
    bench.until(lambda: bench.recipe() == REST)
    bench.wait()
    assert number.input_value() == "0"
    page.keyboard.press("Control+Shift+z")
    bench.until(lambda: bench.recipe().mix.lifts.red == 1)
    bench.wait()
    undo(1)
    page.reload()
    bench.until(lambda: bench.recipe() == REST)
    bench.wait()
    assert number.input_value() == "0"


def test_the_undo_of_a_line_goes_with_the_next_step(bench, page):
    """It would undo that one."""
    page.keyboard.press("t")
    page.get_by_role("button", name="Set points", exact=True).click()
    line = page.locator(".toastline").get_by_role("button", name="Undo")
    expect(line).to_be_visible()
    number = page.get_by_label("contrast, -100 to 100")
    number.fill("20")
    number.press("Enter")
    expect(line).to_be_hidden()
    bench.settled()
    assert bench.recipe().tone.contrast == 20


def test_nothing_is_lost_when_the_key_is_another_one(bench, page, quiet):
    """Oatmeal was started anew: what was not saved is sent again once one has come in."""
    quiet.expected = ("403",)
    told = {"status": 403, "detail": "come in by the address that Oatmeal printed"}
    page.route("**/recipe", lambda route: route.fulfill(status=403, json=told))
    number = page.locator('[data-path="mix.lifts.red"]')
    number.fill("1.3")
    number.press("Enter")
    expect(page.get_by_text("come in by the address that Oatmeal printed")).to_be_visible()
    page.unroute("**/recipe")
    bench.until(lambda: bench.recipe().mix.lifts.red == 1.3)
