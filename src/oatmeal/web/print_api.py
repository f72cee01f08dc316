"""Prints that are read: files sent to be looked at, the reading, its pictures."""

from __future__ import annotations

from urllib.parse import unquote

from flask import Blueprint, Response, request
from sqlalchemy.orm import Session

from oatmeal.library import photographs, versions
from oatmeal.library.errors import Invalid
from oatmeal.rendering.printdesk import Wished
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.priorities import paced
from oatmeal.web.receiving import chunks
from oatmeal.web.services import services

print_api = Blueprint("print_api", __name__, url_prefix="/api/prints")


@print_api.post("/file")
@paced("file")
def send_file_of_print() -> Reply:
    """Send a print as a file: its bytes are the body, its name the header ``X-File-Name``."""
    name = unquote(request.headers.get("X-File-Name", "unnamed"))
    expected = request.content_length or 0
    original = services().importer.look_into(name, chunks(name), expected)
    services().store.trim_cache()
    return {"file": original.sha256, "name": original.name}


@print_api.get("/sources")
def sources() -> Reply:
    """The photographs of the library that may be prints, series by series."""
    with services().database.session() as session:
        return {"groups": photographs.by_series(session)}


@print_api.post("/look")
@takes(schemas.Prints)
def look(wanted: schemas.Prints) -> Reply:
    """Read prints: the step that is under way, or what came of it."""
    with services().database.session() as session:
        wished = [
            _wished(session, pair, wanted if number == 0 else None)
            for number, pair in enumerate(wanted.pairs)
        ]
    found = services().print_desk.look(wished, wanted.strength if wanted.look else None)
    if found.problem:
        return {"token": found.token, "problem": found.problem}
    if found.result is None:
        return {"token": found.token, "step": found.step}
    return {"token": found.token, "found": found.result.told}


def _wished(session: Session, pair: schemas.PrintPair, first: schemas.Prints | None) -> Wished:
    photograph = photographs.get(session, pair.photograph)
    recipe = first.recipe if first else versions.recipe_of(photograph.shown)
    if pair.print.file is not None:
        return Wished(photograph, recipe, pair.print.file)
    if pair.print.photograph is None:
        raise Invalid("Choose a print: a file, or another photograph.")
    source = photographs.get(session, pair.print.photograph)
    return Wished(photograph, recipe, source, versions.recipe_of(source.shown))


@print_api.get("/<token>/<name>.jpg")
def picture(token: str, name: str) -> Response:
    """A picture of a reading: ``0-print``, ``0-read``, ``0-apart``, ``1-print`` ..."""
    return Response(services().print_desk.picture(token, name), mimetype="image/jpeg")
