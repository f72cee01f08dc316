"""What is seen of areas, the tone under the pointer, and areas carried to another photograph."""

import numpy as np
import pytest
import skimage  # its parts are loaded when they are first asked for
from samples import codes, linear_of

from oatmeal.core.areas.placing import placed
from oatmeal.core.colour import decode_srgb, lightness
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.prepare import geometry
from oatmeal.core.recipe import from_document
from oatmeal.core.recipe.paths import places
from oatmeal.core.recipe.words import area_words
from oatmeal.core.seeing.areas import contours, drawn, masks_of, seen
from oatmeal.core.seeing.spot import read_spot, touched_zones
from oatmeal.core.tone.local import zone_weights

RGB = linear_of(codes(120, 180, 16))
OVAL = {"kind": "ellipse", "centre": [0.4, 0.3], "radii": [0.25, 0.15], "angle": 20}


def recipe(*areas, **more):
    named = [{"id": f"a{place}", **one} for place, one in enumerate(areas)]
    return from_document({**more, "areas": {"list": named}})


def hill(high=300, wide=450):
    """A round mask that falls evenly from its middle."""
    y, x = np.mgrid[:high, :wide] + 0.5
    return np.clip(1 - np.hypot(x - 200, y - 150) / 120, 0, 1).astype(np.float32)


@pytest.mark.parametrize("level", [0.25, 0.5, 0.75])
def test_contours_lie_where_the_reference_library_has_them(level):
    """scikit-image's marching squares (Lorensen and Cline 1987)."""
    (line,) = contours(hill(), level)
    found = places(line) * [450, 300]
    (expected,) = skimage.measure.find_contours(hill(), level)
    far = [np.hypot(*(expected[:, ::-1] + 0.5 - point).T).min() for point in found]
    assert max(far) < 1.5
    radius = np.hypot(*(found - [200, 150]).T)
    assert radius == pytest.approx(120 * (1 - level), abs=1.5)
    assert len(found) < 100


def test_no_contour_runs_along_the_sides():
    fade = np.repeat(np.linspace(1, 0, 300, dtype=np.float32)[:, None], 400, axis=1)
    (line,) = contours(fade, 0.5)
    assert places(line)[:, 1] == pytest.approx(0.5, abs=0.01)
    assert contours(np.ones((60, 80), np.float32), 0.5) == []
    assert contours(np.zeros((60, 80), np.float32), 0.5) == []


def test_a_tag_stands_deepest_inside_and_the_share_is_that_of_the_mask():
    found = seen(hill())
    assert found.tag == pytest.approx((200 / 450, 150 / 300), abs=0.02)
    assert found.share == pytest.approx(hill().mean(), abs=1e-4)
    assert found.thumb.shape == (36, 54)
    assert seen(np.zeros((60, 80), np.float32)).tag is None


def test_masks_are_seen_whether_they_act_or_not():
    acting = {"mask": [OVAL], "values": {"exposure": 1}}
    shield = {"kind": "shield", "mask": [{"kind": "fade"}]}
    still = [
        {"mask": [OVAL]}, {**acting, "on": False}, {**acting, "amount": 0},
        {"mask": [{"kind": "area", "area": "a0"}]},
    ]  # fmt: skip
    work = Pipeline(RGB)
    whole = masks_of(work, Order(recipe(acting)), ["a0"])["a0"]
    wanted = recipe(acting, *still)
    for name, mask in masks_of(work, Order(wanted), [f"a{i}" for i in range(5)]).items():
        assert np.array_equal(mask, whole), name
    guarded = Order(recipe(acting, shield))
    found = masks_of(work, guarded, ["a0", "a1"])
    assert np.abs(found["a0"] - whole * (1 - found["a1"])).max() < 1e-4
    assert found["a1"].max() == 1
    assert drawn(recipe(*still).areas) == ("a0", "a2", "a3")
    assert np.array_equal(work.codes(guarded), Pipeline(RGB).codes(guarded))


def test_what_is_done_in_an_area_is_told_in_words():
    values = {"exposure": 0.5, "veil": -20, "lifts": {"blue": -0.8}, "threads": {"red": {"hue": 9}}}
    assert area_words(recipe({"values": values}).areas.list[0].values) == [
        "exposure +0.5 stops", "veil −20", "blue lift −0.8 stops", "red led +9°",
    ]  # fmt: skip


def test_the_zones_of_a_spot_move_it_by_what_is_asked():
    ramp = np.repeat(decode_srgb(np.linspace(0.02, 0.98, 400))[None, :, None], 200, axis=0)
    work = Pipeline(np.repeat(ramp, 3, axis=2).astype(np.float32))
    for x in (0.15, 0.5, 0.83):
        spot = read_spot(work, from_document({}), x, 0.5)
        zones = [spot.zones.get(place, 0.0) for place in range(9)]
        moved = from_document({"tone": {"zones": [min(0.3 * zone, 2) for zone in zones]}})
        before, after = (
            work.get("local", wanted)[100, round(x * 400)] for wanted in (from_document({}), moved)
        )
        assert np.log2(after / before) == pytest.approx(0.3, abs=0.02)
        outlined = touched_zones(work, Order(from_document({})), spot)
        assert outlined[100, round(x * 400)] > 240
        assert outlined[100, round(((x + 0.5) % 1) * 400)] < 20
        assert spot.lightness == pytest.approx(
            float(lightness(ramp[0, round(x * 400), 0])), abs=1.5
        )


