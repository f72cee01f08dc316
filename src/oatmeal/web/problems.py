"""Errors as people and scripts get them: a page, or a problem document (RFC 9457)."""

from __future__ import annotations

import logging
from dataclasses import asdict
from typing import Any, Final

from flask import Flask, current_app, render_template, request
from flask_wtf.csrf import CSRFError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException
from werkzeug.sansio.response import Response as AnyResponse

from oatmeal.core.kernels import NotReady
from oatmeal.core.recipe import RecipeError
from oatmeal.host import disk
from oatmeal.host.disk import NoRoom
from oatmeal.library.errors import Behind, Invalid, LibraryError, Missing
from oatmeal.photofile.errors import PhotoFileError, TooLarge
from oatmeal.web.services import services

log = logging.getLogger("oatmeal")

#: With less than this free, a database that takes nothing wants room.
LITTLE: Final = 4_000_000


def register(app: Flask) -> None:
    """Let every error of an application be told as one sentence."""
    app.register_error_handler(Missing, lambda error: problem(404, str(error)))
    app.register_error_handler(Invalid, lambda error: problem(422, str(error)))
    app.register_error_handler(LibraryError, lambda error: problem(400, str(error)))
    app.register_error_handler(TooLarge, lambda error: problem(413, str(error)))
    app.register_error_handler(NoRoom, lambda error: problem(507, str(error)))
    app.register_error_handler(PhotoFileError, lambda error: problem(422, str(error)))
    app.register_error_handler(NotReady, _not_ready)
    app.register_error_handler(Behind, _behind)
    app.register_error_handler(RecipeError, _recipe_problem)
    app.register_error_handler(CSRFError, _expired)
    app.register_error_handler(HTTPException, _http_problem)
    app.register_error_handler(OperationalError, _unreached)
    app.register_error_handler(Exception, _unexpected)


def problem(status: int, detail: str, **more: Any) -> tuple[AnyResponse | str, int]:
    """A problem document (RFC 9457) for the API, a page for people."""
    if request.path.startswith("/api/"):
        response = current_app.json.response(status=status, detail=detail, **more)
        response.mimetype = "application/problem+json"
        return response, status
    return render_template("problem.html", status=status, detail=detail), status


def _not_ready(error: NotReady) -> tuple[AnyResponse | str, int]:
    return problem(503, str(error), making={"step": error.step, "seconds": error.seconds})


def _behind(error: Behind) -> tuple[AnyResponse | str, int]:
    return problem(409, str(error), current=error.current)


def _recipe_problem(error: RecipeError) -> tuple[AnyResponse | str, int]:
    found = [asdict(item) for item in error.problems]
    return problem(422, f"The recipe cannot be used: {error}.", problems=found)


def _expired(error: CSRFError) -> tuple[AnyResponse | str, int]:
    return problem(403, "This page is out of date: reload it and try again.")


def _http_problem(error: HTTPException) -> tuple[AnyResponse | str, int]:
    sentences = {
        400: "The request could not be understood.",
        404: "There is nothing at this address.",
        413: "What was sent is too large.",
    }
    status = error.code or 500
    return problem(status, sentences.get(status, error.description or error.name))


def _unexpected(error: Exception) -> tuple[AnyResponse | str, int]:
    log.exception("unexpected error at %s", request.path)
    return problem(500, "Something went wrong here, and this was not done. Try again.")


def _unreached(error: OperationalError) -> tuple[AnyResponse | str, int]:
    """The database is away, full, or chose this one to give way."""
    log.warning("the database at %s: %s", request.path, error.orig)
    home = services().settings.home
    left = disk.free(home)
    if left < LITTLE:
        return problem(
            507,
            f"This is not stored: the disk that holds {home} has {disk.weight(left)} free. Make "
            "room there; what you do is kept here and stored then.",
        )
    return problem(503, "The database did not take this: it is not stored. Try again in a moment.")
