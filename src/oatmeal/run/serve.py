"""Start Oatmeal: private database, migrations, compiled kernels, web server; and stop it all."""

from __future__ import annotations

import errno
import fcntl
import logging
import os
import resource
import signal
import socket
import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from importlib import import_module
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import FrameType
from typing import Any, Final, TextIO

from oatmeal import __version__
from oatmeal.core.kernels import FIRST, ROOMS, Making
from oatmeal.exports.joiner import Joiner
from oatmeal.exports.runner import Runner
from oatmeal.host import disk
from oatmeal.host.allocator import keep_frames
from oatmeal.library.database import Database, OtherTables
from oatmeal.library.store import FileStore
from oatmeal.rendering.reading import shared_reader
from oatmeal.run import demo
from oatmeal.run.backup import RESTORING
from oatmeal.run.listening import MOST_CONNECTIONS, server_for
from oatmeal.run.mariadb import LATER_BYTES, PrivateServer, StartError
from oatmeal.run.oneline import OneLine
from oatmeal.run.watching import Watched
from oatmeal.settings import SettingError, Settings
from oatmeal.web import access, create_app, panels

HOST = "127.0.0.1"

#: The port that another one stands in for where it is taken.
USUAL_PORT: Final = Settings(Path()).port

LOG_FORMAT: Final = "%(asctime)s %(name)s: %(message)s"

#: What a signal that ends the server means.
_CALLED_OFF: Final = {
    signal.SIGINT: "Ctrl-C was pressed",
    signal.SIGTERM: "it was asked to end",
    signal.SIGHUP: "the terminal was closed",
}

#: Seconds after which what the first page does without is loaded, so that its first use does not
#: wait for it.
_LATER_S: Final = 20.0

log = logging.getLogger("oatmeal")


def main(arguments: Sequence[str] | None = None) -> int:
    """``python -m oatmeal.run [demo]``; returns the exit status."""
    with_demo = "demo" in (sys.argv[1:] if arguments is None else arguments)
    logging.basicConfig(level=logging.WARNING, format=LOG_FORMAT)
    keep_frames()
    os.umask(os.umask(0o022) | 0o022)  # what is made here nobody else may change
    before = _listen_for_the_end()
    _allow_connections()
    try:
        settings = Settings.from_environment(home_name="oatmeal-demo" if with_demo else "oatmeal")
        with _only_one(settings.home) as lock:
            _keep_log(settings.home)
            _run(settings, with_demo, lock)
    except KeyboardInterrupt:
        pass
    except (StartError, SettingError) as error:
        return _refuse(str(error))
    except OSError as error:
        if disk.is_full(error):
            return _refuse(str(disk.no_room("It", settings.home, LATER_BYTES)))
        return _refuse(f"{error.strerror}: {error.filename}")
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
    return 0


