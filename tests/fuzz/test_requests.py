"""Bodies from the shapes that routes publish, as they are and damaged: no 5xx, no hang, no lie."""

import copy
import json

import pytest
from fuzz.shapes import value as value_of
from web.test_schemas import raw, routes

LIMIT_S = 30

#: What is put in place of a value.
JUNK = (
    None, True, -1, 0, 1e308, -0.0, 10**40, "", "x" * 5000, "\x00", "é\u202e", [], {}, [[]], [{}],
    {"a": {"b": [1]}}, "version:1", "saved:1", "NaN", "../../etc",
)  # fmt: skip

pytestmark = pytest.mark.fuzz


def places(value, path=()):
    """Every place in a JSON value."""
    yield path
    if isinstance(value, dict | list):
        for key, one in value.items() if isinstance(value, dict) else enumerate(value):
            yield from places(one, (*path, key))


def damaged(random, body):
    """The body with one value replaced, left out, or said twice."""
    body = copy.deepcopy(body)
    path = random.choice(list(places(body)))
    if not path:
        return random.choice(JUNK)
    owner = body
    for key in path[:-1]:
        owner = owner[key]
    if random.random() < 0.2:
        del owner[path[-1]]
    else:
        owner[path[-1]] = random.choice(JUNK)
    return body


def text_of(random, body):
    """JSON, now and then broken in its letters."""
    data = bytearray(json.dumps(body).encode())
    if data and random.random() < 0.2:
        for _ in range(random.randint(1, 4)):
            data[random.randrange(len(data))] = random.randrange(256)
    return bytes(data)


def test_requests(app, web, photograph, fuzz):
    kept = web.send("POST", "/api/recipes", {"name": "Dawn", "recipe": {"tone": {"veil": 9}}})
    assert kept.status_code == 200
    found = [
        (method, address, model.model_json_schema())
        for method, address, model in routes(app)
        if "remove" not in address
    ]
    while fuzz.goes_on():
        method, address, schema = fuzz.random.choice(found)
        try_one(web, fuzz, method, address, value_of(fuzz.random, schema))


def try_one(web, fuzz, method, address, body):
    """Send it, and hold the answer against what is stored."""
    if isinstance(body, dict) and "revision" in body and fuzz.random.random() < 0.8:
        body["revision"] = web.client.get("/api/versions/1").json["revision"]
    if fuzz.random.random() < 0.5:
        body = damaged(fuzz.random, body)
    before = web.client.get("/api/versions/1").json
    data = text_of(fuzz.random, body)
    reply = fuzz.timed(LIMIT_S, raw, web, method, address, data)
    fuzz.count["requests"] += 1
    fuzz.count[f"answered {reply.status_code // 100}xx"] += 1
    assert reply.status_code < 500, (method, address, data[:2000], reply.data[:500])
    if reply.status_code >= 400:
        detail = reply.json["detail"]
        assert detail, (address, data)
        words = detail.replace("mirror", "")  # a setting's name is no error's
        assert "rror" not in words.replace("error", "", 1), detail
        after = web.client.get("/api/versions/1").json
        assert after == before, (method, address, data)
    elif address.endswith("/1/recipe"):
        stored = web.client.get("/api/versions/1").json
        assert stored["recipe"] == reply.json["recipe"]
        assert stored["revision"] == reply.json["revision"]
