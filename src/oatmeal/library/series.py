"""Series: the list, and what can be done to one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from oatmeal.library.errors import Invalid, Missing
from oatmeal.library.models import Photograph, Series, listed_since, now


@dataclass(frozen=True)
class Entry:
    """One line of the list of series."""

    id: int
    name: str
    count: int
    first_taken: datetime | None
    created_at: datetime
    cover_id: int | None


def listed(session: Session) -> list[Entry]:
    """All series, the newest first."""
    return _entries(session, Series.deleted_at.is_(None), Series.created_at)


def removed(session: Session) -> list[Entry]:
    """The series that were deleted and are still listed, the newest first."""
    return _entries(session, Series.deleted_at >= listed_since(), Series.deleted_at)


def _entries(session: Session, which: ColumnElement[bool], newest: Any) -> list[Entry]:
    present = Photograph.deleted_at.is_(None)
    figures = (
        select(
            Photograph.series_id,
            func.count().label("count"),
            func.min(Photograph.taken_at).label("first"),
        )
        .where(present)
        .group_by(Photograph.series_id)
        .subquery()
    )
    cover = (
        select(Photograph.id)
        .where(Photograph.series_id == Series.id, present)
        .order_by(Photograph.position, Photograph.id)
        .limit(1)
        .correlate(Series)
        .scalar_subquery()
    )
    rows = session.execute(
        select(Series, figures.c.count, figures.c.first, cover)
        .outerjoin(figures, figures.c.series_id == Series.id)
        .where(which)
        .order_by(newest.desc(), Series.id.desc())
    )
    return [
        Entry(row[0].id, row[0].name, row[1] or 0, row[2], row[0].created_at, row[3])
        for row in rows
    ]


def get(session: Session, series_id: int) -> Series:
    """A series that is not deleted; raises :class:`Missing`."""
    series = session.get(Series, series_id)
    if series is None or series.deleted_at is not None:
        raise Missing("This series is not there any more.")
    return series


def create(session: Session, name: str) -> Series:
    """A new, empty series."""
    series = Series(name=_name(name))
    session.add(series)
    session.flush()
    return series


def rename(session: Session, series_id: int, name: str) -> Series:
    """Give a series another name."""
    series = get(session, series_id)
    series.name = _name(name)
    return series


def delete(session: Session, series_id: int) -> None:
    """Take a series out; :func:`restore` brings it back with everything in it."""
    get(session, series_id).deleted_at = now()


def restore(session: Session, series_id: int) -> Series:
    """Bring a deleted series back."""
    series = session.get(Series, series_id)
    if series is None:
        raise Missing("This series is not there any more.")
    series.deleted_at = None
    return series


def _name(name: str) -> str:
    cleaned = " ".join(name.split())
    if not cleaned:
        raise Invalid("Give the series a name.")
    if len(cleaned) > 200:
        raise Invalid("The name is too long: 200 characters at most.")
    return cleaned
