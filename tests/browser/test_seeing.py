"""Comparing, zoom, surround, history and versions at the bench."""

import re
from io import BytesIO

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from running import Oatmeal
from samples import DEMO, on_the_bench
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline, render
from oatmeal.core.recipe import REST, from_document
from oatmeal.library import history, photographs, versions
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"
UPRIGHT = DEMO / "straight-up.jpg"

sight = Sitting("m")


@pytest.fixture
def bench(desk):
    desk.begin(BUNTING)
    return desk


def small(canvas):
    """The photograph as the core reduces it for a canvas."""
    return on_the_bench(decode(BUNTING), max(canvas["green"].shape))


def near(canvas, recipe):
    """Largest difference between a canvas and the core's frame of that recipe."""
    return np.abs(canvas["green"] - Pipeline(small(canvas)).codes(recipe).astype(int)).max()


def lift(bench, page, name, stops):
    number = page.locator(f'input.number[data-path="mix.lifts.{name}"]')
    number.fill(str(stops))
    number.press("Enter")
    bench.settled()


def other_is(bench, recipe):
    """The other side comes to be the core's frame of a recipe; it is asked for by itself."""

    seen = []

    def there():
        canvas = bench.canvas("otherCoarse")
        sizes = canvas["green"].shape, bench.canvas()["green"].shape
        seen.append((*sizes, near(canvas, recipe)))
        return sizes[0] == sizes[1] and seen[-1][2] <= 1

    try:
        bench.until(there)
    except AssertionError as error:
        raise AssertionError(f"sizes of both, and what they differ by: {seen[-1]}") from error


def compared(bench, page, source):
    page.get_by_label("Left side").select_option(label=source)
    page.wait_for_function(
        """() => {
            const { compare } = document.querySelector(".bench")._x_dataStack[0];
            return !/^(version|kept|step):/.test(compare.compareWith) || compare.recipes.left;
        }"""
    )  # the recipe of another state is read first
    bench.settled()


def colours_at(page, places):
    """Colours of the screen at places of the page."""
    found = []
    for x, y in places:
        around = {"x": round(x), "y": round(y), "width": 1, "height": 1}
        shot = Image.open(BytesIO(page.screenshot(clip=around))).convert("RGB")
        found.append(np.asarray(shot).astype(int)[0, 0])
    return found


def pressed(page, name):
    """A button of this name that is switched on."""
    return page.get_by_role("button", name=name, exact=True, pressed=True)


def region(page):
    """The part of the file that is in view."""
    bench = "document.querySelector('.bench')._x_dataStack[0].frame"
    return page.evaluate(f"{bench}.wish(false).region")


def undo_says(page, words):
    """Wait until a change of this kind is stored."""
    button = page.get_by_role("button", name="Undo", exact=True)
    expect(button).to_have_attribute("title", re.compile(words))


@sight.part
def flip_and_the_frame_without_the_open_step(bench, page):
    lift(bench, page, "blue", -2)
    page.get_by_role("main").focus()
    page.keyboard.press("k")
    bench.settled()
    place = bench.at(0.62, 0.05)
    assert np.ptp(colours_at(page, [place])[0]) == 0
    page.keyboard.down("x")
    assert np.ptp(colours_at(page, [place])[0]) > 30
    page.keyboard.up("x")
    assert np.ptp(colours_at(page, [place])[0]) == 0
    page.keyboard.press("Escape")
    page.keyboard.down("w")
    expect(page.locator(".shown-as")).to_contain_text("without Mix")
    bench.settled()
    other_is(bench, REST)
    here = colours_at(page, [place])[0][0]
    page.keyboard.up("w")
    bench.until(lambda: here > colours_at(page, [place])[0][0] + 20)  # the sky is dark again
    page.keyboard.press("q")
    bench.settled()
    assert not bench.recipe().mix.on


