"""The step Areas: drawing on the picture, the list, values, what is seen, and the map to print."""

import re

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect
from samples import DEMO, on_the_bench, write_png
from sittings import Sitting

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe.paths import places
from oatmeal.photofile.decode import decode

BUNTING = DEMO / "bunting.jpg"

LIFT = DEMO / "first-lift.jpg"
WIDE, HIGH = 900, 600

walls = Sitting("a")
lifts = Sitting("a")


@pytest.fixture
def plain(desk, page, tmp_path):
    """A grey picture with a darker half, and the step open."""
    codes = np.full((HIGH, WIDE, 3), 150, np.uint8)
    codes[:, WIDE // 2 :] = 80
    desk.begin(write_png(tmp_path / "plain.png", codes))
    page.keyboard.press("a")
    desk.settled()
    return desk


@pytest.fixture
def lift(desk, page):
    desk.begin(LIFT)
    page.keyboard.press("a")
    desk.settled()
    return desk


def areas(desk):
    return desk.recipe().areas.list


def tool(page, name):
    page.get_by_role("group", name="Tool", exact=True).get_by_text(name, exact=True).click()


def draw(desk, *points, steps=6, **more):
    page = desk.page
    page.mouse.move(*desk.at(*points[0]))
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*desk.at(*point), steps=steps)
    if more.get("held"):
        return
    page.mouse.up()
    desk.settled()


def value(page, name):
    return page.get_by_role("textbox", name=re.compile(f"^{name} of the area"))


def type_value(desk, name, number):
    value(desk.page, name).fill(number)
    value(desk.page, name).press("Enter")
    desk.settled()


def contours(page):
    return page.locator(".areaboard .contour")


def grey(desk, x, y):
    found = desk.canvas()
    return int(found["green"][int(y * found["height"]), int(x * found["width"])])


@walls.part
def the_brush_is_set_by_wheel_keys_and_numbers(plain, page):
    tool(page, "Brush")
    page.get_by_role("main").focus()
    size = page.get_by_label("Size of the brush in pixels")
    begun = int(size.input_value())
    page.mouse.move(*plain.at(0.5, 0.5))
    page.mouse.wheel(0, -100)
    expect(size).not_to_have_value(str(begun))
    assert int(size.input_value()) > begun
    page.keyboard.press("j")
    page.keyboard.press("j")
    assert int(size.input_value()) < begun
    page.keyboard.press("'")
    expect(page.get_by_label(re.compile("^Hardness"))).to_have_value("10")
    page.keyboard.press(";")
    expect(page.get_by_label(re.compile("^Hardness"))).to_have_value("0")
    page.keyboard.press("/")
    expect(page.get_by_label(re.compile("^Flow"))).to_have_value("25")
    page.keyboard.press("\\")
    expect(page.get_by_label(re.compile("^Flow"))).to_have_value("20")
    page.keyboard.press("n")
    plain.settled()
    assert len(areas(plain)[0].mask[0].strokes) == 1


@walls.part
def a_stroke_makes_an_area_that_a_value_acts_in(plain, page):
    tool(page, "Brush")
    page.get_by_label(re.compile("^Flow of the brush")).fill("100")
    page.get_by_label(re.compile("^Flow of the brush")).press("Enter")
    before, beyond = grey(plain, 0.2, 0.5), grey(plain, 0.4, 0.1)
    draw(plain, (0.1, 0.5), (0.3, 0.5))
    (one,) = areas(plain)
    (part,) = one.mask
    path = places(part.strokes[0].path)
    assert path[0] == pytest.approx([0.1, 0.5 * HIGH / WIDE], abs=0.004)
    assert path[-1] == pytest.approx([0.3, 0.5 * HIGH / WIDE], abs=0.004)
    assert len(path) == 2  # a straight stroke needs no more
    assert (one.name, part.strokes[0].flow) == ("Brush 1", 100)
    type_value(plain, "exposure", "0,8")
    assert grey(plain, 0.2, 0.5) > before + 20
    assert grey(plain, 0.4, 0.1) == beyond
    draw(plain, (0.15, 0.2), (0.2, 0.3))
    assert len(areas(plain)[0].mask[0].strokes) == 2
    page.get_by_role("button", name="Undo", exact=True).click()
    plain.settled()
    assert len(areas(plain)[0].mask[0].strokes) == 1
    page.reload()
    plain.wait()
    expect(page.locator(".arealist")).to_contain_text("Brush 1")
    assert grey(plain, 0.2, 0.5) > before + 20


