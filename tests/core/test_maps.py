"""A setting as a map: the same everywhere it equals the number, at rest it is nothing."""

import numpy as np
import pytest
from samples import codes

from oatmeal.core import mix, tone
from oatmeal.core.colour import decode_srgb, ranges
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import DECLARED, from_document
from oatmeal.core.recipe.settings import put
from oatmeal.core.tone import local
from oatmeal.core.tone.stages import gain_left

RGB = decode_srgb(codes(90, 130, 16) / 65535).astype(np.float32)
SHAPE = RGB.shape[:2]
BASE = {
    "mix": {"lifts": {"green": 0.4}},
    "tone": {
        "sparkle": 20, "exposure": 0.2, "contrast": 10, "levels": {"black": 3, "middle": 1.2},
        "curve": [[0, 0], [0.3, 0.25], [1, 1]],
    },
}  # fmt: skip
LOCAL = ("exposure", "highlights", "shadows", "clarity", "detail", "veil")
SCALE = ("black", "white", "contrast")
VALUES = {"exposure": 0.7, "black": 14.0, "white": 236.0}


def recipe(path=None, value=0.0):
    document = from_document(BASE).full_document()
    if path:
        put(document, path, value)
    return from_document(document)


def mapped(name, value, order=None):
    """What the kernels make of a map for one setting of the tone step."""
    work, order = Pipeline(RGB), order or recipe()
    maps = {name: np.full(SHAPE, value, np.float32)}
    found = work.get("bands", order)
    fine = local.fine_band(work.mixed(order), work.place.window)
    grey, gain = work.get("local", order), gain_left(order)
    if name in LOCAL:
        wide, window = work.get("wide", order), work.place.window
        args = (work.mixed(order), order.tone, found.veil, wide, fine, window)
        grey, gain = local.apply(*args, maps), 1.0
    return tone.encoded(grey, work.scale(order), gain, order.tone, maps)


def test_every_setting_that_an_area_may_have_takes_a_map():
    paths = {one.path for one in DECLARED.values() if one.area}
    lifts = {f"mix.lifts.{name}" for name in ranges.NAMES}
    levels = {"tone.levels.black", "tone.levels.white"}
    assert paths == lifts | levels | {f"tone.{name}" for name in (*LOCAL, "contrast")}


@pytest.mark.parametrize("sign", [1, -1])
@pytest.mark.parametrize("name", LOCAL)
def test_a_local_map_of_one_value_equals_the_number(name, sign):
    value = sign * VALUES.get(name, 55.0)
    number = Pipeline(RGB).encoded(recipe(f"tone.{name}", value))
    assert np.abs(mapped(name, value) - number).max() <= 0.1 / 255
    assert np.abs(number - Pipeline(RGB).encoded(recipe())).max() > 2 / 255


@pytest.mark.parametrize("name", LOCAL[1:])
def test_a_local_map_stands_in_the_place_of_the_number(name):
    value = np.full(SHAPE, 55.0, np.float32)
    found = {}
    for number in (0.0, -40.0):
        work, order = Pipeline(RGB), recipe(f"tone.{name}", number)
        veil = Pipeline(RGB).get("bands", recipe()).veil
        wide, window = Pipeline(RGB).get("wide", recipe()), work.place.window
        fine = local.fine_band(work.mixed(order), window)
        args = (work.mixed(order), order.tone, veil, wide, fine, window)
        found[number] = local.apply(*args, {name: value})
    assert np.array_equal(found[0.0], found[-40.0])


@pytest.mark.parametrize("hold_ends", [False, True])
@pytest.mark.parametrize(("name", "value"), [("black", 14), ("white", 236), ("contrast", 55)])
def test_a_map_of_the_scale_of_one_value_equals_the_number(name, value, hold_ends):
    path = "tone.contrast" if name == "contrast" else f"tone.levels.{name}"
    held = recipe("tone.hold_ends", hold_ends)
    document = held.full_document()
    put(document, path, float(value))
    number = Pipeline(RGB).encoded(from_document(document))
    assert np.abs(mapped(name, value, held) - number).max() <= 3 / 65535
    assert np.abs(number - Pipeline(RGB).encoded(held)).max() > 2 / 255


@pytest.mark.parametrize("name", LOCAL[1:])
def test_a_map_at_rest_changes_nothing(name):
    assert np.array_equal(mapped(name, 0.0), Pipeline(RGB).encoded(recipe()))


def test_a_map_differs_from_place_to_place():
    """Half of it at rest, half set: each half equals its number."""
    work, order = Pipeline(RGB), recipe()
    stops = np.zeros(SHAPE, np.float32)
    stops[:, 65:] = 60.0
    args = (order.tone, work.get("bands", order).veil, work.get("wide", order))
    grey = local.apply(work.mixed(order), *args, None, work.place.window, {"shadows": stops})
    plain, raised = work.get("local", order), Pipeline(RGB).get("local", recipe("tone.shadows", 60))
    assert np.array_equal(grey[:, :65], plain[:, :65])
    assert np.allclose(grey[:, 65:], raised[:, 65:], rtol=1e-3)


def test_stops_that_areas_add_act_before_neutral_colours_are_left_out():
    work, order = Pipeline(RGB), recipe("mix.lifts.green", 0.0)
    lifted = recipe("mix.lifts.blue", -1.5)
    centres = lifted.mix.centres.model_dump()
    hue = work.analysis(order).hue * (360 / ranges.HUE_TABLE_SIZE)
    more = -1.5 * ranges.weights(hue, centres)[..., ranges.NAMES.index("blue")]
    rest = recipe("mix.lifts.green", 0.0).mix
    moved = mix.lifted(work.get("base", order), work.analysis(order), rest, more.astype(np.float32))
    expected = mix.lifted(
        work.get("base", order),
        work.analysis(order),
        rest.model_copy(update={"lifts": rest.lifts.model_copy(update={"blue": -1.5})}),
    )
    assert np.allclose(moved, expected, rtol=1e-4)
