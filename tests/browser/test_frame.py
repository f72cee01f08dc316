"""The group Frame of Prepare: crop, level, lines, lens, and that everything follows."""

import io
import math

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from samples import DEMO
from sittings import Sitting

from oatmeal.core import prepare
from oatmeal.core.finish import quantised
from oatmeal.core.picture import proxy
from oatmeal.core.pipeline import render
from oatmeal.core.recipe import Recipe, RecipeError, from_document
from oatmeal.photofile.decode import decode

WAGON = DEMO / "painted-wagon.jpg"
CHIMNEY = DEMO / "straight-up.jpg"
STORES = "document.querySelector('.bench')._x_dataStack[0]"

frames = Sitting("r")


@pytest.fixture
def frame(desk, page):
    desk.begin(WAGON)
    page.keyboard.press("r")
    desk.settled()
    return desk


def settings(desk):
    return desk.recipe().prepare.frame


def body(page):
    return page.locator(".frameboard .body").bounding_box()


def size(page):
    """Width and height in the words over the instruments."""
    words = page.evaluate(f"() => {STORES}.crop.finalWords").split(" of ")[0]
    return tuple(int(side) for side in words.split(" × "))


def corner(page, place):
    return page.locator(f'.frameboard .handle[data-at="{place}"]')


def apart(one, other):
    """Of two colours, in codes."""
    return max(abs(int(one[i : i + 2], 16) - int(other[i : i + 2], 16)) for i in (1, 3, 5))


def laid(desk):
    return prepare.geometry(desk.recipe()).on(1800, 1200)


@frames.part
def a_corner_is_dragged_in_the_ratio_and_everything_shows_the_frame(frame, page):
    before = body(page)
    assert before["width"] / before["height"] == pytest.approx(1.5, abs=0.01)
    frame.drag(corner(page, "1,1"), -200, -10)
    after = body(page)
    assert after["width"] / after["height"] == pytest.approx(1.5, abs=0.01)
    assert settings(frame).size < 90
    assert size(page) == (laid(frame).width, laid(frame).height)
    page.keyboard.press("m")
    frame.settled()
    shown = frame.canvas()
    assert shown["width"] / shown["height"] == pytest.approx(1.5, abs=0.01)
    expected = quantised(render(decode(WAGON), frame.recipe(), np.float32), np.uint8).astype(int)
    assert expected.shape == size(page)[::-1]
    page.get_by_role("button", name="100", exact=True).click()
    frame.settled()
    x, y, width, height = page.evaluate(f"() => {STORES}.frame.wish(false).region")
    assert np.array_equal(frame.canvas("picture")["green"], expected[y : y + height, x : x + width])


@frames.part
def while_it_is_dragged_only_the_browser_draws(frame, page):
    """The frame follows the pointer, and no request leaves before it is let go."""
    asked = []

    def hear(request):
        if request.url.endswith("/frame"):
            asked.append(request.post_data_json)

    page.on("request", hear)
    for locator, way in ((corner(page, "-1,0"), 160), (page.locator(".bubble ellipse"), 40)):
        box = locator.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + way, y, steps=5)
        assert not asked
        if way == 160:
            assert body(page)["x"] == pytest.approx(x + way, abs=3)
        page.mouse.up()
        frame.settled()
        assert asked
        asked.clear()
    assert settings(frame).angle == pytest.approx(40 / 14.6, abs=0.3)


@frames.part
def free_ratio_keys_typing_and_undo(frame, page):
    page.get_by_role("button", name="free", exact=True).click()
    frame.settled()
    frame.drag(corner(page, "0,1"), 0, -150)
    wide, high = size(page)
    assert wide == 1800
    assert high < 950
    assert settings(frame).ratio != "taken"
    page.get_by_role("button", name="Undo").click()
    frame.settled()
    assert size(page) == (1800, 1200)
    field = page.get_by_label("Ratio, such as 5:7")
    field.fill("7 x 5")
    field.press("Enter")
    frame.settled()
    assert settings(frame).ratio == "7:5"
    assert not settings(frame).free
    assert size(page)[0] / size(page)[1] == pytest.approx(1.4, abs=0.01)
    page.get_by_role("button", name="⇄ standing").click()
    frame.settled()
    assert settings(frame).ratio == "5:7"
    number = page.get_by_label("size of the frame, 2 to 200")
    number.fill("50")
    number.press("Enter")
    frame.settled()
    left = settings(frame).centre
    page.locator(".frameboard .body").focus()
    page.keyboard.press("ArrowRight")
    frame.settled()
    assert settings(frame).centre[0] == pytest.approx(left[0] + 0.005, abs=4e-4)
    page.keyboard.press("+")
    frame.settled()
    assert settings(frame).size > 51
    wide, high = size(page)
    corner(page, "1,0").focus()
    page.keyboard.press("ArrowLeft")
    frame.settled()
    assert size(page)[0] == pytest.approx(wide - 9, abs=2)  # half a hundredth of 1800
    field.fill("0:1")
    field.press("Enter")
    expect(page.locator(".toastline")).to_contain_text("A ratio is two numbers")
    assert settings(frame).ratio == "5:7"


