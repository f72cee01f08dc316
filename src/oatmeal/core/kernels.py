"""All compiled loops, made ready in the order in which a photographer comes to them.

Helpers, processes of their own at a low priority, compile one room of loops after the other; what
somebody waits for is taken first. What is compiled stays on disk (:mod:`oatmeal.core.kept`), so
that a start that was interrupted goes on where it was. Until all is ready, a loop asks before it
runs: it waits, or says that it is not ready.
"""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from contextlib import suppress
from contextvars import ContextVar
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import IO, Final

from oatmeal.core import kept, loops


@dataclass(frozen=True)
class Room:
    """A module with loops and ``warm()``.

    Attributes
    ----------
    name : str
        Below ``oatmeal.core``.
    step : str
        What it is for, in words of the screens.
    seconds : float
        What compiling it takes of a processor (measured; another one's share is alike).
    """

    name: str
    step: str
    seconds: float

    @property
    def module(self) -> str:
        """The module's whole name."""
        return f"oatmeal.core.{self.name}"


#: In the order in which they are needed.
ROOMS: Final = (
    Room("colour.kernels", "the picture", 3.8),
    Room("mix.kernels", "the picture", 3.6),
    Room("tone.kernels", "the picture", 1.9),
    Room("finish.quantising", "the picture", 2.1),
    Room("bands.kernels", "the picture", 1.1),
    Room("colour.filters", "the picture", 0.5),
    Room("seeing.kernels", "Mix", 2.5),
    Room("mix.transition_kernels", "Mix", 1.0),
    Room("guard.kernels", "Mix", 9.5),
    Room("prepare.noise_kernels", "Prepare", 5.6),
    Room("finish.kernels", "Finish", 7.9),
    Room("tone.fine_kernel", "Tone", 5.5),
    Room("areas.kernels", "Areas", 6.2),
    Room("areas.likeness_kernels", "Areas", 1.1),
    Room("tone.area_kernels", "Areas", 3.5),
    Room("prepare.resampling", "Prepare", 2.5),
    Room("finish.marks_kernels", "Finish", 0.8),
    Room("prepare.thread_kernels", "Prepare", 0.9),
    Room("prepare.edge_kernels", "Prepare", 0.9),
    Room("prepare.spot_kernels", "Prepare", 0.2),
    Room("mix.one_pass", "exports", 7.2),
    Room("mix.formula_kernel", "formulas", 3.7),
    Room("reading.kernels", "prints", 1.1),
    Room("join.kernels", "joins", 1.7),
)

#: How many of them the first page and the plain picture need.
FIRST: Final = 6

#: The command of a helper.
HELP: Final = (sys.executable, "-m", "oatmeal.core.kernels", "help")

#: Processes that compile at the same time; each holds a compiler of its own in memory.
MOST_HELPERS: Final = 8

#: How much nicer than others a helper is: frames come first.
_NICE: Final = 10

#: How often one who waits for another process looks, in seconds.
_LOOK_S: Final = 0.1

#: Seconds that this thread waits for a loop before it says that it is not ready; None: for ever.
patience: ContextVar[float | None] = ContextVar("patience", default=None)


class NotReady(Exception):
    """A loop is still being compiled.

    Attributes
    ----------
    step : str
        What it is for.
    seconds : float
        How long it will take, about.
    """

    def __init__(self, step: str, seconds: float) -> None:
        super().__init__(f"Making ready: {step}, {max(round(seconds), 1)} s.")
        self.step, self.seconds = step, seconds


