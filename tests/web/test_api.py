"""The HTTP application: series, photographs, frames, finished files; and what it refuses."""

import io
import json
import re
import struct

import numpy as np
import pytest
from conftest import Web
from PIL import Image
from samples import codes, write_png
from sqlalchemy import event
from sqlalchemy.exc import OperationalError

from oatmeal import cli
from oatmeal.core import recipe as recipes
from oatmeal.core.colour import ranges
from oatmeal.core.picture import ArrayPicture, copy_of
from oatmeal.core.pipeline import Pipeline, Region
from oatmeal.library.store import FileStore
from oatmeal.photofile.decode import decode
from oatmeal.settings import Settings
from oatmeal.web import access, create_app

SKY = {"oatmeal": 1, "mix": {"lifts": {"blue": -1.5}}, "tone": {"contrast": 20}}


def frame(web, photograph, of="frame", **wish):
    body = {"side": 2048} if of == "frame" else {}
    reply = web.send("POST", f"/api/photographs/{photograph}/{of}", body | wish)
    assert reply.status_code == 200, reply.json
    length = struct.unpack("<I", reply.data[:4])[0]
    header = json.loads(reply.data[4 : 4 + length])
    size, offset, layers = header["width"] * header["height"], 4 + length, {}
    for name, channels in header["layers"]:
        flat = np.frombuffer(reply.data, np.uint8, size * channels, offset)
        layers[name] = flat.reshape(header["height"], header["width"], channels).squeeze()
        offset += size * channels
    assert offset == len(reply.data)
    return header, layers


def test_series_are_made_named_deleted_and_brought_back(web):
    number = web.series("Larkmoor")
    assert web.send("PATCH", f"/api/series/{number}", {"name": " Fog "}).json["name"] == "Fog"
    assert b"Fog" in web.client.get("/").data
    assert web.send("DELETE", f"/api/series/{number}").status_code == 200
    listed = web.client.get("/").text
    assert "Open Fog" not in listed
    assert "Bring Fog back" in listed
    assert web.client.get(f"/series/{number}").status_code == 404
    web.send("POST", f"/api/series/{number}/restore", {})
    assert web.client.get(f"/series/{number}").status_code == 200


def test_photographs_are_added_named_ordered_removed_and_brought_back(web, jpeg):
    series = web.series()
    names = ("one", "two", "three")
    ids = [
        web.upload(series, f"{name}.jpg", jpeg + name.encode()).json["id"] for name in names
    ]  # what follows a JPEG's end is not read

    def titles():
        page = web.client.get(f"/series/{series}").data.decode()
        return [word for word in ("One", "Two", "Three") if f'data-name="{word}"' in page], page

    assert titles()[0] == ["One", "Two", "Three"]
    web.send("PUT", f"/api/series/{series}/order", {"photographs": ids[::-1]})
    page = titles()[1]
    assert page.index('data-name="Three"') < page.index('data-name="One"')
    web.send("PUT", f"/api/series/{series}/order", {"photographs": [ids[0], ids[2]]})
    page = titles()[1]  # the two change places, the one between them stays
    places = [page.index(f'data-name="{name}"') for name in ("One", "Two", "Three")]
    assert places == sorted(places)
    web.send("PUT", f"/api/series/{series}/order", {"photographs": ids[::-1]})
    web.send("POST", "/api/photographs/remove", {"photographs": [ids[1]]})
    assert titles()[0] == ["One", "Three"]
    assert web.client.get(f"/bench/{ids[1]}").status_code == 404
    web.send("POST", "/api/photographs/restore", {"photographs": [ids[1]]})
    assert titles()[0] == ["One", "Two", "Three"]
    web.send("PATCH", f"/api/photographs/{ids[0]}", {"title": "First <lift>"})
    assert "First &lt;lift&gt;" in titles()[1]