@walls.part
def a_stroke_is_seen_while_it_is_drawn_and_the_picture_follows(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.2, 0.2), (0.22, 0.22))
    type_value(plain, "exposure", "2")
    tool(page, "Brush")
    page.get_by_label(re.compile("^Flow of the brush")).fill("100")
    page.get_by_label(re.compile("^Flow of the brush")).press("Enter")
    before = grey(plain, 0.3, 0.7)
    draw(plain, (0.2, 0.65), (0.4, 0.75), held=True)
    draft = page.locator(".areaboard .draft")
    expect(draft).to_be_visible()
    assert "light" in draft.get_attribute("class")
    expect(page.get_by_text("half size while moving")).to_be_visible()
    plain.until(lambda: grey(plain, 0.3, 0.7) > before + 20)
    page.mouse.up()
    plain.settled()
    expect(draft).to_be_hidden()


@walls.part
def a_long_stroke_asks_no_oftener_how_the_picture_lies(plain, page):
    tool(page, "Brush")
    page.evaluate(
        """() => {
            const { crop } = document.querySelector(".bench")._x_dataStack[0];
            const { laid } = crop;
            crop.laid = () => { window.asked += 1; return laid.call(crop); };
            window.asAtFirst = () => { crop.laid = laid; };
        }"""
    )
    draw(plain, (0.2, 0.3), (0.8, 0.7), steps=60, held=True)
    page.evaluate("() => { window.asked = 0; }")
    page.mouse.move(*plain.at(0.8, 0.3))
    plain.until(lambda: page.evaluate("() => window.asked"))
    assert page.evaluate("() => window.asked") < 30
    page.mouse.up()
    page.evaluate("() => window.asAtFirst()")
    plain.settled()


@walls.part
def alt_erases_and_a_called_off_stroke_is_none(plain, page):
    tool(page, "Brush")
    draw(plain, (0.2, 0.5), (0.4, 0.5))
    page.keyboard.down("Alt")
    draw(plain, (0.3, 0.4), (0.3, 0.6))
    page.keyboard.up("Alt")
    assert [stroke.erase for stroke in areas(plain)[0].mask[0].strokes] == [False, True]
    draw(plain, (0.5, 0.5), (0.6, 0.5), held=True)
    page.locator("main").dispatch_event("pointercancel", {"pointerId": 1})
    page.mouse.up()
    plain.settled()
    assert len(areas(plain)[0].mask[0].strokes) == 2


@walls.part
def a_pen_tells_its_pressure(plain, page):
    tool(page, "Brush")
    page.evaluate(
        """([from, to]) => {
            const main = document.querySelector("main");
            const send = (kind, [x, y], pressure) => main.dispatchEvent(new PointerEvent(kind, {
                pointerType: "pen", pointerId: 9, clientX: x, clientY: y, pressure, button: 0,
                bubbles: true, cancelable: true, isPrimary: true }));
            main.setPointerCapture = () => {};
            send("pointerdown", from, 0.2);
            for (let i = 1; i <= 10; i += 1) {
                const at = [0, 1].map((axis) => from[axis] + (to[axis] - from[axis]) * i / 10);
                at[1] += 12 * Math.sin(i);
                send("pointermove", at, 0.2 + 0.08 * i);
            }
            send("pointerup", to, 0);
        }""",
        [plain.at(0.2, 0.5), plain.at(0.5, 0.5)],
    )
    plain.settled()
    pressed = [int(one) for one in areas(plain)[0].mask[0].strokes[0].pressure.split()]
    assert pressed[0] == 20
    assert pressed[-1] == 100
    assert pressed == sorted(pressed)


