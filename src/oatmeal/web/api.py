"""The JSON API for series and photographs. Errors are problem documents (RFC 9457)."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import unquote

from flask import Blueprint, request

from oatmeal.library import photographs, series
from oatmeal.photofile.errors import TooLarge
from oatmeal.web.parsing import Reply, body, numbers, text
from oatmeal.web.services import services

api = Blueprint("api", __name__, url_prefix="/api")

_CHUNK = 1 << 20


@api.post("/series")
def create_series() -> Reply:
    name = text(body(), "name")
    with services().database.session() as session:
        made = series.create(session, name)
        return {"id": made.id, "name": made.name}


@api.patch("/series/<int:series_id>")
def rename_series(series_id: int) -> Reply:
    name = text(body(), "name")
    with services().database.session() as session:
        return {"id": series_id, "name": series.rename(session, series_id, name).name}


@api.delete("/series/<int:series_id>")
def delete_series(series_id: int) -> Reply:
    with services().database.session() as session:
        series.delete(session, series_id)
    return {"id": series_id}


@api.post("/series/<int:series_id>/restore")
def restore_series(series_id: int) -> Reply:
    with services().database.session() as session:
        return {"id": series_id, "name": series.restore(session, series_id).name}


@api.post("/series/<int:series_id>/photographs")
def add_photograph(series_id: int) -> Reply:
    """Take in one file: its bytes are the body, its name the header ``X-File-Name``."""
    name = unquote(request.headers.get("X-File-Name", "unnamed"))
    limit = services().settings.limits.max_bytes
    if (request.content_length or 0) > limit:
        raise TooLarge(
            f"{name} is larger than the {limit / 1e6:.0f} MB that are accepted: save a smaller "
            "copy, or raise OATMEAL_MAX_BYTES."
        )
    photograph = services().importer.add(series_id, name, _chunks())
    services().store.trim_cache()
    return {"id": photograph.id, "title": photograph.title, "note": photograph.note}


def _chunks() -> Iterator[bytes]:
    while chunk := request.stream.read(_CHUNK):
        yield chunk


@api.put("/series/<int:series_id>/order")
def order_photographs(series_id: int) -> Reply:
    wanted = numbers(body(), "photographs")
    with services().database.session() as session:
        photographs.reorder(session, series_id, wanted)
    return {"id": series_id}


@api.patch("/photographs/<int:photograph_id>")
def rename_photograph(photograph_id: int) -> Reply:
    title = text(body(), "title")
    with services().database.session() as session:
        renamed = photographs.rename(session, photograph_id, title)
        return {"id": photograph_id, "title": renamed.title}


@api.post("/photographs/remove")
def remove_photographs() -> Reply:
    wanted = numbers(body(), "photographs")
    with services().database.session() as session:
        photographs.remove(session, wanted)
    return {"photographs": wanted}


@api.post("/photographs/restore")
def restore_photographs() -> Reply:
    wanted = numbers(body(), "photographs")
    with services().database.session() as session:
        photographs.restore(session, wanted)
    return {"photographs": wanted}