def test_a_refused_file_leaves_nothing_behind(web, store, jpeg):
    series = web.series()
    for name, content, words in (
        ("notes.txt", b"hello", "notes.txt is not a picture"),
        ("half.jpg", jpeg[: len(jpeg) // 2], "half.jpg is damaged"),
        ("nothing.jpg", b"", "nothing.jpg is empty"),
    ):
        reply = web.upload(series, name, content)
        assert reply.status_code == 422
        assert reply.mimetype == "application/problem+json"
        assert words in reply.json["detail"]
    assert b"This series is empty" in web.client.get(f"/series/{series}").data
    for folder in (store.incoming, store.originals, store.cache):
        assert [path for path in folder.rglob("*") if path.is_file()] == []


def test_a_file_beyond_the_limit_is_refused_before_it_is_read(web):
    reply = web.client.post(
        f"/api/series/{web.series()}/photographs",
        headers={"X-CSRFToken": web.token, "X-File-Name": "huge.tif"},
        environ_overrides={"CONTENT_LENGTH": str(10**12)},
    )
    assert reply.status_code == 413
    assert "huge.tif is larger" in reply.json["detail"]


def test_the_original_is_stored_unaltered(web, store, jpeg):
    web.upload(web.series(), "a.jpg", jpeg)
    kept = list(store.originals.rglob("*.jpg"))
    assert [path.read_bytes() for path in kept] == [jpeg]


def test_a_frame_is_what_the_core_renders(web, photograph, jpeg, tmp_path):
    header, layers = frame(web, photograph[1], recipe=SKY, layers=["grey", "plain", "colour"])
    source = tmp_path / "a.jpg"
    source.write_bytes(jpeg)
    picture = decode(source)
    linear = picture.linear(0, 0, 180, 120)
    copy = ArrayPicture(linear, trust_of_file=picture.trust)
    expected = Pipeline(copy).codes(recipes.from_document(SKY)).astype(int)
    assert np.abs(layers["grey"] - expected).max() <= 1  # copies are kept in half precision
    plain = Pipeline(linear).codes(recipes.REST).astype(int)
    assert np.abs(layers["plain"] - plain).max() <= 1
    assert np.abs(layers["colour"].astype(int) - decode(source).codes).max() <= 1
    assert sum(header["figures"]["histogram"]) == 180 * 120
    assert len(header["figures"]["grey_map"]["ranges"]) == 8


def test_a_frame_can_be_smaller_or_a_region_of_the_file(web, photograph, jpeg, tmp_path):
    source = tmp_path / "a.jpg"
    source.write_bytes(jpeg)
    picture = decode(source)
    header, layers = frame(web, photograph[1], recipe=SKY, side=90)
    assert (header["width"], header["height"]) == (90, 60)
    small = Pipeline(copy_of(picture, 90)).codes(recipes.from_document(SKY))
    assert np.abs(layers["grey"].astype(int) - small).max() <= 1
    header, layers = frame(web, photograph[1], recipe=SKY, region=[30, 20, 50, 40])
    sky = recipes.from_document(SKY)
    exact = Region(picture, (30, 20, 50, 40), sky).codes(sky)
    assert np.array_equal(layers["grey"], exact)


def test_a_frame_of_a_photograph_in_use_does_not_ask_the_database(web, app, photograph):
    """But one that was removed is there no more, and one that was brought back is."""
    series, number, _ = photograph
    engine, asked = app.extensions["oatmeal"].database.engine, []

    def heard(connection, cursor, statement, *more):
        asked.append(statement)

    wish = {"recipe": SKY, "side": 90}
    address = f"/api/photographs/{number}/frame"
    frame(web, number, **wish)
    event.listen(engine, "before_cursor_execute", heard)
    try:
        frame(web, number, **wish)
        assert asked == []
        one = {"photographs": [number]}
        for method, gone, back, body in (
            ("POST", "/api/photographs/remove", "/api/photographs/restore", one),
            ("DELETE", f"/api/series/{series}", f"/api/series/{series}/restore", {}),
        ):
            web.send(method, gone, body)
            assert web.send("POST", address, wish).status_code == 404
            web.send("POST", back, body)
            frame(web, number, **wish)
    finally:
        event.remove(engine, "before_cursor_execute", heard)


def test_the_plain_conversions_come_together_and_small(web, photograph):
    prepare = {"light": {"warmth": 60, "exposure": 0.5}}
    _, layers = frame(web, photograph[1], "weighings", recipe=SKY | {"prepare": prepare})
    assert tuple(layers) == recipes.WEIGHINGS
    for name, small in layers.items():
        base = {"kind": "plain", "weighing": name}
        wanted = {"prepare": prepare, "mix": {"base": base}}
        _, alone = frame(web, photograph[1], recipe=wanted, side=120, layers=["grey"])
        assert np.array_equal(small, alone["grey"])


@pytest.mark.parametrize(
    "wish",
    [
        {}, {"recipe": 3}, {"recipe": {"areas": [{}]}}, {"recipe": {}, "side": "x"},
        {"recipe": {}, "layers": ["secret"]}, {"recipe": {}, "region": [1, 2]},
        {"recipe": {}, "region": [900, 0, 5, 5]}, {"recipe": {}, "trace": "pink"},
    ],
)  # fmt: skip
def test_wishes_that_make_no_sense_are_refused(web, photograph, wish):
    wish = {"side": 100} | wish
    reply = web.send("POST", f"/api/photographs/{photograph[1]}/frame", wish)
    assert reply.status_code == 422
    assert reply.json["detail"]


def test_saving_undo_and_conflict_over_http(web, photograph):
    address = f"/api/versions/{photograph[2]}"
    saved = web.send("PUT", f"{address}/recipe", {"revision": 1, "recipe": SKY}).json
    assert saved["revision"] == 2
    behind = web.send("PUT", f"{address}/recipe", {"revision": 1, "recipe": {}})
    assert behind.status_code == 409
    assert behind.json["current"]["recipe"]["mix"]["lifts"]["blue"] == -1.5
    undone = web.send("POST", f"{address}/undo", {"revision": 2}).json
    assert undone["recipe"]["mix"]["lifts"]["blue"] == 0
    assert web.client.get(address).json["redo"] == undone["redo"]
    assert web.send("PATCH", address, {"name": "Dark sky"}).json["name"] == "Dark sky"


def test_a_finished_file_is_called_as_its_pattern_says(web, photograph):
    wanted = {"format": "png", "size": 300, "pattern": "{title} for the wall"}
    address = f"/api/versions/{photograph[2]}/finished"
    told = web.send("POST", address, wanted).json
    assert told["name"].endswith("-for-the-wall.png")
    reply = web.client.get(f"/versions/{photograph[2]}/finished", query_string=wanted)
    assert told["name"] in reply.headers["Content-Disposition"]
    refused = web.send("POST", address, {**wanted, "pattern": "{mood}"})
    assert refused.status_code == 422
    assert "{mood} cannot be part of a file name" in refused.json["detail"]


@pytest.mark.parametrize("form", [("png", 16, ".png"), ("tiff", 8, ".tif")])
def test_the_download_equals_the_command_line(web, photograph, jpeg, tmp_path, form):
    web.send("PUT", f"/api/versions/{photograph[2]}/recipe", {"revision": 1, "recipe": SKY})
    wanted = {"format": form[0], "depth": form[1], "quality": 92}
    told = web.send("POST", f"/api/versions/{photograph[2]}/finished", wanted).json
    reply = web.client.get(f"/versions/{photograph[2]}/finished", query_string=wanted)
    assert len(reply.data) == told["bytes"]
    assert told["name"] in reply.headers["Content-Disposition"]
    (tmp_path / "r.json").write_text(json.dumps(SKY))
    (tmp_path / "a.jpg").write_bytes(jpeg)
    out = tmp_path / f"out{form[2]}"
    cli.main(
        ["convert", str(tmp_path / "a.jpg"), "--recipe", str(tmp_path / "r.json"),
         "--out", str(out), "--depth", str(form[1])]
    )  # fmt: skip
    assert reply.data == out.read_bytes()


def test_small_pictures(web, photograph):
    grey = Image.open(io.BytesIO(web.client.get(f"/pictures/{photograph[1]}.jpg").data))
    colour = Image.open(io.BytesIO(web.client.get(f"/pictures/{photograph[1]}.jpg?colour=1").data))
    assert grey.mode == "L"
    assert colour.mode == "RGB"
    assert grey.size == colour.size == (180, 120)


def test_16_bit_tiff_is_taken_in(web, tmp_path):
    path = write_png(tmp_path / "deep.png", codes(bits=16))
    added = web.upload(web.series(), "deep.png", path.read_bytes())
    assert added.status_code == 200
    assert b'"bits": 16' in web.client.get(f"/bench/{added.json['id']}").data


def test_every_answer_carries_the_security_headers(web, photograph):
    page = web.client.get("/").data.decode()
    sheet = re.search(r"/static/\w+/css/oatmeal\.css", page)[0]
    for address in ("/", f"/bench/{photograph[1]}", sheet, "/nowhere"):
        headers = web.client.get(address).headers
        policy = headers["Content-Security-Policy"]
        assert "default-src 'none'" in policy
        assert "unsafe" not in policy
        assert headers["X-Content-Type-Options"] == "nosniff"


def test_static_files_are_kept_until_any_of_them_changes(web):
    page = web.client.get("/").data.decode()
    sheet = re.search(r"/static/\w+/css/oatmeal\.css", page)[0]
    assert "immutable" in web.client.get(sheet).headers["Cache-Control"]
    older = web.client.get("/static/0123456789ab/css/oatmeal.css")
    assert older.status_code == 200
    assert older.headers["Cache-Control"] == "no-cache, max-age=0"
    assert web.client.get(sheet.rsplit("/", 2)[0] + "/../app.py").status_code == 404


def test_pages_hold_no_inline_script_or_style(web, photograph):
    for address in ("/", f"/series/{photograph[0]}", f"/bench/{photograph[1]}"):
        page = web.client.get(address).data.decode()
        assert "<style" not in page
        assert " style=" not in page
        assert " onclick=" not in page
        for script in page.split("<script")[1:]:
            assert " src=" in script.split(">")[0] or "application/json" in script.split(">")[0]


def test_a_request_without_the_pages_token_is_refused(web):
    reply = web.client.post("/api/series", json={"name": "x"})
    assert reply.status_code == 403
    assert "reload" in reply.json["detail"]


@pytest.mark.parametrize("who", ["one", "machine"])
def test_another_host_name_is_refused(database, store, tmp_path, who):
    """DNS rebinding: a foreign name that points to loopback."""
    app = create_app(database, store, Settings(tmp_path / "home", access=who))
    Web(app).series("Larkmoor")
    client = app.test_client()
    for address in (access.address_of(app, "/"), "/", "/api/versions/1"):
        reply = client.get(address, headers={"Host": "evil.example"})
        assert reply.status_code in (400, 403)
        assert b"Larkmoor" not in reply.data


def test_errors_are_pages_for_people_and_documents_for_scripts(web):
    assert b"Go to your series" in web.client.get("/bench/99").data
    reply = web.client.get("/api/versions/99")
    assert reply.status_code == 404
    assert reply.mimetype == "application/problem+json"
    assert reply.json["detail"] == "This version is not there any more."
    assert web.send("POST", "/api/series", {"name": 5}).status_code == 422
    assert web.send("POST", "/api/series", {"name": "x" * 201}).status_code == 422


def test_finding_lifts_over_http(web, photograph):
    address = f"/api/photographs/{photograph[1]}"
    found = web.send("POST", f"{address}/balance", {"recipe": {}, "strength": 100}).json
    assert set(found["lifts"]) == set(ranges.NAMES)
    assert found["words"]
    header, _ = frame(web, photograph[1], recipe={})
    merging = header["figures"]["grey_map"]["merging"]
    if merging:
        pair = {"recipe": {}, "colours": merging[0]["colours"]}
        assert web.send("POST", f"{address}/separate", pair).status_code in (200, 422)
    nonsense = {"recipe": {}, "colours": ["#010203", "#010204"]}
    assert web.send("POST", f"{address}/separate", nonsense).status_code == 422
    assert (
        web.send("POST", f"{address}/balance", {"recipe": {}, "strength": 101}).status_code == 422
    )
    points = web.send("POST", f"{address}/starts", {"recipe": SKY}).json
    assert len(points) == 12
    assert all(start["recipe"]["tone"]["contrast"] == 20 for start in points)


def test_spots_strips_and_touched_layers_over_http(web, photograph):
    spot = web.send(
        "POST", f"/api/photographs/{photograph[1]}/spot", {"recipe": {}, "x": 0.5, "y": 0.5}
    ).json
    assert spot["colour"].startswith("#")
    bad = {"recipe": {}, "x": 1.5, "y": 0.5}
    assert web.send("POST", f"/api/photographs/{photograph[1]}/spot", bad).status_code == 422
    _, layers = frame(web, photograph[1], recipe={}, layers=["grey", "touched"], touched=[0.5, 0.5])
    assert layers["touched"].shape == layers["grey"].shape
    values = {"path": "tone.exposure", "values": [-1, 0, 1]}
    _, striped = frame(web, photograph[1], recipe={}, strip=values)
    assert striped["grey"][:, :50].mean() < layers["grey"][:, :50].mean()
    assert np.array_equal(striped["grey"][:, 60:120], layers["grey"][:, 60:120])


def test_points_over_http(web, photograph):
    address = f"/api/photographs/{photograph[1]}/points"
    levels = web.send("POST", address, {"recipe": {}, "budget": 0.1}).json["levels"]
    assert levels["black"] < levels["white"]
    assert levels["out_white"] == 250
    for budget in (9, -1, "much"):
        assert web.send("POST", address, {"recipe": {}, "budget": budget}).status_code == 422


def test_pins_are_kept_with_the_version(web, photograph):
    address = f"/api/versions/{photograph[2]}"
    pins = [{"x": 0.25, "y": 0.5, "label": "sky"}, {"x": 1, "y": 0, "label": ""}]
    assert web.send("PUT", f"{address}/pins", {"revision": 1, "pins": pins}).json["pins"] == pins
    assert web.client.get(address).json["pins"] == pins
    header, _ = frame(web, photograph[1], recipe={}, pins=[[0.25, 0.5]])
    reading = header["figures"]["pins"][0]
    assert reading["now"] == pytest.approx(reading["plain"], abs=0.3)
    for wrong in (
        [{"x": 2, "y": 0}],
        [{"x": 0}],
        "pin",
        pins * 5,
        [{"x": 0, "y": 0, "label": "x" * 41}],
    ):
        body = {"revision": 2, "pins": wrong}
        assert web.send("PUT", f"{address}/pins", body).status_code == 422
    assert web.client.get(address).json["pins"] == pins


def test_pins_of_a_page_that_is_behind_do_not_win_silently(web, photograph):
    address = f"/api/versions/{photograph[2]}/pins"
    mine, theirs = ([{"x": x, "y": 0.5, "label": ""}] for x in (0.2, 0.8))
    assert web.send("PUT", address, {"revision": 1, "pins": theirs}).json["revision"] == 2
    late = web.send("PUT", address, {"revision": 1, "pins": mine})
    assert late.status_code == 409
    assert late.json["current"]["pins"] == theirs
    again = web.send("PUT", address, {"revision": 1, "pins": theirs})  # its answer was lost
    assert again.status_code == 200


def test_a_save_whose_answer_was_lost_is_no_conflict(web, photograph):
    address = f"/api/versions/{photograph[2]}/recipe"
    wish = {"revision": 1, "recipe": {"tone": {"contrast": 12}}}
    assert web.send("PUT", address, wish).json["revision"] == 2
    again = web.send("PUT", address, wish)
    assert (again.status_code, again.json["revision"]) == (200, 2)
    other = {"revision": 1, "recipe": {"tone": {"contrast": 13}}}
    assert web.send("PUT", address, other).status_code == 409


def test_no_other_site_can_make_it_work(web, photograph):
    """By Fetch Metadata or Origin, on every route, pictures and downloads too."""
    for address in (
        "/", f"/bench/{photograph[1]}", f"/pictures/{photograph[1]}.jpg",
        f"/versions/{photograph[2]}/finished?format=png", f"/api/photographs/{photograph[1]}/check",
        "/exports/1.zip",
    ):  # fmt: skip
        for headers in (
            {"Sec-Fetch-Site": "cross-site"}, {"Sec-Fetch-Site": "same-site"},
            {"Origin": "http://elsewhere.example"}, {"Origin": "null"},
        ):  # fmt: skip
            assert web.client.get(address, headers=headers).status_code == 403, (address, headers)
    for headers in ({"Sec-Fetch-Site": "same-origin"}, {"Sec-Fetch-Site": "none"}, {}):
        assert web.client.get("/", headers=headers).status_code == 200


def test_what_the_database_did_not_take_is_never_called_saved(web, photograph, monkeypatch):
    def away(*given, **more):
        raise OperationalError("UPDATE", {}, Exception("1114: the table is full"))

    monkeypatch.setattr("oatmeal.library.versions.save", away)
    address = f"/api/versions/{photograph[2]}/recipe"
    reply = web.send("PUT", address, {"revision": 1, "recipe": {}})
    assert reply.status_code == 503
    assert "not stored" in reply.json["detail"]
    monkeypatch.setattr("oatmeal.library.versions.save", lambda *given: 1 / 0)
    reply = web.send("PUT", address, {"revision": 1, "recipe": {}})
    assert reply.status_code == 500
    assert "saved" not in reply.json["detail"]


def test_two_libraries_in_one_browser_do_not_share_a_cookie(app, database, tmp_path):
    settings = Settings(tmp_path / "other", access="machine")
    other = create_app(database, FileStore(tmp_path / "other"), settings)
    assert app.config["SESSION_COOKIE_NAME"] != other.config["SESSION_COOKIE_NAME"]
    page = other.test_client().get("/").get_data(as_text=True)
    assert f'name="library" content="{other.config["LIBRARY"]}"' in page
    again = create_app(database, FileStore(tmp_path / "other"), settings)
    assert again.config["LIBRARY"] == other.config["LIBRARY"]
    (tmp_path / "other" / "secret").write_text("")  # as a full disk leaves it
    healed = create_app(database, FileStore(tmp_path / "other"), settings)
    assert healed.test_client().get("/").status_code == 200
    assert (tmp_path / "other" / "secret").read_text()


def test_a_formula_error_says_its_column(web, photograph):
    recipe = {"mix": {"base": {"kind": "formula", "text": "0.5*(r + zz)"}}}
    reply = web.send(
        "POST", f"/api/photographs/{photograph[1]}/frame", {"recipe": recipe, "side": 64}
    )
    assert reply.status_code == 422
    assert reply.json["problems"][0]["column"] == 10


BLUE_DOWN = {"mix": {"lifts": {"blue": -1.6}}}


def test_versions_and_history_over_http(web, photograph):
    _, whose, version = photograph
    address = f"/api/versions/{version}"
    saved = web.send("PUT", f"{address}/recipe", {"revision": 1, "recipe": BLUE_DOWN}).json
    made = web.send("POST", f"{address}/duplicate", {}).json
    assert made["name"] == "Version 2"
    page = web.client.get(f"/bench/{whose}?version={made['id']}").get_data(as_text=True)
    shown = json.loads(re.search(r'id="start">(.*?)</script>', page)[1])["version"]
    assert (shown["id"], shown["head"]) == (made["id"], saved["head"] + 1)
    web.send("POST", f"/api/versions/{made['id']}/show", {})
    listed = web.client.get(f"/api/photographs/{whose}/versions").json["versions"]
    assert [entry["shown"] for entry in listed] == [False, True]
    order = {"versions": [made["id"], version]}
    ordered = web.send("PUT", f"/api/photographs/{whose}/versions", order).json["versions"]
    assert [entry["id"] for entry in ordered] == order["versions"]
    assert web.send("DELETE", f"/api/versions/{made['id']}").status_code == 200
    assert web.send("DELETE", address).status_code == 422  # the last one stays
    assert web.send("POST", f"/api/versions/{made['id']}/restore").status_code == 200

    steps = web.client.get(f"{address}/history").json["steps"]
    first = steps[-1]["id"]
    kept = web.send("PATCH", f"{address}/history/{first}", {"kept": "as it came"}).json
    assert kept["kept"] == "as it came"
    then = web.client.get(f"{address}/history/{first}").json["recipe"]
    words = web.send("POST", "/api/differences", {"before": then, "after": BLUE_DOWN}).json["words"]
    assert words == [steps[0]["words"]]
    there = web.send("POST", f"{address}/go", {"revision": 2, "step": first}).json
    assert (there["undo"], there["redo"]) == (None, steps[0]["words"])
    assert web.send("POST", f"{address}/go", {"revision": 2, "step": first}).status_code == 409


def test_the_same_file_again_is_recognised(web, jpeg, photograph):
    series, first, _ = photograph
    again = web.upload(series, "copy of it.jpg", jpeg).json
    assert again["id"] == first
    assert again["note"] == "Is in this series already, as “First lift”; it was not added again."
    web.send("POST", "/api/photographs/remove", {"photographs": [first]})
    back = web.upload(series, "first-lift.jpg", jpeg).json
    assert (back["id"], back["how"], again["how"]) == (first, "back", "there")
    assert back["note"].startswith("Had been removed from this series: “First lift” is back")
    other = web.upload(web.series("Other"), "first-lift.jpg", jpeg).json
    assert other["note"] == ""
    assert web.client.get(f"/pictures/{other['id']}.jpg?colour=1").status_code == 200


def test_the_frame_s_routes_answer_with_values_or_one_sentence(web, photograph):
    number = photograph[1]
    base = f"/api/photographs/{number}"
    line = {"recipe": {}, "line": [[0.1, 0.5], [0.9, 0.5]]}
    assert web.send("POST", f"{base}/level", line).json == {"frame": {"angle": 0.0}}
    short = web.send("POST", f"{base}/level", line | {"line": [[0.5, 0.5], [0.5, 0.5]]})
    assert short.status_code == 422
    assert "draw it longer" in short.json["detail"]
    aslant = [[[0.1, 0.1], [0.9, 0.5]], [[0.1, 0.9], [0.9, 0.6]]]
    laid = {"recipe": {"prepare": {"frame": {"plumb": aslant}}}}
    refused = web.send("POST", f"{base}/set-right", laid)
    assert refused.status_code == 422
    assert "lay them along edges" in refused.json["detail"]
    for what in ("find-level", "find-uprights"):
        found = web.send("POST", f"{base}/{what}", {"recipe": {}}).json
        assert found["frame"] == {}
        assert found["words"]
    lens = web.client.get(f"{base}/lens").json
    assert lens["known"] is None
    assert "by hand" in lens["words"]
    look = web.client.get(f"{base}/camera-look")
    assert look.status_code == 422
    for frame, words in (
        ({"ratio": "0:4"}, "two numbers above 0"), ({"centre": [2, 0]}, "from 0 to 1"),
        ({"tip": 40, "focal": 10}, "turn part of the picture away"),
    ):  # fmt: skip
        wish = {"recipe": {"prepare": {"frame": frame}}, "side": 200}
        answer = web.send("POST", f"{base}/frame", wish)
        assert answer.status_code == 422
        assert words in answer.json["detail"]


OVAL = {
    "areas": {"list": [{
        "id": "a1", "name": "Sky", "mask": [{"kind": "ellipse", "centre": [0.4, 0.3]}],
        "values": {"exposure": 1},
    }]}
}  # fmt: skip


def test_a_frame_gives_masks_and_contours_of_areas(web, photograph):
    wish = {"recipe": OVAL, "side": 180, "layers": ["grey", "mask"], "area": "a1"}
    header, layers = frame(web, photograph[1], **wish, contours=["a1", "a9"])
    mask = layers["mask"]
    assert mask[round(0.3 * 180), round(0.4 * 180)] == 255
    assert mask[5, 170] == 0
    (found,) = header["figures"]["areas"].values()
    assert set(found["contours"]) == {"25", "50", "75"}
    assert found["tag"] == pytest.approx([0.4, 0.45], abs=0.02)
    assert found["share"] == pytest.approx(mask.mean() / 255, abs=0.01)
    assert found["thumb"][:2] == [54, 36]
    for bad in ({"area": "a9"}, {"area": None}):
        reply = web.send("POST", f"/api/photographs/{photograph[1]}/frame", wish | bad)
        assert reply.status_code == 422
        assert reply.json["detail"] == "There is no such area."
    part = frame(web, photograph[1], **wish, region=[30, 20, 60, 50])[1]["mask"]
    assert np.abs(part.astype(int) - mask[20:70, 30:90]).max() <= 1


def test_the_printing_map_is_downloaded_as_the_command_line_writes_it(web, photograph):
    web.send("PUT", f"/api/versions/{photograph[2]}/recipe", {"revision": 1, "recipe": OVAL})
    for kind, begin in (("png", b"\x89PNG"), ("pdf", b"%PDF-")):
        reply = web.client.get(f"/versions/{photograph[2]}/map", query_string={"format": kind})
        assert reply.data.startswith(begin)
        assert f"-map.{kind}" in reply.headers["Content-Disposition"]
    assert web.client.get(f"/versions/{photograph[2]}/map?format=gif").status_code == 422
    assert web.client.get("/versions/4711/map").status_code == 404


def test_a_spot_tells_its_tone_and_how_zones_move_it(web, photograph):
    wish = {"recipe": {}, "x": 0.5, "y": 0.5}
    found = web.send("POST", f"/api/photographs/{photograph[1]}/spot", wish).json
    assert 0 < found["lightness"] < 100
    assert 0 <= found["hue"] < 360
    assert 1 <= len(found["zones"]) <= 2
    _, layers = frame(web, photograph[1], recipe={}, layers=["zoned"], touched=[0.5, 0.5])
    assert layers["zoned"].max() > 200
