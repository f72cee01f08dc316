"""A recipe over a selection: plan, apply, undo; and what is found anew in each frame."""

import numpy as np
import pytest
from samples import codes, png

from oatmeal.core.recipe.carry import GROUPS
from oatmeal.library import photographs, versions

LOOK = {
    "mix": {"lifts": {"red": 1.2, "blue": -1}},
    "tone": {"contrast": 20, "levels": {"black": 30, "white": 220}},
}
EVERYTHING = [group.name for group in GROUPS]


def picture(seed, gain=1.0):
    return png((codes(90, 120, seed=seed) * gain).astype(np.uint8))


@pytest.fixture
def frames(web):
    """Three photographs, the second one dark; version 1 has a look."""
    series = web.series()
    for seed, gain in ((1, 1.0), (2, 0.3), (3, 0.9)):
        assert web.upload(series, f"{seed}.png", picture(seed, gain)).status_code == 200
    web.send("PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": LOOK})
    return web


def plan(web, **more):
    wish = {"from": "version:1", "photographs": [2, 3], "groups": EVERYTHING} | more
    reply = web.send("POST", "/api/apply/plan", wish)
    assert reply.status_code == 200, reply.json
    return reply.json["frames"]


def stored(web, version):
    return web.client.get(f"/api/versions/{version}").json


def test_a_plan_stores_nothing_and_applying_is_one_undo_for_all(frames):
    planned = plan(frames)
    assert [frame["version"] for frame in planned] == [2, 3]
    assert "red lift 0 → 1.2 stops" in planned[0]["words"]
    assert stored(frames, 2)["revision"] == 1
    frames.send("PUT", "/api/versions/3/recipe", {"revision": 1, "recipe": {"tone": {"veil": 9}}})
    reply = frames.send("POST", "/api/apply", {"frames": planned, "words": "from 01"}).json
    assert reply["left"] == [3]  # changed since it was looked at
    applied = stored(frames, 2)
    assert applied["recipe"]["mix"]["lifts"]["red"] == 1.2
    assert applied["undo"].startswith("from 01: red lift 0 → 1.2 stops")
    assert stored(frames, 3)["recipe"]["tone"]["veil"] == 9
    again = frames.send("POST", "/api/apply", {"frames": plan(frames), "words": "once more"}).json
    assert [entry["version"] for entry in again["done"]] == [3]  # 2 has it already
    both = [*reply["done"], *again["done"]]
    frames.send("PUT", "/api/versions/2/recipe", {"revision": 2, "recipe": {"tone": {"veil": 5}}})
    undone = frames.send("POST", "/api/apply/undo", {"done": both}).json
    assert undone["left"] == [2]  # something was done on top
    assert stored(frames, 3)["recipe"]["tone"] | {"veil": 9} == stored(frames, 3)["recipe"]["tone"]
    assert stored(frames, 3)["recipe"]["mix"]["lifts"]["red"] == 0


def test_a_frame_that_was_removed_meanwhile_stops_neither_apply_nor_undo(frames, web):
    planned = plan(frames)
    gone = web.send("POST", "/api/photographs/remove", {"photographs": [3]})
    assert gone.status_code == 200
    reply = frames.send("POST", "/api/apply", {"frames": planned, "words": "from 01"})
    assert reply.status_code == 200, reply.json
    assert [entry["version"] for entry in reply.json["done"]] == [2]
    assert reply.json["left"] == [3]
    gone = [*reply.json["done"], {"version": 3, "step": 1}]
    undone = frames.send("POST", "/api/apply/undo", {"done": gone})
    assert undone.status_code == 200, undone.json
    assert undone.json["left"] == [3]
    assert stored(frames, 2)["recipe"]["mix"]["lifts"]["red"] == 0


def test_some_settings_at_some_strength(frames):
    frame = plan(frames, groups=["lifts"], strength=0.5)[0]
    assert frame["words"] == ["red lift 0 → 0.6 stops", "blue lift 0 → −0.5 stops"]


def test_same_look_with_an_own_exposure_and_own_points(frames, app):
    small = app.extensions["oatmeal"].small
    planned = plan(frames, own=["exposure"])
    frames.send("POST", "/api/apply", {"frames": planned, "words": "same look"})
    means = [
        frames.client.get(f"/api/photographs/{number}/check").json["mean"] for number in (1, 2, 3)
    ]
    assert means[1:] == pytest.approx([means[0]] * 2, abs=0.5)
    assert stored(frames, 2)["recipe"]["tone"]["exposure"] > 1  # the dark one was opened
    frame = plan(frames, photographs=[2], groups=["lifts"], own=["points"])[0]
    with app.extensions["oatmeal"].database.session() as session:
        photograph = photographs.get(session, 2)
        recipe = versions.recipe_of(photograph.shown)
    assert frame["recipe"]["tone"]["levels"] == small.with_own_points(
        photograph, recipe
    ).tone.levels.model_dump(mode="json")


def test_the_check_tells_ends_that_more_than_a_few_pixels_reach(web):
    grey = np.linspace(90, 170, 120 * 90).reshape(90, 120)
    rgb = np.repeat(grey[..., None], 3, axis=2).astype(np.uint8)
    series = web.series()
    web.upload(series, "plain.png", png(rgb))
    rgb[40:42, 50:52], rgb[60:62, 50:52] = 255, 0
    web.upload(series, "specks.png", png(rgb))
    plain, specks = (web.client.get(f"/api/photographs/{number}/check").json for number in (1, 2))
    assert 60 < plain["white"] < 75
    assert 30 < plain["black"] < 45
    assert (specks["white"], specks["black"]) == pytest.approx(
        (plain["white"], plain["black"]), abs=0.6
    )


def test_wishes_that_make_no_sense(frames):
    for more in (
        {"groups": ["nothing"]}, {"strength": 2}, {"strength": "much"}, {"own": ["curve"]},
        {"photographs": "all"}, {"groups": "mix"},
    ):  # fmt: skip
        wish = {"from": "version:1", "photographs": [2], "groups": ["lifts"]} | more
        assert frames.send("POST", "/api/apply/plan", wish).status_code == 422
    wish = {"from": "version:1", "photographs": [99], "groups": ["lifts"]}
    assert frames.send("POST", "/api/apply/plan", wish).status_code == 404


def test_the_check_measures_the_shown_version(frames):
    figures = frames.client.get("/api/photographs/2/check").json
    assert figures["white"] < 60
    assert sum(figures["zones"]) == pytest.approx(1)
    bright = {"revision": 1, "recipe": {"tone": {"exposure": 4}}}
    frames.send("PUT", "/api/versions/2/recipe", bright)
    lighter = frames.client.get("/api/photographs/2/check").json
    assert lighter["mean"] > figures["mean"] + 30
    assert lighter["high"] > figures["high"]