@frames.part
def a_drawn_line_becomes_level_and_one_undo_takes_it_back(frame, page):
    page.get_by_role("button", name="draw a line").click()
    box = body(page)
    x, y = box["x"] + 100, box["y"] + 200
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 400, y + 400 * math.tan(math.radians(3)), steps=6)
    page.mouse.up()
    expect(page.locator(".toastline")).to_contain_text("Turned by −3")
    frame.settled()
    assert settings(frame).angle == pytest.approx(-3, abs=0.15)  # the pointer knows whole pixels
    page.get_by_role("button", name="Undo").first.click()
    frame.settled()
    assert settings(frame).angle == 0


def random_frame(chance):
    """A frame and a lens as somebody may have set them; None where no recipe can have them."""

    def often(low, high, share=0.5):
        return round(float(chance.uniform(low, high)), 2) if chance.random() < share else 0.0

    inside = bool(chance.random() < 0.8)
    frame = {
        "turned": str(chance.choice(["none", "right", "over", "left"])),
        "mirrored": bool(chance.random() < 0.3), "angle": often(-20, 20), "tip": often(-20, 20),
        "swing": often(-20, 20, 0.3), "focal": float(chance.choice([24, 35, 85])),
        "ratio": str(chance.choice(["taken", "1:1", "4:5", "16:9", "5:7"])),
        "centre": [round(float(at), 4) for at in chance.uniform(0.1, 0.9, 2)],
        "size": round(float(chance.uniform(10, 100 if inside else 160)), 1), "inside": inside,
    }  # fmt: skip
    lens = {"bend": often(-6, 6, 0.3), "falloff": often(-1, 1, 0.1), "red": often(-0.2, 0.2, 0.1)}
    try:
        return from_document({"prepare": {"frame": frame, "lens": lens}}).prepare
    except RecipeError:
        return None


def test_the_frame_that_is_dragged_has_the_size_of_the_one_that_is_made(frame, page):
    """The browser draws a frame while it is moved; of 500 random ones it knows the very pixels."""
    chance = np.random.default_rng(7)
    files = [(6000, 4000), (4000, 6000), (1800, 1200), (1801, 1203), (613, 911)]
    cases = []
    while len(cases) < 500:
        made = random_frame(chance)
        if made is not None:
            cases.append((files[len(cases) % len(files)], made))
    wanted = []
    for (width, height), made in cases:
        one = prepare.geometry(Recipe(prepare=made)).on(width, height)
        places = one.framed(np.array([[0.3, 0.4], [0.7, 0.6]]))
        wanted.append([one.width, one.height, *places.ravel()])
    found = page.evaluate(
        """async (cases) => {
            const { Laid } = await import("/static/as-it-is/js/bench/setright.js");
            return cases.map(([[width, height], frame, lens]) => {
                const one = new Laid({ width, height }, frame, lens);
                const places = [[0.3, 0.4], [0.7, 0.6]].map(([x, y]) => one.framed({ x, y }));
                return [one.width, one.height, ...places.flatMap(({ x, y }) => [x, y])];
            });
        }""",
        [[file, made.frame.model_dump(mode="json"), made.lens.model_dump(mode="json")]
         for file, made in cases],
    )  # fmt: skip
    sizes, others = np.array(wanted)[:, :2], np.array(found)[:, :2]
    wrong = np.flatnonzero((sizes != others).any(axis=1))
    assert [(cases[place], sizes[place], others[place]) for place in wrong[:3]] == []
    assert np.abs(np.array(wanted) - np.array(found))[:, 2:].max() < 2e-3


def test_find_lays_lines_that_set_the_chimney_upright(desk, page):
    desk.begin(CHIMNEY)
    page.keyboard.press("r")
    desk.settled()
    page.get_by_role("button", name="Find uprights").click()
    expect(page.locator(".toastline")).to_contain_text("3 upright lines laid")
    desk.settled()
    found = settings(desk)
    assert len(found.plumb) == 3
    assert found.focal == 24  # the file says so
    assert found.tip == pytest.approx(29, abs=1.5)  # so the scene was made
    assert found.angle == pytest.approx(2, abs=0.4)
    grip = page.locator(".frameboard .grip").first
    grip.focus()
    page.keyboard.press("Delete")
    desk.settled()
    assert len(settings(desk).plumb) == 2
    page.get_by_role("button", name="clear", exact=True).click()
    desk.settled()
    assert (settings(desk).tip, settings(desk).plumb) == (0, ())


