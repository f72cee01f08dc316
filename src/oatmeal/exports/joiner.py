"""Makes joined photographs in the background, one after the other, and takes them in."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor
from dataclasses import dataclass
from itertools import takewhile
from pathlib import Path
from typing import Any

from oatmeal.core.join import Choices
from oatmeal.core.recipe import Recipe, from_document
from oatmeal.exports.join import Joined, join_files
from oatmeal.exports.task import Cancelled, process_pool, teller
from oatmeal.host.errors import Told
from oatmeal.library import joins
from oatmeal.library.database import Database, tell_not_yet
from oatmeal.library.errors import LibraryError
from oatmeal.library.models import JoinJob
from oatmeal.library.store import FileStore, check, pieces
from oatmeal.photofile.decode import Limits
from oatmeal.rendering.importing import Beginning, Importer

log = logging.getLogger("oatmeal")

#: Seconds after which the database is looked at without being told.
_LOOK_S = 5.0


@dataclass(frozen=True)
class JoinTask:
    """Everything that a join needs; plain values.

    Attributes
    ----------
    sources, sums, names : tuple of str
        Of the frames: paths of the originals, their SHA-256, what to call them in messages.
    choices : dict
    destination : str
    progress : str
        As of an export's task.
    """

    sources: tuple[str, ...]
    sums: tuple[str, ...]
    names: tuple[str, ...]
    choices: dict[str, Any]
    destination: str
    progress: str
    limits: Limits


@dataclass(frozen=True)
class Made:
    """What a process tells of a join: stops that it was darkened by, and remarks."""

    raised: float
    notes: tuple[str, ...]


def run(task: JoinTask) -> Made:
    """Join frames in a process of its own; raises :class:`Told` or ``Cancelled``."""
    progress, cancel = Path(task.progress), Path(task.progress + ".cancel")
    try:
        for source, sha256, name in zip(task.sources, task.sums, task.names, strict=True):
            check(Path(source), sha256, name)
        made: Joined = join_files(
            [Path(one) for one in task.sources],
            Path(task.destination),
            Choices.model_validate(task.choices),
            names=task.names,
            limits=task.limits,
            progress=teller(progress, cancel),
        )
        return Made(made.raised, tuple(made.laid.notes))
    finally:
        progress.unlink(missing_ok=True)
        cancel.unlink(missing_ok=True)


class Joiner:
    """Takes waiting joins from the database, has them made, and adds what came of them.

    Parameters
    ----------
    importer : Importer
        Takes the joined file in, as any other.
    """

    def __init__(
        self,
        database: Database,
        store: FileStore,
        importer: Importer,
        make_executor: Callable[[], Executor] = lambda: process_pool(1),
    ) -> None:
        self._database = database
        self._store = store
        self._importer = importer
        self._make = make_executor
        self._executor: Executor | None = None
        self._news = threading.Event()
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None
        self._running: int | None = None

    def start(self) -> None:
        """Go on where an earlier run ended, then wait for joins."""
        self._thread = threading.Thread(target=self._loop, name="joins", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Say that there may be joins."""
        self._news.set()

    def stop(self) -> None:
        """End; what was running is done again at the next start."""
        self._ended.set()
        self._news.set()
        if self._running is not None:
            self.call_off(self._running)
        if self._executor is not None:
            self._executor.shutdown(wait=False)
        if self._thread is not None:
            self._thread.join(timeout=10)

    def call_off(self, join_id: int) -> None:
        """Tell a running join to end."""
        Path(f"{self._progress(join_id)}.cancel").touch()

    def share(self, join_id: int) -> float:
        """How far a running join is, 0 to 1."""
        try:
            return float(self._progress(join_id).read_text() or 0)
        except (OSError, ValueError):
            return 0.0

    def _progress(self, join_id: int) -> Path:
        return self._store.incoming / f"join-{join_id}"

    def _loop(self) -> None:
        while not self._ended.is_set():
            handed = False
            try:
                handed = self._next()
            except Exception as problem:  # the database may be away for a moment
                tell_not_yet("a join could not be done", problem)
            if not handed:
                self._news.wait(_LOOK_S)
                self._news.clear()

    def _next(self) -> bool:
        """Do one waiting join; false if there was none."""
        with self._database.session() as session:
            joins.resume(session)  # one at a time: what is said to run was left by an earlier try
            job = joins.claim(session)
            if job is None:
                return False
            number, series_id = job.id, job.series_id
            task, begin = self._task(job), _beginning(job)
        Path(f"{task.progress}.cancel").unlink(missing_ok=True)
        self._running = number
        state, error = "failed", ""
        try:
            if self._executor is None:
                self._executor = self._make()
            made = self._executor.submit(run, task).result()
            self._take_in(number, series_id, Path(task.destination), begin, made)
            return True
        except Cancelled:
            state = "cancelled"
        except (Told, LibraryError) as problem:
            error = str(problem)
        except BrokenExecutor:
            self._executor = None
            error = "The join could not be finished: its process ended, perhaps for want of memory."
        except Exception as problem:
            log.exception("join %d", number, exc_info=problem)
            error = "The join could not be finished; the server's log says more."
        finally:
            self._running = None
            Path(task.destination).unlink(missing_ok=True)
        if self._ended.is_set():
            return True  # called off by our own end; it goes on at the next start
        with self._database.session() as session:
            joins.finish(session, number, state, error)
        return True

    def _task(self, job: JoinJob) -> JoinTask:
        originals = [frame.photograph.original for frame in job.frames]
        return JoinTask(
            tuple(str(self._store.original(one.sha256, one.suffix)) for one in originals),
            tuple(one.sha256 for one in originals),
            tuple(one.name for one in originals),
            Choices.of_document(job.document).model_dump(),
            str(self._store.incoming / f"join-{job.id}.tif"),
            str(self._progress(job.id)),
            self._importer.limits,
        )

    def _take_in(
        self, number: int, series_id: int, path: Path, begin: Beginning, made: Made
    ) -> None:
        recipe = raised(begin.recipe, made.raised)
        begin = Beginning(begin.title, recipe, begin.words, " ".join(made.notes))
        taken = self._importer.add(
            series_id,
            f"{begin.title.lower().replace(',', '').replace(' ', '-')}.tif",
            pieces(path),
            expected=path.stat().st_size,
            begin=begin,
        )

        def settle() -> None:
            with self._database.session() as session:
                joins.settled(session, number, taken.photograph.id)

        self._database.repeated(settle)


def raised(recipe: Recipe, stops: float) -> Recipe:
    """A recipe that gives a joined picture the light back that it was darkened by."""
    document = recipe.document()
    light = document.setdefault("prepare", {}).setdefault("light", {})
    light["exposure"] = round(min(stops, 5.0), 3)
    return from_document(document)


def _beginning(job: JoinJob) -> Beginning:
    frames = [frame.photograph for frame in job.frames]
    told = zip(*(frame.title.split() for frame in frames), strict=False)
    alike = takewhile(lambda same: len(set(same)) == 1, told)
    shared = " ".join(same[0] for same in alike)
    title = f"{shared or frames[0].title[:180]}, joined"
    words = f"joined from {len(frames)} frames"
    return Beginning(title[:200], from_document({}), words)
