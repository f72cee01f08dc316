"""A batch of frames, the machine stopped hard half-way, and started again."""

import time

import numpy as np
from running import Oatmeal
from samples import codes, write_png

from oatmeal.core.pipeline import render
from oatmeal.core.recipe import from_document
from oatmeal.photofile.decode import decode

LOOK = {"mix": {"lifts": {"red": 0.8, "blue": -1.2}}, "tone": {"clarity": 30}}


def begin(tmp_path, count, height, width):
    """A server with a series of so many photographs; and their numbers."""
    oatmeal = Oatmeal(tmp_path / "home")
    series = oatmeal.call("POST", "api/series", {"name": "Meet"})["id"]
    ids = []
    for seed in range(count):
        path = write_png(tmp_path / f"frame-{seed:02d}.png", codes(height, width, seed=seed))
        address = f"api/series/{series}/photographs"
        added = oatmeal.call("POST", address, path.read_bytes(), X_File_Name=path.name)
        ids.append(added["id"])
    return oatmeal, ids


def test_a_hard_stop_half_way(tmp_path):
    home = tmp_path / "home"
    oatmeal, ids = begin(tmp_path, 24, 200, 300)
    for version in ids:  # the first version of each has the same number
        oatmeal.call("PUT", f"api/versions/{version}/recipe", {"revision": 1, "recipe": LOOK})
    form = {"photographs": ids, "format": "png", "depth": 16, "pattern": "{file}"}
    oatmeal.call("POST", "api/exports", form)
    folder = home / "exports" / "00001-meet"

    def finished():
        return sorted(folder.glob("frame-*.png")) if folder.exists() else []

    end = time.monotonic() + 120
    while len(finished()) < 8:
        assert time.monotonic() < end
        time.sleep(0.02)
    oatmeal.kill()
    time.sleep(0.3)  # workers end with their server
    before = {path.name: path.stat().st_mtime_ns for path in finished()}
    assert 8 <= len(before) < 24

    again = Oatmeal(home)
    jobs = []
    while not jobs or any(job["state"] in ("waiting", "running") for job in jobs):
        assert time.monotonic() < end + 120
        time.sleep(0.1)
        jobs = again.call("GET", "api/exports")["batches"][0]["jobs"]
    assert [job["state"] for job in jobs] == ["done"] * 24
    assert again.stop() == 0
    assert sorted(path.name for path in folder.iterdir()) == [
        f"frame-{n:02d}.png" for n in range(24)
    ]
    for path in finished():
        if path.name in before:  # written whole before the stop, and not again
            assert path.stat().st_mtime_ns == before[path.name]
    recipe = from_document(LOOK)
    for number in (0, 7, 8, 9, 23):
        source = decode(tmp_path / f"frame-{number:02d}.png")
        found = decode(folder / f"frame-{number:02d}.png").codes[..., 0]
        assert np.array_equal(found, render(source, recipe, np.uint16))
    for path in finished():
        decode(path)  # none is damaged


def test_a_clean_stop_in_the_middle_goes_on_at_the_next_start(tmp_path):
    home = tmp_path / "home"
    oatmeal, ids = begin(tmp_path, 8, 500, 750)
    oatmeal.call("POST", "api/exports", {"photographs": ids, "format": "png", "depth": 16})
    end = time.monotonic() + 60
    while True:
        jobs = oatmeal.call("GET", "api/exports")["batches"][0]["jobs"]
        if any(job["state"] == "done" for job in jobs):
            break
        assert time.monotonic() < end
        time.sleep(0.02)
    assert oatmeal.stop() == 0
    again = Oatmeal(home)
    while any(job["state"] in ("waiting", "running") for job in jobs):
        assert time.monotonic() < end + 60
        time.sleep(0.1)
        jobs = again.call("GET", "api/exports")["batches"][0]["jobs"]
    assert [job["state"] for job in jobs] == ["done"] * 8
    assert not list((home / "exports").rglob(".oatmeal-*"))
    assert again.stop() == 0