@frames.part
def lines_are_laid_by_hand_and_moved(frame, page):
    page.get_by_role("button", name="+ upright line").click()
    box = body(page)
    for share, lean in ((0.3, 20), (0.7, -20)):
        x, y = box["x"] + share * box["width"], box["y"] + 60
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - lean, y + 300, steps=5)
        page.mouse.up()
        frame.settled()
        box = body(page) if share == 0.3 else box
    assert len(settings(frame).plumb) == 2
    assert settings(frame).tip > 2
    before = settings(frame)
    frame.drag(page.locator(".frameboard .grip").first, 25, 0)
    assert settings(frame).plumb != before.plumb
    assert settings(frame).tip != before.tip
    page.keyboard.press("Escape")
    assert page.evaluate(f"() => {STORES}.crop.drawing") == ""


@frames.part
def quarter_turns_and_mirror_turn_what_is_set(frame, page):
    """A turned frame shows the same part, turned: to the pixel where nothing is resampled."""
    page.get_by_role("button", name="4:5").click()
    frame.settled()
    frame.drag(corner(page, "1,1"), -150, -150)
    whole = quantised(render(decode(WAGON), frame.recipe(), np.float32), np.uint8)
    page.get_by_role("button", name="Turn right").click()
    frame.settled()
    right = quantised(render(decode(WAGON), frame.recipe(), np.float32), np.uint8)
    assert right.shape == whole.shape[::-1]
    assert np.abs(right.astype(int) - np.rot90(whole, -1)).mean() < 1.5  # by a pixel at the most
    page.get_by_role("button", name="mirror").click()
    frame.settled()
    mirrored = quantised(render(decode(WAGON), frame.recipe(), np.float32), np.uint8)
    assert np.abs(mirrored.astype(int) - right[:, ::-1]).mean() < 1.5
    page.get_by_role("button", name="Reset", exact=True).click()
    frame.settled()
    number = page.get_by_label("tip, -40 to 40")
    number.fill("12")
    number.press("Enter")
    frame.settled()
    tipped = laid(frame).taken(np.array([[0.1, 0.1], [0.9, 0.2]]))
    page.get_by_role("button", name="Turn left").click()
    frame.settled()
    assert settings(frame).swing == -12
    turned = laid(frame).taken(np.array([[0.1, 0.9], [0.2, 0.1]]))  # the same places, turned
    assert np.abs(tipped - turned).max() < 1e-3


@frames.part
def pins_stay_on_their_thing_and_those_cut_away_come_back(frame, page):
    page.keyboard.press("m")
    frame.settled()
    for x, y in ((0.3, 0.4), (0.95, 0.9)):
        page.get_by_role("button", name="Pin", exact=True).click()
        page.mouse.click(*frame.at(x, y))
        frame.settled()
    readings = page.evaluate(f"() => {STORES}.pins.pinReadings.map((one) => one.colour)")
    page.keyboard.press("r")
    frame.settled()
    page.get_by_role("button", name="1:1").click()
    frame.settled()
    frame.drag(page.locator(".bubble ellipse"), 30, 0)
    page.keyboard.press("m")
    frame.settled()
    inside = laid(frame).framed(np.array([[0.3, 0.4]]))[0]
    where = page.locator(".pin").first.bounding_box()
    middle = where["x"] + where["width"] / 2, where["y"] + where["height"] / 2
    assert middle == pytest.approx(frame.at(*inside), abs=2)
    expect(page.locator(".pin").nth(1)).to_be_hidden()
    now = page.evaluate(f"() => {STORES}.pins.pinReadings.map((one) => one && one.colour)")
    assert now[1] is None
    assert apart(now[0], readings[0]) < 14
    page.keyboard.press("r")
    frame.settled()
    page.get_by_role("button", name="Reset", exact=True).click()
    frame.settled()
    page.keyboard.press("m")
    frame.settled()
    again = page.evaluate(f"() => {STORES}.pins.pinReadings.map((one) => one.colour)")
    assert max(apart(*pair) for pair in zip(again, readings, strict=True)) <= 2


@frames.part
def the_unframed_original_stands_beside_the_framed_picture(frame, page):
    page.get_by_role("button", name="1:1").click()
    frame.settled()
    page.get_by_role("button", name="Compare", exact=True).click()
    frame.settled()
    page.get_by_label("Left side").select_option("taken")
    frame.settled()
    other, own = frame.canvas("otherCoarse"), frame.canvas()
    assert other["width"] / other["height"] == pytest.approx(1.5, abs=0.01)
    assert own["width"] == own["height"]
    original = proxy(decode(WAGON), 300)
    assert other["green"].mean() == pytest.approx(
        255 * np.mean(np.clip(1.055 * original[..., 1] ** (1 / 2.4) - 0.055, 0, 1)), abs=4
    )
    page.get_by_role("button", name="Split").click()
    frame.settled()
    expect(page.get_by_label("Left side")).to_have_value("colour")


