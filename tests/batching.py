"""Asking for batches of exports and waiting for them, for tests."""

import time

LOOK = {"mix": {"lifts": {"red": 1, "blue": -1}}}


def batch_of(web, number=1):
    return next(
        entry for entry in web.client.get("/api/exports").json["batches"] if entry["id"] == number
    )


def states(web, number=1):
    return [job["state"] for job in batch_of(web, number)["jobs"]]


def wait(web, number=1, limit_s=20):
    end = time.monotonic() + limit_s
    while set(states(web, number)) & {"waiting", "running"}:
        assert time.monotonic() < end, states(web, number)
        time.sleep(0.02)


def within(true, limit_s=20):
    """Wait until something is true."""
    end = time.monotonic() + limit_s
    while not true():
        assert time.monotonic() < end
        time.sleep(0.02)


def start(web, **form):
    wanted = {"photographs": [1, 2, 3], "format": "png", "depth": 16} | form
    reply = web.send("POST", "/api/exports", wanted)
    assert reply.status_code == 200, reply.json
    return reply.json["id"]
