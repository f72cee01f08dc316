"""Runs export jobs in the background, as many at once as its workers have places."""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, CancelledError, Future
from pathlib import Path

from sqlalchemy.orm import Session

from oatmeal.exports import batches
from oatmeal.exports.convert import Finished
from oatmeal.exports.task import Cancelled, Task
from oatmeal.exports.workers import Away, Workers, here
from oatmeal.host import disk
from oatmeal.host.disk import NoRoom
from oatmeal.host.errors import Told
from oatmeal.library.database import Database, tell_not_yet
from oatmeal.library.models import ExportJob
from oatmeal.library.store import FileStore
from oatmeal.photofile.decode import Limits

log = logging.getLogger("oatmeal")

#: How a job ended: its id, its state, bytes written, and what was wrong.
_End = tuple[int, str, int | None, str]

#: Seconds after which the database is looked at without being told.
_LOOK_S = 5.0


class Runner:
    """Takes waiting jobs from the database and has them done.

    Parameters
    ----------
    make_workers : callable
        Finds the workers when the first job comes, and again should they break.
    limits : Limits, optional
        Of the originals, as at their import.
    """

    def __init__(
        self,
        database: Database,
        store: FileStore,
        make_workers: Callable[[], Workers] = here,
        limits: Limits | None = None,
    ) -> None:
        self._limits = limits or Limits()
        self._database = database
        self._store = store
        self._make = make_workers
        self._workers: Workers | None = None
        self._running: set[int] = set()
        self._untold: list[_End] = []
        self._wanting: NoRoom | None = None
        self._lock = threading.Lock()
        self._news = threading.Event()
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        """Go on where an earlier run ended, then wait for jobs."""
        with self._database.session() as session:
            batches.resume(session, self._store)
        self._thread = threading.Thread(target=self._loop, name="exports", daemon=True)
        self._thread.start()

    def wake(self) -> None:
        """Say that there may be jobs, or that what was in the way is gone."""
        self._wanting = None
        self._news.set()

    def stop(self) -> None:
        """Hand over nothing more; what was running is done again at the next start."""
        self._ended.set()
        self._news.set()
        if self._thread is not None:
            self._thread.join(timeout=10)
        with self._lock:
            running = list(self._running)
        for number in running:
            batches.call_off(self._store, number)
        if self._workers is not None:
            self._workers.look_after()
            self._workers.close()

    def _loop(self) -> None:
        while not self._ended.is_set():
            try:
                self._tell()
                if self._workers is not None:
                    self._workers.look_after()
                handed = self._has_room() and self._hand_over()
            except Exception as problem:  # the database may be away for a moment
                tell_not_yet("export jobs could not be handed over", problem)
                handed = False
            if not handed:
                self._news.wait(_LOOK_S)
                self._news.clear()

    def _has_room(self) -> bool:
        """False while the disk is too full for a file that did not fit."""
        wanting = self._wanting
        if wanting is not None and disk.free(Path(wanting.folder)) < wanting.needed:
            return False
        self._wanting = None
        return True

    def _tell(self) -> None:
        """Record the ends of jobs that are not recorded yet; the database may have been full."""
        with self._lock:
            ends, self._untold = self._untold, []
        while ends:
            try:
                with self._database.session() as session:
                    batches.finish(session, *ends[0])
            except Exception:
                with self._lock:
                    self._untold = ends + self._untold
                raise
            with self._lock:
                self._running.discard(ends.pop(0)[0])

    def _hand_over(self) -> bool:
        """Hand free places to waiting jobs; true if there were any."""
        with self._database.session() as session:
            if not batches.are_waiting(session):
                return False
        places = self._places()
        with self._lock:
            free = places - len(self._running)
        if free <= 0:
            return False
        with self._database.session() as session:
            claimed = batches.claim(session, free)
            tasks = [self._ready(session, job) for job in claimed]
        # only now are the rows free for whoever reports the end of a job
        for ready in tasks:
            if ready is not None:
                self._submit(*ready)
        return bool(claimed)

    def _places(self) -> int:
        """Jobs that can be done at once now; where it is none, the waiting jobs say why."""
        try:
            if self._workers is None:
                self._workers = self._make()
            return self._workers.places()
        except (Away, OSError) as problem:
            with self._database.session() as session:
                batches.say_waiting(session, f"{problem} The export goes on then.")
        except BrokenExecutor:
            self._workers = None  # found anew at the next look
        return 0

    def _ready(self, session: Session, job: ExportJob) -> tuple[int, Task] | None:
        """What a process is to do for a job; None if that is settled already."""
        try:
            return self._prepared(session, job)
        except (OSError, Told, TypeError) as problem:
            # one job that cannot even begin must not hold up the others
            log.exception("export job %d could not begin", job.id)
            batches.finish(session, job.id, "failed", None, f"{job.name}: {problem}")
            return None

    def _prepared(self, session: Session, job: ExportJob) -> tuple[int, Task] | None:
        destination = batches.folder(self._store, job.batch)
        destination.mkdir(parents=True, exist_ok=True)
        before = batches.made_before(session, job, self._store)
        if before is not None:
            target = destination / job.name
            if before != target:
                os.link(before, target)
            batches.finish(session, job.id, "done", target.stat().st_size)
            return None
        batches.forget_call(self._store, job.id)
        return job.id, batches.task_of(job, self._store, self._limits)

    def _submit(self, number: int, wanted: Task) -> None:
        with self._lock:
            self._running.add(number)
        try:
            if self._workers is None:
                raise BrokenExecutor
            future = self._workers.submit(wanted)
        except Exception as problem:
            # what is broken is made anew at the next try
            again = isinstance(problem, BrokenExecutor)
            error = "" if again else f"{wanted.name} could not be handed over: {problem}"
            self._workers = None
            self._record(number, "waiting" if again else "failed", None, error)
            return
        future.add_done_callback(lambda done: self._ended_one(number, wanted.name, done))

    def _ended_one(self, number: int, name: str, done: Future[Finished]) -> None:
        """Record how a job ended, whatever happened to it."""
        state, size, error = "failed", None, ""
        try:
            state, size = "done", done.result().bytes
        except NoRoom as problem:
            # it waits, and so does everything else, until there is room
            state, error, self._wanting = "waiting", f"{problem} Exports go on then.", problem
        except (Told, ValueError) as problem:
            error = str(problem)
        except Cancelled:
            if self._ended.is_set():
                return  # called off by our own end; it goes on at the next start
            state = "cancelled"
        except CancelledError:  # the scheduler of a cluster is gone, and all it knew
            if self._ended.is_set():
                return
            state = "waiting"
        except BrokenExecutor:
            self._workers = None
            if self._ended.is_set():
                return
            error = f"{name} could not be finished: its process ended, perhaps for want of memory."
        except BaseException as problem:
            if self._ended.is_set():
                return
            log.exception("export of %s", name, exc_info=problem)
            error = f"{name} could not be finished; the server's log says more."
        self._record(number, state, size, error)
        self._news.set()

    def _record(self, *end: *_End) -> None:
        """Record how a job ended, now or as soon as the database takes it."""
        with self._lock:
            self._untold.append(end)
        try:
            self._tell()
        except Exception as problem:
            tell_not_yet(f"the end of export job {end[0]} could not be recorded", problem)
