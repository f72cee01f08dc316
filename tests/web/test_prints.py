"""Prints read over HTTP: from the series, from files, and what is refused."""

import time

import cv2
import numpy as np
import pytest
from samples import DEMO, linear_of, png

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import from_document

LOOK = {"mix": {"lifts": {"blue": -1.2, "red": 0.8}}, "tone": {"contrast": 20}}


@pytest.fixture(scope="module")
def colour():
    codes = cv2.imread(str(DEMO / "mugs-on-the-stall.jpg"))[..., ::-1]
    return np.ascontiguousarray(cv2.resize(codes, (600, 400), interpolation=cv2.INTER_AREA))


@pytest.fixture(scope="module")
def grey(colour):
    light = linear_of(colour)
    return Pipeline(light).codes(from_document(LOOK))


@pytest.fixture
def bench(web, colour):
    web.upload(web.series(), "mugs.png", png(colour))
    return web


def sent(web, content, name="print.png"):
    return web.client.post(
        "/api/prints/file", data=content, headers={"X-CSRFToken": web.token, "X-File-Name": name}
    )


def read(web, source, **more):
    wanted = {"recipe": {"oatmeal": 1}, "pairs": [{"photograph": 1, "print": source}]} | more
    end = time.monotonic() + 120
    while time.monotonic() < end:
        reply = web.send("POST", "/api/prints/look", wanted)
        if reply.status_code != 200 or "step" not in reply.json:
            return reply
    raise AssertionError(reply.json)


def test_a_print_from_a_file_gives_its_recipe_and_three_pictures(bench, grey):
    source = sent(bench, png(grey)).json
    assert source["name"] == "print.png"
    more = {"prepare": {"light": {"exposure": 0.0}}, "areas": {}, "oatmeal": 1}
    answer = read(bench, {"file": source["file"]}, recipe=more).json
    found = answer["found"]
    assert found["error"] < 0.8
    assert found["recipe"]["mix"]["lifts"]["blue"] == pytest.approx(-1.2, abs=0.25)
    assert found["words"]
    for name in ("print", "read", "apart"):
        reply = bench.client.get(f"/api/prints/{answer['token']}/0-{name}.jpg")
        shown = cv2.imdecode(np.frombuffer(reply.data, np.uint8), cv2.IMREAD_GRAYSCALE)
        assert shown.shape == (400, 600)
    assert abs(float(shown.mean()) - 128) < 6  # nearly nothing is left
    assert bench.client.get(f"/api/prints/{answer['token']}/7-print.jpg").status_code == 404
    page = bench.client.get("/series/1").get_data(as_text=True)
    assert page.count("data-frame=") == 1  # a print that is looked at becomes no photograph


def test_a_look_keeps_the_mix_and_has_a_strength(bench, grey):
    source = sent(bench, png(255 - grey)).json
    own = {"oatmeal": 1, "mix": {"lifts": {"red": 1.0}}}
    found = read(bench, {"file": source["file"]}, look=True, strength=60, recipe=own).json["found"]
    assert found["recipe"]["mix"]["lifts"]["red"] == 1.0
    assert found["recipe"]["tone"] != from_document({}).full_document()["tone"]
    weaker = read(bench, {"file": source["file"]}, look=True, strength=0, recipe=own).json["found"]
    assert weaker["recipe"]["tone"] != found["recipe"]["tone"]


def test_a_print_may_be_any_photograph_of_the_library(bench, grey):
    other = bench.series("Delivered")
    bench.upload(other, "print.png", png(grey))
    groups = bench.client.get("/api/prints/sources").json["groups"]
    assert [one["name"] for one in groups] == ["Delivered", "Meet"]
    assert groups[0]["photographs"] == [{"id": 2, "words": "01 Print"}]
    assert read(bench, {"photograph": 2}).json["found"]["error"] < 0.8


def test_what_cannot_be_read_says_why(bench):
    assert "not a picture" in sent(bench, b"hello").json["detail"]
    other = cv2.imread(str(DEMO / "first-lift.jpg"), cv2.IMREAD_GRAYSCALE)[::3, ::3]
    source = sent(bench, png(np.ascontiguousarray(other))).json
    assert "use it for its look" in read(bench, {"file": source["file"]}).json["problem"]
    assert "choose its file again" in read(bench, {"file": "0" * 64}).json["problem"]
    # which helps: what was wrong is not kept
    own = sent(bench, png(np.ascontiguousarray(other[:300]))).json["file"]
    services = bench.client.application.extensions["oatmeal"]
    for copy in (services.store.cache / own[:2]).iterdir():
        copy.unlink()
    assert "choose its file again" in read(bench, {"file": own}).json["problem"]
    sent(bench, png(np.ascontiguousarray(other[:300])))
    assert "use it for its look" in read(bench, {"file": own}).json["problem"]
    assert read(bench, {}).json["detail"] == "Choose a print: a file, or another photograph."
    assert read(bench, {"photograph": 99}).status_code == 404
    assert read(bench, {"file": "x"}).status_code == 422
