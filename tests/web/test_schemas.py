"""Requests that no page sends: each is refused with a sentence, none stops anything."""

import json

import pytest

DEEP = b"[" * 5000 + b"]" * 5000
LONG = b"9" * 5000
NAMES = [
    ("POST", "/api/series", "name"), ("PATCH", "/api/series/1", "name"),
    ("PATCH", "/api/photographs/1", "title"), ("PATCH", "/api/versions/1", "name"),
    ("PATCH", "/api/versions/1/history/1", "kept"),
]  # fmt: skip


def routes(app):
    """Every route that takes a body: method, address, and the model of its body."""
    found = []
    for rule in app.url_map.iter_rules():
        model = getattr(app.view_functions[rule.endpoint], "takes", None)
        if model is not None:
            method = next(iter(rule.methods - {"HEAD", "OPTIONS"}))
            found.append((method, rule.build(dict.fromkeys(rule.arguments, 1))[1], model))
    return found


def raw(web, method, address, data):
    headers = {"X-CSRFToken": web.token, "Content-Type": "application/json"}
    return web.client.open(address, method=method, data=data, headers=headers)


def refused(reply):
    assert 400 <= reply.status_code < 500, reply.data
    assert reply.mimetype == "application/problem+json"
    assert reply.json["detail"].endswith((".", "?"))
    assert len(reply.json["detail"]) < 400
    return reply.json["detail"]


def test_every_route_that_changes_something_says_what_it_takes(app):
    without = set()
    for rule in app.url_map.iter_rules():
        view = app.view_functions[rule.endpoint]
        if rule.methods & {"POST", "PUT", "PATCH"} and not hasattr(view, "takes"):
            without.add(rule.endpoint.split(".")[1])
    # the rest has all it needs in its address, or takes a file
    assert without == {
        "restore_series", "restore_version", "duplicate_version", "show_version", "restore_recipe",
        "cancel_export", "retry_export", "add_photograph", "cancel_join", "retry_join",
        "send_file_of_print", "looked_at",
    }  # fmt: skip


@pytest.mark.parametrize(
    "body",
    [DEEP, b'{"name": ' + DEEP + b"}", LONG, b"", b"nonsense", b"[]", b"null", b'"x"', b"\xff\xfe",
     b'{"name": "a", "name2": 1}', b'{"name": NaN}', b'{"recipe": ' + DEEP + b"}"],
)  # fmt: skip
def test_bodies_that_are_none(web, app, photograph, body):
    for method, address, _ in routes(app):
        if body == b"" and address.endswith(("/ready", "/at-import", "/finished", "/recipes/1")):
            continue  # nothing is asked of these
        refused(raw(web, method, address, body))


@pytest.mark.parametrize("value", [["a"], {"a": 1}, 5, True, None, int(LONG[:30])])
def test_names_that_are_none(web, photograph, value):
    for method, address, key in NAMES:
        words = refused(web.send(method, address, {key: value}))
        assert words == f"{key} must be a text."


def test_lone_surrogates_in_names(web, photograph):
    for method, address, key in NAMES:
        refused(raw(web, method, address, json.dumps({key: "lift \ud800"}).encode()))
    recipe = json.dumps({"revision": 1, "recipe": {"name": "\udfff"}}).encode()
    refused(raw(web, "PUT", "/api/versions/1/recipe", recipe))


def test_numbers_of_thousands_of_digits(web, photograph):
    for key in ("revision", "step"):
        body = b'{"revision": 1, "step": 1, "%s": %s}' % (key.encode(), LONG)
        refused(raw(web, "POST", "/api/versions/1/go", body))
    recipe = b'{"revision": 1, "recipe": {"x": %s}}' % LONG
    refused(raw(web, "PUT", "/api/versions/1/recipe", recipe))
    text = json.dumps({"file": "a.json", "text": f'{{"tone": {{"veil": {LONG.decode()}}}}}'})
    refused(raw(web, "POST", "/api/recipes/file", text.encode()))
    nested = json.dumps({"file": "a.json", "text": '{"a": ' * 3000 + "1" + "}" * 3000})
    refused(raw(web, "POST", "/api/recipes/file", nested.encode()))
    digits = LONG.decode()
    refused(web.send("POST", "/api/versions/1/use", {"source": f"saved:{digits}", "revision": 1}))
    refused(web.send("POST", "/api/versions/1/use", {"source": "saved:" + "9" * 10, "revision": 1}))
    for address in (f"/api/versions/{digits}", f"/api/versions/{digits}/history"):
        assert web.client.get(address).status_code == 404
    for address in (f"/bench/{digits}", f"/series/{digits}", f"/recipes?photograph={digits}"):
        assert web.client.get(address).status_code < 500
    assert web.client.get(f"/versions/1/finished?quality={digits}").status_code == 422


