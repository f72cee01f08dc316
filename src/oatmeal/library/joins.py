"""Joins in the database: asking for one, how far it is, and the photograph that came of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from oatmeal.core.join import MOST_FRAMES, Choices
from oatmeal.library import photographs
from oatmeal.library.errors import Invalid, Missing
from oatmeal.library.models import JoinFrame, JoinJob, Photograph

#: States in which a join will still change.
OPEN = ("waiting", "running")


def frames_of(session: Session, photograph_ids: Sequence[int]) -> list[Photograph]:
    """The photographs to be joined; raises :class:`Invalid` unless they can be chosen together."""
    wanted = list(dict.fromkeys(photograph_ids))
    if not 2 <= len(wanted) <= MOST_FRAMES:
        raise Invalid(f"Select 2 to {MOST_FRAMES} frames that overlap.")
    found = [photographs.get(session, number) for number in wanted]
    if len({one.series_id for one in found}) > 1:
        raise Invalid("Frames to be joined must be in one series.")
    return found


def create(session: Session, photograph_ids: Sequence[int], choices: Choices) -> JoinJob:
    """Ask for a joined photograph."""
    frames = frames_of(session, photograph_ids)
    job = JoinJob(
        series_id=frames[0].series_id,
        document=choices.document([frame.sha256 for frame in frames]),
        state="waiting",
        error="",
        frames=[
            JoinFrame(place=place, photograph_id=frame.id) for place, frame in enumerate(frames)
        ],
    )
    session.add(job)
    session.flush()
    return job


def get(session: Session, join_id: int) -> JoinJob:
    """A join; raises :class:`Missing`."""
    job = session.get(JoinJob, join_id)
    if job is None:
        raise Missing("This join is not there any more.")
    return job


def unfinished(session: Session, series_id: int) -> list[JoinJob]:
    """Joins of a series that run, wait, or came to nothing; the oldest first."""
    return list(
        session.scalars(
            select(JoinJob)
            .where(JoinJob.series_id == series_id, JoinJob.state != "done")
            .order_by(JoinJob.id)
        )
    )


def made(session: Session, photograph_id: int) -> JoinJob | None:
    """The join that a photograph came of."""
    return session.scalar(
        select(JoinJob).where(JoinJob.photograph_id == photograph_id).order_by(JoinJob.id.desc())
    )


def results(session: Session, photograph_id: int) -> list[Photograph]:
    """Joined photographs that a frame is part of."""
    return list(
        session.scalars(
            select(Photograph)
            .join(JoinJob, JoinJob.photograph_id == Photograph.id)
            .join(JoinFrame, JoinFrame.join_id == JoinJob.id)
            .where(JoinFrame.photograph_id == photograph_id, Photograph.deleted_at.is_(None))
            .order_by(Photograph.position)
            .distinct()
        )
    )


def joined_in(session: Session, series_id: int) -> dict[int, JoinJob]:
    """The joined photographs of a series by their id, each with its join."""
    found = session.scalars(
        select(JoinJob)
        .where(JoinJob.series_id == series_id, JoinJob.photograph_id.is_not(None))
        .order_by(JoinJob.id)
    )
    return {job.photograph_id: job for job in found if job.photograph_id is not None}


def frames_present(job: JoinJob) -> list[Photograph]:
    """The frames of a join that are still in the series."""
    return [one.photograph for one in job.frames if one.photograph.deleted_at is None]


def told(job: JoinJob, share: float) -> dict[str, Any]:
    """What a page shows of a join that is not finished."""
    return {
        "id": job.id,
        "state": job.state,
        "error": job.error,
        "share": share,
        "frames": [one.photograph_id for one in job.frames],
        "choices": Choices.of_document(job.document).model_dump(),
    }


def claim(session: Session) -> JoinJob | None:
    """Take a waiting join, so that nobody else does."""
    job = session.scalar(
        select(JoinJob)
        .where(JoinJob.state == "waiting")
        .order_by(JoinJob.id)
        .limit(1)
        .with_for_update(skip_locked=True)
    )
    if job is not None:
        job.state, job.error = "running", ""
    return job


def resume(session: Session) -> None:
    """What was running waits again."""
    session.execute(update(JoinJob).where(JoinJob.state == "running").values(state="waiting"))


def finish(session: Session, join_id: int, state: str, error: str = "") -> None:
    """Record how a join ended."""
    job = session.get(JoinJob, join_id)
    if job is not None:  # removed meanwhile
        job.state, job.error = state, error


def cancel(session: Session, join_id: int) -> bool:
    """Call a join off; true if it is running and must be told."""
    job = get(session, join_id)
    if job.state == "waiting":
        job.state = "cancelled"
    return job.state == "running"


def retry(session: Session, join_id: int) -> None:
    """Let a join that failed or was called off wait again."""
    job = get(session, join_id)
    if job.state in ("failed", "cancelled"):
        job.state, job.error = "waiting", ""


def remove(session: Session, join_id: int) -> None:
    """Forget a join that came to nothing; raises :class:`Invalid` for others."""
    job = get(session, join_id)
    if job.state in (*OPEN, "done"):
        raise Invalid("This join still runs: cancel it first.")
    session.delete(job)


def settled(session: Session, join_id: int, photograph_id: int) -> None:
    """Record what a join became, and put it behind its last frame."""
    job = session.get(JoinJob, join_id)
    if job is None:
        return
    job.state, job.error, job.photograph_id = "done", "", photograph_id
    there = photographs.numbers(session, job.series_id)
    frames = {one.photograph_id for one in job.frames}
    if photograph_id not in there or frames.isdisjoint(there):
        return
    there.remove(photograph_id)
    last = max(place for place, number in enumerate(there) if number in frames)
    photographs.reorder(
        session, job.series_id, [*there[: last + 1], photograph_id, *there[last + 1 :]]
    )
