"""The Flask application: what belongs to every request."""

from __future__ import annotations

import secrets
from pathlib import Path
from typing import Final

from flask import Flask, Response, request
from flask.json.provider import DefaultJSONProvider
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFProtect
from werkzeug.http import parse_options_header
from werkzeug.routing import IntegerConverter

from oatmeal.core.kernels import Making, patience
from oatmeal.exports.joiner import Joiner
from oatmeal.exports.runner import Runner
from oatmeal.exports.workers import workers_for
from oatmeal.library.database import Database
from oatmeal.library.store import FileStore
from oatmeal.photofile.decode import SUFFIXES
from oatmeal.rendering.importing import Importer
from oatmeal.rendering.joindesk import JoinDesk
from oatmeal.rendering.printdesk import PrintDesk
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.thumbnails import Small
from oatmeal.rendering.workbench import Workbench
from oatmeal.settings import Settings
from oatmeal.web import access, assets, problems
from oatmeal.web.api import api
from oatmeal.web.export_api import export_api
from oatmeal.web.join_api import join_api
from oatmeal.web.pages import pages
from oatmeal.web.print_api import print_api
from oatmeal.web.recipe_api import recipe_api
from oatmeal.web.rendering import rendering
from oatmeal.web.series_api import series_api
from oatmeal.web.services import Services, services
from oatmeal.web.version_api import version_api
from oatmeal.web.vocabulary import form_told

#: Everything a page needs comes from this server; nothing inline, nothing framed.
POLICY = "; ".join(
    (
        "default-src 'none'", "script-src 'self'", "style-src 'self'", "font-src 'self'",
        "img-src 'self' blob: data:", "connect-src 'self'", "form-action 'self'",
        "base-uri 'none'", "frame-ancestors 'none'",
    )
)  # fmt: skip

#: Headers of every answer.
SECURITY: Final = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}

_BLUEPRINTS: Final = (
    pages, api, version_api, series_api, export_api, recipe_api, join_api, print_api, rendering,
)  # fmt: skip


class _Number(IntegerConverter):
    """A number in an address, as far as a column can hold it."""

    regex = "[0-9]{1,10}"


class _Application(Flask):
    """Requests whose transaction gave way to another are done again."""

    def dispatch_request(self) -> ResponseReturnValue:
        """Call the view; see :meth:`oatmeal.library.database.Database.repeated`."""
        view = super().dispatch_request
        if not request.is_json and (
            request.content_length or "Transfer-Encoding" in request.headers
        ):
            return view()  # what was sent is used up; whoever takes in files repeats itself
        return services().database.repeated(view)


def create_app(
    database: Database, store: FileStore, settings: Settings, making: Making | None = None
) -> Flask:
    """Build the application on a migrated database and a file store.

    ``making`` compiles what is missing beside it; without, loops compile where they are called.
    """
    app = _Application(__name__, static_folder=None)
    app.url_map.converters["int"] = _Number
    assets.register(app)
    app.config["SECRET_KEY"] = _secret(settings.home)
    library = access.name_of(app)
    app.config.update(
        LIBRARY=library,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", access.host_of(app), *settings.hosts],
        SESSION_COOKIE_NAME=f"oatmeal-{library}",  # two instances in one browser are two
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        MAX_FORM_MEMORY_SIZE=64 * 1024,
    )
    provider = app.json
    assert isinstance(provider, DefaultJSONProvider)
    provider.sort_keys = False  # names keep the order in which people meet them
    app.jinja_options = {"trim_blocks": True, "lstrip_blocks": True}
    app.jinja_env.policies["json.dumps_kwargs"] = {"sort_keys": False}
    proxies = Proxies(store, settings.limits)
    small = Small(store, proxies)
    importer = Importer(database, store, proxies, settings.limits)
    workers = workers_for(
        settings.cluster,
        [store.exports, store.originals],
        settings.sent_bytes,
        settings.cluster_tls,
    )
    app.extensions["oatmeal"] = Services(
        database,
        store,
        Workbench(proxies, settings.desk_bytes, settings.desk_sizes),
        small,
        importer,
        Runner(database, store, workers, limits=settings.limits),
        Joiner(database, store, importer),
        JoinDesk(proxies, settings.limits.max_pixels),
        PrintDesk(small, proxies),
        settings,
        making or Making(0),
    )
    CSRFProtect(app)
    access.register(app, settings)
    app.before_request(_heed_patience)
    app.after_request(_secure)
    problems.register(app)
    app.jinja_env.globals["form_told"] = form_told()
    app.jinja_env.globals["accepted"] = ",".join(sorted(SUFFIXES))
    for blueprint in _BLUEPRINTS:
        app.register_blueprint(blueprint)
    return app


def _heed_patience() -> None:
    """Let loops that are still being compiled wait as long as the client wants (RFC 7240)."""
    wait = parse_options_header("prefer; " + request.headers.get("Prefer", ""))[1].get("wait", "")
    patience.set(float(wait) if wait.isdecimal() and len(wait) < 5 else None)


def _secret(home: Path) -> str:
    """The library's secret; an empty file, as a full disk leaves it, is written anew."""
    file = home / "secret"
    home.mkdir(parents=True, exist_ok=True)
    found = file.read_text().strip() if file.exists() else ""
    if not found:
        found = secrets.token_hex(32)
        file.touch(mode=0o600)
        file.write_text(found)
    return found


def _secure(response: Response) -> Response:
    response.headers.update(SECURITY)
    response.headers.setdefault("Cache-Control", "no-store")
    return response