@pytest.mark.parametrize(
    ("address", "body"),
    [
        ("frame", {"layers": [["grey"]]}), ("frame", {"layers": {"grey": 1}}),
        ("frame", {"layers": "grey"}), ("frame", {"layers": ["grey"] * 180}),
        ("frame", {"region": [0, 0, 1e9, True]}),
        ("frame", {"pins": [[{}, []]]}), ("frame", {"strip": {"path": [], "values": [1]}}),
        ("frame", {"strip": {"path": "tone.veil", "values": [[{}]]}}), ("frame", {"trace": {}}),
        ("frame", {"touched": {"x": 1}}), ("frame", {"touched": [0.5]}),
        ("spot", {"x": [], "y": {}}), ("separate", {"colours": [["#000000"], {}]}),
        ("balance", {"strength": True}), ("points", {"budget": [1]}),
    ],
)  # fmt: skip
def test_lists_and_objects_in_the_wrong_places(web, photograph, address, body):
    body = {"recipe": {}} | ({"side": 64} if address == "frame" else {}) | body
    refused(web.send("POST", f"/api/photographs/1/{address}", body))


def test_a_recipe_of_nothing_but_nulls_is_answered_with_few_words(web, photograph):
    many = b"[" + b"null," * 190_000 + b"null]"  # as much as a recipe may have, nearly
    for document, words in (
        (many, "null is not a value"),
        (b"[" + b"null," * 1_500_000 + b"null]", "larger than 1 MB"),
        (b"[" + b"7," * 300_000 + b"7]", "mask"),
    ):
        body = (
            b'{"revision": 1, "recipe": {"areas": {"list": [{"id": "a", "mask": %s}]}}}' % document
        )
        reply = raw(web, "PUT", "/api/versions/1/recipe", body)
        assert reply.status_code == 422
        assert words in reply.json["detail"]
        assert len(reply.json["problems"]) <= 20
        assert len(reply.data) < 20_000


@pytest.mark.parametrize(
    "body",
    [{"own": [["exposure"]]}, {"own": [{}]}, {"groups": [["mix"]]}, {"groups": [{}]},
     {"photographs": [[1]]}, {"photographs": [1.5]}, {"from": ["version:1"]}, {"strength": {}}],
)  # fmt: skip
def test_plans_of_lists_and_objects(web, photograph, body):
    wish = {"from": "version:1", "photographs": [1], "groups": ["lifts"]} | body
    refused(web.send("POST", "/api/apply/plan", wish))


def test_labels_longer_than_their_column(web, photograph):
    long = "x" * 100_000
    for method, address, key in NAMES:
        assert "200 characters" in refused(web.send(method, address, {key: long}))
    kept = web.send("POST", "/api/recipes", {"name": "Dawn", "recipe": {"tone": {"veil": 9}}}).json
    told = web.send(
        "PATCH", f"/api/recipes/{kept['id']}", {"note": long, "tags": long, "name": "Dusk"}
    )
    assert told.status_code == 200
    assert len(told.json["note"]) == 2000
    picked = {"picked": [{"hue": 20, "name": "y" * 300, "lift": 1}]}
    reply = web.send("PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": {"mix": picked}})
    assert reply.status_code < 500
    frames = [{"version": 1, "revision": 1, "recipe": {"tone": {"veil": 20}}}]
    applied = web.send("POST", "/api/apply", {"frames": frames, "words": "z" * 500})
    assert applied.status_code == 200


def test_what_is_wrong_is_said_with_its_place(web, photograph):
    frames = [{"version": 1, "revision": "x", "recipe": {}}]
    said = refused(web.send("POST", "/api/apply", {"frames": frames, "words": ""}))
    assert said == "frames[0].revision must be a whole number."
    assert refused(web.send("POST", "/api/series", {})) == "name is missing."
    assert refused(web.send("POST", "/api/series", {"name": "a", "nmae": 1})) == (
        "There is nothing called nmae here."
    )
    pins = {"revision": 1, "pins": [{"x": 0, "y": 0}] * 9}
    assert refused(web.send("PUT", "/api/versions/1/pins", pins)) == (
        "pins may have 8 entries at the most."
    )
    far = {"recipe": {}, "x": 1.5, "y": 0}
    assert refused(web.send("POST", "/api/photographs/1/spot", far)) == "x must be 1 at the most."
    veiled = {"revision": 1, "recipe": {"tone": {"veil": 101}}}
    wrong = web.send("PUT", "/api/versions/1/recipe", veiled)
    assert wrong.json["problems"][0]["path"] == "tone.veil"
