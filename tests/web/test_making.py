"""Requests that need what is still being compiled."""

import threading
import time

import pytest

from oatmeal.core import loops
from oatmeal.core.kernels import NotReady, patience

FRAME = {"recipe": {"oatmeal": 1}, "side": 64, "layers": ["grey"]}


@pytest.fixture
def compiling():
    """Every loop waits, as long as its thread has patience, until this is set."""
    ready = threading.Event()

    def before(room):
        if not ready.wait(patience.get()):
            raise NotReady("Areas", 12.4)

    loops.ask_before(before)
    yield ready
    ready.set()
    loops.ask_before(None)
    patience.set(None)


def test_who_will_not_wait_is_told_what_is_made_ready(web, photograph, compiling):
    answer = web.send(
        "POST", f"/api/photographs/{photograph[1]}/frame", FRAME, headers={"Prefer": "wait=0"}
    )
    assert answer.status_code == 503
    assert answer.mimetype == "application/problem+json"
    assert answer.json["detail"] == "Making ready: Areas, 12 s."
    assert answer.json["making"] == {"step": "Areas", "seconds": 12.4}
    compiling.set()
    again = web.send(
        "POST", f"/api/photographs/{photograph[1]}/frame", FRAME, headers={"Prefer": "wait=0"}
    )
    assert again.status_code == 200


@pytest.mark.parametrize("prefer", ["", "respond-async", "wait=x", "wait=99999999999999999999"])
def test_who_says_nothing_waits(web, photograph, compiling, prefer):
    """Also on a thread whose last request would not wait."""
    web.send("POST", f"/api/photographs/{photograph[1]}/frame", FRAME, headers={"Prefer": "wait=0"})
    threading.Timer(0.3, compiling.set).start()
    begun = time.monotonic()
    answer = web.send(
        "POST", f"/api/photographs/{photograph[1]}/frame", FRAME, headers={"Prefer": prefer}
    )
    assert answer.status_code == 200
    assert time.monotonic() - begun > 0.2


def test_what_is_made_is_asked_for(web):
    told = web.client.get("/api/making").json
    assert told["ready"]
    assert told["steps"] == {}
    assert 'class="making"' not in web.client.get("/").get_data(as_text=True)
