"""The Flask application: what belongs to every request."""

from __future__ import annotations

import hashlib
import logging
import secrets
from dataclasses import asdict, dataclass
from functools import cache
from pathlib import Path
from typing import Any

from flask import Flask, Response, current_app, render_template, request, send_from_directory
from flask.json.provider import DefaultJSONProvider
from flask_wtf.csrf import CSRFError, CSRFProtect
from werkzeug.exceptions import HTTPException
from werkzeug.sansio.response import Response as AnyResponse

from oatmeal.core.recipe import RecipeError
from oatmeal.exports.runner import Runner, executor_for
from oatmeal.library.database import Database
from oatmeal.library.errors import Behind, Invalid, LibraryError, Missing
from oatmeal.library.importing import Importer
from oatmeal.library.proxies import Proxies
from oatmeal.library.small import Small
from oatmeal.library.store import FileStore
from oatmeal.library.workbench import Workbench
from oatmeal.photofile import rawfile
from oatmeal.photofile.errors import PhotoFileError, TooLarge
from oatmeal.settings import Settings

#: Everything a page needs comes from this server; nothing inline, nothing framed.
POLICY = "; ".join(
    (
        "default-src 'none'", "script-src 'self'", "style-src 'self'", "font-src 'self'",
        "img-src 'self' blob: data:", "connect-src 'self'", "form-action 'self'",
        "base-uri 'none'", "frame-ancestors 'none'",
    )
)  # fmt: skip

#: Suffixes that the browser's file chooser offers.
ACCEPTED = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".avif", ".heic", ".heif", ".gif",
            *sorted(rawfile.SUFFIXES))  # fmt: skip

#: Seconds for which browsers may keep a static file.
A_YEAR = 365 * 24 * 3600

log = logging.getLogger("oatmeal")


@dataclass(frozen=True)
class Services:
    """What views work with."""

    database: Database
    store: FileStore
    workbench: Workbench
    small: Small
    importer: Importer
    runner: Runner
    settings: Settings


def services() -> Services:
    """The services of the running application."""
    found: Services = current_app.extensions["oatmeal"]
    return found


def create_app(database: Database, store: FileStore, settings: Settings) -> Flask:
    """Build the application on a migrated database and a file store."""
    app = Flask(__name__, static_folder=None)
    app.static_folder = "static"
    app.add_url_rule("/static/<mark>/<path:name>", "static", _static)
    app.config.update(
        SECRET_KEY=_secret(settings.home),
        TRUSTED_HOSTS=["127.0.0.1", "localhost"],
        SESSION_COOKIE_NAME="oatmeal",
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        MAX_FORM_MEMORY_SIZE=64 * 1024,
    )
    provider = app.json
    assert isinstance(provider, DefaultJSONProvider)
    provider.sort_keys = False  # names keep the order in which people meet them
    app.jinja_options = {"trim_blocks": True, "lstrip_blocks": True}
    proxies = Proxies(store, settings.limits)
    app.extensions["oatmeal"] = Services(
        database,
        store,
        Workbench(proxies),
        Small(store, proxies),
        Importer(database, store, proxies, settings.limits),
        Runner(database, store, executor_for(settings.cluster), limits=settings.limits),
        settings,
    )
    CSRFProtect(app)
    app.after_request(_secure)
    _register_errors(app)
    app.template_global()(asset)
    app.jinja_env.globals["accepted"] = ",".join(ACCEPTED)

    from oatmeal.web import (
        api,
        export_api,
        pages,
        recipe_api,
        rendering,
        series_api,
        version_api,
    )

    app.register_blueprint(pages.pages)
    app.register_blueprint(api.api)
    app.register_blueprint(version_api.version_api)
    app.register_blueprint(series_api.series_api)
    app.register_blueprint(export_api.export_api)
    app.register_blueprint(recipe_api.recipe_api)
    app.register_blueprint(rendering.rendering)
    return app


def asset(name: str) -> str:
    """Address of a static file; it changes with any of them, so that browsers may keep them all.

    The mark stands before the name, so that what a script names beside itself has it too.
    """
    return f"/static/{_fingerprint(current_app.static_folder or '')}/{name}"


def _static(mark: str, name: str) -> Response:
    folder = current_app.static_folder or ""
    current = mark == _fingerprint(folder)
    response = send_from_directory(folder, name, max_age=A_YEAR if current else 0)
    if current:
        response.cache_control.immutable = True
    return response


@cache
def _fingerprint(folder: str) -> str:
    seen = hashlib.sha256()
    for path in sorted(Path(folder).rglob("*")):
        if path.is_file():
            seen.update(path.name.encode() + path.read_bytes())
    return seen.hexdigest()[:12]


def _secret(home: Path) -> str:
    file = home / "secret"
    if not file.exists():
        home.mkdir(parents=True, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_hex(32))
    return file.read_text()


def _secure(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
    response.headers.setdefault("Cache-Control", "no-store")
    return response


def _register_errors(app: Flask) -> None:
    app.register_error_handler(Missing, lambda error: problem(404, str(error)))
    app.register_error_handler(Invalid, lambda error: problem(422, str(error)))
    app.register_error_handler(LibraryError, lambda error: problem(400, str(error)))
    app.register_error_handler(TooLarge, lambda error: problem(413, str(error)))
    app.register_error_handler(PhotoFileError, lambda error: problem(422, str(error)))
    app.register_error_handler(Behind, _behind)
    app.register_error_handler(RecipeError, _recipe_problem)
    app.register_error_handler(CSRFError, _expired)
    app.register_error_handler(HTTPException, _http_problem)
    app.register_error_handler(Exception, _unexpected)


def problem(status: int, detail: str, **more: Any) -> tuple[AnyResponse | str, int]:
    """A problem document (RFC 9457) for the API, a page for people."""
    if request.path.startswith("/api/"):
        response = current_app.json.response(status=status, detail=detail, **more)
        response.mimetype = "application/problem+json"
        return response, status
    return render_template("problem.html", status=status, detail=detail), status


def _behind(error: Behind) -> tuple[AnyResponse | str, int]:
    return problem(409, str(error), current=error.current)


def _recipe_problem(error: RecipeError) -> tuple[AnyResponse | str, int]:
    found = [asdict(item) for item in error.problems]
    return problem(422, f"The recipe cannot be used: {error}", problems=found)


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
    return problem(500, "Something went wrong here; your work is saved. Try again.")
