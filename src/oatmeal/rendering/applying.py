"""A recipe over a selection of photographs: what would change, doing it, and undoing it for all."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from oatmeal.core.areas.placing import placed
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.carry import carried
from oatmeal.core.recipe.words import changes
from oatmeal.library import photographs, recipes, versions
from oatmeal.library.errors import Behind, Invalid, Missing
from oatmeal.library.framing import laid
from oatmeal.library.models import HistoryStep
from oatmeal.library.recipes import ALL_GROUPS
from oatmeal.rendering.thumbnails import Small

#: One request may name this many frames.
MOST_FRAMES = 1000


@dataclass(frozen=True)
class Wish:
    """What travels from one version to other photographs.

    Attributes
    ----------
    groups : sequence of str
        Names of :data:`oatmeal.core.recipe.carry.GROUPS`.
    strength : float
        0 to 1.5.
    own_exposure, own_points : bool
        Find them anew in each frame: the exposure that gives the source's mean L*, and black and
        white from the frame's own tones.
    """

    groups: Sequence[str]
    strength: float = 1.0
    own_exposure: bool = False
    own_points: bool = False


@dataclass(frozen=True)
class Frame:
    """A planned recipe: the version, the revision that it was planned on, the recipe."""

    version: int
    revision: int
    recipe: Recipe


def plan(
    session: Session, small: Small, source: str, photograph_ids: Sequence[int], wish: Wish
) -> list[dict[str, Any]]:
    """What would change in the shown version of each photograph; nothing is stored.

    Parameters
    ----------
    source : str
        As :func:`oatmeal.library.recipes.get` understands it.

    Returns
    -------
    list of dict
        ``photograph``, ``version``, ``revision``, the whole ``recipe``, and ``words``: what
        changes, none where nothing does.

    Raises
    ------
    Invalid
        When the wish makes no sense.
    """
    if len(photograph_ids) > MOST_FRAMES:
        raise Invalid(f"There can be {MOST_FRAMES} frames at once.")
    named = recipes.get(session, source)
    recipe = named.recipe
    mean = _mean(session, small, source, recipe) if wish.own_exposure else 0.0
    groups = [group for group in wish.groups if group in named.groups or group not in ALL_GROUPS]
    planned = []
    held = photographs.fetch(session, photograph_ids)
    for number in photograph_ids:
        photograph = photographs.get(session, number)
        version = photograph.shown
        before = versions.recipe_of(version)
        try:
            after = carried(recipe, before, groups, wish.strength)
        except ValueError as error:
            raise Invalid(f"This cannot be applied: {error}.") from error
        if "areas" in groups and named.layout is not None:
            there = laid(photograph, after)
            after = after.model_copy(update={"areas": placed(after.areas, named.layout, there)})
        if wish.own_exposure:
            after = small.with_own_exposure(photograph, after, mean)
        if wish.own_points:
            after = small.with_own_points(photograph, after)
        planned.append(
            {
                "photograph": photograph.id,
                "version": version.id,
                "revision": version.revision,
                "recipe": after.full_document(),
                "words": changes(before, after),
            }
        )
    del held  # until here they need not be read one by one
    return planned


def _mean(session: Session, small: Small, source: str, recipe: Recipe) -> float:
    """Mean L* of the photograph that a recipe comes from."""
    kind, _, number = source.partition(":")
    if kind != "version":
        raise Invalid("Only the recipe of a frame has a mean tone to be matched.")
    mean: float = small.figures(versions.get(session, int(number)).photograph, recipe)["mean"]
    return mean


def apply(
    session: Session, frames: Sequence[Frame], words: str
) -> tuple[list[dict[str, int]], list[int]]:
    """Store planned recipes, one undo step each, with ``words`` before what changed.

    Returns
    -------
    done : list of dict
        ``version`` and ``step``, for :func:`undo`.
    left : list of int
        Versions that were changed meanwhile, or are gone; they stay as they are.
    """
    done: list[dict[str, int]] = []
    left = []
    # whoever applies to the same versions locks them in the same order
    for frame in sorted(frames, key=lambda frame: frame.version):
        try:
            state = versions.save(
                session, frame.version, frame.revision, frame.recipe, because=words
            )
        except (Behind, Missing):
            left.append(frame.version)
            continue
        if state["revision"] != frame.revision:
            done.append({"version": frame.version, "step": state["head"]})
    return done, left


def undo(session: Session, done: Sequence[tuple[int, int]]) -> list[int]:
    """Take back what :func:`apply` did, where nothing was done on top of it.

    Parameters
    ----------
    done : sequence of (int, int)
        Versions, and the step that was applied to each.

    Returns
    -------
    list of int
        Versions that were changed since, or are gone; they stay as they are.
    """
    left = []
    for number, applied in sorted(done):
        try:
            version = versions.get(session, number, lock=True)
        except Missing:
            left.append(number)
            continue
        step = session.get(HistoryStep, applied)
        if version.head_id != applied or step is None or step.parent_id is None:
            left.append(version.id)
            continue
        versions.move(session, version, session.get_one(HistoryStep, step.parent_id))
    return left
