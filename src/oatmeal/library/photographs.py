"""Photographs: order, names, removal."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload, selectinload

from oatmeal.library import series as series_of
from oatmeal.library.errors import Invalid, Missing
from oatmeal.library.models import HistoryStep, Photograph, Series, Version, listed_since, now

#: Photographs that are offered in a list, at the most.
MOST_CHOICES: Final = 3000

#: Numbers in one query.
_AT_ONCE: Final = 1000


@dataclass(frozen=True)
class Card:
    """What a sheet shows of a photograph.

    Attributes
    ----------
    id, title, caption, note, width, height
        Of the photograph.
    version_id, version, revision
        Of the version that is shown.
    others : int
        Further versions.
    changed : bool
        True if the version was worked on.
    recipe : dict, optional
        Its document.
    """

    id: int
    title: str
    caption: str
    note: str
    width: int
    height: int
    version_id: int
    version: str
    revision: int
    others: int
    changed: bool
    recipe: dict[str, Any] | None


def cards(session: Session, series_id: int) -> list[Card]:
    """The photographs of a series in order; of thousands too."""
    here = (Photograph.series_id == series_id, Photograph.deleted_at.is_(None))
    rows = session.execute(
        select(
            Photograph.id, Photograph.title, Photograph.caption, Photograph.note,
            Photograph.width, Photograph.height, Photograph.shown_id,
        )
        .where(*here)
        .order_by(Photograph.position, Photograph.id)
    ).all()  # fmt: skip
    # after them: a photograph comes with its first version, so that one just added has it here
    shown: dict[int, list[Any]] = defaultdict(list)
    for version in session.execute(
        select(
            Version.id, Version.photograph_id, Version.name, Version.revision,
            HistoryStep.parent_id, HistoryStep.recipe,
        )
        .join(Photograph, Photograph.id == Version.photograph_id)
        .outerjoin(HistoryStep, HistoryStep.id == Version.head_id)
        .where(*here, Version.deleted_at.is_(None))
        .order_by(Version.position, Version.id)
    ):  # fmt: skip
        shown[version.photograph_id].append(version)
    found = []
    for row in rows:
        own = shown[row.id]
        if not own:
            continue  # removed meanwhile
        version = next((one for one in own if one.id == row.shown_id), own[0])
        found.append(
            Card(
                row.id, row.title, row.caption, row.note, row.width, row.height,
                version.id, version.name, version.revision, len(own) - 1,
                version.parent_id is not None, version.recipe,
            )
        )  # fmt: skip
    return found


def numbers(session: Session, series_id: int) -> list[int]:
    """The photographs of a series in order, by their numbers alone."""
    return list(
        session.scalars(
            select(Photograph.id)
            .where(Photograph.series_id == series_id, Photograph.deleted_at.is_(None))
            .order_by(Photograph.position, Photograph.id)
        )
    )


def by_series(session: Session) -> list[dict[str, Any]]:
    """What there is to choose from: series, the newest first, with numbers and titles."""
    rows = session.execute(
        select(Series.id, Series.name, Photograph.id, Photograph.title)
        .join(Photograph, Photograph.series_id == Series.id)
        .where(Series.deleted_at.is_(None), Photograph.deleted_at.is_(None))
        .order_by(Series.id.desc(), Photograph.position, Photograph.id)
        .limit(MOST_CHOICES)
    )
    groups: dict[int, dict[str, Any]] = {}
    for series_id, name, number, title in rows:
        group = groups.setdefault(series_id, {"id": series_id, "name": name, "photographs": []})
        place = len(group["photographs"]) + 1
        group["photographs"].append({"id": number, "words": f"{place:02d} {title}"})
    return list(groups.values())


def fetch(session: Session, photograph_ids: Sequence[int]) -> list[Photograph]:
    """Photographs with all that :func:`get` and their cards need, in few queries.

    While the list is held, :func:`get` finds them in the session.
    """
    found: list[Photograph] = []
    for begin in range(0, len(photograph_ids), _AT_ONCE):
        wanted = Photograph.id.in_(photograph_ids[begin : begin + _AT_ONCE])
        found += session.scalars(
            select(Photograph)
            .where(wanted)
            .options(
                joinedload(Photograph.series),
                selectinload(Photograph.versions).selectinload(Version.head),
            )
        )
    return found


def get(
    session: Session, photograph_id: int, *, lock: bool = False, removed_too: bool = False
) -> Photograph:
    """A photograph that is not removed, locked if asked; raises :class:`Missing`."""
    photograph = session.get(Photograph, photograph_id, with_for_update=lock or None)
    if photograph is None or (photograph.deleted_at is not None and not removed_too):
        raise Missing("This photograph is not there any more.")
    if photograph.series.deleted_at is not None and not removed_too:
        raise Missing("The series of this photograph was deleted.")
    return photograph


def removed(session: Session, series_id: int) -> list[Photograph]:
    """The photographs of a series that were removed and are still listed, the newest first."""
    return list(
        session.scalars(
            select(Photograph)
            .where(Photograph.series_id == series_id, Photograph.deleted_at >= listed_since())
            .order_by(Photograph.deleted_at.desc(), Photograph.position)
        )
    )


def rename(session: Session, photograph_id: int, title: str) -> Photograph:
    """Give a photograph another title."""
    photograph = get(session, photograph_id)
    cleaned = " ".join(title.split())
    if not cleaned or len(cleaned) > 200:
        raise Invalid("Give the photograph a title of 1 to 200 characters.")
    photograph.title = cleaned
    return photograph


def remove(session: Session, photograph_ids: list[int]) -> None:
    """Take photographs out of their series; :func:`restore` brings them back."""
    moment = now()
    for photograph_id in photograph_ids:
        get(session, photograph_id).deleted_at = moment


def restore(session: Session, photograph_ids: list[int]) -> None:
    """Bring removed photographs back to where they were."""
    for photograph_id in photograph_ids:
        photograph = session.get(Photograph, photograph_id)
        if photograph is None:
            raise Missing("This photograph is not there any more.")
        photograph.deleted_at = None


def reorder(session: Session, series_id: int, photograph_ids: list[int]) -> None:
    """Put photographs of a series into the given order, in the places that they hold together.

    Photographs that are not named (removed, or added meanwhile) stay where they are.
    """
    series_of.get(session, series_id)
    everything = session.scalars(
        select(Photograph)
        .where(Photograph.series_id == series_id)
        .order_by(Photograph.position, Photograph.id)
        .with_for_update()
    ).all()
    by_id = {photograph.id: photograph for photograph in everything}
    named = [by_id[number] for number in dict.fromkeys(photograph_ids) if number in by_id]
    following = iter(named)
    ordered = [next(following) if item in named else item for item in everything]
    for position, photograph in enumerate(ordered, start=1):
        photograph.position = position
