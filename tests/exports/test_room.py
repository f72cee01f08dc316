"""Disks that are full: what is needed and where is said, before the work where it can be known."""

import errno
import os
import time

import pytest
from batching import batch_of, start, states, wait
from samples import codes, png
from sqlalchemy.exc import OperationalError

from oatmeal.exports import batches
from oatmeal.host import disk
from oatmeal.photofile.output import Output

#: Of a 60 x 90 frame in 16-bit grey TIFF.
TIFF_BYTES = 60 * 90 * 2


@pytest.fixture
def drive(monkeypatch):
    """The disk, with ``drive.left`` bytes free."""

    class Disk:
        left = 10**9

    monkeypatch.setattr(disk, "free", lambda folder: Disk.left)
    return Disk


def held(batch):
    return all(job["state"] == "waiting" for job in batch["jobs"])


def until(web, condition, limit_s=20):
    end = time.monotonic() + limit_s
    while not condition(batch_of(web)):
        assert time.monotonic() < end, batch_of(web)
        time.sleep(0.02)


def test_a_batch_that_cannot_fit_is_refused_before_it_begins(frames, drive, store):
    drive.left = 2 * TIFF_BYTES
    wanted = {"photographs": [1, 2, 3], "format": "tiff", "depth": 16}
    reply = frames.send("POST", "/api/exports", wanted)
    assert reply.status_code == 507
    assert reply.json["detail"] == (
        f"A batch of 3 such files needs 32 kB, and the disk that holds {store.exports} has "
        "22 kB free: make room there."
    )
    assert frames.client.get("/api/exports").json["batches"] == []
    assert frames.send("POST", "/api/exports", wanted | {"size": 45}).status_code == 200


def test_a_full_disk_during_a_batch_is_said_and_the_batch_goes_on_after_room_was_made(
    frames, runner, store, drive, monkeypatch
):
    monkeypatch.setattr("oatmeal.exports.runner._LOOK_S", 0.05)
    drive.left = 10
    runner.start()
    start(frames)
    runner.wake()
    until(frames, lambda batch: batch["jobs"][0]["error"] and held(batch))
    said = batch_of(frames)["jobs"][0]["error"]
    assert f"and the disk that holds {store.exports}" in said
    assert said.endswith("has 10 bytes free: make room there. Exports go on then.")
    drive.left = 10**9
    wait(frames)
    assert states(frames) == ["done"] * 3
    assert [job["error"] for job in batch_of(frames)["jobs"]] == [""] * 3
    assert not list(store.exports.rglob(".*"))


def test_what_does_not_fit_holds_up_nothing_else_once_it_is_called_off(
    frames, runner, app, drive, monkeypatch
):
    app.extensions["oatmeal"].runner.wake = runner.wake
    runner.start()
    drive.left = 9_000
    start(frames, photographs=[1], format="png", depth=16)
    runner.wake()
    until(frames, lambda batch: batch["jobs"][0]["error"])
    frames.send("POST", "/api/exports/1/cancel")
    second = start(frames, photographs=[2], format="jpeg", depth=8, size=20)
    wait(frames, second)
    assert states(frames, second) == ["done"]
    assert states(frames, 1) == ["cancelled"]


def test_the_end_of_a_job_is_told_later_where_the_database_is_on_the_full_disk(
    frames, runner, monkeypatch
):
    monkeypatch.setattr("oatmeal.exports.runner._LOOK_S", 0.05)
    finish, refused = runner_finish(monkeypatch)
    runner.start()
    start(frames, photographs=[1])
    runner.wake()
    until(frames, lambda batch: len(refused) >= 3)
    assert states(frames) == ["running"]
    finish.full = False
    wait(frames)
    assert states(frames) == ["done"]


def runner_finish(monkeypatch):
    """Let the database refuse to record the end of jobs."""
    real, refused = batches.finish, []

    class Finish:
        full = True

    def finish(*given):
        if Finish.full:
            refused.append(given)
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(*given)

    monkeypatch.setattr(batches, "finish", finish)
    return Finish, refused


@pytest.mark.parametrize("format_", ["png", "tiff", "jpeg"])
def test_a_disk_that_fills_while_a_file_is_written(frames, monkeypatch, store, format_):
    def full(handle):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    reply = frames.send("POST", "/api/versions/1/finished", {"format": format_})
    assert reply.status_code == 507
    assert reply.json["detail"].startswith("larkmoor-meet-01-dsc-1-version-1.")
    assert str(store.cache) in reply.json["detail"]
    monkeypatch.undo()
    assert not list(store.cache.rglob(".*"))
    assert frames.send("POST", "/api/versions/1/finished", {"format": format_}).status_code == 200


def test_an_upload_that_cannot_fit_is_refused_before_it_is_taken_in(web, drive, store):
    drive.left = 1000
    series = web.series()
    reply = web.upload(series, "lift.png", png(codes(60, 90)))
    assert reply.status_code == 507
    assert reply.json["detail"].startswith("lift.png needs ")
    assert str(store.incoming) in reply.json["detail"]
    assert list(store.incoming.iterdir()) == []


def test_what_the_database_does_not_take_for_want_of_room_is_said(
    web, photograph, drive, monkeypatch, tmp_path
):
    class Full(Exception):
        args = (1114, "The table 'history_step' is full")

    def full(*given):
        raise OperationalError("INSERT", {}, Full())

    monkeypatch.setattr("oatmeal.library.versions.save", full)
    drive.left = 1_500_000
    reply = web.send("PUT", "/api/versions/1/recipe", {"revision": 1, "recipe": {}})
    assert reply.status_code == 507
    assert (
        f"This is not stored: the disk that holds {tmp_path / 'home'} has 1.5 MB free"
        in (reply.json["detail"])
    )


def test_sizes_that_are_known():
    assert Output("jpeg").known_bytes(900, 600) == 0
    assert Output("tiff", 16, "rgb").known_bytes(900, 600) == 900 * 600 * 6
    assert Output("tiff", 8, long_side=450).known_bytes(900, 600) == 450 * 300


def test_room_of_a_folder_that_is_not_there_yet(tmp_path):
    assert disk.free(tmp_path / "not" / "there") == pytest.approx(disk.free(tmp_path), rel=0.1)
    assert [disk.weight(size) for size in (7, 1500, 24_400_000, 1_640_000_000)] == [
        "7 bytes", "1.5 kB", "24 MB", "1.6 GB",
    ]  # fmt: skip