class Making:
    """Compiles what is missing, with helpers beside this process.

    Parameters
    ----------
    helpers : int
        How many processes, at most :data:`MOST_HELPERS`; with none, nothing counts as missing.
    """

    def __init__(self, helpers: int) -> None:
        self._count = min(helpers, MOST_HELPERS)
        self._rooms = {room.module: room for room in ROOMS}
        self._left = [room for room in ROOMS if helpers and not kept.is_ready(room.module)]
        self._whole = sum(room.seconds for room in self._left)
        self._begun: dict[Room, float] = {}
        self._asked: dict[Room, int] = {}
        self._spent = self._taken = 0.0
        self._changed = threading.Condition()
        self._ended = False
        self._helpers: list[subprocess.Popen[str]] = []
        self._threads: list[threading.Thread] = []
        self._held: int | None = None

    def begin(self) -> None:
        """Begin to compile, and let loops of this process wait for it; nothing if all is ready."""
        if not self._left:
            return
        loops.ask_before(self._before)
        self._held = _hold()
        todo = [self._follow] if self._held is None else [self._work] * self._count
        self._threads = [threading.Thread(target=work, daemon=True) for work in todo]
        for thread in self._threads:
            thread.start()

    def end(self) -> None:
        """Stop; what is half done is begun anew another time."""
        with self._changed:
            self._ended = True
            for helper in self._helpers:
                helper.terminate()
            self._changed.notify_all()
        for thread in self._threads:
            thread.join()
        if self._held is not None:
            os.close(self._held)
            self._held = None

    def wait(self, first: int = len(ROOMS), told: Callable[[float], None] | None = None) -> None:
        """Wait until the first rooms are ready; ``told`` hears their share that is, 0 to 1."""
        wanted = ROOMS[:first]
        whole = sum(room.seconds for room in wanted)
        with self._changed:
            while not self._ended:
                missing = sum(room.seconds for room in self._left if room in wanted)
                if told is not None:
                    told(1 - missing / whole)
                if not missing:
                    return
                self._changed.wait(1.0)

    @property
    def ended(self) -> bool:
        """Whether it was stopped."""
        return self._ended

    @property
    def ready(self) -> bool:
        """Whether everything is."""
        return not self._left

    @property
    def seconds(self) -> float:
        """How long it will take until everything is ready, about."""
        with self._changed:
            return self._seconds(self._left)

    def status(self) -> dict[str, object]:
        """What is left: ``seconds``, its ``share`` of the whole, ``steps`` and what each takes."""
        with self._changed:
            steps: dict[str, float] = {}
            for number, room in enumerate(self._left, 1):
                steps[room.step] = self._seconds(self._left[:number])
            asked = [
                room.step for room in self._left if self._asked.get(room) or _wanted(room).exists()
            ]
            return {
                "ready": not self._left,
                "seconds": round(self._seconds(self._left)),
                "share": 1 - self._weight(self._left) / max(self._whole, 0.1),
                "steps": {step: max(round(seconds), 1) for step, seconds in steps.items()},
                "asked": list(dict.fromkeys(asked)),
            }

    def _weight(self, rooms: list[Room]) -> float:
        """Seconds of a processor that rooms still need, had it the measured one's speed."""
        now, speed = time.monotonic(), self._speed()
        left = 0.0
        for room in rooms:
            gone = (now - self._begun[room]) / speed if room in self._begun else 0.0
            left += max(room.seconds - gone, 0.1 * room.seconds)
        return left

    def _speed(self) -> float:
        """How much longer it takes here than was measured."""
        return (self._spent + 3.0) / (self._taken + 3.0)

    def _seconds(self, rooms: list[Room]) -> float:
        """How long rooms take, shared out to all helpers."""
        return self._weight(rooms) * self._speed() / max(self._count, 1)

    def _before(self, module: str) -> None:
        """Wait until a room is ready, or raise :class:`NotReady` after one's patience."""
        room = self._rooms.get(module)
        if room is None or room not in self._left:
            return
        patient = patience.get()
        end = None if patient is None else time.monotonic() + patient
        with self._changed:
            self._asked[room] = self._asked.get(room, 0) + 1
            try:
                while room in self._left and not self._ended:
                    rest = None if end is None else end - time.monotonic()
                    if rest is not None and rest <= 0:
                        raise NotReady(room.step, self._until(room))
                    self._changed.wait(rest)
            finally:
                # who was sent away comes again; it stays wanted
                if end is None:
                    self._asked[room] -= 1

    def _until(self, room: Room) -> float:
        """Seconds until a room is ready that is taken as soon as a helper is free."""
        own = self._weight([room]) * self._speed()
        if room in self._begun:
            return own
        return own + min((self._weight([one]) for one in self._begun), default=0.0) * self._speed()

    def _next(self) -> Room | None:
        """The room that is to be compiled next: one that is asked for, or the first."""
        free = [room for room in self._left if room not in self._begun]
        if not free:
            return None
        wanted = [room for room in free if self._asked.get(room) or _wanted(room).exists()]
        return (wanted or free)[0]

    def _work(self) -> None:
        """Give one helper room after room; another one in its place if it ends."""
        helper: subprocess.Popen[str] | None = None
        failed: Counter[str] = Counter()
        while True:
            with self._changed:
                room = None if self._ended else self._next()
                if room is None:
                    break
                self._begun[room] = begun = time.monotonic()
                if helper is None:
                    with suppress(OSError):  # there is no room for another process
                        helper = _helper()
                        self._helpers.append(helper)
            made = helper is not None and _made(helper, room)
            with self._changed:
                del self._begun[room]
                if made:
                    self._spent += time.monotonic() - begun
                    self._taken += room.seconds
                else:
                    helper = None
                    failed[room.module] += 1
                # what no helper can compile, this process does when it comes to it
                if (made or failed[room.module] > 1) and not self._ended:
                    self._done(room)
                self._changed.notify_all()
        if helper is not None and helper.stdin is not None:
            helper.stdin.close()
            helper.wait()

    def _done(self, room: Room) -> None:
        self._left.remove(room)
        _wanted(room).unlink(missing_ok=True)
        if not self._left:
            loops.ask_before(None)

    def _follow(self) -> None:
        """Another process compiles: look what is done; go on in its place when it ends."""
        while not self._ended and self._left and self._held is None:
            with self._changed:
                for room in [one for one in self._left if kept.is_ready(one.module)]:
                    self._done(room)
                for room in self._left:
                    if self._asked.get(room):
                        _wanted(room).touch()
                self._changed.notify_all()
                self._changed.wait(_LOOK_S)
                self._held = _hold()
        if self._left and not self._ended:
            self._work()


