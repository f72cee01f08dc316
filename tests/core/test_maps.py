"""Maps in the place of settings: which there are, and that they differ from place to place."""

import numpy as np
from samples import codes, linear_of

from oatmeal.core import mix, tone
from oatmeal.core.colour import ranges
from oatmeal.core.maps import Box, Maps
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import DECLARED, REST, from_document
from oatmeal.core.recipe.areas import ADDED, LAID_ON, LIGHT, SCALE, Values
from oatmeal.core.tone import local

RGB = linear_of(codes(90, 130, 16))
SHAPE = RGB.shape[:2]
SPLIT = 65


def maps(**planes):
    spans = np.array([[0, SHAPE[1]]] * SHAPE[0])
    made = {name: np.asarray(plane, np.float32) for name, plane in planes.items()}
    return Maps(Box(0, 0, SHAPE[1], SHAPE[0]), np.ones(SHAPE, np.uint8), spans, made)


def halves(name, value):
    """A map that leaves the left half as it is everywhere and sets the right one."""
    plane = np.full(SHAPE, 0.0 if name != "white" else 255.0)
    plane[:, SPLIT:] = value
    return maps(**{name: plane})


def test_every_setting_that_an_area_may_have_has_a_map():
    steps = ("tone.", "finish.")
    areas = {one.path for one in DECLARED.values() if one.path.startswith(steps) and one.area}
    levels = {"black", "white"}
    assert areas == {one.path for one in ADDED.values()}
    assert {*LIGHT} | {*SCALE} | {*LAID_ON} == {*ADDED}
    assert {*LAID_ON} == {"grain", "paper"}
    assert {*SCALE} == {"black", "white", "contrast"}
    for name in ADDED:
        low, high = DECLARED.limits(f"areas.list.*.values.{name}")
        assert getattr(Values(), name) == 0
        if name not in levels:
            assert (low, high) == (-ADDED[name].high, ADDED[name].high)


def test_a_local_map_differs_from_place_to_place():
    """Half of it at rest, half set: each half equals its number."""
    plain = Pipeline(RGB)
    raised = Pipeline(RGB).get("local", from_document({"tone": {"shadows": 60}}))
    args = (REST.tone, plain.get("ends", REST), plain.get("wide", REST), None)
    grey = plain.mixed(REST)
    found = local.moved(grey, grey, *args, plain.place.window, halves("shadows", 60.0), 1.0)
    assert np.allclose(found[:, :SPLIT], grey[:, :SPLIT], atol=1e-6)
    assert np.allclose(found[:, SPLIT:], raised[:, SPLIT:], rtol=1e-3)


def test_a_map_of_the_scale_differs_from_place_to_place():
    work = Pipeline(RGB)
    grey, scale = work.mixed(REST), work.scale(REST)
    for name, value in (("black", 14.0), ("white", 236.0), ("contrast", 55.0)):
        document = {"contrast": value} if name == "contrast" else {"levels": {name: value}}
        number = Pipeline(RGB).encoded(from_document({"tone": document}))
        found = tone.encoded(grey, scale, 1.0, REST.tone, halves(name, value))
        assert np.abs(found[:, SPLIT:] - number[:, SPLIT:]).max() <= 3 / 65535
        assert np.abs(found[:, :SPLIT] - work.encoded(REST)[:, :SPLIT]).max() <= 3 / 65535


def test_stops_that_areas_add_act_before_neutral_colours_are_left_out():
    work = Pipeline(RGB)
    lifted = from_document({"mix": {"lifts": {"blue": -1.5}}})
    centres = lifted.mix.centres.model_dump()
    hue = work.analysis(REST).hue * (360 / ranges.HUE_TABLE_SIZE)
    more = -1.5 * ranges.weights(hue, centres)[..., ranges.NAMES.index("blue")]
    base, colours = work.get("base", REST), work.analysis(REST)
    moved = mix.lifted(base, colours, REST.mix, more.astype(np.float32))
    assert np.allclose(moved, mix.lifted(base, colours, lifted.mix), rtol=1e-4)


def test_exposure_leaves_black_black_whatever_else_is_set():
    """The logarithm's floor does not rise with the light."""
    grey = np.zeros((40, 60, 3), np.float32)
    grey[:, 30:] = 0.2
    plain = Pipeline(grey).encoded(from_document({"tone": {"exposure": 2}}))
    local_too = Pipeline(grey).encoded(from_document({"tone": {"exposure": 2, "detail": 1}}))
    assert plain[:, :25].max() == 0
    assert local_too[:, :25].max() < 0.02 / 255