@sight.part
def the_split_shows_colour_on_the_left_and_grey_on_the_right(bench, page):
    lift(bench, page, "blue", -2)
    page.get_by_role("main").focus()
    page.keyboard.press("k")
    bench.settled()
    divider = page.get_by_role("slider", name="Divider")
    left, right = bench.at(0.1, 0.1), bench.at(0.62, 0.05)
    sky, grey = colours_at(page, [left, right])
    assert sky[2] > sky[0] + 30
    assert np.ptp(grey) == 0
    bench.drag(divider, -300, 0)
    assert np.ptp(colours_at(page, [bench.at(0.3, 0.05)])[0]) == 0
    divider.focus()
    divider.press("End")
    assert np.ptp(colours_at(page, [right])[0]) > 30
    expect(divider).to_have_attribute("aria-valuenow", "100")
    divider.press("Home")
    assert np.ptp(colours_at(page, [left])[0]) == 0
    page.keyboard.press("Escape")
    expect(page.get_by_label("Left side")).to_be_hidden()


@sight.part
def both_sides_are_the_cores_frames_and_the_differences_are_told(bench, page):
    lift(bench, page, "blue", -1.6)
    page.get_by_role("button", name="Duplicate this version").click()
    page.wait_for_url("**version=2")
    bench.wait()
    message = page.locator(".toastline")
    message.wait_for()
    box = message.bounding_box()  # what lies under it can be clicked
    middle = [box["x"] + box["width"] / 2, box["y"] + box["height"] / 2]
    under = "(at) => !document.elementFromPoint(...at).closest('.toasts')"
    assert page.evaluate(under, middle)
    lift(bench, page, "blue", -0.8)
    now = bench.recipe(2)
    page.get_by_role("button", name="Compare", exact=True).click()
    for source, recipe in (("plain conversion", REST), ("Version 1", bench.recipe(1))):
        compared(bench, page, source)
        other_is(bench, recipe)
        assert near(bench.canvas(), now) <= 1
    told = page.locator(".differences")
    expect(told).to_have_text("Version 1 → Version 2: blue lift −1.6 → −0.8 stops")
    page.get_by_label("Right side").select_option(label="plain conversion")
    bench.settled()
    other_is(bench, bench.recipe(1))
    assert near(bench.canvas(), REST) <= 1
    expect(told).to_have_text("Version 1 → plain conversion: blue lift −1.6 → 0 stops")
    held = []  # nothing is said of a state that is still being read
    page.route("**/api/versions/1", lambda route: held.append(route))
    page.get_by_label("Right side").select_option(label="Version 1")
    expect(told).to_have_text("Version 1 → Version 1: reading the settings …")
    bench.until(lambda: held)
    held[0].continue_()
    page.unroute("**/api/versions/1")
    expect(told).to_have_text("Version 1 → Version 1: no difference in settings")
    lift(bench, page, "blue", -0.7)  # whoever changes something sees it
    now = bench.recipe(2)
    expect(page.get_by_label("Right side")).to_have_value("now")
    assert near(bench.canvas(), now) <= 1
    page.get_by_role("button", name="Side by side").click()
    bench.settled()
    other, own = bench.canvas("otherCoarse"), bench.canvas()
    assert other["box"][2:] == pytest.approx(own["box"][2:])
    assert other["box"][0] + other["box"][2] < own["box"][0]  # beside each other
    assert near(other, bench.recipe(1)) <= 1
    assert near(own, now) <= 1
    page.mouse.move(other["box"][0] + 90, other["box"][1] + 90)
    expect(page.locator(".meter tbody tr").nth(1)).to_contain_text("compared")
    # linked: zoom in one pane, both show the same part of the file
    for _ in range(2):  # 50, then 100
        page.mouse.wheel(0, -100)
        bench.settled()
    whole = [render(decode(BUNTING), recipe) for recipe in (bench.recipe(1), now)]
    parts = [bench.canvas(ref)["green"] for ref in ("otherFine", "picture")]
    x, y, width, height = region(page)
    for part, full in zip(parts, whole, strict=True):
        assert part.shape == (height, width)
        assert np.abs(part - full[y : y + height, x : x + width].astype(int)).max() <= 1


