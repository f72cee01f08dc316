"""What tests of batches share: a series, and something that runs jobs."""

import io
from concurrent.futures import ThreadPoolExecutor

import pytest
from batching import LOOK
from PIL import Image
from samples import codes

from oatmeal.exports.runner import Runner
from oatmeal.exports.workers import OnExecutor


@pytest.fixture
def frames(web):
    """A series of three photographs; the first has a look."""
    series = web.series("Larkmoor meet")
    for seed in (1, 2, 3):
        buffer = io.BytesIO()
        Image.fromarray(codes(60, 90, seed=seed)).save(buffer, "PNG")
        assert web.upload(series, f"DSC_{seed}.png", buffer.getvalue()).status_code == 200
    web.send("PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": LOOK})
    return web


@pytest.fixture
def runner(database, store):
    """A runner on threads of this process; started by the test."""
    made = Runner(database, store, lambda: OnExecutor(ThreadPoolExecutor(2), 2))
    yield made
    made.stop()
