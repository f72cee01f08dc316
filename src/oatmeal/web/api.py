"""The JSON API for series and photographs. Errors are problem documents (RFC 9457)."""

from __future__ import annotations

from urllib.parse import unquote

from flask import Blueprint, request

from oatmeal.exports import handover
from oatmeal.library import photographs, series
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.priorities import paced
from oatmeal.web.receiving import chunks
from oatmeal.web.services import services

api = Blueprint("api", __name__, url_prefix="/api")


@api.get("/making")
def making() -> Reply:
    """What of the calculations is still being compiled."""
    return services().making.status()


@api.get("/series")
def list_series() -> Reply:
    with services().database.session() as session:
        found = [{"id": one.id, "name": one.name} for one in series.listed(session)]
    return {"series": found}


@api.post("/series")
@takes(schemas.Name)
def create_series(wanted: schemas.Name) -> Reply:
    with services().database.session() as session:
        made = series.create(session, wanted.name)
        return {"id": made.id, "name": made.name}


@api.patch("/series/<int:series_id>")
@takes(schemas.Name)
def rename_series(series_id: int, wanted: schemas.Name) -> Reply:
    with services().database.session() as session:
        return {"id": series_id, "name": series.rename(session, series_id, wanted.name).name}


@api.delete("/series/<int:series_id>")
def delete_series(series_id: int) -> Reply:
    with services().database.session() as session:
        series.delete(session, series_id)
    services().workbench.forget()
    return {"id": series_id}


@api.post("/series/<int:series_id>/restore")
def restore_series(series_id: int) -> Reply:
    with services().database.session() as session:
        return {"id": series_id, "name": series.restore(session, series_id).name}


@api.post("/series/<int:series_id>/photographs")
@paced("file")
def add_photograph(series_id: int) -> Reply:
    """Take in one file: its bytes are the body, its name the header ``X-File-Name``.

    ``X-Came-From`` is where a file lies that another program handed over.
    """
    name = unquote(request.headers.get("X-File-Name", "unnamed"))
    expected = request.content_length or 0
    came_from = handover.origin(unquote(request.headers.get("X-Came-From", "")))
    taken = services().importer.add(
        series_id, name, chunks(name), expected=expected, came_from=came_from
    )
    services().store.trim_cache()
    found = taken.photograph
    return {"id": found.id, "title": found.title, "note": found.note, "how": taken.how}


@api.put("/series/<int:series_id>/order")
@takes(schemas.Photographs)
def order_photographs(series_id: int, wanted: schemas.Photographs) -> Reply:
    with services().database.session() as session:
        photographs.reorder(session, series_id, wanted.photographs)
    return {"id": series_id}


@api.patch("/photographs/<int:photograph_id>")
@takes(schemas.Title)
def rename_photograph(photograph_id: int, wanted: schemas.Title) -> Reply:
    with services().database.session() as session:
        renamed = photographs.rename(session, photograph_id, wanted.title)
        return {"id": photograph_id, "title": renamed.title}


@api.post("/photographs/remove")
@takes(schemas.Photographs)
def remove_photographs(wanted: schemas.Photographs) -> Reply:
    with services().database.session() as session:
        photographs.remove(session, wanted.photographs)
    services().workbench.forget()
    return {"photographs": wanted.photographs}


@api.post("/photographs/restore")
@takes(schemas.Photographs)
def restore_photographs(wanted: schemas.Photographs) -> Reply:
    with services().database.session() as session:
        photographs.restore(session, wanted.photographs)
    return {"photographs": wanted.photographs}
