"""Files that arrive are first read in a process of their own, with limits on time and memory.

A hostile or very odd file can stop that process, never the server.
"""

from __future__ import annotations

import os
import queue
import resource
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, Final

import numpy as np

from oatmeal.core.trust import Trust
from oatmeal.host.processes import beginning, settle_in
from oatmeal.photofile import errors
from oatmeal.photofile.decode import Limits, SourcePicture, decode
from oatmeal.photofile.errors import Damaged, PhotoFileError
from oatmeal.rendering import proxies

#: Seconds of a processor that reading may take; bytes, and pixels, for which it may take one more.
BASE_S: Final = 20.0
BYTES_A_SECOND: Final = 4_000_000
PIXELS_A_SECOND: Final = 3_000_000

#: How many times as long it may take by the clock.
LONGER_BY_THE_CLOCK: Final = 10

#: How often a process is looked at, in seconds.
_LOOK_S: Final = 0.25

#: Bytes of memory that a reading process may use.
MEMORY_BYTES: Final = 3 * 1024**3

#: Files that are read at the same time.
AT_ONCE: Final = 2


@dataclass(frozen=True)
class Reading:
    """What a file turned out to be.

    Attributes
    ----------
    format : str
    width, height, bits : int
    exif : bytes
    notes : tuple of str
    copies : dict of int to Path
        Files with the reduced copies, by their longer side, for the caller to move or delete.
    trust : Trust
        In its colour.
    """

    format: str
    width: int
    height: int
    bits: int
    exif: bytes
    notes: tuple[str, ...]
    copies: dict[int, Path]
    trust: Trust


class Reader:
    """Processes that read files; one that is stopped is replaced."""

    def __init__(
        self, at_once: int = AT_ONCE, base_s: float = BASE_S, memory_bytes: int = MEMORY_BYTES
    ) -> None:
        self.base_s = base_s
        self._memory_bytes = memory_bytes
        self._idle: queue.Queue[_Worker | None] = queue.Queue()
        for _ in range(at_once):
            self._idle.put(None)  # started when it is first needed

    def warm(self) -> None:
        """Start one process ahead of the first file."""
        worker = self._idle.get()
        try:
            worker = worker or _Worker(self._memory_bytes)
        finally:
            self._idle.put(worker)

    def read(self, path: Path, name: str, limits: Limits) -> Reading:
        """Decode a file and make its reduced copies beside it.

        Raises
        ------
        PhotoFileError
            With one sentence, also when reading took too long or too much memory.
        """
        worker = self._idle.get()
        try:
            if worker is None or not worker.alive:
                worker = _Worker(self._memory_bytes)
            limit_s = self.base_s + path.stat().st_size / BYTES_A_SECOND
            answer = worker.ask((path, name, limits), limit_s)
        except BaseException:
            if worker is not None:
                worker.end()
            worker = None
            raise
        finally:
            self._idle.put(worker)
        if answer is None:
            raise Damaged(
                f"{name} could not be read, since it takes too long or too much memory or stops "
                "the reader: save it anew in another program."
            )
        if isinstance(answer, Reading):
            return answer
        kind, text = answer
        raise getattr(errors, kind, PhotoFileError)(text)


@cache
def shared_reader() -> Reader:
    """The readers of this process."""
    return Reader()


class _Worker:
    """One reading process."""

    def __init__(self, memory_bytes: int) -> None:
        self._memory_bytes = memory_bytes
        self._start()

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    def _start(self) -> None:
        context = beginning()
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(
            target=_serve, args=(theirs, self._memory_bytes), daemon=True
        )
        self._process.start()
        theirs.close()
        self._pipe.recv()  # it has loaded everything; starting does not count as reading

    def ask(self, request: tuple[Path, str, Limits], limit_s: float) -> Any:
        """The answer, or None if the process was stopped or ended; a new one runs then.

        The limit is one of the processor's time: on a busy machine a whole file takes long. By the
        clock it is far longer, for what waits without computing. It grows when the process says how
        many pixels there are.
        """
        begun, spent = time.monotonic(), self._processor_s()
        try:
            self._pipe.send(request)
            while (
                self._processor_s() - spent < limit_s
                and time.monotonic() - begun < limit_s * LONGER_BY_THE_CLOCK
            ):
                if not self._pipe.poll(_LOOK_S):
                    continue
                answer = self._pipe.recv()
                if not isinstance(answer, int):
                    return answer
                limit_s += answer / PIXELS_A_SECOND
        except (EOFError, OSError):
            pass
        self.end()
        self._start()
        return None

    def _processor_s(self) -> float:
        """Processor time that the process has taken, all its threads (proc(5), stat)."""
        try:
            fields = Path(f"/proc/{self._process.pid}/stat").read_text().rsplit(")", 1)[1].split()
        except OSError:
            return 0.0  # it ended; the pipe says so
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def end(self) -> None:
        self._process.kill()
        self._process.join()
        self._pipe.close()


def _serve(pipe: Connection, memory_bytes: int) -> None:
    """Read files until the server ends."""
    from oatmeal.core.kernels import wait_for_others  # loaded here already, elsewhere not needed

    settle_in(wait_for_others)
    with suppress(BrokenPipeError):  # nobody asks any more
        pipe.send("ready")
        resource.setrlimit(resource.RLIMIT_DATA, (memory_bytes, memory_bytes))
        while True:
            try:
                path, name, limits = pipe.recv()
            except EOFError:
                return
            try:
                pipe.send(_read(path, name, limits, pipe.send))
            except PhotoFileError as error:
                pipe.send((type(error).__name__, str(error)))
            except MemoryError:
                pipe.send(
                    ("TooLarge", f"{name} needs more memory than is allowed: save a smaller copy.")
                )


def _read(path: Path, name: str, limits: Limits, announce: Callable[[int], None]) -> Reading:
    picture = decode(path, name, limits, announce, careful=True)
    copies = {}
    for side, copy in proxies.copies(picture).items():
        copies[side] = path.with_name(f"{path.name}-{side}")
        with copies[side].open("wb") as file:
            np.save(file, copy)
    return _told(picture, copies)


def _told(picture: SourcePicture, copies: dict[int, Path]) -> Reading:
    return Reading(
        picture.format,
        picture.width,
        picture.height,
        picture.bits,
        picture.exif,
        tuple(picture.notes),
        copies,
        picture.trust(),
    )