def test_zone_weights_are_raised_cosines_that_sum_to_one():
    shares = np.linspace(0, 1, 201)
    weights = zone_weights(shares)
    assert weights.sum(axis=1) == pytest.approx(1)
    assert weights[40, 1] == pytest.approx(1)  # L* 20 is the middle of zone II
    assert weights[:10, 0] == pytest.approx(1)


@pytest.mark.parametrize(
    "frame", [{}, {"size": 50, "centre": [0.4, 0.5]}, {"turned": "right"}, {"angle": 12}]
)
def test_carried_areas_lie_where_they_lay_in_the_frame(frame):
    """From a framed photograph to one of another size that is framed otherwise."""
    mask = [
        OVAL, {"kind": "fade", "how": "subtract", "from": [0.3, 0.2], "to": [0.6, 0.4]},
        {"kind": "strokes", "strokes": [{"path": "4000 2600 400 300", "radius": 0.05, "flow": 80}]},
        {"kind": "outline", "path": "3500 2500 900 0 0 600 -900 0", "feather": 0.02},
    ]  # fmt: skip
    one = {"mask": mask, "values": {"exposure": 1}, "move": [0.02, 0.01]}
    here = recipe(one, prepare={"frame": {"size": 80, "centre": [0.45, 0.5]}})
    there = here.model_copy(
        update={"prepare": from_document({"prepare": {"frame": frame}}).prepare}
    )
    layouts = geometry(here).on(1800, 1200), geometry(there).on(900, 600)
    if frame == {"turned": "right"}:
        layouts = geometry(here).on(1800, 1200), geometry(there).on(600, 900)
    moved = there.model_copy(update={"areas": placed(here.areas, *layouts)})
    assert moved.areas.list[0].move == (0, 0)
    shown = []
    for wanted, layout in ((here, layouts[0]), (moved, layouts[1])):
        size = (180, 270) if layout.file[0] < layout.file[1] else (270, 180)
        picture = ArrayPicture(np.full((size[1], size[0], 3), 0.2, np.float32))
        width, height = layout.size_on(picture)
        rgb = np.ascontiguousarray(layout.linear(picture, (0, 0, width, height)))
        work = Pipeline(ArrayPicture(rgb, layout=layout, taken_of_file=picture.taken))
        shares = np.stack(np.meshgrid(np.linspace(0.05, 0.95, 40), np.linspace(0.05, 0.95, 40)))
        mask = masks_of(work, Order(wanted), ["a0"])["a0"]
        rows = (shares[1] * mask.shape[0]).astype(int)
        columns = (shares[0] * mask.shape[1]).astype(int)
        shown.append(mask[rows, columns])
    assert np.abs(shown[0] - shown[1]).mean() < 0.03
    assert shown[0].max() > 0.9


@pytest.mark.parametrize("angle", [-25, 18])
def test_a_carried_ellipse_lies_as_it_lay_in_the_frame(angle):
    """Its long axis crosses the turned frame at the angle at which it crossed the other one."""
    thin = {"kind": "ellipse", "centre": [0.5, 0.33], "radii": [0.2, 0.04], "angle": 20}
    here = recipe({"mask": [thin], "values": {"exposure": 1}})
    turned = from_document({"prepare": {"frame": {"angle": angle}}})
    layouts = geometry(here).on(1800, 1200), geometry(turned).on(1800, 1200)
    carried = placed(here.areas, *layouts).list[0].mask[0]
    ways = []
    for part, layout in zip((here.areas.list[0].mask[0], carried), layouts, strict=True):
        way = np.array([np.cos(np.radians(part.angle)), np.sin(np.radians(part.angle))])
        ends = np.array(part.centre) + np.array([[-0.1], [0.1]]) * way
        framed = layout.framed(ends / [1, 1200 / 1800]) * [layout.width, layout.height]
        ways.append(np.degrees(np.arctan2(*(framed[1] - framed[0])[::-1])) % 180)
    assert ways[1] == pytest.approx(ways[0], abs=0.5)


def test_strokes_that_would_fall_outside_are_left_out():
    one = {"mask": [{"kind": "strokes", "strokes": [
        {"path": "1000 1000", "radius": 0.02}, {"path": "5000 3300", "radius": 0.02},
    ]}]}  # fmt: skip
    here, there = recipe(one), from_document({"prepare": {"frame": {"size": 200, "inside": False}}})
    layouts = geometry(here).on(900, 600), geometry(there).on(900, 600)
    strokes = placed(here.areas, *layouts).list[0].mask[0].strokes
    assert len(strokes) == 1
    assert strokes[0].radius == pytest.approx(0.04, abs=1e-3)