@sight.part
def zoom_by_wheel_keys_and_chips_keeps_the_place(bench, page):
    x, y = (round(value) for value in bench.at(0.7, 0.3))
    left, top, width, height = bench.canvas()["box"]
    under = (x - left) / width, (y - top) / height
    page.mouse.move(x, y)
    sizes = []
    for _ in range(2):
        page.mouse.wheel(0, -100)
        bench.settled()
        sizes.append(page.get_by_label("Zoom in percent").input_value())
        assert bench.at(*under) == pytest.approx((x, y), abs=2)
    assert sizes == ["100", "200"]  # Fit is nearly 50 % here
    canvas = bench.canvas("picture")
    assert canvas["box"][2] == pytest.approx(2 * canvas["width"])
    navigator = page.locator(".navigator")
    expect(navigator).to_be_visible()
    bench.drag(navigator, -60, 0)
    moved = bench.at(*under)
    assert moved[0] > x + 300
    page.get_by_role("main").focus()
    page.keyboard.press("-")
    page.keyboard.press("-")
    bench.settled()
    expect(pressed(page, "50")).to_be_visible()
    half = bench.canvas()
    assert half["width"] == 900
    assert near(half, REST) <= 1
    page.keyboard.press("f")
    bench.settled()
    expect(navigator).to_be_hidden()


@sight.part
def in_a_window_of_another_size_the_picture_fits_again(bench, page):
    before = bench.canvas()
    inside = """() => {
        const box = (name) => document.querySelector(name).getBoundingClientRect();
        const [room, picture] = [box("main"), box("canvas[x-ref=coarse]")];
        return picture.right <= room.right && picture.bottom <= room.bottom;
    }"""
    page.set_viewport_size({"width": 1000, "height": 640})
    try:
        page.wait_for_function(inside)
        bench.settled()
        smaller, room = bench.canvas(), page.get_by_role("main").bounding_box()
        left, _, width, _ = smaller["box"]
        assert left + width / 2 == pytest.approx(room["x"] + room["width"] / 2, abs=1)
        assert smaller["width"] == round(width) < before["width"]
        x, y = bench.at(0.5, 0.5)
        page.mouse.move(x, y)
        expect(page.locator(".meter table")).to_be_visible()
    finally:
        page.set_viewport_size({"width": 1280, "height": 800})
        page.mouse.move(0, 0)
    bench.settled()
    assert bench.canvas()["box"] == before["box"]


@sight.part
def the_closeup_equals_the_exported_file(bench, page, tmp_path):
    lift(bench, page, "blue", -1.2)
    page.get_by_role("main").focus()
    page.keyboard.press("t")
    number = page.locator('input.number[data-path="tone.clarity"]')
    number.fill("50")
    number.press("Enter")
    bench.settled()
    page.get_by_role("button", name="100", exact=True).click()
    bench.settled()
    part = bench.canvas("picture")["green"]
    x, y, width, height = region(page)
    page.get_by_role("button", name="Export", exact=True).click()
    page.get_by_role("button", name="PNG").click()
    with page.expect_download() as found:
        page.get_by_role("link", name="Download").click()
    found.value.save_as(tmp_path / "out.png")
    exported = decode(tmp_path / "out.png").codes[..., 0].astype(int)
    assert exported.shape == (1200, 1800)
    assert np.abs(part - exported[y : y + height, x : x + width]).max() <= 1


@sight.part
def surround_thirds_and_the_picture_alone(bench, page):
    corner = (400, 60)
    for name, code in (("white", 245), ("black", 22), ("grey", 123)):
        page.get_by_role("button", name=f"{name} surround").click()
        page.mouse.move(700, 400)
        assert colours_at(page, [corner])[0].tolist() == [code] * 3
    page.get_by_role("button", name="black surround").click()
    page.reload()
    bench.wait()
    assert colours_at(page, [corner])[0].tolist() == [22] * 3
    page.get_by_role("main").focus()
    page.keyboard.press("g")
    box = page.locator(".thirds").bounding_box()
    line = page.locator(".thirds i").nth(1).bounding_box()
    assert line["x"] == pytest.approx(box["x"] + box["width"] * 2 / 3, abs=1)
    page.keyboard.press("o")
    bench.settled()
    expect(page.get_by_role("button", name="Export", exact=True)).to_be_hidden()
    assert bench.canvas()["box"][2] == pytest.approx(1200, abs=2)  # 800 high: the whole window
    page.keyboard.press("Escape")
    page.keyboard.press("g")
    bench.settled()
    expect(page.get_by_role("button", name="Export", exact=True)).to_be_visible()