@walls.part
def shapes_are_drawn_and_moved_by_handles_and_keys(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.4, 0.5), (0.5, 0.65))
    part = areas(plain)[0].mask[0]
    assert part.centre == pytest.approx((0.4, 0.5 * HIGH / WIDE), abs=0.004)
    assert part.radii == pytest.approx((0.1, 0.1), abs=0.006)
    handle = page.locator('[data-handle="across"]')
    plain.drag(handle, 60, 0)
    wider = areas(plain)[0].mask[0]
    assert wider.radii[0] > part.radii[0] + 0.03
    assert wider.radii[1] == part.radii[1]
    page.locator('[data-handle="centre"]').focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("+")
    plain.settled()
    moved = areas(plain)[0].mask[0]
    assert moved.centre[0] > wider.centre[0] + 0.005
    assert moved.radii[0] == pytest.approx(1.1 * wider.radii[0], abs=1e-4)
    page.get_by_role("button", name="New", exact=True).click()
    tool(page, "Fade")
    draw(plain, (0.5, 0.2), (0.5, 0.8))
    fade = areas(plain)[1].mask[0]
    assert fade.begin == pytest.approx((0.5, 0.2 * HIGH / WIDE), abs=0.004)
    assert fade.end == pytest.approx((0.5, 0.8 * HIGH / WIDE), abs=0.004)
    page.get_by_role("button", name="New", exact=True).click()
    tool(page, "Outline")
    draw(plain, (0.2, 0.2), (0.4, 0.2), (0.4, 0.5), (0.2, 0.5))
    assert len(places(areas(plain)[2].mask[0].path)) == 4


@walls.part
def a_handle_has_the_page_laid_out_once_for_itself_and_once_for_the_picture(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.4, 0.5), (0.6, 0.8))
    type_value(plain, "exposure", "1")
    measured = page.context.new_cdp_session(page)
    measured.send("Performance.enable")

    def layouts():
        metrics = measured.send("Performance.getMetrics")["metrics"]
        return next(one["value"] for one in metrics if one["name"] == "LayoutCount")

    handle = page.locator('[data-handle="across"]').bounding_box()
    x, y = handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    begun = layouts()
    for step in range(20):
        page.mouse.move(x + 2 * step, y)
        page.wait_for_timeout(30)
    took = layouts() - begun
    page.mouse.up()
    plain.settled()
    assert 10 < took < 3 * 20


@lifts.part
def alike_takes_what_is_meant_and_leaves_what_is_not(lift, page):
    tool(page, "Alike")
    draw(lift, (0.21, 0.2), (0.23, 0.45))
    page.keyboard.down("Alt")
    draw(lift, (0.27, 0.2), (0.28, 0.4))
    page.keyboard.up("Alt")
    part = areas(lift)[0].mask[0]
    assert (len(part.this), len(part.others)) == (1, 1)
    expect(contours(page).first).to_be_attached()
    page.get_by_role("button", name="Mask alone").click()
    lift.settled()
    mask = lift.canvas()["green"]
    high, wide = mask.shape
    assert mask[int(0.3 * high), int(0.22 * wide)] > 200
    assert mask[int(0.3 * high), int(0.275 * wide)] < 60
    assert mask[int(0.85 * high), int(0.5 * wide)] == 0
    page.keyboard.press("Escape")
    lift.settled()
    page.get_by_role("button", name="Mask", exact=True).click()
    reach = page.get_by_label(re.compile("^reach % of the part"))
    reach.fill("15")
    reach.press("Enter")
    lift.settled()
    assert areas(lift)[0].mask[0].reach == 0.15
    page.get_by_role("button", name="Values", exact=True).click()


@lifts.part
def the_dot_of_alike_is_where_it_was_begun_and_follows_the_pointer(lift, page):
    """However its mask lies, a little above; a copy stays: elsewhere it would mean another."""
    tool(page, "Alike")
    draw(lift, (0.21, 0.2), (0.23, 0.45))
    page.get_by_role("button", name="Printing map", exact=True).click()
    dot = page.locator(".areaboard .anchor")

    def lies():
        return [float(dot.get_attribute(name)) for name in ("cx", "cy")]

    side = page.locator(".surround").bounding_box()
    corner = np.array([side["x"], side["y"]])
    stroked = np.array(lift.at(0.21, 0.2)) - corner
    assert np.abs(lies() - stroked).max() < 30
    before = np.array(lies())
    lift.drag(dot, 60, 20)
    assert np.abs(lies() - before - (60, 20)).max() < 3
    page.get_by_role("button", name="Copy", exact=True).click()
    lift.settled()
    first, second = areas(lift)
    assert first.move == second.move
    assert first.move[0] > 0
    page.get_by_role("button", name="Printing map", exact=True).click()


