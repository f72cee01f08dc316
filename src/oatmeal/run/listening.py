"""The web server: waitress, with refusals of its own that look like ours."""

from __future__ import annotations

import json
import socket
from functools import partial
from importlib.metadata import version
from typing import Any, Final

from flask import Flask
from waitress.channel import HTTPChannel
from waitress.server import create_server
from waitress.task import ErrorTask, ThreadedTaskDispatcher

from oatmeal.host.disk import weight
from oatmeal.settings import Settings
from oatmeal.web import access
from oatmeal.web.app import SECURITY
from oatmeal.web.priorities import THREADS, pace_of

#: Connections that may be open at the same time, most of them idle.
MOST_CONNECTIONS: Final = 1000

#: From so many on a new one takes the place of the oldest that has not shown the key.
CROWDED: Final = MOST_CONNECTIONS - 50

#: The version of waitress whose inner parts are built upon.
WRITTEN_FOR: Final = "3.0.2"

#: Settings of waitress: a frame of several megabytes leaves at once and stays in memory; who sends
#: nothing for half a minute makes room.
SERVER: Final[dict[str, Any]] = {
    "connection_limit": MOST_CONNECTIONS,
    "channel_timeout": 30,
    "cleanup_interval": 5,
    "outbuf_overflow": 16 << 20,
    "send_bytes": 1,
    "asyncore_use_poll": True,
    "ident": "oatmeal",
    # a proxy on this machine says whether it was asked by https
    "trusted_proxy": "127.0.0.1",
    "trusted_proxy_headers": {"x-forwarded-proto"},
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
    """A connection. Where there are many, one that never said who it is makes room for a new one.

    Otherwise a stranger on this machine, who holds a thousand requests half sent, would keep the
    owner out.
    """

    error_task_class = _Refusal

    def __init__(self, app: Flask, server: Any, *given: Any, **more: Any) -> None:
        self._app, self._known = app, False
        super().__init__(server, *given, **more)
        open_now = server.active_channels.values()
        if len(open_now) >= CROWDED:
            strangers = [one for one in open_now if one is not self and not one._known]
            if strangers:
                min(strangers, key=lambda one: one.creation_time).handle_close()

    def received(self, data: bytes) -> bool:
        """Take in what was sent, and note whether it came with the key."""
        went_on = bool(super().received(data))
        for request in () if self._known else (self.request, *self.requests):
            if request is not None and request.headers_finished and request.error is None:
                shown = f"{request.headers.get('COOKIE', '')} {request.query}"
                self._known = access.shows_key(self._app, shown)
        return went_on


class _Queues:
    """Hands each request to threads of its own kind; see :mod:`oatmeal.web.priorities`."""

    def __init__(self, app: Flask) -> None:
        self._app = app
        self._queues = {kind: _Queue() for kind in THREADS}
        for kind, count in THREADS.items():
            self._queues[kind].set_thread_count(count)

    def add_task(self, channel: Any) -> None:
        """Queue a channel whose next request has arrived whole."""
        asked = channel.requests[0] if channel.requests else None
        if asked is None or asked.error:
            kind = "page"
        else:
            kind = pace_of(self._app, asked.command, asked.path)
        self._queues[kind].add_task(channel)

    def shutdown(self, cancel_pending: bool = True, timeout: float = 5) -> None:
        """End all threads."""
        for queue in self._queues.values():
            queue.set_thread_count(0)
        for queue in self._queues.values():
            queue.shutdown(cancel_pending, timeout)


class _Queue(ThreadedTaskDispatcher):  # type: ignore[misc]
    def add_task(self, task: Any) -> None:
        """As waitress does, without a warning for every request that waits for another."""
        with self.lock:
            self.queue.append(task)
            self.queue_cv.notify()


def server_for(app: Flask, settings: Settings, listener: socket.socket) -> Any:
    """The server of an application on a listening socket; its ``run`` ends with Ctrl-C.

    Queues of their own for each kind of request, and room for whoever shows the key, stand on parts
    of waitress that it does not promise: with another version than the one they were written for
    all requests wait in one queue, as it documents.
    """
    written_for = version("waitress") == WRITTEN_FOR
    threads = {"threads": sum(THREADS.values())}
    server = create_server(
        app,
        sockets=[listener],
        max_request_body_size=settings.limits.max_bytes + BODY_ROOM,
        **SERVER,
        **({"_dispatcher": _Queues(app)} if written_for else threads),
    )
    if written_for:
        server.channel_class = partial(_Channel, app)
    return server
