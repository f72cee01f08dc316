"""The JSON API for a whole series: a recipe over a selection, and the check."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, send_file

from oatmeal.core.recipe import from_document
from oatmeal.core.recipe.carry import STRONGEST
from oatmeal.library import applying, photographs, versions
from oatmeal.library.applying import Wish
from oatmeal.library.errors import Invalid
from oatmeal.web.parsing import Reply, body, number, numbers, text
from oatmeal.web.services import services

series_api = Blueprint("series_api", __name__, url_prefix="/api")


@series_api.post("/apply/plan")
def plan() -> Reply:
    """What would change: ``{from, photographs, groups, strength?, own?}``; nothing is stored."""
    document = body()
    source, targets = text(document, "from"), numbers(document, "photographs")
    wish = _wish(document)
    with services().database.session() as session:
        return {"frames": applying.plan(session, services().small, source, targets, wish)}


def _wish(document: dict[str, Any]) -> Wish:
    groups, own = document.get("groups"), document.get("own", [])
    strength = document.get("strength", 1)
    if not isinstance(groups, list) or not all(isinstance(name, str) for name in groups):
        raise Invalid("groups must be a list of names.")
    if not isinstance(own, list) or not set(own) <= {"exposure", "points"}:
        raise Invalid("own may hold exposure and points.")
    if type(strength) not in (int, float):
        raise Invalid(f"strength must be a number from 0 to {STRONGEST:g}.")
    return Wish(groups, strength, "exposure" in own, "points" in own)


@series_api.post("/apply")
def apply() -> Reply:
    """Store planned recipes, ``{frames, words}``; one undo step for each frame."""
    document = body()
    frames = document.get("frames")
    if not isinstance(frames, list) or not all(isinstance(frame, dict) for frame in frames):
        raise Invalid("frames must be a list of objects.")
    wanted = [
        {
            "version": number(frame, "version"),
            "revision": number(frame, "revision"),
            "recipe": frame.get("recipe"),
        }
        for frame in frames
    ]
    with services().database.session() as session:
        done, left = applying.apply(session, wanted, text(document, "words")[:200])
        return {"done": done, "left": left}


@series_api.post("/apply/undo")
def undo() -> Reply:
    """Take back what was applied, ``{done}``, where nothing was done on top."""
    done = body().get("done")
    if not isinstance(done, list) or not all(isinstance(entry, dict) for entry in done):
        raise Invalid("done must be a list of objects.")
    steps = [{"version": number(entry, "version"), "step": number(entry, "step")} for entry in done]
    with services().database.session() as session:
        return {"left": applying.undo(session, steps)}


@series_api.post("/photographs/<int:photograph_id>/small")
def small_picture(photograph_id: int) -> Response:
    """A small picture under a recipe that is not stored, ``{recipe}``."""
    recipe = from_document(body().get("recipe"))
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    return send_file(services().small.picture(photograph, recipe), mimetype="image/jpeg")


@series_api.get("/photographs/<int:photograph_id>/check")
def check(photograph_id: int) -> Reply:
    """What a check looks at, of the version that the sheet shows."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        recipe = versions.recipe_of(photograph.shown)
    return services().small.figures(photograph, recipe)