def test_the_next_frame_keeps_step_zoom_and_comparison(desk, page):
    desk.begin(BUNTING, UPRIGHT)
    ready = []
    page.on("request", lambda sent: ready.append(sent.url) if sent.url.endswith("/ready") else None)
    page.reload()
    desk.wait()
    desk.until(lambda: any(url.endswith("/photographs/2/ready") for url in ready))
    page.get_by_role("main").focus()
    page.keyboard.press("t")
    page.keyboard.press("k")
    page.keyboard.press("b")
    page.keyboard.press("f")
    page.keyboard.press("e")
    desk.settled()
    page.keyboard.press(".")
    page.wait_for_url("**/bench/2")
    desk.settled()
    expect(page.get_by_role("tab", name="Tone")).to_have_attribute("aria-selected", "true")
    expect(pressed(page, "100")).to_be_visible()
    expect(pressed(page, "Side by side")).to_be_visible()
    for chip in ("Black clips", "White clips"):
        expect(page.get_by_role("button", name=chip)).to_have_attribute("aria-pressed", "true")
    page.reload()
    desk.wait()
    expect(pressed(page, "100")).to_be_visible()
    # from the sheet another one opens whole, the marks stay
    page.locator(".where a").click()
    page.wait_for_url("**/series/1")
    page.locator("[data-frame] a").first.click()
    page.wait_for_url("**/bench/1")
    desk.wait()
    expect(pressed(page, "Fit")).to_be_visible()
    expect(page.locator(".divider, [aria-label='Divider of the comparison']")).to_be_hidden()
    expect(page.get_by_role("button", name="White clips")).to_have_attribute("aria-pressed", "true")


def test_versions_by_hand(bench, page):
    page.get_by_role("button", name="Duplicate this version").click()
    page.wait_for_url("**version=2")
    bench.wait()
    name = page.get_by_label("Name of this version")
    expect(name).to_be_focused()  # filled in, to be typed over or left
    expect(name).to_have_value("Version 2")
    name.press("Escape")
    tabs = page.locator(".versions .version")
    lift(bench, page, "red", 2)
    tabs.nth(1).click()
    page.get_by_role("button", name="Show on the sheet").click()
    expect(page.get_by_text("The sheet shows “Version 2” now.")).to_be_visible()
    page.get_by_role("button", name="Move left").click()
    expect(tabs.first).to_contain_text("Version 2")
    page.keyboard.press("Escape")
    page.goto(f"{bench.live}/series/1")
    expect(page.get_by_text("Version 2 · 1 more")).to_be_visible()
    page.goto(f"{bench.live}/bench/1")
    bench.wait()
    expect(page.locator('.version[aria-pressed="true"]')).to_contain_text("Version 2")
    page.get_by_role("main").focus()
    page.keyboard.press("v")
    page.wait_for_url("**version=1")
    bench.wait()
    tabs.nth(1).click()
    page.get_by_role("button", name="Delete", exact=True).click()
    page.wait_for_url("**version=2")
    bench.wait()
    expect(tabs).to_have_count(1)
    page.get_by_role("button", name="Undo").last.click()
    expect(tabs).to_have_count(2)
    with bench.database.session() as session:
        listed = versions.listed(photographs.get(session, 1))
    assert [entry["name"] for entry in listed] == ["Version 2", "Version 1"]


