"""A private MariaDB instance on loopback, with its own data directory and a free port."""

from __future__ import annotations

import ctypes
import logging
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from pathlib import Path
from typing import Final

import pymysql

from oatmeal.host import disk
from oatmeal.host.disk import NoRoom

#: Unix socket paths end here (sun_path, with its closing zero).
_MAX_SOCKET_PATH = 107

_PR_SET_PDEATHSIG = 1

#: What must be free on the disk for a new database, and for one that is there.
FIRST_BYTES: Final = 60_000_000
LATER_BYTES: Final = 4_000_000

#: How often the server is looked after, in seconds.
_LOOK_S: Final = 0.2

log = logging.getLogger("oatmeal")


class StartError(Exception):
    """The database cannot be started; the text says what to do."""


class PrivateServer:
    """One MariaDB server that belongs to one data folder.

    Parameters
    ----------
    folder : Path
        Holds the data, the password and the log; made if missing.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._data = folder / "data"
        self._process: subprocess.Popen[bytes] | None = None
        self._port = 0
        self._stopping = threading.Event()

    @property
    def url(self) -> str:
        """SQLAlchemy URL of the application's database.

        Without TLS, as nothing leaves the machine: for each connection PyMySQL would read all the
        certificates that the system trusts.
        """
        at = f"127.0.0.1:{self._port}/oatmeal?ssl_disabled=true"
        return f"mariadb+pymysql://oatmeal:{self._password()}@{at}"

    def start(self, timeout_s: float = 60) -> None:
        """Start the server and wait until it answers.

        Raises
        ------
        StartError
        """
        server = program("mariadbd")
        self._stopping.clear()
        self._folder.mkdir(parents=True, exist_ok=True)
        os.chmod(self._folder, 0o700)
        self._stop_leftover()
        new = not (self._data / "mysql").is_dir()
        self._require_room(FIRST_BYTES if new else LATER_BYTES)
        if new:
            self._install()
        for attempt in range(3):
            self._port = _free_port()
            self._process = self._spawn(server)
            if self._wait(timeout_s):
                return
            if attempt == 2 or "in use" not in self._log_tail():
                break
        self.stop()
        self._require_room(LATER_BYTES)  # a full disk says nothing in the log
        raise StartError(f"MariaDB did not start: {self._log_tail() or 'it gave no reason'}")

    def _require_room(self, needed: int) -> None:
        try:
            disk.require("The database", self._folder, needed)
        except NoRoom as error:
            raise StartError(str(error)) from error

    def watch(self) -> None:
        """Begin to look after the server: one that ends by itself is started again."""
        threading.Thread(target=self._look_after, daemon=True).start()

    def _look_after(self) -> None:
        while not self._stopping.wait(_LOOK_S):
            process = self._process
            if process is None or process.poll() is None:
                continue
            log.warning("the database ended (%s); it is started again", process.returncode)
            self._process = self._spawn(program("mariadbd"))
            if not self._wait(30):
                log.error("the database did not start again: %s", self._log_tail())

    def stop(self) -> None:
        """Shut the server down cleanly; does nothing if it is not running."""
        self._stopping.set()
        if self._process is None:
            return
        self._process.terminate()
        try:
            self._process.wait(30)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._process = None

    def _install(self) -> None:
        reason: list[str] = []
        for _ in range(2):  # once more, should a first try have been cut short
            shutil.rmtree(self._data, ignore_errors=True)
            result = self._run_install()
            if not result.returncode:
                return
            reason = (result.stderr or result.stdout).strip().splitlines()
        shutil.rmtree(self._data, ignore_errors=True)
        raise StartError(f"MariaDB's data folder could not be made: {' '.join(reason[-2:])}")

    def _run_install(self) -> subprocess.CompletedProcess[str]:
        environment = self._environment()
        # a script of MariaDB's, which cannot work in a path with a space in it: it gets another one
        with tempfile.TemporaryDirectory(prefix="oatmeal-", dir="/tmp") as plain:
            folder = Path(plain) / "database"
            folder.symlink_to(self._folder.absolute())
            return subprocess.run(
                [
                    program("mariadb-install-db"),
                    "--no-defaults",
                    f"--user={_user()}",
                    f"--datadir={folder / 'data'}",
                    "--auth-root-authentication-method=socket",
                    "--skip-test-db",
                    "--innodb-log-file-size=8M",
                    f"--tmpdir={folder / 'tmp'}",
                ],
                capture_output=True,
                text=True,
                env=environment | {"TMPDIR": str(folder / "tmp")},
            )

    def _spawn(self, server: str) -> subprocess.Popen[bytes]:
        password = self._password()
        # --init-file wants one statement a line
        start_file = self._folder / "start.sql"
        start_file.touch(mode=0o600)
        start_file.write_text(
            "CREATE DATABASE IF NOT EXISTS oatmeal CHARACTER SET utf8mb4 "
            "COLLATE utf8mb4_unicode_ci;\n"
            f"CREATE OR REPLACE USER oatmeal@'127.0.0.1' IDENTIFIED BY '{password}';\n"
            "GRANT ALL ON oatmeal.* TO oatmeal@'127.0.0.1';\n"
        )
        sock = self._folder / "s.sock"
        if len(str(sock)) > _MAX_SOCKET_PATH:
            raise StartError(
                f"The path {self._folder} is too long for MariaDB: set OATMEAL_HOME to a "
                "shorter one."
            )
        arguments = [
            server,
            "--no-defaults",
            f"--user={_user()}",
            f"--datadir={self._data}",
            f"--socket={sock}",
            f"--pid-file={self._folder / 'mariadb.pid'}",
            "--bind-address=127.0.0.1",
            f"--port={self._port}",
            "--skip-name-resolve",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--innodb-log-file-size=8M",
            "--innodb-buffer-pool-size=64M",
            f"--init-file={start_file}",
            f"--log-error={self._log}",
        ]
        self._log.unlink(missing_ok=True)
        # a session of its own keeps Ctrl-C from reaching it before us
        return subprocess.Popen(
            arguments,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            env=self._environment(),
            preexec_fn=_end_with_parent,
        )

    def _environment(self) -> dict[str, str]:
        """A folder of its own for temporary files, where no other server can disturb them."""
        temporary = self._folder / "tmp"
        temporary.mkdir(mode=0o700, exist_ok=True)
        return {**os.environ, "TMPDIR": str(temporary)}

    def _wait(self, timeout_s: float) -> bool:
        end = time.monotonic() + timeout_s
        while time.monotonic() < end:
            if self._process is None or self._process.poll() is not None:
                return False
            try:
                pymysql.connect(
                    host="127.0.0.1",
                    port=self._port,
                    user="oatmeal",
                    password=self._password(),
                    database="oatmeal",
                    connect_timeout=2,
                    ssl_disabled=True,  # as in the URL
                ).close()
                return True
            except pymysql.Error:
                time.sleep(0.02)
        return False

    def _stop_leftover(self) -> None:
        """End a server that a killed Oatmeal left running on our data folder."""
        pid_file = self._folder / "mariadb.pid"
        try:
            pid = int(pid_file.read_text())
            command = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except (OSError, ValueError):
            return
        if f"--datadir={self._data}".encode() not in command:
            return
        os.kill(pid, signal.SIGTERM)
        end = time.monotonic() + 30
        while Path(f"/proc/{pid}").exists() and time.monotonic() < end:
            if _is_zombie(pid):
                break
            time.sleep(0.05)

    def _password(self) -> str:
        file = self._folder / "password"
        found = file.read_text().strip() if file.exists() else ""
        if not found:  # an empty one, as a full disk leaves it, would open the database to anyone
            found = secrets.token_hex(24)
            file.touch(mode=0o600)
            file.write_text(found)
        return found

    @property
    def _log(self) -> Path:
        return self._folder / "mariadb.log"

    def _log_tail(self) -> str:
        try:
            lines = self._log.read_text(errors="replace").splitlines()
        except OSError:
            return ""
        errors = [line for line in lines if "[ERROR]" in line]
        return errors[0].split("[ERROR]")[1].strip() if errors else ""


def _end_with_parent() -> None:
    """Have the kernel end the child when this process is gone, even by kill -9."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def _is_zombie(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return True


def program(name: str) -> str:
    """Where a program of MariaDB lies; raises :class:`StartError` where it is missing."""
    found = shutil.which(name, path=os.environ.get("PATH", "") + ":/usr/sbin:/usr/local/sbin")
    if found is None:
        raise StartError(f"The program {name} is missing: install Debian's package mariadb-server.")
    return found


def _user() -> str:
    return pwd.getpwuid(os.geteuid()).pw_name


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port
