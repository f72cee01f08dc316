"""Static files, at addresses that change with them."""

from __future__ import annotations

import hashlib
from functools import cache
from pathlib import Path
from typing import Final

from flask import Flask, Response, current_app, send_from_directory

#: Seconds for which browsers may keep a static file.
A_YEAR: Final = 365 * 24 * 3600


def register(app: Flask) -> None:
    """Serve the static files of an application, and let its templates name them."""
    app.static_folder = "static"
    app.add_url_rule("/static/<mark>/<path:name>", "static", _static)
    app.template_global()(asset)


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