@frames.part
def the_exported_file_has_the_size_that_was_told(frame, page):
    page.get_by_role("button", name="16:9").click()
    frame.settled()
    frame.drag(page.locator(".bubble ellipse"), 22, 0)
    told = size(page)
    address = f"{frame.live}/versions/1/finished?format=png"
    file = Image.open(io.BytesIO(page.request.get(address).body()))
    assert file.size == told
    expected = quantised(render(decode(WAGON), frame.recipe(), np.float32), np.uint8, dither=True)
    assert np.array_equal(np.asarray(file), expected)


@frames.part
def the_lens_by_hand_is_drawn_by_the_server_and_the_frame_stays_inside(frame, page):
    expect(page.get_by_text("not known: by hand")).to_be_visible()
    number = page.get_by_label("lens bend, -12 to 20")
    number.fill("-5")
    number.press("Enter")
    frame.settled()
    assert frame.recipe().prepare.lens.bend == -5
    assert size(page) == (laid(frame).width, laid(frame).height)
    layer = page.evaluate(
        f"() => {{ const {{ width, height }} = {STORES}.crop.laid(); return [width, height]; }}"
    )
    assert tuple(layer) == size(page)


@frames.part
def a_pin_is_put_and_moved_on_the_board_too(frame, page):
    frame.drag(page.locator(".bubble ellipse"), 40, 0)
    page.get_by_role("button", name="Pin", exact=True).click()
    box = body(page)
    at = box["x"] + 0.4 * box["width"], box["y"] + 0.3 * box["height"]
    page.mouse.click(*at)
    frame.settled()
    pin = page.locator(".pin").bounding_box()
    assert (pin["x"] + pin["width"] / 2, pin["y"] + pin["height"] / 2) == pytest.approx(at, abs=2)
    frame.drag(page.locator(".pin"), 50, 30)
    kept = page.evaluate(f"() => {{ const [{{ x, y }}] = {STORES}.pins.pins; return [x, y]; }}")
    there = laid(frame).framed(np.array([kept]))[0]
    shift = 0.4 + 50 / box["width"], 0.3 + 30 / box["height"]
    assert there == pytest.approx(shift, abs=0.005)


@frames.part
def at_100_percent_all_of_the_picture_is_the_new_frame(frame, page):
    """What lies under the part in view, too; so after an undo elsewhere."""

    def told():
        return page.evaluate(f"() => {STORES}.frame.provisional")

    def under_is_now():
        """The whole picture under the part is that of the recipe; a turn by 4 degrees shows."""
        under = frame.canvas()
        codes = quantised(
            render(decode(WAGON), frame.recipe(), np.float32, 1024), np.uint8, dither=False
        )
        now = cv2.resize(codes, (under["width"], under["height"]), interpolation=cv2.INTER_AREA)
        return under["width"] < 1030 and np.abs(now - under["green"].astype(float)).mean() < 2

    page.get_by_role("button", name="grey", exact=True).click()
    page.get_by_role("button", name="100", exact=True).click()
    frame.settled()
    angle = page.locator('input.number[data-path="prepare.frame.angle"]')
    angle.fill("4")
    angle.press("Enter")
    frame.settled()
    frame.until(under_is_now)
    assert told() == ""
    surround = page.locator(".surround").bounding_box()
    part = page.locator(".pane canvas").nth(1).bounding_box()
    assert part["x"] <= surround["x"]
    assert part["x"] + part["width"] >= surround["x"] + surround["width"]
    page.keyboard.press("m")
    frame.settled()
    page.keyboard.press("Control+z")
    frame.settled()
    assert settings(frame).angle == 0
    frame.until(under_is_now)
    assert told() == ""
    page.get_by_role("button", name="Fit", exact=True).click()


@frames.part
def a_second_line_laid_before_the_first_is_set_right_counts_too(frame, page):
    """The answer to the first is held back; nothing of the second is lost."""
    held = []

    def hold(route):
        if held:
            route.continue_()
        held.append(route)

    page.route("**/set-right", hold)
    page.get_by_role("button", name="+ upright line").click()
    box = body(page)
    for share, lean in ((0.3, 20), (0.7, -20)):
        x, y = box["x"] + share * box["width"], box["y"] + 60
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - lean, y + 300, steps=4)
        page.mouse.up()
    assert len(held) == 1
    held[0].continue_()
    frame.settled()
    page.wait_for_function(f"() => {STORES}.crop.busyWith === ''")
    frame.settled()
    found = settings(frame)
    assert len(found.plumb) == 2
    assert found.tip > 2


def test_the_frame_in_one_sitting(sitting):
    sitting(frames)
