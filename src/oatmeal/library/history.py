"""The history of a version: every undo step, states that were kept, and going to any of them."""

from __future__ import annotations

from datetime import UTC
from typing import Any, Final

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from oatmeal.core.recipe import Recipe, from_document
from oatmeal.library import versions
from oatmeal.library.errors import Missing
from oatmeal.library.models import HistoryStep, Version

#: Steps that are listed at once.
PAGE: Final = 150


def listed(session: Session, version_id: int, count: int = PAGE) -> dict[str, Any]:
    """The newest steps of a version, the newest first.

    What is in force and kept states are listed however old they are.

    Returns
    -------
    dict
        ``steps``, each with ``id``, ``words``, ``kept`` (a name or None), ``at`` (ISO 8601, UTC),
        ``now`` (in force), and ``aside`` (on a branch that neither undo nor redo leads to); and
        ``earlier``, how many older ones are not listed.
    """
    version = versions.get(session, version_id)
    own = HistoryStep.version_id == version.id
    parents = session.execute(
        select(HistoryStep.id, HistoryStep.parent_id).where(own).order_by(HistoryStep.id.desc())
    ).all()
    line = _line(version, {step.id: step.parent_id for step in parents})
    first = parents[min(count, len(parents)) - 1].id if parents else 0
    wanted = or_(
        HistoryStep.id >= first, HistoryStep.kept.is_not(None), HistoryStep.id == version.head_id
    )
    steps = session.execute(
        select(HistoryStep.id, HistoryStep.words, HistoryStep.kept, HistoryStep.created_at)
        .where(own, wanted)
        .order_by(HistoryStep.id.desc())
    ).all()
    told = [
        {
            "id": step.id,
            "words": step.words,
            "kept": step.kept,
            "at": step.created_at.replace(tzinfo=UTC).isoformat(),
            "now": step.id == version.head_id,
            "aside": step.id not in line,
        }
        for step in steps
    ]
    return {"steps": told, "earlier": len(parents) - len(told)}


def _line(version: Version, parents: dict[int, int | None]) -> set[int]:
    """The steps that undo and redo lead through; ``parents`` has the newest step first."""
    newest: dict[int | None, int] = {}
    for child, parent in parents.items():
        newest.setdefault(parent, child)
    line: set[int] = set()
    step: int | None = version.head_id
    while step is not None:
        line.add(step)
        step = parents.get(step)
    step = newest.get(version.head_id)
    while step is not None:
        line.add(step)
        step = newest.get(step)
    return line


def go(session: Session, version_id: int, revision: int, step_id: int) -> dict[str, Any]:
    """Let any step of a version be in force; nothing is lost, later steps stay.

    Raises
    ------
    Behind
        When the version has moved on.
    Missing
        When the version has no such step.
    """
    version = versions.locked(session, version_id, revision)
    return versions.move(session, version, _step(session, version.id, step_id))


def keep(session: Session, version_id: int, step_id: int, name: str) -> HistoryStep:
    """Keep a state under a name; an empty name lets it go."""
    version = versions.get(session, version_id)
    step = _step(session, version.id, step_id)
    step.kept = versions.cleaned_name(name, "the kept state") if name.strip() else None
    return step


def recipe(session: Session, version_id: int, step_id: int) -> Recipe:
    """The recipe after a step."""
    return from_document(_step(session, versions.get(session, version_id).id, step_id).recipe)


def _step(session: Session, version_id: int, step_id: int) -> HistoryStep:
    step = session.get(HistoryStep, step_id)
    if step is None or step.version_id != version_id:
        raise Missing("This step is not in the history of this version.")
    return step
