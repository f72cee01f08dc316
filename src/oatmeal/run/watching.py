"""A watched folder: files are taken in when they have arrived whole, a series for each folder."""

from __future__ import annotations

import json
import logging
import os
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Final

from sqlalchemy import select
from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from oatmeal.exports import handover
from oatmeal.host.disk import NoRoom
from oatmeal.host.errors import Told
from oatmeal.library import series
from oatmeal.library.database import tell_not_yet
from oatmeal.library.models import Series
from oatmeal.library.store import pieces
from oatmeal.photofile.decode import SUFFIXES
from oatmeal.rendering.importing import Importer
from oatmeal.run.oneline import plain

log = logging.getLogger("oatmeal")

#: A file is whole when it did not change for so long.
QUIET_S: Final = 2.0

_LOOK_S: Final = 0.5

#: Seconds until what could not be taken in is tried again: a full disk, a database that is away.
AGAIN_S: Final = 30.0


class Watched(FileSystemEventHandler):
    """Takes in what arrives in a folder and the folders inside it.

    What was taken in is remembered by path, size and time, so that a photograph that was removed
    from its series does not come back at the next start.
    """

    def __init__(self, folder: Path, importer: Importer, memory: Path) -> None:
        self._folder, self._importer, self._memory = folder, importer, memory
        self._known: dict[str, list[float]] = self._recalled()
        self._arriving: dict[Path, tuple[tuple[int, int], float]] = {}
        self._refused: set[Path] = set()
        self._lock = threading.Lock()
        self._ended = threading.Event()
        self._observer = Observer()
        self._thread = threading.Thread(target=self._loop, name="watched", daemon=True)

    def start(self) -> None:
        """Take in what is there, then what arrives."""
        self._observer.schedule(self, str(self._folder), recursive=True)
        self._observer.start()
        for path in sorted(self._folder.rglob("*")):
            self._heard(path)
        self._thread.start()

    def stop(self) -> None:
        """Watch no longer."""
        self._ended.set()
        self._observer.stop()
        self._observer.join(timeout=5)
        self._thread.join(timeout=30)

    def on_any_event(self, event: FileSystemEvent) -> None:
        """Something happened to a file: look at it until it rests."""
        for name in (event.src_path, event.dest_path):
            if name and event.event_type != "deleted":
                path = Path(os.fsdecode(name))
                # of a folder that is moved in whole, nothing is told of what is inside
                for inside in path.rglob("*") if path.is_dir() else (path,):
                    self._heard(inside)

    def _heard(self, path: Path) -> None:
        if not path.is_relative_to(self._folder):
            return  # moved away
        hidden = any(part.startswith(".") for part in path.relative_to(self._folder).parts)
        if hidden or path.suffix.lower() not in SUFFIXES or not self._may_be_taken(path):
            return
        status = _status(path)
        if status is None or self._known.get(str(path)) == list(status):
            return
        if str(path) in handover.written(self._importer.store.written_back):
            return  # our own
        with self._lock:
            before = self._arriving.get(path)
            if before is None or before[0] != status:
                self._arriving[path] = (status, time.monotonic())

    def _may_be_taken(self, path: Path) -> bool:
        """False for what cannot be: told once in the log."""
        why = ""
        try:
            str(path).encode()
        except UnicodeEncodeError:
            why = "its name is not UTF-8: give it another one"
        if not path.resolve().is_relative_to(self._folder.resolve()):
            why = "it is a link that leads out of the folder"
        if why and path not in self._refused:
            self._refused.add(path)
            log.warning("not taken in from the watched folder: %s: %s", plain(str(path)), why)
        return not why

    def _loop(self) -> None:
        while not self._ended.wait(_LOOK_S):
            for path in self._whole():
                self._take_in(path)

    def _whole(self) -> Iterator[Path]:
        """Files that did not change for a while."""
        with self._lock:
            waiting = list(self._arriving.items())
        for path, (status, since) in waiting:
            present = _status(path)
            if present != status:
                with self._lock:
                    self._arriving.pop(path, None)
                if present is not None:
                    self._heard(path)
            elif time.monotonic() - since >= QUIET_S and present is not None and present[0]:
                with self._lock:
                    self._arriving.pop(path, None)
                yield path

    def _take_in(self, path: Path) -> None:
        status = _status(path)
        if status is None or self._known.get(str(path)) == list(status):
            return  # reading it was told as something that happened to it
        try:
            number = self._series(path)
            self._importer.add(number, path.name, pieces(path), expected=status[0], came_from=path)
            log.info("taken in from the watched folder: %s", path)
        except NoRoom as problem:
            log.warning("not taken in from the watched folder yet: %s", problem)
            self._later(path, status)
            return
        except Told as problem:
            log.warning("not taken in from the watched folder: %s", problem)
        except Exception as problem:  # the database may be away
            tell_not_yet(f"{path} could not be taken in", problem)
            self._later(path, status)
            return
        self._known[str(path)] = list(status)
        written = self._memory.with_suffix(".new")
        written.write_text(json.dumps(self._known))
        written.replace(self._memory)

    def _later(self, path: Path, status: tuple[int, int]) -> None:
        with self._lock:
            self._arriving[path] = (status, time.monotonic() + AGAIN_S - QUIET_S)

    def _series(self, path: Path) -> int:
        """The series of a file's folder, made if there is none of that name."""
        inside = path.parent.relative_to(self._folder)
        name = " / ".join(inside.parts) or self._folder.name
        with self._importer.database.session() as session:
            found = session.scalar(
                select(Series.id).where(Series.name == name[:200], Series.deleted_at.is_(None))
            )
            return found or series.create(session, name[:200]).id

    def _recalled(self) -> dict[str, list[float]]:
        try:
            found: dict[str, list[float]] = json.loads(self._memory.read_text())
            return found
        except (OSError, ValueError):
            return {}


def _status(path: Path) -> tuple[int, int] | None:
    """Size and time of a file's last change; None for what is no file."""
    try:
        found = path.stat()
    except OSError:
        return None
    return (found.st_size, found.st_mtime_ns) if path.is_file() else None
