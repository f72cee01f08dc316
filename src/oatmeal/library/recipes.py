"""Recipes kept by name: the shipped ones and one's own."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from oatmeal.core.picture import Layout
from oatmeal.core.recipe import REST, Recipe, from_document, shipped
from oatmeal.core.recipe.carry import GROUPS, carried
from oatmeal.core.recipe.words import changes
from oatmeal.library import versions
from oatmeal.library.errors import Invalid, Missing
from oatmeal.library.framing import laid
from oatmeal.library.models import SavedRecipe, now

ALL_GROUPS = tuple(group.name for group in GROUPS)

#: What travels unless somebody chooses.
USUAL_GROUPS = tuple(group.name for group in GROUPS if not group.stays)


@dataclass(frozen=True)
class Named:
    """A recipe by name, and the groups of settings that travel with it.

    ``layout`` is how its photograph is framed, if it is that of one.
    """

    name: str
    recipe: Recipe
    groups: tuple[str, ...]
    layout: Layout | None = None


def listed(session: Session) -> list[dict[str, Any]]:
    """One's own recipes by name, then the shipped ones.

    Returns
    -------
    list of dict
        ``source`` (how :func:`get` finds it), ``id`` (of one's own), ``name``, ``note``, ``tags``,
        ``words`` (what it changes), ``at_import``, and the whole ``recipe``.
    """
    own = session.scalars(
        select(SavedRecipe)
        .where(SavedRecipe.deleted_at.is_(None))
        .order_by(SavedRecipe.name, SavedRecipe.id)
    )
    found = [_told(saved) for saved in own]
    found += [
        {
            "source": f"shipped:{one.name}",
            "id": None,
            "name": one.name,
            "note": one.words,
            "tags": "",
            "words": changes(REST.model_copy(update={"name": one.name}), one.recipe),
            "at_import": False,
            "recipe": one.recipe.full_document(),
        }
        for one in shipped.SHIPPED
    ]
    return found


def onto(
    session: Session, present: Recipe, sources: Collection[str] | None = None, strength: float = 1
) -> list[dict[str, Any]]:
    """Kept recipes as :func:`listed`, each carried onto a recipe: what belongs to one photograph
    stays as it is there.

    Parameters
    ----------
    sources : collection of str, optional
        Only these, in this order; all that are kept unless given.
    strength : float
        0 to 1.5, as :func:`oatmeal.core.recipe.carry.carried` takes it.

    Raises
    ------
    Missing
        When one is not there.
    """
    kept = {one["source"]: one for one in listed(session)}
    missing = [source for source in sources or () if source not in kept]
    if missing:
        raise Missing("This recipe is not there any more.")
    found = []
    for source in kept if sources is None else sources:
        named = get(session, source)
        groups = [group for group in named.groups if group in USUAL_GROUPS]
        recipe = carried(named.recipe, present, groups, strength)
        found.append({**kept[source], "recipe": recipe.full_document()})
    return found


def _told(saved: SavedRecipe) -> dict[str, Any]:
    recipe = from_document(saved.recipe)
    return {
        "source": f"saved:{saved.id}",
        "id": saved.id,
        "name": saved.name,
        "note": saved.note,
        "tags": saved.tags,
        "words": changes(REST.model_copy(update={"name": recipe.name}), recipe),
        "at_import": saved.at_import,
        "recipe": recipe.full_document(),
    }


def get(session: Session, source: str) -> Named:
    """The recipe that ``saved:7``, ``shipped:Fog lifted`` or ``version:12`` names.

    Raises
    ------
    Missing
        When it is not there.
    Invalid
        When the source names something else.
    """
    kind, _, name = source.partition(":")
    if kind == "shipped":
        one = shipped.by_name(name)
        if one is None:
            raise Missing("There is no shipped recipe of this name.")
        return Named(one.name, one.recipe, one.groups)
    if kind not in ("saved", "version") or not re.fullmatch(r"[0-9]{1,10}", name):
        raise Invalid("A source is saved:, shipped: or version: and what it names.")
    if kind == "saved":
        saved = _own(session, int(name))
        return Named(saved.name, from_document(saved.recipe), tuple(saved.groups))
    version = versions.get(session, int(name))
    recipe = versions.recipe_of(version)
    return Named(version.name, recipe, ALL_GROUPS, laid(version.photograph, recipe))


def save(
    session: Session, name: str, recipe: Recipe, groups: Collection[str] = USUAL_GROUPS
) -> dict[str, Any]:
    """Keep a recipe, or some groups of its settings, under a name.

    Raises
    ------
    RecipeError
        When it asks for what is not built yet.
    Invalid
        For a name that cannot be used, or nothing to keep.
    """
    wanted = [group for group in ALL_GROUPS if group in groups]
    if not wanted:
        raise Invalid("Choose what the recipe should hold.")
    cleaned = versions.cleaned_name(name, "the recipe")
    kept = carried(recipe, Recipe(name=cleaned), wanted)
    saved = SavedRecipe(name=cleaned, recipe=kept.document(), groups=wanted)
    session.add(saved)
    session.flush()
    return _told(saved)


def describe(session: Session, saved_id: int, **texts: str) -> dict[str, Any]:
    """Change ``name``, ``note`` or ``tags`` of one's own recipe."""
    saved = _own(session, saved_id)
    if "name" in texts:
        saved.name = versions.cleaned_name(texts["name"], "the recipe")
        saved.recipe = {**saved.recipe, "name": saved.name}
    if "note" in texts:
        saved.note = texts["note"].strip()[:2000]
    if "tags" in texts:
        words = dict.fromkeys(word.strip() for word in texts["tags"].split(","))
        saved.tags = ", ".join(word for word in words if word)[:300]
    return _told(saved)


def choose_at_import(session: Session, saved_id: int | None) -> None:
    """Let new photographs begin with one's own recipe; None lets them begin as taken."""
    session.execute(update(SavedRecipe).values(at_import=False))
    if saved_id is not None:
        _own(session, saved_id).at_import = True


def at_import(session: Session) -> str | None:
    """The source of what new photographs begin with, if anything."""
    saved = session.scalar(
        select(SavedRecipe).where(SavedRecipe.at_import.is_(True), SavedRecipe.deleted_at.is_(None))
    )
    return f"saved:{saved.id}" if saved is not None else None


def delete(session: Session, saved_id: int) -> None:
    """Take one's own recipe out; :func:`restore` brings it back."""
    _own(session, saved_id).deleted_at = now()


def restore(session: Session, saved_id: int) -> None:
    """Bring a deleted recipe back."""
    saved = session.get(SavedRecipe, saved_id)
    if saved is None:
        raise Missing("This recipe is not there any more.")
    saved.deleted_at = None


def use(session: Session, source: str, version_id: int, revision: int) -> dict[str, Any]:
    """Apply a recipe to a version as one undo step; returns the version's new state."""
    named = get(session, source)
    present = versions.recipe_of(versions.get(session, version_id))
    # a frame and a lens are of one photograph: of another version they stay there
    groups = USUAL_GROUPS if source.startswith("version:") else named.groups
    after = carried(named.recipe, present, groups)
    return versions.save(session, version_id, revision, after, because=named.name)


def _own(session: Session, saved_id: int) -> SavedRecipe:
    saved = session.get(SavedRecipe, saved_id)
    if saved is None or saved.deleted_at is not None:
        raise Missing("This recipe is not there any more.")
    return saved
