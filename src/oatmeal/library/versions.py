"""Versions of a photograph: their recipes, undo and redo, and noticing a page that is behind."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session

from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.core.recipe.words import changes
from oatmeal.library import photographs
from oatmeal.library.errors import Behind, Invalid, Missing
from oatmeal.library.models import HistoryStep, Photograph, Version, now

#: A version has this many pins at the most.
MAX_PINS: Final = 8

#: A label of a pin has this many characters at the most.
LONGEST_LABEL: Final = 40

#: What is told once of a version that was made before, by :attr:`Version.again`.
AGAIN: Final = {
    "light": "Highlights, shadows, depth, zones and veil act otherwise since 0.3: look at this one "
    "again.",
}

#: The words of a step name at most this many changes.
_SPOKEN_CHANGES: Final = 3


def get(session: Session, version_id: int, *, lock: bool = False) -> Version:
    """A version of a photograph that is not removed; raises :class:`Missing`."""
    version = session.scalar(
        select(Version).where(Version.id == version_id).with_for_update(read=False)
        if lock
        else select(Version).where(Version.id == version_id)
    )
    if version is None or version.deleted_at is not None:
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
        ``id``, ``name``, ``revision``, ``recipe`` (every value), ``head`` (the history step in
        force), ``pins``, the words of what undo and redo would do, or None where there is
        nothing, and of what acts ``again`` otherwise.
    """
    head = version.head
    following = _next_step(session, version)
    return {
        "id": version.id,
        "name": version.name,
        "revision": version.revision,
        "recipe": recipe_of(version).full_document(),
        "head": version.head_id,
        "undo": head.words if head is not None and head.parent_id is not None else None,
        "redo": following.words if following is not None else None,
        "pins": version.pins or [],
        "again": AGAIN.get(version.again or ""),
    }


def save(
    session: Session, version_id: int, revision: int, recipe: Recipe, because: str = ""
) -> dict[str, Any]:
    """Store a recipe as one undo step.

    Parameters
    ----------
    revision : int
        The revision that the change was made on.
    because : str
        Why, put before what changed in the words of the step.

    Raises
    ------
    Behind
        When the version has moved on; nothing is stored.
    RecipeError
        When the recipe asks for what is not built yet.
    """
    version = get(session, version_id, lock=True)
    present = recipe_of(version)
    if version.revision != revision and present != recipe:
        raise Behind(state(session, version))
    # the very same state may come again: it was stored, and its answer was lost
    phrases = changes(present, recipe)
    if not phrases:
        return state(session, version)
    words = ", ".join(phrases[:_SPOKEN_CHANGES])
    if len(phrases) > _SPOKEN_CHANGES:
        words += f" and {len(phrases) - _SPOKEN_CHANGES} more"
    if because:
        words = f"{because}: {words}"
    step = HistoryStep(
        version_id=version.id,
        parent_id=version.head_id,
        recipe=recipe.document(),
        words=words[:500],
    )
    session.add(step)
    session.flush()
    return move(session, version, step)


def undo(session: Session, version_id: int, revision: int) -> dict[str, Any]:
    """Go back one step; raises :class:`Behind`, or :class:`Invalid` at the beginning."""
    version = locked(session, version_id, revision)
    if version.head is None or version.head.parent_id is None:
        raise Invalid("There is nothing to undo.")
    return move(session, version, session.get_one(HistoryStep, version.head.parent_id))


def redo(session: Session, version_id: int, revision: int) -> dict[str, Any]:
    """Go forward along the newest branch; raises :class:`Behind` or :class:`Invalid`."""
    version = locked(session, version_id, revision)
    step = _next_step(session, version)
    if step is None:
        raise Invalid("There is nothing to redo.")
    return move(session, version, step)


def looked(session: Session, version_id: int) -> None:
    """What acts otherwise was told."""
    get(session, version_id).again = None


def rename(session: Session, version_id: int, name: str) -> Version:
    """Give a version another name."""
    version = get(session, version_id)
    version.name = cleaned_name(name, "the version")
    return version