def test_history_branches_kept_states_and_pictures(bench, page):
    lift(bench, page, "red", 1)
    lift(bench, page, "red", 2)
    page.get_by_role("button", name="History").click()
    page.get_by_label("Name under which").fill("Bright flags")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Kept as “Bright flags”.")).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).first.click()
    bench.settled()
    lift(bench, page, "green", -1)
    steps = page.locator(".history li")
    expect(steps).to_have_count(4)
    expect(steps.nth(1)).to_contain_text("Bright flags")
    expect(steps.nth(1)).to_contain_text("left branch")
    page.get_by_role("button", name="pictures").click()
    canvases = page.locator(".history canvas")

    def drawn():
        return [bench.greens(canvas)["green"] for canvas in canvases.all()]

    bench.until(lambda: canvases.count() == 4 and all(one.any() for one in drawn()))
    with bench.database.session() as session:
        ids = [step["id"] for step in history.listed(session, 1)["steps"]]
        recipes = [history.recipe(session, 1, number) for number in ids]
    small = on_the_bench(decode(BUNTING), 240)
    for found, recipe in zip(drawn(), recipes, strict=True):
        assert np.abs(found - Pipeline(small).codes(recipe)).max() <= 1
    # the other side of a comparison may be any step
    page.get_by_role("button", name=re.compile("^Compare with: red lift 1 → 2 stops")).click()
    bench.settled()
    other_is(bench, recipes[1])
    expect(page.locator(".differences")).to_contain_text("red lift 2 → 1 stop")
    steps.nth(1).locator(".go").click()  # back to the branch that was left
    bench.settled()
    assert bench.recipe().mix.lifts.red == 2
    assert near(bench.canvas(), recipes[1]) <= 1
    expect(steps).to_have_count(4)
    expect(page.locator('[data-path="mix.lifts.green"].number')).to_have_value("0")


def test_history_is_there_after_a_hard_stop_of_the_server(page, tmp_path, quiet):
    quiet.expected = ("ERR_",)
    oatmeal = Oatmeal(tmp_path / "home")
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    address = f"api/series/{series}/photographs"
    oatmeal.call("POST", address, BUNTING.read_bytes(), X_File_Name="b.jpg")
    page.goto(oatmeal.shown)  # with the key, which is another one after a start
    page.goto(f"{oatmeal.shown.split('?')[0]}bench/1")

    def typed(name, stops):
        field = page.locator(f'input.number[data-path="mix.lifts.{name}"]')
        field.fill(stops)
        field.press("Enter")
        undo_says(page, name)

    typed("red", "1")
    typed("green", "-1")
    page.get_by_role("button", name="Undo", exact=True).click()
    undo_says(page, "red")
    typed("blue", "-2")
    oatmeal.kill()
    again = Oatmeal(tmp_path / "home")
    page.goto(again.shown)
    page.goto(f"{again.shown.split('?')[0]}bench/1")
    page.get_by_role("button", name="History").click()
    steps = page.locator(".history li")
    expect(steps).to_have_count(4)
    expect(steps.nth(1)).to_contain_text("left branch")
    steps.nth(1).locator(".go").click()
    expect(page.locator('input.number[data-path="mix.lifts.green"]')).to_have_value("−1")
    expect(page.locator('input.number[data-path="mix.lifts.blue"]')).to_have_value("0")
    page.goto("about:blank")
    assert again.stop() == 0


@sight.part
def a_key_can_be_given_away(bench, page):
    page.get_by_role("main").focus()
    page.keyboard.press("?")
    page.get_by_role("button", name="Key for: lines of thirds").click()
    page.keyboard.press("k")
    expect(page.get_by_text("That key is for “compare, or leave comparing”")).to_be_visible()
    page.keyboard.press("!")
    page.get_by_role("button", name="Close", exact=True).click()
    page.keyboard.press("!")
    expect(page.locator(".thirds")).to_be_visible()
    page.keyboard.press("g")
    expect(page.locator(".thirds")).to_be_visible()
    page.reload()
    bench.wait()
    page.keyboard.press("!")
    expect(page.locator(".thirds")).to_be_visible()
    page.keyboard.press("?")
    page.get_by_role("button", name="Usual keys").click()
    page.keyboard.press("Escape")
    page.keyboard.press("g")
    expect(page.locator(".thirds")).to_be_hidden()


