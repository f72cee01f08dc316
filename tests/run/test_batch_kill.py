"""A batch of frames, the server stopped in the middle, and started again."""

import time

import numpy as np
from running import Oatmeal
from samples import codes, write_png

from oatmeal.core.pipeline import render
from oatmeal.core.recipe import from_document
from oatmeal.photofile.decode import decode

LOOK = {"mix": {"lifts": {"red": 0.8, "blue": -1.2}}, "tone": {"clarity": 30}}

#: Of a batch, and how many of them are done when the server ends.
FRAMES, DONE = 36, 8


def begin(oatmeal, tmp_path, count, height, width):
    """A series of so many photographs; their numbers."""
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    ids = []
    for seed in range(count):
        path = write_png(tmp_path / f"frame-{seed:02d}.png", codes(height, width, seed=seed))
        address = f"api/series/{series}/photographs"
        added = oatmeal.call("POST", address, path.read_bytes(), X_File_Name=path.name)
        ids.append(added["id"])
    return ids


def until_done(oatmeal):
    """Wait until nothing of the newest batch is left to do; the states of its jobs."""
    end = time.monotonic() + 120
    while True:
        states = [job["state"] for job in oatmeal.call("GET", "api/exports")["batches"][0]["jobs"]]
        if not {"waiting", "running"} & set(states):
            return states
        assert time.monotonic() < end
        time.sleep(0.1)


def test_a_batch_goes_on_after_a_clean_stop_and_after_a_hard_one(tmp_path):
    home = tmp_path / "home"
    oatmeal = Oatmeal(home)
    ids = begin(oatmeal, tmp_path, FRAMES, 200, 300)
    for version in ids:  # the first version of each has the same number
        oatmeal.call("PUT", f"api/versions/{version}/recipe", {"revision": 1, "recipe": LOOK})
    form = {"photographs": ids, "format": "png", "depth": 16, "pattern": "{file}"}

    def half_way(folder):
        """Begin a batch and let some of it be done."""
        oatmeal.call("POST", "api/exports", form)
        end = time.monotonic() + 120
        while not folder.exists() or len(list(folder.glob("frame-*.png"))) < DONE:
            assert time.monotonic() < end
            time.sleep(0.02)

    def finished(folder):
        return {path.name: path.stat().st_mtime_ns for path in folder.glob("frame-*.png")}

    first, second = home / "exports" / "00001-meet", home / "exports" / "00002-meet"
    half_way(first)
    assert oatmeal.stop() == 0
    assert len(finished(first)) < FRAMES
    oatmeal = Oatmeal(home)
    assert until_done(oatmeal) == ["done"] * FRAMES
    assert not list((home / "exports").rglob(".oatmeal-*"))

    half_way(second)
    oatmeal.kill()
    time.sleep(0.3)  # workers end with their server
    before = finished(second)
    assert DONE <= len(before) < FRAMES
    oatmeal = Oatmeal(home)
    assert until_done(oatmeal) == ["done"] * FRAMES
    assert oatmeal.stop() == 0
    for folder in (first, second):
        assert sorted(path.name for path in folder.iterdir()) == [
            f"frame-{n:02d}.png" for n in range(FRAMES)
        ]
    after = finished(second)
    assert {name: after[name] for name in before} == before  # written whole, and not again
    recipe = from_document(LOOK)
    for number in (0, DONE - 1, DONE, DONE + 1, FRAMES - 1):
        source = decode(tmp_path / f"frame-{number:02d}.png")
        found = decode(second / f"frame-{number:02d}.png").codes[..., 0]
        assert np.array_equal(found, render(source, recipe, np.uint16))
    for path in second.iterdir():
        decode(path)  # none is damaged