@lifts.part
def tones_and_colours_are_picked_in_the_picture(lift, page):
    tool(page, "Colours")
    page.mouse.click(*lift.at(0.1, 0.15))
    lift.settled()
    assert 240 < areas(lift)[0].mask[0].hue < 275
    page.get_by_role("button", name="New", exact=True).click()
    tool(page, "Tones")
    page.mouse.click(*lift.at(0.5, 0.9))
    lift.settled()
    part = areas(lift)[1].mask[0]
    assert part.high - part.low == pytest.approx(24)


@walls.part
def areas_are_named_ordered_copied_followed_and_removed(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.3, 0.4), (0.4, 0.5))
    type_value(plain, "exposure", "-0.5")
    name = page.get_by_label("Name of the area")
    name.fill("Wall")
    name.press("Enter")
    plain.settled()
    page.get_by_role("button", name="Outside", exact=True).click()
    plain.settled()
    wall, outside = areas(plain)
    assert (wall.name, outside.name) == ("Wall", "Outside Wall")
    assert (outside.mask[0].area, outside.mask[0].opposite) == (wall.id, True)
    page.locator(f'[data-area="{wall.id}"]').click()
    plain.settled()
    page.get_by_role("button", name="Copy", exact=True).click()
    plain.settled()
    assert areas(plain)[2].move == (0.03, 0.03)
    assert areas(plain)[2].values == wall.values
    page.locator(f'[data-area="{areas(plain)[2].id}"]').press("Alt+ArrowUp")
    plain.settled()
    assert [one.name for one in areas(plain)] == ["Wall", "Wall 2", "Outside Wall"]
    page.locator(f'[data-area="{wall.id}"]').press("Delete")
    plain.settled()
    expect(page.get_by_text("Wall is removed.")).to_be_visible()
    left = areas(plain)
    assert [one.name for one in left] == ["Wall 2", "Outside Wall"]
    assert (left[1].mask[0].kind, left[1].mask[0].opposite) == ("ellipse", True)
    page.get_by_role("button", name="Undo", exact=True).first.click()
    plain.settled()
    assert len(areas(plain)) == 3


@walls.part
def what_follows_a_mask_says_the_same_when_that_is_removed(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.2, 0.5), (0.3, 0.7))
    page.get_by_role("button", name="Mask", exact=True).click()
    tool(page, "Fade")
    draw(plain, (0.1, 0.5), (0.6, 0.5))  # its second part
    page.get_by_role("button", name="Outside", exact=True).click()
    plain.settled()
    page.get_by_role("button", name="Values", exact=True).click()
    type_value(plain, "exposure", "-1")
    first, outside = areas(plain)
    assert len(first.mask) == 2
    seen = plain.canvas()["green"]
    page.locator(f'[data-area="{first.id}"]').press("Delete")
    plain.settled()
    (left,) = areas(plain)
    assert (left.name, left.opposite, len(left.mask)) == (outside.name, True, 2)
    assert np.abs(plain.canvas()["green"] - seen).max() <= 1
    page.keyboard.press("Control+z")
    plain.settled()
    # limited by something else too, its mask cannot be said without the first: nothing is lost
    page.locator(f'[data-area="{outside.id}"]').click()
    draw(plain, (0.5, 0.2), (0.5, 0.9))
    assert len(areas(plain)[1].mask) == 2
    page.locator(f'[data-area="{first.id}"]').press("Delete")
    expect(page.get_by_text("is switched off, not removed")).to_be_visible()
    plain.settled()
    assert [one.on for one in areas(plain)] == [False, True]