def cleaned_name(name: str, whose: str) -> str:
    """A name without needless spaces; raises :class:`Invalid` for an empty or endless one."""
    cleaned = " ".join(name.split())
    if not cleaned or len(cleaned) > 200:
        raise Invalid(f"Give {whose} a name of 1 to 200 characters.")
    return cleaned


def listed(photograph: Photograph) -> list[dict[str, Any]]:
    """The versions of a photograph in order, and which one the sheet shows."""
    return [
        {"id": version.id, "name": version.name, "shown": version is photograph.shown}
        for version in photograph.versions
    ]


def duplicate(session: Session, version_id: int) -> Version:
    """A further version that begins with the recipe and pins of this one; it stands beside it."""
    source = get(session, version_id)
    photograph = photographs.get(session, source.photograph_id)
    taken = {version.name for version in photograph.versions}
    number = len(taken) + 1
    while f"Version {number}" in taken:
        number += 1
    made = Version(
        photograph_id=photograph.id, name=f"Version {number}", revision=1, pins=source.pins
    )
    session.add(made)
    session.flush()
    step = HistoryStep(
        version_id=made.id,
        recipe=recipe_of(source).document(),
        words=f"from {source.name}",
    )
    session.add(step)
    session.flush()
    made.head_id = step.id
    session.flush()
    place = photograph.versions.index(source) + 1
    others = [version.id for version in photograph.versions if version.id != made.id]
    reorder(session, photograph.id, [*others[:place], made.id, *others[place:]])
    return made


def reorder(session: Session, photograph_id: int, version_ids: list[int]) -> None:
    """Put the versions of a photograph into the given order; those not named follow."""
    photograph = photographs.get(session, photograph_id)
    session.expire(photograph, ["versions"])
    rank = {number: place for place, number in enumerate(version_ids)}
    ordered = sorted(photograph.versions, key=lambda version: rank.get(version.id, len(rank)))
    for place, version in enumerate(ordered, start=1):
        version.position = place
    session.flush()
    session.expire(photograph, ["versions"])


def delete(session: Session, version_id: int) -> Version:
    """Take a version out; :func:`restore` brings it back. The last one stays."""
    version = get(session, version_id)
    # whoever deletes another version of it at the same moment waits here and then counts
    photograph = photographs.get(session, version.photograph_id, lock=True)
    session.expire(photograph, ["versions"])
    version = get(session, version_id)
    if len(photograph.versions) < 2:
        raise Invalid("A photograph has at least one version.")
    version.deleted_at = now()
    return version


def restore(session: Session, version_id: int) -> Version:
    """Bring a deleted version back to where it was."""
    version = session.get(Version, version_id)
    if version is None:
        raise Missing("This version is not there any more.")
    version.deleted_at = None
    return version


def show(session: Session, version_id: int) -> Version:
    """Let the sheet show this version."""
    version = get(session, version_id)
    photographs.get(session, version.photograph_id).shown_id = version.id
    return version


def pin(
    session: Session, version_id: int, revision: int, pins: Sequence[dict[str, Any]]
) -> dict[str, Any]:
    """Replace the pins of a version; returns its new state.

    Parameters
    ----------
    revision : int
        The revision that the change was made on.
    pins : sequence of dict
        Up to eight ``{"x": 0 to 1, "y": 0 to 1, "label": text}``.

    Raises
    ------
    Behind
        When the version has moved on and has other pins; nothing is stored.
    """
    wanted = list(pins)
    version = get(session, version_id, lock=True)
    if wanted == (version.pins or []):
        return state(session, version)
    if version.revision != revision:
        raise Behind(state(session, version))
    version.pins = wanted
    version.revision += 1
    session.flush()
    return state(session, version)


def locked(session: Session, version_id: int, revision: int) -> Version:
    """A version, locked against others; raises :class:`Behind` if it has moved on."""
    version = get(session, version_id, lock=True)
    if version.revision != revision:
        raise Behind(state(session, version))
    return version


def move(session: Session, version: Version, step: HistoryStep) -> dict[str, Any]:
    """Let a step's recipe be in force; returns the new state."""
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