@sight.part
def a_colour_lift_that_the_second_finger_calls_off(bench, page):
    """Two fingers zoom; what the first had begun to lift goes back."""
    before = bench.recipe()
    page.evaluate(
        """([x, y]) => {
            const surround = document.querySelector(".surround");
            surround.setPointerCapture = () => {};
            const send = (kind, pointerId, dx, dy) => surround.dispatchEvent(
                new PointerEvent(kind, {
                    pointerId, pointerType: "touch", clientX: x + dx, clientY: y + dy,
                    bubbles: true, cancelable: true, isPrimary: pointerId === 1,
                    button: kind === "pointermove" ? -1 : 0 }));
            send("pointerdown", 1, 0, 0);
            send("pointermove", 1, 0, -30);
            send("pointerdown", 2, 40, -30);
            for (let far = 40; far <= 200; far += 20) send("pointermove", 2, far, -30);
            send("pointerup", 2, 200, -30);
            send("pointerup", 1, 0, -30);
        }""",
        list(bench.at(0.4, 0.15)),
    )
    bench.settled()
    assert bench.recipe() == before
    assert int(page.get_by_label("Zoom in percent").input_value()) >= 100
    expect(page.locator('[data-path="mix.lifts.blue"].number')).to_have_value("0")


def test_recipe_documents_stay_whole_through_the_history(bench):
    """What a step keeps is the recipe itself, not a difference."""
    with bench.database.session() as session:
        first = versions.save(session, 1, 1, from_document({"mix": {"lifts": {"red": 1}}}))
        versions.save(session, 1, first["revision"], from_document({"tone": {"contrast": 20}}))
        steps = [
            history.recipe(session, 1, step["id"]) for step in history.listed(session, 1)["steps"]
        ]
    assert steps[0] == from_document({"tone": {"contrast": 20}})
    assert steps[1] == from_document({"mix": {"lifts": {"red": 1}}})
    assert steps[2] == REST


def test_seeing_in_one_sitting(sitting):
    sitting(sight)


def test_transparent_parts_show_the_checked_ground_and_export_says_what_becomes(
    desk, page, tmp_path
):
    """A cut-out balloon: what lies hidden round it is not shown, at any size and in any frame."""
    picture = Image.open(DEMO / "first-lift.jpg").resize((1200, 800)).convert("RGBA")
    alpha = np.zeros((800, 1200), np.uint8)
    alpha[:, 600:] = 255
    picture.putalpha(Image.fromarray(alpha))
    path = tmp_path / "cut-out.png"
    picture.save(path)
    desk.begin(path)

    def ground(ref="coarse"):
        """The left half shows the two greys of the ground alone."""
        shown = desk.canvas(ref)["green"]
        left = shown[:, : shown.shape[1] // 2 - 2]
        return set(np.unique(left)) == {200, 232} and len(np.unique(shown)) > 50

    desk.until(ground)
    lift(desk, page, "blue", -1)
    desk.until(ground)
    page.get_by_role("main").focus()
    page.keyboard.press("r")  # the whole picture that a frame is laid on
    desk.settled()
    board = page.locator(".board canvas")
    desk.until(lambda: set(np.unique(desk.greens(board)["green"][:, :100])) == {200, 232})
    page.keyboard.press("m")
    page.get_by_role("button", name="100", exact=True).click()
    desk.settled()
    desk.until(ground)
    fine = page.locator(".pane canvas").nth(1)
    assert {200, 232} <= set(np.unique(desk.greens(fine)["green"][:, :40]))
    page.keyboard.press("d")
    dialog = page.get_by_role("dialog", name="Export")
    expect(dialog).to_contain_text("they become paper white")
    dialog.get_by_role("button", name="PNG").click()
    expect(dialog).to_contain_text("and stay so in this format")