@walls.part
def a_copy_is_dragged_off_with_alt(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.3, 0.4), (0.4, 0.5))
    anchor = page.locator(".areaboard .anchor")
    expect(anchor).to_be_visible()
    page.keyboard.down("Alt")
    plain.drag(anchor, 90, 0)
    page.keyboard.up("Alt")
    first, second = areas(plain)
    assert first.move == (0, 0)
    assert second.move[0] > 0.08
    assert second.mask == first.mask
    anchor.focus()
    page.keyboard.press("ArrowDown")
    plain.settled()
    assert areas(plain)[1].move[1] > 0.005


@walls.part
def areas_of_a_group_change_together(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.2, 0.3), (0.25, 0.4))
    type_value(plain, "exposure", "0.5")
    page.get_by_role("button", name="Mask", exact=True).click()
    page.get_by_label("group", exact=True).select_option("new")
    plain.settled()
    page.get_by_role("button", name="New", exact=True).click()
    draw(plain, (0.6, 0.3), (0.65, 0.4))
    page.get_by_label("group", exact=True).select_option("g1")
    plain.settled()
    page.get_by_role("button", name="Values", exact=True).click()
    type_value(plain, "exposure", "-0.25")
    assert [one.values.exposure for one in areas(plain)] == [0.25, -0.25]
    page.get_by_role("button", name="Mask", exact=True).click()
    strength = page.get_by_label(re.compile("^Strength of the group"))
    strength.fill("50")
    strength.press("Enter")
    plain.settled()
    assert plain.recipe().areas.groups[0].amount == 50
    page.get_by_role("button", name="Values", exact=True).click()


@walls.part
def the_printing_map_shows_all_and_its_tags_drag_exposure(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.25, 0.5), (0.35, 0.6))
    type_value(plain, "exposure", "0.5")
    page.get_by_role("button", name="New", exact=True).click()
    draw(plain, (0.75, 0.5), (0.85, 0.6))
    type_value(plain, "contrast", "20")
    page.get_by_role("button", name="Printing map").click()
    plain.settled()
    tags = page.locator(".tag")
    expect(tags).to_have_count(2)
    expect(tags.first).to_have_text("+0.5")
    expect(tags.nth(1)).to_have_text("contrast +20")
    assert contours(page).count() == 6
    plain.drag(tags.first, 0, -45)
    assert areas(plain)[0].values.exposure == pytest.approx(1.0, abs=0.03)
    tags.nth(1).press("ArrowDown")
    plain.settled()
    assert areas(plain)[1].values.exposure == -0.05
    for words, kind in (("Map PDF", "pdf"), ("PNG", "png")):
        with page.expect_download() as caught:
            page.get_by_role("link", name=words).click()
        path = caught.value.path()
        assert caught.value.suggested_filename.endswith(f"-map.{kind}")
        if kind == "png":
            assert Image.open(path).size == (2339, 1654)
        else:
            assert path.read_bytes()[:5] == b"%PDF-"


