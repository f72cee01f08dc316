"""Sends files to the running application, and starts it if need be: what ``oatmeal open`` does."""

from __future__ import annotations

import fcntl
import json
import os
import re
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any, Final
from urllib.error import HTTPError, URLError
from urllib.parse import quote, urlsplit
from urllib.request import HTTPCookieProcessor, ProxyHandler, Request, build_opener

#: Seconds that a start may go on without saying anything new.
_START_S: Final = 180.0

#: How often a file that says nothing is looked at again, and seconds between.
_LOOKS: Final = 5
_AGAIN_S: Final = 0.02

#: Seconds between two looks at what a start says.
_LOOK_S: Final = 0.2

#: Logs of starts that are kept.
_KEPT_LOGS: Final = 5


class HandingError(Exception):
    """What stands in the way of handing files over, in one sentence."""


def doing(home: Path) -> str | None:
    """What the application in this folder says: its address with its key, or what its start does.

    None where none is running.
    """
    try:
        with (home / "running").open() as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
                return None  # nobody holds it
            except BlockingIOError:
                for _ in range(_LOOKS):  # it may just be writing
                    if said := file.read().strip():
                        return said
                    time.sleep(_AGAIN_S)
                return "Starting"
    except FileNotFoundError:
        return None


def started(
    home: Path, said: Callable[[str], None] = lambda words: None, wait_s: float = _START_S
) -> str:
    """The address, after a start if that is needed; raises :class:`HandingError`.

    Parameters
    ----------
    said : callable
        Hears what the start does, whoever began it.
    wait_s : float
        Seconds for which it may go on without saying anything new.
    """
    process, log, last = None, None, ""
    end = time.monotonic() + wait_s
    while time.monotonic() < end:
        now = doing(home)
        if now and now.startswith("http"):
            return now
        if now and now != last:
            said(now)
            last, end = now, time.monotonic() + wait_s
        if now is None and process is None:
            process, log = _start(home)
            said("Starting Oatmeal; it goes on running")
        elif now is None and process is not None and process.poll() is not None:
            break
        time.sleep(_LOOK_S)
    if log is not None and process is not None and process.poll() is not None:
        lines = log.read_text().strip().splitlines()
        raise HandingError(lines[-1] if lines else "Oatmeal could not be started.")
    raise HandingError(f"Oatmeal said nothing for {wait_s:.0f} s while it started: {last}.")


def _start(home: Path) -> tuple[subprocess.Popen[bytes], Path]:
    """Start the application, with a log of its own."""
    home.mkdir(parents=True, exist_ok=True)
    for old in sorted(home.glob("started-*.log"))[: 1 - _KEPT_LOGS]:
        old.unlink(missing_ok=True)
    path = home / f"started-{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}.log"
    with path.open("w") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "oatmeal.run"], stdout=log, stderr=log,
            stdin=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
    return process, path


class Application:
    """The running application, as a browser meets it."""

    def __init__(self, address: str) -> None:
        asked = urlsplit(address)
        self._shown = address.split("?")[0].rstrip("/")
        # names below localhost lead here, which browsers know and resolvers may not
        self._base = f"{asked.scheme}://127.0.0.1:{asked.port}"
        self._key = asked.query
        self._open = build_opener(ProxyHandler({}), HTTPCookieProcessor(CookieJar())).open
        page = self._sent(Request(f"{self._base}/?{self._key}")).decode()
        token = re.search(r'csrf-token" content="([^"]+)"', page)
        if token is None:
            raise HandingError(f"What answers at {self._base} is not Oatmeal.")
        self._token = token[1]

    def bench(self, photograph: int) -> str:
        """The address of the bench of a photograph, with the key that lets a browser in."""
        return f"{self._shown}/bench/{photograph}" + (f"?{self._key}" if self._key else "")

    def series(self, name: str) -> int:
        """The series of this name; it is made if there is none."""
        found = self._asked("GET", "/api/series").get("series", [])
        for one in found:
            if one["name"] == name:
                return int(one["id"])
        return int(self._asked("POST", "/api/series", {"name": name})["id"])

    def send(self, series: int, path: Path) -> dict[str, Any]:
        """Send a file, which remembers where it came from."""
        with path.open("rb") as file:
            request = Request(
                f"{self._base}/api/series/{series}/photographs", data=file, method="POST"
            )
            request.add_header("Content-Type", "application/octet-stream")
            request.add_header("Content-Length", str(path.stat().st_size))
            request.add_header("X-CSRFToken", self._token)
            request.add_header("X-File-Name", quote(path.name))
            request.add_header("X-Came-From", quote(str(path)))
            found: dict[str, Any] = json.loads(self._sent(request))
        return found

    def _asked(self, method: str, address: str, body: Any = None) -> dict[str, Any]:
        data = None if body is None else json.dumps(body).encode()
        request = Request(self._base + address, data=data, method=method)
        request.add_header("X-CSRFToken", self._token)
        request.add_header("Content-Type", "application/json")
        found: dict[str, Any] = json.loads(self._sent(request))
        return found

    def _sent(self, request: Request) -> bytes:
        try:
            with self._open(request, timeout=600) as reply:
                data: bytes = reply.read()
                return data
        except HTTPError as error:
            try:
                detail = json.loads(error.read()).get("detail", "")
            except ValueError:
                detail = ""
            raise HandingError(detail or f"Oatmeal answered with {error.code}.") from error
        except (URLError, OSError) as error:
            raise HandingError(f"Oatmeal does not answer at {self._base}: {error}.") from error


def hand_over(
    application: Application, files: Sequence[Path], series: str = ""
) -> list[tuple[Path, dict[str, Any] | str]]:
    """Send files, each into the series of its folder's name; what came of each, or a sentence."""
    found: list[tuple[Path, dict[str, Any] | str]] = []
    for path in files:
        try:
            if not path.is_file():
                raise HandingError(f"{path} is not there or is no file.")
            name = series or path.resolve().parent.name or "Handed over"
            found.append((path, application.send(application.series(name), path.resolve())))
        except HandingError as problem:
            found.append((path, str(problem)))
    return found
