"""Static files, at addresses that change with them."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path
from typing import Final

from flask import Flask, Response, abort, current_app, send_from_directory

from oatmeal.web import scripts

#: Seconds for which browsers may keep a static file.
A_YEAR: Final = 365 * 24 * 3600

#: Before the name of a script that comes with all that it imports.
_JOINED: Final = "joined/"

#: Media type of scripts (RFC 9239).
_SCRIPT: Final = "text/javascript"


def register(app: Flask) -> None:
    """Serve the static files of an application, and let its templates name them."""
    app.static_folder = "static"
    app.add_url_rule("/static/<mark>/<path:name>", "static", _static)
    app.template_global()(asset)
    app.template_global()(script)


def asset(name: str) -> str:
    """Address of a static file; it changes with any of them, so that browsers may keep them all.

    The mark stands before the name, so that what a script names beside itself has it too.
    """
    return f"/static/{_fingerprint(current_app.static_folder or '')}/{name}"


def script(name: str) -> str:
    """Address of a page's script, joined with the modules that it imports."""
    return asset(_JOINED + name)


def _static(mark: str, name: str) -> Response:
    folder = current_app.static_folder or ""
    current = mark == _fingerprint(folder)
    kept = A_YEAR if current else 0
    if name.startswith(_JOINED):
        response = Response(_script(folder, name.removeprefix(_JOINED)), mimetype=_SCRIPT)
        response.cache_control.no_cache = None if current else True
        response.cache_control.max_age = kept
    else:
        response = send_from_directory(folder, name, max_age=kept)
    if current:
        response.cache_control.immutable = True
    return response


def _script(folder: str, name: str) -> str:
    if name not in _modules(folder):
        abort(404)
    return _joined(folder, name)


@cache
def _modules(folder: str) -> frozenset[str]:
    """The modules by their names; nothing else is read for a script."""
    inside = Path(folder)
    return frozenset(path.relative_to(inside).as_posix() for path in inside.rglob("*.js"))


@cache
def _joined(folder: str, name: str) -> str:
    return scripts.joined(Path(folder), name)


@cache
def _fingerprint(folder: str) -> str:
    seen = hashlib.sha256()
    for path in sorted(Path(folder).rglob("*")):
        if path.is_file():
            seen.update(path.name.encode() + path.read_bytes())
    return seen.hexdigest()[:12]
