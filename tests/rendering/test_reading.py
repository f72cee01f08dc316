"""Files that arrive are read in processes of their own: limits on time and memory, replacement."""

import multiprocessing
import os
import signal
import threading
import time

import numpy as np
import pytest
from samples import codes, write_png

from oatmeal.photofile.decode import Limits
from oatmeal.photofile.errors import Damaged, NotAPicture, PhotoFileError, TooLarge
from oatmeal.rendering import reading
from oatmeal.rendering.proxies import BENCH_SIDE, SHEET_SIDE
from oatmeal.rendering.reading import Reader


@pytest.fixture
def reader():
    return Reader(at_once=1)


def workers():
    """Processes that this one began and that run."""
    return {child.pid for child in multiprocessing.active_children()}


def test_a_reading_and_its_copies(reader, tmp_path):
    path = write_png(tmp_path / "a.png", codes(300, 700))
    found = reader.read(path, "a.png", Limits())
    assert (found.format, found.width, found.height, found.bits) == ("png", 700, 300, 8)
    assert np.load(found.copies[SHEET_SIDE]).shape == (206, 480, 3)
    assert np.load(found.copies[BENCH_SIDE]).dtype == np.float16


def test_sentences_come_through_and_the_reader_goes_on(reader, tmp_path):
    note = tmp_path / "note.txt"
    note.write_text("no picture")
    with pytest.raises(NotAPicture, match=r"note\.txt is not a picture"):
        reader.read(note, "note.txt", Limits())
    path = write_png(tmp_path / "a.png", codes())
    with pytest.raises(TooLarge, match="OATMEAL_MAX_PIXELS"):
        reader.read(path, "a.png", Limits(max_pixels=100))
    assert reader.read(path, "a.png", Limits()).width == 60


def test_what_takes_too_long_is_stopped_and_the_next_file_is_read(reader, tmp_path):
    path = write_png(tmp_path / "a.png", codes(800, 1200))
    reader.warm()
    reader.base_s = -1.0 - path.stat().st_size
    begun = time.monotonic()
    with pytest.raises(Damaged, match=r"a\.png could not be read, since it takes too long"):
        reader.read(path, "a.png", Limits())
    assert time.monotonic() - begun < 20
    reader.base_s = 20
    assert reader.read(path, "a.png", Limits()).width == 1200


def test_a_whole_file_is_read_on_a_machine_that_gives_no_time(tmp_path):
    """What counts is what reading takes of the processor, not how long others hold it."""
    path = write_png(tmp_path / "a.png", codes(400, 600))
    before = workers()
    patient = Reader(1, base_s=0.3)
    patient.warm()
    (mine,) = workers() - before
    os.kill(mine, signal.SIGSTOP)
    threading.Timer(1.0, os.kill, (mine, signal.SIGCONT)).start()
    assert patient.read(path, "a.png", Limits()).width == 600
    assert workers() - before == {mine}


def test_a_reader_that_was_killed_is_replaced(reader, tmp_path):
    path = write_png(tmp_path / "a.png", codes())
    before = workers()
    reader.warm()
    (mine,) = workers() - before
    os.kill(mine, signal.SIGKILL)
    time.sleep(0.2)
    assert reader.read(path, "a.png", Limits()).width == 60


def test_a_reader_that_nobody_asks_any_more_ends_without_a_word(monkeypatch):
    monkeypatch.setattr(reading, "settle_in", lambda wait: None)
    ours, theirs = multiprocessing.Pipe()
    ours.close()
    reading._serve(theirs, reading.MEMORY_BYTES)


def test_a_reader_that_could_not_be_started_ahead_is_started_when_needed(
    reader, tmp_path, monkeypatch
):
    def no_process(memory_bytes):
        raise OSError("no process")

    with monkeypatch.context() as patched:
        patched.setattr(reading, "_Worker", no_process)
        with pytest.raises(OSError, match="no process"):
            reader.warm()
    assert not reader._idle.empty()
    path = write_png(tmp_path / "a.png", codes())
    assert reader.read(path, "a.png", Limits()).width == 60


def test_a_reader_outlives_the_thread_that_started_it(reader, tmp_path):
    path = write_png(tmp_path / "a.png", codes())
    before = workers()
    thread = threading.Thread(target=reader.warm)
    thread.start()
    thread.join()
    time.sleep(0.3)
    started = workers() - before
    assert started
    assert reader.read(path, "a.png", Limits()).width == 60
    assert workers() >= started  # no other had to be started


def test_a_large_picture_within_the_limit_and_one_beyond(tmp_path):
    large = np.zeros((8200, 12300, 3), np.uint8)  # 101 megapixels
    path = write_png(tmp_path / "large.png", large)
    impatient = Reader(1, base_s=0.7)
    impatient.warm()
    # a tiny file of many pixels: its header says how long it may take
    assert impatient.read(path, "large.png", Limits()).width == 12300
    with pytest.raises(PhotoFileError, match=r"large\.png"):
        Reader(1, memory_bytes=400_000_000).read(path, "large.png", Limits())
