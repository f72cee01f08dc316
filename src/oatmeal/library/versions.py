"""Versions: saving a recipe, undo and redo, and noticing a page that is behind."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from oatmeal.core.recipe import REST, Recipe, from_document, require_built
from oatmeal.core.words import changes
from oatmeal.library import photographs
from oatmeal.library.errors import Behind, Invalid, Missing
from oatmeal.library.models import HistoryStep, Version

#: A version has this many pins at the most.
MAX_PINS = 8

#: The words of a step name at most this many changes.
_SPOKEN_CHANGES = 3


def get(session: Session, version_id: int, *, lock: bool = False) -> Version:
    """A version of a photograph that is not removed; raises :class:`Missing`."""
    version = session.scalar(
        select(Version).where(Version.id == version_id).with_for_update(read=False)
        if lock
        else select(Version).where(Version.id == version_id)
    )
    if version is None:
        raise Missing("This version is not there any more.")
    photographs.get(session, version.photograph_id)
    return version


def recipe_of(version: Version) -> Recipe:
    """The recipe in force."""
    return from_document(version.head.recipe) if version.head else REST


def state(session: Session, version: Version) -> dict[str, Any]:
    """What a page needs to know of a version.

    Returns
    -------
    dict
        ``id``, ``name``, ``revision``, ``recipe`` (every value), and the words of what undo and
        redo would do, or None where there is nothing.
    """
    head = version.head
    following = _next_step(session, version)
    return {
        "id": version.id,
        "name": version.name,
        "revision": version.revision,
        "recipe": recipe_of(version).full_document(),
        "undo": head.words if head is not None and head.parent_id is not None else None,
        "redo": following.words if following is not None else None,
        "pins": version.pins or [],
    }


def save(session: Session, version_id: int, revision: int, document: object) -> dict[str, Any]:
    """Store a recipe as one undo step.

    Parameters
    ----------
    revision : int
        The revision that the change was made on.
    document : object
        The recipe's JSON document.

    Raises
    ------
    Behind
        When the version has moved on; nothing is stored.
    RecipeError
        When the recipe cannot be used.
    """
    recipe = require_built(from_document(document))
    version = _locked(session, version_id, revision)
    phrases = changes(recipe_of(version), recipe)
    if not phrases:
        return state(session, version)
    words = ", ".join(phrases[:_SPOKEN_CHANGES])
    if len(phrases) > _SPOKEN_CHANGES:
        words += f" and {len(phrases) - _SPOKEN_CHANGES} more"
    step = HistoryStep(
        version_id=version.id,
        parent_id=version.head_id,
        recipe=recipe.document(),
        words=words[:500],
    )
    session.add(step)
    session.flush()
    return _move(session, version, step)


def undo(session: Session, version_id: int, revision: int) -> dict[str, Any]:
    """Go back one step; raises :class:`Behind`, or :class:`Invalid` at the beginning."""
    version = _locked(session, version_id, revision)
    if version.head is None or version.head.parent_id is None:
        raise Invalid("There is nothing to undo.")
    return _move(session, version, session.get_one(HistoryStep, version.head.parent_id))


def redo(session: Session, version_id: int, revision: int) -> dict[str, Any]:
    """Go forward along the newest branch; raises :class:`Behind` or :class:`Invalid`."""
    version = _locked(session, version_id, revision)
    step = _next_step(session, version)
    if step is None:
        raise Invalid("There is nothing to redo.")
    return _move(session, version, step)


def rename(session: Session, version_id: int, name: str) -> Version:
    """Give a version another name."""
    version = get(session, version_id)
    cleaned = " ".join(name.split())
    if not cleaned or len(cleaned) > 200:
        raise Invalid("Give the version a name of 1 to 200 characters.")
    version.name = cleaned
    return version


def pin(session: Session, version_id: int, pins: object) -> list[dict[str, Any]]:
    """Replace the pins of a version.

    Parameters
    ----------
    pins : object
        A list of up to eight ``{"x": 0 to 1, "y": 0 to 1, "label": text}``.
    """
    version = get(session, version_id)
    if not isinstance(pins, list) or len(pins) > MAX_PINS:
        raise Invalid(f"There can be {MAX_PINS} pins at the most.")
    version.pins = [_pin(entry) for entry in pins]
    return version.pins


def _pin(entry: object) -> dict[str, Any]:
    if not isinstance(entry, dict):
        raise Invalid("A pin has a place and a label.")
    x, y, label = entry.get("x"), entry.get("y"), entry.get("label", "")
    placed = all(isinstance(share, int | float) and 0 <= share <= 1 for share in (x, y))
    if not placed or not isinstance(label, str) or len(label) > 40:
        raise Invalid("A pin lies inside the picture and has a label of up to 40 characters.")
    return {"x": x, "y": y, "label": label}


def _locked(session: Session, version_id: int, revision: int) -> Version:
    version = get(session, version_id, lock=True)
    if version.revision != revision:
        raise Behind(state(session, version))
    return version


def _move(session: Session, version: Version, step: HistoryStep) -> dict[str, Any]:
    version.head = step
    version.revision += 1
    session.flush()
    return state(session, version)


def _next_step(session: Session, version: Version) -> HistoryStep | None:
    return session.scalar(
        select(HistoryStep)
        .where(HistoryStep.version_id == version.id, HistoryStep.parent_id == version.head_id)
        .order_by(HistoryStep.id.desc())
        .limit(1)
    )
