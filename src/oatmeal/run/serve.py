"""Start Oatmeal: private database, migrations, compiled kernels, web server; and stop it all."""

from __future__ import annotations

import fcntl
import logging
import signal
import socket
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import Any, Final, TextIO

import waitress

from oatmeal.library.database import Database
from oatmeal.library.reading import shared_reader
from oatmeal.library.store import FileStore
from oatmeal.memory import keep_frames
from oatmeal.run import demo
from oatmeal.run.mariadb import PrivateServer, StartError
from oatmeal.settings import SettingError, Settings
from oatmeal.web import create_app

HOST = "127.0.0.1"

#: Settings of waitress: a frame of several megabytes leaves at once and stays in memory.
SERVER: Final[dict[str, Any]] = {
    "threads": 6,
    "outbuf_overflow": 16 << 20,
    "send_bytes": 1,
    "asyncore_use_poll": True,
    "ident": "oatmeal",
}

#: The body of an upload may be this much larger than the file limit (headers, rounding).
_BODY_ROOM = 1 << 20


def main(arguments: Sequence[str] | None = None) -> int:
    """``python -m oatmeal.run [demo]``; returns the exit status."""
    with_demo = "demo" in (sys.argv[1:] if arguments is None else arguments)
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s: %(message)s")
    signal.signal(signal.SIGTERM, _interrupt)
    keep_frames()
    try:
        settings = Settings.from_environment(home_name="oatmeal-demo" if with_demo else "oatmeal")
        with _only_one(settings.home) as lock:
            _run(settings, with_demo, lock)
    except KeyboardInterrupt:
        pass
    except (StartError, SettingError) as error:
        print(f"Oatmeal cannot start. {error}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"Oatmeal cannot start. {error.strerror}: {error.filename}", file=sys.stderr)
        return 1
    return 0


def _run(settings: Settings, with_demo: bool, lock: TextIO) -> None:
    begun = time.monotonic()
    server = PrivateServer(settings.home / "database")
    warmed = threading.Thread(target=_warm, daemon=True)
    runner = None
    try:
        warmed.start()
        with step("Starting the database"):
            server.start()
        server.watch()
        with step("Preparing the tables"):
            database = Database(server.url)
            database.migrate()
        store = FileStore(settings.home, settings.cache_bytes)
        store.clear_incoming()
        if warmed.is_alive():
            with step("Making the calculations ready (about 20 s the first time)"):
                warmed.join()
        app = create_app(database, store, settings)
        if with_demo:
            demo.load(database, app.extensions["oatmeal"].importer, settings.home, step)
        listener = _listener(settings.port)
        address = f"http://{HOST}:{listener.getsockname()[1]}/"
        lock.seek(0)
        lock.truncate()
        lock.write(address)
        lock.flush()
        runner = app.extensions["oatmeal"].runner
        runner.start()
        seconds = time.monotonic() - begun
        print(f"Oatmeal is ready after {seconds:.1f} s: {address}   (Ctrl-C stops it)", flush=True)
        _serve(app, listener, settings)
    finally:
        _let_finish()
        print("\nStopping ...", end=" ", flush=True)
        if runner is not None:
            runner.stop()
        server.stop()
        print("stopped; everything is saved.", flush=True)


def _serve(app: Any, listener: socket.socket, settings: Settings) -> None:
    """Serve until interrupted."""
    waitress.serve(
        app,
        sockets=[listener],
        max_request_body_size=settings.limits.max_bytes + _BODY_ROOM,
        _quiet=True,
        **SERVER,
    )


@contextmanager
def step(words: str) -> Iterator[None]:
    """Say what is being done, and how long it took."""
    begun = time.monotonic()
    print(f"  {words} ...", end=" ", flush=True)
    yield
    print(f"{time.monotonic() - begun:.1f} s", flush=True)


def _warm() -> None:
    from oatmeal.core import kernels

    kernels.warm()
    shared_reader().warm()
    if kernels.threading_layer() == "workqueue":
        logging.getLogger("oatmeal").warning(
            "numba found no OpenMP; install Debian's package libgomp1 for safe parallel rendering"
        )


def _listener(port: int) -> socket.socket:
    """A listening socket on the port, or on a free one if the usual port is taken."""
    usual = Settings(Path()).port
    for wanted in (port, 0) if port == usual else (port,):
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((HOST, wanted))
        except OSError:
            listener.close()
            continue
        listener.listen(128)
        return listener
    raise StartError(f"Port {port} is taken by another program: set OATMEAL_PORT to a free one.")


@contextmanager
def _only_one(home: Path) -> Iterator[TextIO]:
    """Hold the data folder; only one Oatmeal may work in it."""
    home.mkdir(parents=True, exist_ok=True)
    home.chmod(0o700)  # the photographs are nobody else's
    with (home / "running").open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.seek(0)
            address = file.read() or "another address"
            raise StartError(f"It is already running with {home}, at {address}") from None
        yield file
        file.seek(0)
        file.truncate()


def _interrupt(number: int, frame: FrameType | None) -> None:
    raise KeyboardInterrupt


def _let_finish() -> None:
    """A second Ctrl-C while stopping must not cut the database off."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
