"""The web server: waitress, with refusals of its own that look like ours."""

from __future__ import annotations

import json
import socket
from typing import Any, Final

from flask import Flask
from waitress.channel import HTTPChannel
from waitress.server import create_server
from waitress.task import ErrorTask

from oatmeal.photofile.room import weight
from oatmeal.settings import Settings
from oatmeal.web.app import SECURITY

#: Settings of waitress: a frame of several megabytes leaves at once and stays in memory.
SERVER: Final[dict[str, Any]] = {
    "threads": 6,
    "outbuf_overflow": 16 << 20,
    "send_bytes": 1,
    "asyncore_use_poll": True,
    "ident": "oatmeal",
}

#: The body of an upload may be this much larger than the file limit (headers, rounding).
BODY_ROOM: Final = 1 << 20

_PAGE: Final = (
    '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Oatmeal</title></head>'
    '<body><h1>{}</h1><p><a href="/">Go to your series</a></p></body></html>'
)


class _Refusal(ErrorTask):  # type: ignore[misc]
    """The answer to what never reaches the application: too large, or no HTTP."""

    def execute(self) -> None:
        """Answer as the application does, with a sentence and the headers that keep pages safe."""
        error = self.request.error
        most = weight(self.channel.adj.max_request_body_size - BODY_ROOM)
        detail = {
            413: f"What was sent is larger than the {most} that are accepted: save a smaller copy, "
            "or raise OATMEAL_MAX_BYTES.",
            431: "The request's headers are larger than is accepted.",
        }.get(error.code, "The request could not be understood.")
        if str(getattr(self.request, "path", "")).startswith("/api/"):
            kind = "application/problem+json"
            body = json.dumps({"status": error.code, "detail": detail}).encode()
        else:
            kind, body = "text/html; charset=utf-8", _PAGE.format(detail).encode()
        self.status = f"{error.code} {error.reason}"
        self.response_headers.extend([("Content-Type", kind), *SECURITY.items()])
        self.set_close_on_finish()
        self.content_length = len(body)
        self.write(body)


class _Channel(HTTPChannel):  # type: ignore[misc]
    error_task_class = _Refusal


def server_for(app: Flask, settings: Settings, listener: socket.socket) -> Any:
    """The server of an application on a listening socket; its ``run`` ends with Ctrl-C."""
    server = create_server(
        app,
        sockets=[listener],
        max_request_body_size=settings.limits.max_bytes + BODY_ROOM,
        **SERVER,
    )
    server.channel_class = _Channel
    return server
