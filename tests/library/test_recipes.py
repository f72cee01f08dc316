"""Recipes kept by name: shipped ones, one's own, files, and the one at import."""

import json
import re

import pytest
from samples import codes, write_png

from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import REST, from_document, read
from oatmeal.core.recipe.carry import carried
from oatmeal.core.recipe.shipped import SHIPPED, by_name
from oatmeal.library.recipes import USUAL_GROUPS

LOOK = {"mix": {"lifts": {"red": 1.2}}, "tone": {"contrast": 20}}


def listed(web):
    return {one["name"]: one for one in web.client.get("/api/recipes").json["recipes"]}


def state(web, version):
    return web.client.get(f"/api/versions/{version}").json


def test_shipped_recipes_are_different_whole_and_named_once():
    rgb = codes(40, 60).astype("float32") / 255
    seen = [Pipeline(rgb).codes(one.recipe).tobytes() for one in SHIPPED]
    assert len(set(seen)) == len(SHIPPED) >= 10
    assert len({one.name for one in SHIPPED}) == len(SHIPPED)
    for one in SHIPPED:
        assert from_document(one.recipe.document()) == one.recipe
        assert one.recipe.model_copy(update={"name": ""}) != REST


def test_a_shipped_recipe_changes_only_its_own_steps(web, photograph):
    version = photograph[2]
    web.send("PUT", f"/api/versions/{version}/recipe", {"revision": 1, "recipe": LOOK})
    wish = {"source": "shipped:Fog lifted", "revision": 2}
    used = web.send("POST", f"/api/versions/{version}/use", wish).json
    assert used["recipe"]["tone"]["veil"] == 40
    assert used["recipe"]["mix"]["lifts"]["red"] == 1.2  # Fog lifted has nothing to say of Mix
    assert used["undo"].startswith("Fog lifted: ")
    other = {"source": "shipped:Old plate", "revision": 2}
    assert web.send("POST", f"/api/versions/{version}/use", other).status_code == 409
    again = web.send("POST", f"/api/versions/{version}/use", wish)  # its answer was lost
    assert (again.status_code, again.json["revision"]) == (200, 3)
    lost = {"source": "shipped:Nothing", "revision": 3}
    assert web.send("POST", f"/api/versions/{version}/use", lost).status_code == 404


def test_saving_all_or_part_describing_deleting_and_bringing_back(web, photograph):
    version = photograph[2]
    whole = web.send("POST", "/api/recipes", {"name": " Dark  sky ", "recipe": LOOK}).json
    part = {"name": "Only tone", "recipe": LOOK, "groups": ["contrast and curve"]}
    tone = web.send("POST", "/api/recipes", part).json
    assert whole["words"] == ["red lift 0 → 1.2 stops", "contrast 0 → 20"]
    assert tone["words"] == ["contrast 0 → 20"]
    lifted = {"revision": 1, "recipe": {"mix": {"lifts": {"red": -1}}}}
    web.send("PUT", f"/api/versions/{version}/recipe", lifted)
    wish = {"source": tone["source"], "revision": 2}
    used = web.send("POST", f"/api/versions/{version}/use", wish).json["recipe"]
    assert (used["mix"]["lifts"]["red"], used["tone"]["contrast"]) == (-1, 20)
    texts = {"name": "Tone alone", "note": " for dull days ", "tags": "fog, rain,, fog"}
    described = web.send("PATCH", f"/api/recipes/{tone['id']}", texts).json
    assert described["note"] == "for dull days"
    assert described["tags"] == "fog, rain"
    assert web.send("DELETE", f"/api/recipes/{tone['id']}").status_code == 200
    assert "Tone alone" not in listed(web)
    web.send("POST", f"/api/recipes/{tone['id']}/restore")
    assert listed(web)["Tone alone"]["recipe"]["name"] == "Tone alone"
    for wrong in ({"name": " "}, {"groups": []}, {"groups": "all"}):
        assert web.send("POST", "/api/recipes", part | wrong).status_code == 422


def test_files_out_and_in_again_and_what_is_wrong_with_one(web):
    file = web.client.get("/recipes/file?source=shipped:Far heat")
    assert "filename=far-heat.json" in file.headers["Content-Disposition"]
    assert read(file.data) == next(one.recipe for one in SHIPPED if one.name == "Far heat")
    sent = {"file": "heat.json", "text": file.data.decode()}
    taken = web.send("POST", "/api/recipes/file", sent).json
    assert taken["name"] == "Far heat"
    assert taken["recipe"] == listed(web)["Far heat"]["recipe"]
    unnamed = {"file": "Soft.JSON", "text": json.dumps(LOOK | {"oatmeal": 1})}
    assert web.send("POST", "/api/recipes/file", unnamed).json["name"] == "Soft"
    wrong = {"file": "x.json", "text": '{"oatmeal": 1, "mix": {"lifts": {"red": 9}, "hue": 1}}'}
    reply = web.send("POST", "/api/recipes/file", wrong)
    assert reply.status_code == 422
    assert {problem["path"] for problem in reply.json["problems"]} == {"mix.lifts.red", "mix.hue"}
    torn = web.send("POST", "/api/recipes/file", {"file": "x.json", "text": '{"oatmeal": 1,'})
    assert torn.status_code == 422