@walls.part
def without_the_chosen_area_while_a_key_is_held(plain, page):
    tool(page, "Ellipse")
    draw(plain, (0.25, 0.5), (0.4, 0.7))
    type_value(plain, "exposure", "1")
    page.get_by_role("main").focus()
    page.keyboard.down("w")
    expect(page.get_by_text("without Ellipse 1")).to_be_visible()
    plain.settled()
    other = plain.canvas("otherCoarse")["green"]
    assert other[other.shape[0] // 2, other.shape[1] // 4] == 150
    page.keyboard.up("w")
    assert grey(plain, 0.25, 0.5) > 170


@lifts.part
def what_the_bench_shows_is_what_the_file_gets(lift, page):
    tool(page, "Fade")
    draw(lift, (0.5, 0.2), (0.5, 0.6))
    type_value(lift, "exposure", "-1")
    tool(page, "Alike")
    page.get_by_role("button", name="New", exact=True).click()
    draw(lift, (0.21, 0.2), (0.3, 0.4))
    type_value(lift, "clarity", "60")
    shown = lift.canvas()["green"]
    expected = (
        Pipeline(on_the_bench(decode(LIFT), max(shown.shape))).codes(lift.recipe()).astype(int)
    )
    assert np.abs(shown - expected).mean() < 1.0


@lifts.part
def dragging_in_tone_moves_the_zone_under_the_pointer(lift, page):
    page.keyboard.press("t")
    lift.settled()
    before = grey(lift, 0.05, 0.9)
    page.mouse.move(*lift.at(0.05, 0.9))
    page.mouse.down()
    page.mouse.move(*lift.at(0.05, 0.78), steps=6)
    expect(page.locator("canvas.over")).to_be_visible()
    page.mouse.up()
    lift.settled()
    zones = lift.recipe().tone.zones
    assert 1 <= sum(zone > 0 for zone in zones) <= 3
    assert min(zones) == 0
    assert grey(lift, 0.05, 0.9) > before + 8
    expect(page.locator("canvas.over")).to_be_hidden()


def test_areas_travel_to_another_frame_only_where_ticked(desk, page):
    desk.begin(LIFT, DEMO / "valley-fog.jpg")
    page.keyboard.press("a")
    tool(page, "Ellipse")
    draw(desk, (0.25, 0.5), (0.4, 0.7))
    type_value(desk, "exposure", "1")
    page.goto(f"{desk.live}/series/1")
    page.keyboard.press("Control+a")
    page.get_by_role("button", name="Apply a recipe").click()
    box = page.get_by_role("dialog", name="Apply a recipe")
    ticked = box.get_by_label("areas", exact=True)
    expect(ticked).not_to_be_checked()
    ticked.check()
    box.get_by_role("button", name="Apply to 1").click()
    expect(page.get_by_text("Applied to 1 frame.")).to_be_visible()
    (one,) = desk.recipe(2).areas.list
    assert one.values.exposure == 1
    assert one.mask[0].centre == pytest.approx(areas(desk)[0].mask[0].centre, abs=0.01)


@walls.part
def a_finger_draws_and_a_second_one_calls_it_off(plain, page):
    tool(page, "Brush")
    send = """([kind, id, x, y]) => document.querySelector("main").dispatchEvent(
        new PointerEvent(kind, { pointerType: "touch", pointerId: id, clientX: x, clientY: y,
            button: 0, bubbles: true, cancelable: true, isPrimary: id === 1 }))"""
    page.evaluate("document.querySelector('main').setPointerCapture = () => {}")

    def touch(kind, finger, x, y):
        page.evaluate(send, [kind, finger, *plain.at(x, y)])

    touch("pointerdown", 1, 0.2, 0.3)
    touch("pointermove", 1, 0.4, 0.4)
    touch("pointerup", 1, 0.4, 0.4)
    plain.settled()
    assert len(areas(plain)[0].mask[0].strokes) == 1
    touch("pointerdown", 1, 0.2, 0.6)
    touch("pointermove", 1, 0.4, 0.7)
    touch("pointerdown", 2, 0.6, 0.6)
    touch("pointerup", 2, 0.6, 0.6)
    touch("pointerup", 1, 0.4, 0.7)
    plain.settled()
    assert len(areas(plain)[0].mask[0].strokes) == 1


def test_areas_in_one_sitting(sitting):
    sitting(walls)


def test_areas_of_a_photograph_in_one_sitting(sitting):
    sitting(lifts)


def test_several_areas_become_a_group_and_leave_together(desk, page):
    """With Ctrl one more is chosen; what is changed in one then changes in all."""
    desk.begin(BUNTING)
    page.keyboard.press("a")
    desk.settled()
    for tool, (x, y) in (("Ellipse", (0.3, 0.3)), ("Ellipse", (0.7, 0.3))):
        page.get_by_role("button", name="New", exact=True).click()
        page.get_by_role("button", name=tool, exact=True).click()
        left, top = desk.at(x, y)
        page.mouse.move(left, top)
        page.mouse.down()
        page.mouse.move(left + 60, top + 40, steps=3)
        page.mouse.up()
        desk.settled()
    rows = page.locator("[data-area]")
    rows.nth(0).click(modifiers=["Control"])
    expect(page.get_by_text("2 chosen")).to_be_visible()
    page.get_by_role("button", name="Group", exact=True).click()
    desk.settled()
    one, other = desk.recipe().areas.list
    assert one.group == other.group != ""
    field = page.get_by_label("sparkle of the area, -100 to 100")
    field.fill("30")
    field.press("Enter")
    desk.settled()
    assert [area.values.sparkle for area in desk.recipe().areas.list] == [30, 30]
    page.get_by_role("button", name="Remove them").click()
    desk.settled()
    assert desk.recipe().areas.list == ()
    page.get_by_role("button", name="Undo").first.click()
    desk.settled()
    assert len(desk.recipe().areas.list) == 2  # one undo


def test_a_fade_begins_and_ends_beside_the_picture(desk, page):
    desk.begin(BUNTING)
    page.keyboard.press("a")
    page.get_by_role("button", name="Fade", exact=True).click()
    desk.settled()
    surround = page.get_by_role("main").bounding_box()
    x, y = surround["x"] + 300, surround["y"] + 6
    assert y < desk.at(0, 0)[1]
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 20, y + 200, steps=3)
    page.mouse.up()
    desk.settled()
    (part,) = desk.recipe().areas.list[0].mask
    assert part.begin[1] < 0 < part.end[1]


