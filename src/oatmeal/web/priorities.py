"""Which requests wait for which: each kind has threads of its own.

Uploads that are being read, and finished files that are being made, take seconds; frames take a
core; pages and saving take milliseconds. None of them may hold up what is quicker.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Final, TypeVar

from flask import Flask
from werkzeug.exceptions import HTTPException

#: Threads of each kind of request. More frames at a time than cores only slow one another down. An
#: archive is put together as it is taken: its thread waits for its reader, most of the time.
THREADS: Final = {
    "page": 4,
    "frame": max(2, os.cpu_count() or 2),
    "small": 2,
    "file": 4,
    "archive": 16,
}

#: The kind of what a blueprint answers, unless a view says otherwise.
_OF_BLUEPRINT: Final = {"rendering": "frame"}

_View = TypeVar("_View", bound=Callable[..., object])


def paced(kind: str) -> Callable[[_View], _View]:
    """Declare the kind of a view's requests, one of :data:`THREADS`."""
    if kind not in THREADS:
        raise ValueError(f"{kind} is none of {', '.join(THREADS)}")

    def with_kind(view: _View) -> _View:
        view.pace = kind  # type: ignore[attr-defined]
        return view

    return with_kind


def pace_of(app: Flask, method: str, path: str) -> str:
    """The kind of a request, by what will answer it."""
    try:
        endpoint, _ = app.url_map.bind("").match(path, method)
    except HTTPException:
        return "page"
    usual = _OF_BLUEPRINT.get(endpoint.rpartition(".")[0], "page")
    return str(getattr(app.view_functions[endpoint], "pace", usual))
