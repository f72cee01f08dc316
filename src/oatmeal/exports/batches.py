"""Export batches in the database: asking for one, how far it is, cancel and retry.

The rows are the truth; whoever runs jobs claims them here and reports back.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import unicodedata
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from oatmeal.exports.convert import beside
from oatmeal.exports.finished import named
from oatmeal.exports.task import Task
from oatmeal.host import disk, fingerprint
from oatmeal.library import photographs, versions
from oatmeal.library.errors import Invalid, Missing
from oatmeal.library.framing import shown_size
from oatmeal.library.models import ExportBatch, ExportJob, Photograph, now
from oatmeal.library.store import FileStore, is_filled
from oatmeal.photofile.decode import Limits
from oatmeal.photofile.encode import TEMPORARY
from oatmeal.photofile.output import SUFFIX_OF, Output

#: States in which a job will still change.
OPEN = ("waiting", "running")

#: A batch may hold this many files.
MOST_FILES = 2000


def names(
    session: Session, photograph_ids: Sequence[int], pattern: str, output: Output
) -> list[str]:
    """File names for the shown versions.

    They are numbered so that no two files of the batch, with what is put beside them, have one
    name, also where large and small letters count as the same.
    """
    suffix = SUFFIX_OF[output.format]
    found: list[str] = []
    taken: set[str] = set()
    held = photographs.fetch(session, photograph_ids)
    for number in photograph_ids:
        photograph = photographs.get(session, number)
        stem = named(pattern, photograph, photograph.shown.name)
        name, count = stem + suffix, 2
        while not taken.isdisjoint(written := _written(name, output, photograph.suffix)):
            name, count = f"{stem}-{count}{suffix}", count + 1
        taken |= written
        found.append(name)
    del held  # until here they need not be read one by one
    return found


def _written(name: str, output: Output, source_suffix: str) -> set[str]:
    """The names of all files that one job writes, as a file system may compare them."""
    found = [name]
    if output.beside != "nothing":
        found.append(beside(Path(name), output, source_suffix).name)
    return {unicodedata.normalize("NFC", one).casefold() for one in found}


def create(
    session: Session,
    store: FileStore,
    photograph_ids: Sequence[int],
    output: Output,
    pattern: str,
) -> ExportBatch:
    """Ask for the shown versions of some photographs as finished files.

    Raises
    ------
    Invalid
        For no photographs, too many, or a pattern that cannot be used.
    NoRoom
        Where it is known that the disk cannot hold them.
    """
    if not photograph_ids:
        raise Invalid("Select the frames to export first.")
    if len(photograph_ids) > MOST_FILES:
        raise Invalid(f"A batch may hold {MOST_FILES} files.")
    held = photographs.fetch(session, photograph_ids)
    called = names(session, photograph_ids, pattern, output)
    _require_room(session, store, photograph_ids, output)
    first = photographs.get(session, photograph_ids[0])
    batch = ExportBatch(name=first.series.name, output=asdict(output))
    for number, name in zip(photograph_ids, called, strict=True):
        photograph = photographs.get(session, number)
        recipe = versions.recipe_of(photograph.shown).document()
        made_of = [fingerprint.mark(), photograph.sha256, recipe, asdict(output)]
        wanted = json.dumps(made_of, sort_keys=True)
        mark = hashlib.sha256(wanted.encode()).hexdigest()
        batch.jobs.append(
            ExportJob(
                photograph_id=number, recipe=recipe, name=name, mark=mark, state="waiting", error=""
            )
        )
    del held  # until here they need not be read one by one
    session.add(batch)
    session.flush()
    return batch


def _require_room(
    session: Session, store: FileStore, photograph_ids: Sequence[int], output: Output
) -> None:
    """Raise NoRoom where what is known of the files' sizes is more than the disk has free."""
    needed = 0
    for number in photograph_ids:
        photograph = photographs.get(session, number)
        size = output.known_bytes(*shown_size(photograph))
        original = photograph.file_bytes if output.beside == "original" else 0
        needed += size * (4 if output.beside == "colour" else 1) + original
    disk.require(f"A batch of {len(photograph_ids)} such files", store.exports, needed)


def get(session: Session, batch_id: int) -> ExportBatch:
    """A batch with its jobs; raises :class:`Missing`."""
    batch = session.get(ExportBatch, batch_id)
    if batch is None:
        raise Missing("This export is not there any more.")
    return batch


def listed(session: Session, store: FileStore) -> list[dict[str, Any]]:
    """All batches, the newest first, with every job's state and progress."""
    rows = session.execute(
        select(
            ExportJob.batch_id, ExportJob.id, ExportJob.name, ExportJob.state, ExportJob.error,
            ExportJob.bytes, ExportJob.finished_at, Photograph.title,
        )
        .join(Photograph, Photograph.id == ExportJob.photograph_id)
        .order_by(ExportJob.id)
    )  # fmt: skip
    jobs: dict[int, list[Any]] = defaultdict(list)
    for row in rows:
        jobs[row.batch_id].append(row)
    batches = session.scalars(select(ExportBatch).order_by(ExportBatch.id.desc()))
    return [_told(batch, jobs[batch.id], store) for batch in batches]


def _told(batch: ExportBatch, rows: Sequence[Any], store: FileStore) -> dict[str, Any]:
    jobs = [
        {
            "id": row.id,
            "name": row.name,
            "title": row.title,
            "state": row.state,
            "error": row.error,
            "bytes": row.bytes,
            "share": _share(row.id, row.state, store),
        }
        for row in rows
    ]
    return {
        "id": batch.id,
        "name": batch.name,
        "at": batch.created_at.isoformat() + "Z",
        "output": batch.output,
        "jobs": jobs,
        "seconds": _seconds_a_file([row.finished_at for row in rows if row.finished_at]),
    }