def _allow_connections() -> None:
    """Let this process hold as many files open as connections, and its own, need."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * MOST_CONNECTIONS
    if soft != resource.RLIM_INFINITY and soft < wanted:
        most = wanted if hard == resource.RLIM_INFINITY else min(wanted, hard)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))


def _listen_for_the_end() -> dict[signal.Signals, Any]:
    """Let signals that mean the end interrupt this thread; returns what they did before."""
    before: dict[signal.Signals, Any] = {}
    for number in _CALLED_OFF:
        handler = signal.getsignal(number)
        # nohup and a shell's background ignore two of them on purpose; what begins children must
        # not ignore the third, or they could not be ended by it either
        if handler is not signal.SIG_IGN or number is signal.SIGTERM:
            before[number] = handler
            signal.signal(number, _interrupt)
    return before


def _refuse(why: str) -> int:
    log.info("cannot start: %s", why)
    with suppress(OSError):
        print(f"Oatmeal cannot start. {why}", file=sys.stderr)
    return 1


def _keep_log(home: Path) -> None:
    """Write what happens to a file too: the terminal may be closed when it matters."""
    file = RotatingFileHandler(home / "oatmeal.log", maxBytes=1_000_000, backupCount=1, delay=True)
    log.addHandler(file)
    log.setLevel(logging.INFO)
    for handler in (file, *logging.getLogger().handlers):
        handler.setFormatter(OneLine(LOG_FORMAT))
    for handler in logging.getLogger().handlers:
        handler.setLevel(logging.WARNING)  # the terminal is told in words of its own
    logging.raiseExceptions = False  # a full disk or a closed terminal must not stop the work


def _say(words: str, end: str = "\n") -> None:
    """Print, if there still is a terminal."""
    try:
        print(words, end=end, flush=True)
    except OSError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # or Python would complain at its end


def _run(settings: Settings, with_demo: bool, lock: TextIO) -> None:
    if (settings.home / RESTORING).exists() and not (settings.home / "database").exists():
        raise StartError(
            f"The library in {settings.home} was being restored and is not whole: restore it again."
        )
    begun = time.monotonic()
    if with_demo:
        demo.require()
    listener = _listener(settings.port)
    making = Making(os.cpu_count() or 1)
    database_server = PrivateServer(settings.home / "database")
    runner: Runner | None = None
    joiner: Joiner | None = None
    watched: Watched | None = None
    try:
        making.begin()
        threading.Thread(target=shared_reader().warm, daemon=True).start()
        step = Steps(lock)
        with step("Starting the database"):
            database_server.start()
        database_server.watch()
        with step("Preparing the tables"):
            database = Database(database_server.url)
            _migrate(database, settings.home)
        store = FileStore(settings.home, settings.cache_bytes)
        store.clear_incoming()
        app = create_app(database, store, settings, making)
        threading.Thread(target=panels.warm, args=(app,), daemon=True).start()
        if not making.ready:
            with step("Making the first page ready") as told:
                making.wait(FIRST, told)
        if with_demo:
            demo.load(database, app.extensions["oatmeal"].importer, settings.home, step)
        address = access.address_of(app, f"http://{HOST}:{listener.getsockname()[1]}/")
        _write(lock, address)
        runner, joiner = app.extensions["oatmeal"].runner, app.extensions["oatmeal"].joiner
        runner.start()
        joiner.start()
        if settings.watch is not None:
            importer = app.extensions["oatmeal"].importer
            watched = Watched(settings.watch, importer, settings.home / "watched.json")
            watched.start()
        seconds = time.monotonic() - begun
        _say(f"Oatmeal is ready after {seconds:.1f} s: {address}   (Ctrl-C stops it)")
        for proxied in access.proxied_addresses(app, settings.hosts):
            _say(f"  Behind the proxy: {proxied}")
        if not making.ready:
            _say(
                f"  Some steps are still made ready, about {making.seconds:.0f} s; what you open "
                "is taken first."
            )
        log.info("ready")
        threading.Thread(target=_load, args=(making,), daemon=True).start()
        later = threading.Timer(_LATER_S, import_module, ["scipy.optimize"])
        later.daemon = True
        later.start()
        server_for(app, settings, listener).run()
    finally:
        _let_finish()
        asked = sys.exc_info()[0] in (None, KeyboardInterrupt)
        if asked:
            _say("\nStopping ...", end=" ")
        making.end()
        listener.close()
        if watched is not None:
            watched.stop()
        if runner is not None:
            runner.stop()
        if joiner is not None:
            joiner.stop()
        database_server.stop()
        if asked:
            _say("stopped; everything is saved.")
            log.info("stopped; everything is saved")


class Steps:
    """What a start does, told on the terminal and, while it does it, in the lock file."""

    def __init__(self, lock: TextIO) -> None:
        self._lock = lock

    @contextmanager
    def __call__(self, words: str) -> Iterator[Callable[[float], None]]:
        """Say what is being done, how far it is if that is told, and how long it took."""
        begun, fifths = time.monotonic(), 0

        def told(share: float) -> None:
            nonlocal fifths
            while fifths < min(int(share * 5), 4):
                fifths += 1
                _say(f"{20 * fifths} %", end=" ")
            _write(self._lock, f"{words}, {share:.0%}")

        _write(self._lock, words)
        _say(f"  {words} ...", end=" ")
        try:
            yield told
        except BaseException:
            _say("")
            raise
        _say(f"{time.monotonic() - begun:.1f} s")


def _migrate(database: Database, home: Path) -> None:
    """Bring the tables up to date, and remember which version did."""
    file = home / "version"
    before = file.read_text().strip() if file.exists() else ""
    try:
        database.migrate()
    except OtherTables as error:
        raise StartError(
            f"The library in {home} was last used by Oatmeal {before or 'of another version'}, "
            f"whose tables ({error}) this one, {__version__}, does not know: start that version, "
            "or set OATMEAL_HOME to another folder."
        ) from None
    if before != __version__:
        file.write_text(f"{__version__}\n")


def _load(making: Making) -> None:
    """Load loops as they become ready, in order, so that no drag waits for it."""
    rest = not making.ready
    for number, loops in enumerate(ROOMS, 1):
        making.wait(number)
        import_module(loops.module).warm()
    if rest and not making.ended:
        log.info("everything is made ready")
        _say("  Everything is made ready.")


def _listener(port: int) -> socket.socket:
    """A listening socket on the port, or on a free one if the usual port is taken."""
    reason = ""
    for wanted in (port, 0) if port == USUAL_PORT else (port,):
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((HOST, wanted))
            listener.listen(128)
        except OSError as error:
            listener.close()
            reason = (
                "is taken by another program: set OATMEAL_PORT to a free one"
                if error.errno == errno.EADDRINUSE
                else f"cannot be used ({error.strerror}): set OATMEAL_PORT to one that you may use"
            )
            continue
        if wanted != port:
            _say(f"  Port {port} {reason.split(':')[0]}; {listener.getsockname()[1]} is used.")
        return listener
    raise StartError(f"Port {port} {reason}.")


def _write(lock: TextIO, text: str) -> None:
    """Tell who looks at the lock file what the start does, or the address."""
    lock.seek(0)
    lock.truncate()
    lock.write(text)
    lock.flush()


@contextmanager
def _only_one(home: Path) -> Iterator[TextIO]:
    """Hold the data folder; only one Oatmeal may work in it."""
    home.mkdir(parents=True, exist_ok=True)
    home.chmod(0o700)  # the photographs are nobody else's
    lock = home / "running"
    lock.touch(mode=0o600)
    lock.chmod(0o600)  # it holds the address with its key
    with lock.open("a+") as file:
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
    log.info("%s: stopping", _CALLED_OFF[signal.Signals(number)])
    raise KeyboardInterrupt


def _let_finish() -> None:
    """A second Ctrl-C while stopping must not cut the database off.

    Signals are heard rather than ignored: a process that is just being started would ignore them
    for ever, and whoever waits for its end could not end it.
    """
    for number in _CALLED_OFF:
        signal.signal(number, lambda number, frame: None)
