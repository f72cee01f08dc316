"""Loops compiled beside the work, what is asked for first."""

import fcntl
import os
import subprocess
import threading
import time

import pytest

from oatmeal.core import kept, kernels, loops
from oatmeal.core.kernels import Making, NotReady, Room, patience

ROOMS = tuple(Room(name, step, 1.0) for name, step in (("a", "Mix"), ("b", "Tone"), ("c", "Areas")))


class Bench:
    """Rooms that helpers make, one for each time that one is let; ``failing`` ends a helper."""

    def __init__(self):
        self.made, self.ready, self.failing = [], set(), []
        self._let = threading.Semaphore(0)

    def let(self, count=1):
        self._let.release(count)

    def make(self, helper, room):
        self._let.acquire()
        if room.name in self.failing:
            self.failing.remove(room.name)
            return False
        self.made.append(room.name)
        self.ready.add(room.module)
        return True


class Helper:
    stdin = None

    def terminate(self):
        """It is no process."""


@pytest.fixture
def bench(monkeypatch, tmp_path):
    bench = Bench()
    monkeypatch.setattr(kernels, "ROOMS", ROOMS)
    monkeypatch.setattr(kernels, "_helper", Helper)
    monkeypatch.setattr(kernels, "_made", bench.make)
    monkeypatch.setattr(kept, "is_ready", lambda module: module in bench.ready)
    monkeypatch.setattr(kept, "mark_file", lambda module: tmp_path / f"{module}.nbr")
    yield bench
    bench.let(20)
    loops.ask_before(None)
    patience.set(None)


def asking(making, name):
    """A thread that runs a loop of a room."""
    thread = threading.Thread(target=making._before, args=(f"oatmeal.core.{name}",))
    thread.start()
    until(lambda: making.status()["asked"])
    return thread


def until(holds, seconds=20):
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.01)


def test_rooms_are_made_in_order_and_what_is_asked_for_first(bench):
    making = Making(1)
    making.begin()
    until(lambda: making._begun)  # with the first
    thread = asking(making, "c")
    assert making.status()["asked"] == ["Areas"]
    bench.let(2)
    thread.join()
    assert bench.made == ["a", "c"]
    assert list(making.status()["steps"]) == ["Tone"]
    bench.let()
    making.wait()
    assert making.ready
    assert loops._before is None
    making.end()


def test_where_no_helper_can_be_begun_nobody_waits_for_ever(bench, monkeypatch):
    """There is no memory for a process: the loops compile where they are called."""

    def none():
        raise OSError("Cannot allocate memory")

    monkeypatch.setattr(kernels, "_helper", none)
    making = Making(1)
    making.begin()
    until(lambda: making.ready)
    assert bench.made == []
    making.end()


def test_a_failure_of_one_room_is_not_counted_for_another(bench):
    bench.failing = ["a", "b"]
    making = Making(1)
    making.begin()
    bench.let(5)
    until(lambda: making.ready)
    assert bench.made == ["a", "b", "c"]
    making.end()


def test_who_has_no_patience_is_told_what_is_made_and_how_long_it_takes(bench):
    making = Making(1)
    making.begin()
    patience.set(0.05)
    with pytest.raises(NotReady) as told:
        making._before("oatmeal.core.b")
    assert told.value.step == "Tone"
    assert 0 < told.value.seconds < 10
    assert str(told.value).startswith("Making ready: Tone, ")
    # it is still wanted, though nobody stands and waits
    assert making.status()["asked"] == ["Tone"]
    bench.let(2)
    until(lambda: bench.made == ["a", "b"])
    making._before("oatmeal.core.b")
    bench.let()
    making.wait()
    making.end()


def test_what_ends_its_helper_twice_is_left_to_who_needs_it(bench):
    bench.failing += ["a", "a"]
    making = Making(1)
    making.begin()
    bench.let(4)
    making.wait()
    assert bench.made == ["b", "c"]
    making._before("oatmeal.core.a")  # does not wait
    making.end()


def test_a_start_beside_another_waits_for_it_and_goes_on_where_it_ends(bench, tmp_path):
    held = os.open(tmp_path / "making", os.O_CREAT | os.O_RDWR)
    fcntl.flock(held, fcntl.LOCK_EX)
    making = Making(1)
    making.begin()
    thread = asking(making, "b")
    until((tmp_path / "oatmeal.core.b.nbw").exists)  # the other one is told
    assert bench.made == []
    bench.ready.add("oatmeal.core.b")
    thread.join()
    assert not (tmp_path / "oatmeal.core.b.nbw").exists()
    os.close(held)
    bench.let(2)
    making.wait()
    assert bench.made == ["a", "c"]
    making.end()


def test_a_worker_waits_for_who_compiles_and_does_it_itself_where_nobody_does(
    bench, tmp_path, monkeypatch
):
    compiled = []

    def compile_it(module):
        compiled.append(module)
        loops._before("oatmeal.core.b")  # it is made of that

    monkeypatch.setattr(kernels, "_compile", compile_it)
    held = os.open(tmp_path / "making", os.O_CREAT | os.O_RDWR)
    fcntl.flock(held, fcntl.LOCK_EX)
    said = []
    kernels.wait_for_others(said.append)
    before = loops._before
    thread = threading.Thread(target=before, args=("oatmeal.core.c",))
    thread.start()
    until((tmp_path / "oatmeal.core.c.nbw").exists)
    assert said == ["Areas"]
    bench.ready.add("oatmeal.core.c")
    thread.join()
    os.close(held)
    for _ in range(2):
        before("oatmeal.core.a")
    assert said == ["Areas", "Mix", "Tone"]
    assert compiled == ["oatmeal.core.a", "oatmeal.core.b"]
    assert kernels._hold() is not None  # it is let go


def test_a_start_that_is_ended_leaves_nobody_waiting(bench):
    making = Making(2)
    making.begin()
    thread = asking(making, "c")
    bench.let(2)
    making.end()
    thread.join(20)
    assert not thread.is_alive()


def test_with_no_helper_nothing_is_missing(bench):
    making = Making(0)
    making.begin()
    assert making.ready
    assert making.status()["ready"]


def test_a_helper_compiles_what_it_is_sent_and_marks_it(tmp_path):
    """A real process, for the smallest room; closed and asked again it has nothing to do."""
    room = "oatmeal.core.prepare.spot_kernels"
    for _ in range(2):
        done = subprocess.run(
            kernels.HELP, input=room + "\n",
            capture_output=True, text=True, env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path)},
        )  # fmt: skip
        assert done.stdout.splitlines() == [room], done.stderr
        kept = {path.name: path.stat().st_mtime_ns for path in tmp_path.rglob("*.nbc")}
    assert any("_carried" in name for name in kept)
    assert len(list(tmp_path.rglob("*.nbr"))) == 1