def _share(job_id: int, state: str, store: FileStore) -> float:
    if state != "running":
        return 1.0 if state == "done" else 0.0
    try:
        return float(progress_file(store, job_id).read_text() or 0)
    except (OSError, ValueError):
        return 0.0


def _seconds_a_file(ended: list[datetime]) -> float | None:
    """Seconds that a file took on average so far, to tell how long the rest will take."""
    ends = sorted(ended)
    if len(ends) < 2:
        return None
    return (ends[-1] - ends[0]).total_seconds() / (len(ends) - 1)


def folder(store: FileStore, batch: ExportBatch) -> Path:
    """Where a batch's files lie in the export store."""
    spoken = re.sub(r"[^\w]+", "-", batch.name.lower()).strip("-")[:60]
    return store.exports / f"{batch.id:05d}-{spoken or 'export'}"


def files(session: Session, store: FileStore, batch_id: int) -> tuple[Path, list[str]]:
    """The folder of a batch, and the names of its finished files and of what lies beside them."""
    batch = get(session, batch_id)
    output, where = Output(**batch.output), folder(store, batch)
    found = []
    for job in batch.jobs:
        names_ = [job.name]
        if output.beside != "nothing":
            names_.append(beside(where / job.name, output, job.photograph.suffix).name)
        if job.state == "done":
            found += [name for name in names_ if (where / name).exists()]
    return where, found


def progress_file(store: FileStore, job_id: int) -> Path:
    """The small file in which a running job says how far it is."""
    return store.incoming / f"export-{job_id}"


def cancel(session: Session, store: FileStore, batch_id: int) -> None:
    """Call off what is not done; files that are done stay."""
    get(session, batch_id)
    # first what waits: what is called off would let it begin
    session.execute(
        update(ExportJob)
        .where(ExportJob.batch_id == batch_id, ExportJob.state == "waiting")
        .values(state="cancelled")
    )
    running = select(ExportJob.id).where(
        ExportJob.batch_id == batch_id, ExportJob.state == "running"
    )
    for job_id in session.scalars(running):
        call_off(store, job_id)


def call_off(store: FileStore, job_id: int) -> None:
    """Tell a running job to end between two strips."""
    Path(f"{progress_file(store, job_id)}.cancel").touch()


def forget_call(store: FileStore, job_id: int) -> None:
    """A job that begins does not hear what was called to an earlier try."""
    Path(f"{progress_file(store, job_id)}.cancel").unlink(missing_ok=True)


def retry(session: Session, batch_id: int) -> int:
    """Let failed and cancelled jobs wait again; returns how many."""
    count = 0
    for job in get(session, batch_id).jobs:
        if job.state in ("failed", "cancelled"):
            job.state, job.error = "waiting", ""
            count += 1
    return count


def remove(session: Session, store: FileStore, batch_id: int) -> None:
    """Forget a batch and delete its files; raises :class:`Invalid` while it runs."""
    batch = get(session, batch_id)
    if any(job.state in OPEN for job in batch.jobs):
        raise Invalid("This export still runs: cancel it first.")
    shutil.rmtree(folder(store, batch), ignore_errors=True)
    session.delete(batch)


def resume(session: Session, store: FileStore) -> None:
    """After a start: jobs that were running wait again, half-written files go."""
    for left in store.exports.glob(f"*/{TEMPORARY}*"):
        left.unlink(missing_ok=True)
    session.execute(update(ExportJob).where(ExportJob.state == "running").values(state="waiting"))


def are_waiting(session: Session) -> bool:
    """True if some job waits."""
    found = session.scalar(select(ExportJob.id).where(ExportJob.state == "waiting").limit(1))
    return found is not None


def say_waiting(session: Session, words: str) -> None:
    """Let every job that waits say what it waits for."""
    session.execute(
        update(ExportJob)
        .where(ExportJob.state == "waiting", ExportJob.error != words)
        .values(error=words)
    )


def claim(session: Session, count: int) -> list[ExportJob]:
    """Take up to ``count`` waiting jobs, so that nobody else does."""
    found = session.scalars(
        select(ExportJob)
        .where(ExportJob.state == "waiting")
        .order_by(ExportJob.id)
        .limit(count)
        .with_for_update(skip_locked=True)
    ).all()
    for job in found:
        job.state, job.error = "running", ""
    return list(found)


def task_of(job: ExportJob, store: FileStore, limits: Limits) -> Task:
    """What a process needs to do a job."""
    photograph = job.photograph
    return Task(
        source=str(store.original(photograph.sha256, photograph.suffix)),
        sha256=photograph.sha256,
        name=photograph.file_name,
        recipe=job.recipe,
        output=Output(**job.batch.output),
        destination=str(folder(store, job.batch) / job.name),
        progress=str(progress_file(store, job.id)),
        limits=limits,
    )


def made_before(session: Session, job: ExportJob, store: FileStore) -> Path | None:
    """The same file from this or an earlier batch, if it is still there."""
    if job.batch.output["beside"] != "nothing":
        return None  # two files; whether both are there and whole is not known
    own = folder(store, job.batch) / job.name
    if is_filled(own):  # written whole, just not recorded: the server ended in between
        return own
    others = session.scalars(
        select(ExportJob).where(ExportJob.mark == job.mark, ExportJob.state == "done")
    )
    paths = ((folder(store, other.batch) / other.name, other.bytes) for other in others)
    return next((path for path, size in paths if is_filled(path, size)), None)


def finish(session: Session, job_id: int, state: str, size: int | None, error: str = "") -> None:
    """Record how a job ended."""
    job = session.get(ExportJob, job_id)
    if job is not None:  # removed meanwhile
        job.state, job.bytes, job.error = state, size, error
        job.finished_at = now() if state == "done" else None
