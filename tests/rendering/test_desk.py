"""A desk: frames as they are framed, and nobody waits for what somebody else asked."""

import gc
import threading
import weakref

import numpy as np
import pytest
from PIL import Image
from samples import DEMO

from oatmeal.core import prepare
from oatmeal.core.picture import copy_of
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.recipe import REST, Recipe, from_document, read
from oatmeal.core.tone import transfer
from oatmeal.exports.finished import finished_file
from oatmeal.library import photographs
from oatmeal.library.framing import framed_size
from oatmeal.library.store import Original
from oatmeal.photofile.decode import Limits, decode
from oatmeal.photofile.output import Output
from oatmeal.rendering.desk import Desk, View
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.requests import Request, Strip
from oatmeal.rendering.statistics import CURVE_SAMPLES, layer

FOG = DEMO / "valley-fog.jpg"
SIZE = (decode(FOG).width, decode(FOG).height)
TURNS = ["none", "right", "over", "left"]
LIFTED = read('{"mix": {"lifts": {"blue": -1}}, "tone": {"clarity": 40, "detail": 20}}')


def with_frame(recipe, lens=None, **frame):
    framed = from_document({"prepare": {"frame": frame, "lens": lens or {}}})
    return recipe.model_copy(update={"prepare": framed.prepare})


@pytest.fixture
def desk(store):
    return a_desk(store)


def a_desk(store):
    with store.receive([FOG.read_bytes()], "fog.jpg", 10**9) as received:
        store.keep(received, ".jpg")
    return Desk(Original(received.sha256, ".jpg", "a.jpg"), SIZE, Proxies(store, Limits()))


def grey(frame):
    return dict(frame.layers)["grey"]


def test_a_region_that_waits_for_its_file_holds_up_no_other_frame(desk, monkeypatch):
    begun, go_on = threading.Event(), threading.Event()
    decode_ = desk._proxies.decode

    def slow(*file):
        begun.set()
        assert go_on.wait(20)
        return decode_(*file)

    monkeypatch.setattr(desk._proxies, "decode", slow)
    found = []
    region = Request(REST, region=(100, 100, 80, 60))
    thread = threading.Thread(target=lambda: found.append(desk.frame(region)))
    thread.start()
    assert begun.wait(20)
    other = []
    frame = threading.Thread(target=lambda: other.append(desk.frame(Request(LIFTED, 400))))
    frame.start()
    frame.join(20)
    assert other, "another frame waited for the decoding"
    assert not found
    go_on.set()
    thread.join(20)
    assert grey(found[0]).shape == (60, 80)


def test_a_recipe_is_put_into_effect_once_for_a_frame_with_all_its_figures(desk, monkeypatch):
    asked = []
    effective = Recipe.effective
    desk.frame(Request(LIFTED, 500, layers=("grey", "plain"), pins=[(0.5, 0.5)]))
    monkeypatch.setattr(Recipe, "effective", lambda own: asked.append(own) or effective(own))
    moved = LIFTED.model_copy(update={"tone": LIFTED.tone.model_copy(update={"contrast": 20.0})})
    desk.frame(Request(moved, 500, layers=("grey", "plain"), pins=[(0.5, 0.5)]))
    assert [recipe for recipe in asked if recipe == moved] == [moved]


def test_the_sheets_picture_and_a_finished_file_are_framed_too(
    app, database, photograph, monkeypatch, jpeg
):
    services = app.extensions["oatmeal"]
    with database.session() as session:
        found = photographs.get(session, photograph[1])
        assert found.series is not None
    straight = np.asarray(Image.open(services.small.picture(found, LIFTED))).astype(int)
    on_its_side = with_frame(LIFTED, turned="right")
    turned = np.asarray(Image.open(services.small.picture(found, on_its_side))).astype(int)
    assert np.abs(turned - np.rot90(straight, -1)).mean() < 5  # both are JPEGs, of noise
    made = finished_file(
        services.store, services.workbench, found, "Version 1", on_its_side, Output(format="png")
    )
    assert (made.width, made.height) == Image.open(made.path).size == (found.height, found.width)
    assert framed_size(found, on_its_side) == (found.height, found.width)