def _helper() -> subprocess.Popen[str]:
    """A process that compiles the rooms whose names it is sent, a line each."""
    return subprocess.Popen(
        HELP,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        start_new_session=True,  # Ctrl-C is for who began it
    )


def _made(helper: subprocess.Popen[str], room: Room) -> bool:
    """Have a helper compile a room; False if it ended over it."""
    assert helper.stdin is not None
    assert helper.stdout is not None
    try:
        helper.stdin.write(room.module + "\n")
        helper.stdin.flush()
        return helper.stdout.readline().strip() == room.module
    except OSError:
        return False


def _help(asked: IO[str], answers: IO[str]) -> None:
    """What a helper does, until nobody asks it any more."""
    os.nice(_NICE)
    loops.use_threads(1)
    for line in asked:
        module = line.strip()
        _compile(module)
        answers.write(module + "\n")
        answers.flush()


def _compile(module: str) -> None:
    """Compile all loops of a room, and remember that they are."""
    import_module(module).warm()
    kept.mark_ready(module)


def warm(processes: int = 1) -> None:
    """Compile every loop that is missing, in as many processes."""
    making = Making(processes)
    making.begin()
    making.wait()
    making.end()


# ---------------------------------------------------------------- processes beside that one


def _wanted(room: Room) -> Path:
    """A file that is there while another process waits for a room."""
    return kept.mark_file(room.module).with_suffix(".nbw")


def wait_for_others(said: Callable[[str], None] = lambda step: None) -> None:
    """Let loops of this process wait while another one compiles them, from now on.

    Where nobody does, this process compiles a room when one of its loops is called.

    Parameters
    ----------
    said : callable
        Hears of each room that is not ready when it is needed.
    """
    rooms = {room.module: room for room in ROOMS}
    compiling = threading.RLock()
    depth = 0

    def before(module: str) -> None:
        nonlocal depth
        if module not in rooms:
            return
        with compiling:
            room = rooms.pop(module, None)  # from here on its own loops need not ask
            if room is None or kept.is_ready(module):
                return
            said(room.step)
            held = None
            while not depth and (held := _hold()) is None and not kept.is_ready(module):
                _wanted(room).touch()
                time.sleep(_LOOK_S)
            if held is None and not depth:
                return
            depth += 1  # what it is made of may be compiled meanwhile
            try:
                _compile(module)
            finally:
                depth -= 1
                if held is not None:
                    os.close(held)

    loops.ask_before(before)


def _hold() -> int | None:
    """A file that one process holds as long as it compiles; None if another one does."""
    held = os.open(kept.mark_file(ROOMS[0].module).with_name("making"), os.O_CREAT | os.O_RDWR)
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(held)
        return None
    return held


if __name__ == "__main__":
    if sys.argv[1:] == ["help"]:
        _help(sys.stdin, sys.stdout)
    else:
        warm(os.cpu_count() or 1)
