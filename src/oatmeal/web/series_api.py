"""The JSON API for a whole series: a recipe over a selection, and the check."""

from __future__ import annotations

from flask import Blueprint, Response, send_file

from oatmeal.library import photographs, versions
from oatmeal.rendering import applying
from oatmeal.rendering.applying import Frame, Wish
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.priorities import paced
from oatmeal.web.services import services

series_api = Blueprint("series_api", __name__, url_prefix="/api")


@series_api.post("/apply/plan")
@paced("file")
@takes(schemas.Planning)
def plan(wanted: schemas.Planning) -> Reply:
    """What would change; nothing is stored."""
    own = wanted.own
    wish = Wish(wanted.groups, wanted.strength, "exposure" in own, "points" in own)
    with services().database.session() as session:
        frames = applying.plan(session, services().small, wanted.source, wanted.photographs, wish)
    return {"frames": frames}


@series_api.post("/apply")
@takes(schemas.Applying)
def apply(wanted: schemas.Applying) -> Reply:
    """Store planned recipes; one undo step for each frame."""
    frames = [Frame(frame.version, frame.revision, frame.recipe) for frame in wanted.frames]
    with services().database.session() as session:
        done, left = applying.apply(session, frames, wanted.words)
        return {"done": done, "left": left}


@series_api.post("/apply/undo")
@takes(schemas.Undoing)
def undo(wanted: schemas.Undoing) -> Reply:
    """Take back what was applied, where nothing was done on top."""
    steps = [(entry.version, entry.step) for entry in wanted.done]
    with services().database.session() as session:
        return {"left": applying.undo(session, steps)}


@series_api.post("/photographs/<int:photograph_id>/small")
@paced("small")
@takes(schemas.Of)
def small_picture(photograph_id: int, wanted: schemas.Of) -> Response:
    """A small picture under a recipe that is not stored."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
    return send_file(services().small.picture(photograph, wanted.recipe), mimetype="image/jpeg")


@series_api.get("/photographs/<int:photograph_id>/check")
@paced("small")
def check(photograph_id: int) -> Reply:
    """What a check looks at, of the version that the sheet shows."""
    with services().database.session() as session:
        photograph = photographs.get(session, photograph_id)
        recipe = versions.recipe_of(photograph.shown)
    return services().small.figures(photograph, recipe)