@pytest.mark.parametrize("quarters", [1, 2, 3])
def test_sizes_regions_strips_and_figures_are_those_of_the_framed_picture(desk, store, quarters):
    straight = grey(desk.frame(Request(LIFTED, 600))).astype(int)
    recipe = with_frame(LIFTED, turned=TURNS[quarters])
    pin = prepare.geometry(recipe).on(*SIZE).taken(np.array([[0.2, 0.3]]))[0]
    frame = desk.frame(Request(recipe, 600, pins=[tuple(pin)]))
    expected = np.rot90(straight, -quarters)
    assert frame.size == (SIZE if quarters == 2 else SIZE[::-1])
    assert (frame.height, frame.width) == expected.shape
    assert np.abs(grey(frame) - expected).max() <= 3  # the bands are found on the turned picture
    assert np.abs(grey(frame) - expected).mean() < 0.2
    part = desk.frame(Request(recipe, region=(frame.size[0] - 90, 5, 400, 300)))
    assert part.region == (frame.size[0] - 90, 5, 90, 300)
    strip = desk.frame(Request(recipe, 600, strip=Strip([recipe] * 3, upright=True)))
    assert np.abs(grey(strip).astype(int) - grey(frame)).max() <= 1
    row, column = int(0.3 * frame.height), int(0.2 * frame.width)
    near = grey(frame)[row - 2 : row + 3, column - 2 : column + 3]
    assert frame.figures["pins"][0]["code"] == pytest.approx(near.mean(), abs=0.1)


def test_a_desk_that_is_put_away_is_let_go_at_once(store):
    """It holds the pixels of a whole file: none may wait for the garbage collector."""
    one = a_desk(store)
    recipe = from_document({"prepare": {"noise": {"light": 40}}})
    gc.collect()
    gc.disable()
    try:
        one.frame(Request(recipe, 300))
        one.frame(Request(recipe, 300, region=(0, 0, 60, 40)))
        held = weakref.ref(one)
        del one
        assert held() is None
    finally:
        gc.enable()


def test_the_drawn_transfer_follows_each_setting_of_the_scale(desk):
    grid = np.linspace(0, 1, CURVE_SAMPLES)
    settings = [
        {},
        {"exposure": 0.5},
        {"levels": {"black": 12, "middle": 1.2, "out_white": 240}},
        {"contrast": 30},
        {"contrast": 30, "hold_ends": True},
        {"curve": [[0, 0], [0.25, 0.2], [1, 1]]},
        {"on": False, "contrast": 50},
        {"contrast": 30},
    ]
    for one in settings:
        recipe = from_document({"tone": one})
        drawn = desk.frame(Request(recipe, 200)).figures["transfer"]
        assert drawn == pytest.approx(transfer(grid, recipe.effective().tone), abs=1e-5), one


def test_a_region_stays_while_its_rectangle_does(store):
    proxies, original = Proxies(store, Limits()), a_desk(store)._original
    picture = proxies.decode(original)
    view = View(copy_of(picture, 800), prepare.geometry(REST).on(*SIZE))
    first = view.region(picture, (100, 80, 60, 40), Order(REST))
    assert view.region(picture, (100, 80, 60, 40), Order(LIFTED)) is not None
    again = view.region(picture, (100, 80, 60, 40), Order(REST))
    assert view.region(picture, (100, 80, 60, 40), Order(REST)) is again
    other = view.region(picture, (300, 80, 60, 40), Order(REST))
    assert other is not again
    assert not np.array_equal(other.encoded(REST), first.encoded(REST))


def test_where_sharpness_acts_is_everywhere_without_edges_only(store):
    rgb = np.random.default_rng(1).random((60, 90, 3), np.float32)
    document = {"finish": {"sharpness": {"amount": 50, "edges": 0}}}
    order = Order(from_document(document))
    assert (layer("edges", Pipeline(rgb), order) == 255).all()


def test_what_was_measured_and_is_damaged_is_measured_again(store):
    proxies, original = Proxies(store, Limits()), a_desk(store)._original
    noise, trust = proxies.noise(original), proxies.trust(original)
    for path in store.cache.glob("*/*.json"):
        path.write_text("{")
    assert proxies.noise(original) == noise
    assert proxies.trust(original) == trust
    proxies.holds(original, proxies.decode(original))
