"""What tests of batches share: a series, and something that runs jobs."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from batching import LOOK
from samples import codes, png

from oatmeal.exports.runner import Runner
from oatmeal.exports.workers import OnExecutor


@pytest.fixture
def frames(web):
    """A series of three photographs; the first has a look."""
    series = web.series("Larkmoor meet")
    for seed in (1, 2, 3):
        frame = png(codes(60, 90, seed=seed))
        assert web.upload(series, f"DSC_{seed}.png", frame).status_code == 200
    web.send("PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": LOOK})
    return web


@pytest.fixture
def runner(database, store):
    """A runner on threads of this process; started by the test."""
    made = Runner(database, store, lambda: OnExecutor(ThreadPoolExecutor(2), 2))
    yield made
    made.stop()