def test_new_photographs_begin_with_the_recipe_at_import(web, tmp_path):
    saved = web.send("POST", "/api/recipes", {"name": "Start", "recipe": LOOK}).json
    series = web.series()

    def add(seed):
        path = write_png(tmp_path / f"{seed}.png", codes(seed=seed))
        return web.upload(series, path.name, path.read_bytes()).json["id"]

    web.send("PUT", "/api/recipes/at-import", {"id": saved["id"]})
    first = add(1)
    web.send("PUT", "/api/recipes/at-import", {})
    second = add(2)
    assert state(web, first)["recipe"]["mix"]["lifts"]["red"] == 1.2
    assert state(web, first)["undo"].startswith("Start: red lift")  # as taken is one step back
    assert state(web, second)["undo"] is None
    assert state(web, second)["recipe"]["mix"]["lifts"]["red"] == 0


@pytest.mark.parametrize("source", ["saved:1", "version:7", "shipped:None", "else", "saved:x"])
def test_sources_that_are_not_there(web, source):
    reply = web.client.get(f"/recipes/file?source={source}")
    assert reply.status_code in (404, 422)


def test_a_named_recipe_over_a_selection(web, photograph):
    wish = {"from": "shipped:Painted wood", "photographs": [photograph[1]], "groups": ["lifts"]}
    frame = web.send("POST", "/api/apply/plan", wish).json["frames"][0]
    assert "red lift 0 → 1.1 stops" in frame["words"]
    own = wish | {"own": ["exposure"]}
    assert web.send("POST", "/api/apply/plan", own).status_code == 422  # of no frame


def test_frame_and_lens_stay_with_their_photograph_unless_asked_for(web, photograph, tmp_path):
    """In recipes that are kept, in another version's use, and in what is applied by default."""
    frame = {"frame": {"ratio": "1:1", "angle": 3.0}, "lens": {"bend": -2.0}}
    framed = {**LOOK, "prepare": {**frame, "light": {"warmth": 40.0}}}
    series, _, version = photograph
    web.send("PUT", f"/api/versions/{version}/recipe", {"revision": 1, "recipe": framed})
    kept = web.send("POST", "/api/recipes", {"name": "Look", "recipe": framed}).json
    assert kept["recipe"]["prepare"]["light"]["warmth"] == 40
    assert kept["recipe"]["prepare"]["frame"] == REST.full_document()["prepare"]["frame"]
    other = web.upload(series, "b.png", write_png(tmp_path / "b.png", codes(60, 90)).read_bytes())
    number = other.json["id"]
    second = web.client.get(f"/api/photographs/{number}/versions").json["versions"][0]["id"]
    own = {"prepare": {"frame": {"ratio": "4:5"}}}
    web.send("PUT", f"/api/versions/{second}/recipe", {"revision": 1, "recipe": own})
    wish = {"source": f"version:{version}", "revision": 2}
    used = web.send("POST", f"/api/versions/{second}/use", wish).json["recipe"]["prepare"]
    assert (used["frame"]["ratio"], used["lens"]["bend"]) == ("4:5", 0)
    assert used["light"]["warmth"] == 40
    groups = json.loads(page_start(web, series))["groups"]
    usual = [group["name"] for group in groups if not group["stays"]]
    assert {"frame", "lens"}.isdisjoint(usual)
    asked = {"from": f"version:{version}", "photographs": [number], "groups": [*usual, "frame"]}
    planned = web.send("POST", "/api/apply/plan", asked).json["frames"][0]["recipe"]["prepare"]
    assert (planned["frame"]["ratio"], planned["frame"]["angle"]) == ("1:1", 3)
    assert planned["lens"]["bend"] == 0


def page_start(web, series):
    """What the sheet's page is given."""
    page = web.client.get(f"/series/{series}").get_data(as_text=True)
    return re.search(r'<script type="application/json" id="start">(.*?)</script>', page)[1]


def test_every_recipe_is_carried_onto_a_photograph_and_nothing_is_stored(web, photograph):
    version = photograph[2]
    before = state(web, version)
    onto = from_document({"prepare": {"frame": {"angle": 3}}, "mix": {"guard": 40}})
    present = onto.full_document()

    def carried_by_web(**wish):
        return web.send("POST", "/api/recipes/onto", {"recipe": present, **wish})

    def expected(one, strength=1.0):
        groups = [name for name in one.groups if name in USUAL_GROUPS]
        return carried(one.recipe, onto, groups, strength)

    found = carried_by_web().json["recipes"]
    assert [one["name"] for one in found] == [one.name for one in SHIPPED]
    for one, named in zip(found, SHIPPED, strict=True):
        assert from_document(one["recipe"]) == expected(named)
        assert one["recipe"]["prepare"]["frame"]["angle"] == 3  # a frame stays
    (half,) = carried_by_web(sources=["shipped:Old plate"], strength=0.5).json["recipes"]
    assert from_document(half["recipe"]) == expected(by_name("Old plate"), 0.5)
    assert state(web, version) == before
    assert carried_by_web(sources=["saved:7"]).status_code == 404
    assert carried_by_web(strength=2).status_code == 422