def test_only_here_makes_an_area_of_a_lift_that_reached_elsewhere(desk, page):
    """What a drag in Mix moved everywhere is moved round the place alone, as one more step."""
    desk.begin(BUNTING)
    x, y = desk.at(0.08, 0.12)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 20, steps=3)
    expect(page.locator("canvas.over")).to_be_visible()  # what is touched
    page.mouse.move(x, y + 60, steps=3)
    page.mouse.up()
    desk.until(lambda: desk.recipe().mix.lifts.blue < -0.4)
    lifts = desk.recipe().mix.lifts
    page.get_by_role("button", name="Only here").click()
    desk.settled()
    recipe = desk.recipe()
    assert recipe.mix.lifts.blue == 0
    (area,) = recipe.areas.list
    assert area.mask[0].kind == "alike"
    assert area.values.lifts.blue == lifts.blue
    expect(page.get_by_role("tab", name="Areas")).to_have_attribute("aria-selected", "true")


def test_a_colour_is_painted_into_an_area_and_one_undo_takes_it_away(desk, page):
    desk.begin(BUNTING)
    page.keyboard.press("a")
    desk.settled()
    left, top = desk.at(0.5, 0.5)
    page.mouse.move(left, top)
    page.mouse.down()
    page.mouse.move(left + 60, top + 10, steps=3)
    page.mouse.up()
    desk.settled()
    page.get_by_role("button", name="Colour", exact=True).click()
    page.get_by_label("The colour that is painted").fill("#204080")
    desk.settled()
    (area,) = desk.recipe().areas.list
    assert (area.values.paint.amount, area.values.paint.colour) == (60, "#204080")
    assert "painted colour" in page.get_by_role("button", name="Undo").get_attribute("title")
    page.keyboard.press("Control+z")
    desk.settled()
    assert desk.recipe().areas.list[0].values.paint.amount == 0


def test_what_cannot_become_an_area_stays_as_it_was(desk, page):
    """There are as many areas as there can be: the colour that was picked is not lost."""
    desk.begin(BUNTING)
    page.get_by_role("button", name="Pick colour").click()
    page.mouse.click(*desk.at(0.08, 0.12))
    expect(page.locator(".picked")).to_be_visible()
    page.evaluate(
        """() => {
            const { areas, work } = document.querySelector(".bench")._x_dataStack[0];
            while (areas.list().length < 60) areas.make("strokes");
            work.settle();
        }"""
    )
    desk.settled()
    page.get_by_role("button", name="Only here").click()
    expect(page.get_by_text("There can be 60 areas at the most.")).to_be_visible()
    desk.settled()
    recipe = desk.recipe()
    assert len(recipe.mix.picked) == 1
    assert len(recipe.areas.list) == 60


def test_a_shape_by_two_enters_at_one_place_is_a_usual_one(desk, page):
    desk.begin(BUNTING)
    page.keyboard.press("a")
    page.get_by_role("button", name="Fade", exact=True).press("Enter")
    page.get_by_role("main").focus()
    for key in ("n", "Enter", "Enter"):
        page.keyboard.press(key)
    desk.settled()
    (part,) = desk.recipe().areas.list[0].mask
    assert part.end[1] - part.begin[1] == pytest.approx(0.2, abs=1e-4)
