"""Joins: looking at one, asking for it, and how far it is."""

from __future__ import annotations

from flask import Blueprint, Response
from sqlalchemy.orm import Session

from oatmeal.library import joins, photographs
from oatmeal.library.models import Photograph
from oatmeal.rendering import joindesk
from oatmeal.rendering.joindesk import Shown
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.services import services

join_api = Blueprint("join_api", __name__, url_prefix="/api")


@join_api.post("/joins/look")
@takes(schemas.Joining)
def look(wanted: schemas.Joining) -> Reply:
    """Look at a join: the step that is under way, or what came of it."""
    with services().database.session() as session:
        frames = _shown(session, joins.frames_of(session, wanted.photographs))
    found = services().join_desk.look(frames, wanted.choices)
    if found.problem:
        return {"token": found.token, "problem": found.problem}
    if found.result is None:
        return {"token": found.token, "step": found.step}
    return {"token": found.token, "laid": joindesk.told(found.result)}


def _shown(session: Session, frames: list[Photograph]) -> list[Shown]:
    siblings = photographs.numbers(session, frames[0].series_id)
    return [
        Shown(one.original, f"{siblings.index(one.id) + 1:02d}", one.width, one.height)
        for one in frames
    ]


@join_api.get("/joins/<token>.jpg")
def picture(token: str) -> Response:
    """The joined picture, reduced."""
    return Response(joindesk.picture(services().join_desk.laid(token)), mimetype="image/jpeg")


@join_api.get("/joins/<token>-seams.png")
def seams(token: str) -> Response:
    """Its seams, to be laid over it."""
    return Response(joindesk.seams(services().join_desk.laid(token)), mimetype="image/png")


@join_api.post("/joins/level")
@takes(schemas.Levelling)
def level(wanted: schemas.Levelling) -> Reply:
    """The roll with which a drawn line lies level."""
    laid = services().join_desk.laid(wanted.token)
    return {"roll": round(laid.levelling(wanted.line), 2)}


@join_api.post("/joins")
@takes(schemas.Joining)
def create(wanted: schemas.Joining) -> Reply:
    """Ask for the joined photograph."""
    with services().database.session() as session:
        made = {"id": joins.create(session, wanted.photographs, wanted.choices).id}
    services().joiner.wake()
    return made


@join_api.get("/series/<int:series_id>/joins")
def listed(series_id: int) -> Reply:
    """Joins of a series that run, wait, or came to nothing."""
    share = services().joiner.share
    with services().database.session() as session:
        found = [joins.told(job, share(job.id)) for job in joins.unfinished(session, series_id)]
    return {"joins": found}


@join_api.post("/joins/<int:join_id>/cancel")
def cancel_join(join_id: int) -> Reply:
    with services().database.session() as session:
        running = joins.cancel(session, join_id)
    if running:
        services().joiner.call_off(join_id)
    return {"id": join_id}


@join_api.post("/joins/<int:join_id>/retry")
def retry_join(join_id: int) -> Reply:
    with services().database.session() as session:
        joins.retry(session, join_id)
    services().joiner.wake()
    return {"id": join_id}


@join_api.delete("/joins/<int:join_id>")
def remove_join(join_id: int) -> Reply:
    with services().database.session() as session:
        joins.remove(session, join_id)
    return {"id": join_id}
