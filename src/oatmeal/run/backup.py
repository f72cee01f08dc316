"""A copy of a whole library in another folder, made while it is used or not, and the way back.

The database is dumped as one consistent state; originals are copied after it, so that all that it
names are there. They are named by their content: a second backup copies only what is new, and every
copy is compared with its name. The cache is left out; it is made again.
"""

from __future__ import annotations

import argparse
import fcntl
import gzip
import hashlib
import json
import os
import pwd
import shutil
import subprocess
import sys
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from oatmeal import __version__
from oatmeal.library.store import is_whole
from oatmeal.photofile import room
from oatmeal.run.mariadb import PrivateServer, StartError, program
from oatmeal.settings import SettingError, Settings

#: Version of the folder's arrangement.
FORMAT: Final = 1

_MANIFEST: Final = "oatmeal-backup.json"
_DUMP: Final = "library.sql.gz"
_SMALL: Final = ("secret", "version", "written-back.txt", "watched.json", "demo-loaded")
_PARTLY: Final = ".oatmeal-partly"

Say = Callable[[str], None]


class BackupError(Exception):
    """A backup that cannot be made or used; one sentence."""


def backup(home: Path, target: Path, say: Say = lambda words: None) -> list[str]:
    """Copy the library in ``home`` into the folder ``target``, on top of an earlier backup or not.

    Returns
    -------
    list of str
        A sentence for each original that is damaged; everything else is copied.

    Raises
    ------
    BackupError, StartError
    """
    if not (home / "database" / "data").is_dir():
        raise BackupError(f"There is no library in {home}: set OATMEAL_HOME to its folder.")
    if target.absolute().is_relative_to(home.absolute()):
        raise BackupError(f"{target} lies inside the library: choose a folder on another disk.")
    if target.exists() and any(target.iterdir()) and not (target / _MANIFEST).exists():
        raise BackupError(f"{target} holds something else: choose an empty folder.")
    target.mkdir(parents=True, exist_ok=True)
    target.chmod(0o700)  # as the library itself
    (target / _MANIFEST).touch()
    say("the database")
    dumped = target / (_PARTLY + _DUMP)
    with _database(home) as database:
        _dump(database, dumped)
    wrong, count = [], 0
    for source in sorted((home / "originals").rglob("*")):
        if source.is_file():
            count += 1
            wrong += _copied(source, target / source.relative_to(home))
            if count % 100 == 0:
                say(f"{count} originals")
    for source in sorted((home / "exports").rglob("*")):
        copy = target / source.relative_to(home)
        if source.is_file() and not (copy.exists() and _same(source, copy)):
            _copy(source, copy)
    for name in _SMALL:
        if (home / name).exists():
            _copy(home / name, target / name)
    dumped.replace(target / _DUMP)  # not before all that it names is there
    told = {
        "oatmeal_backup": FORMAT,
        "version": __version__,
        "at": datetime.now(UTC).isoformat(timespec="seconds"),
        "originals": count - len(wrong),
    }
    _write(target / _MANIFEST, json.dumps(told, indent=1).encode())
    say(f"done: {count} originals")
    return wrong


def restore(source: Path, home: Path, say: Say = lambda words: None) -> list[str]:
    """Make the library of a backup again in ``home``, which must be empty or not there.

    Returns
    -------
    list of str
        A sentence for each original that the backup holds damaged.

    Raises
    ------
    BackupError, StartError
    """
    try:
        told = json.loads((source / _MANIFEST).read_bytes())
    except (OSError, ValueError) as error:
        raise BackupError(f"{source} holds no finished backup of a library.") from error
    if told.get("oatmeal_backup", 0) > FORMAT:
        raise BackupError(f"{source} was made by a newer Oatmeal ({told.get('version')}).")
    if home.exists() and any(home.iterdir()):
        raise BackupError(f"{home} is not empty: set OATMEAL_HOME to a new folder.")
    home.mkdir(parents=True, exist_ok=True)
    home.chmod(0o700)
    try:
        return _restored(source, home, say)
    except BaseException:
        for made in home.iterdir():  # it was empty; so is it again, for another try
            shutil.rmtree(made) if made.is_dir() else made.unlink()
        raise


def _restored(source: Path, home: Path, say: Say) -> list[str]:
    say("the database")
    server = PrivateServer(home / "database")
    server.start()
    try:
        _load(home / "database", source / _DUMP)
    finally:
        server.stop()
    wrong, count = [], 0
    for path in sorted((source / "originals").rglob("*")):
        if path.is_file() and not path.name.startswith(_PARTLY):
            count += 1
            wrong += _copied(path, home / path.relative_to(source))
            if count % 100 == 0:
                say(f"{count} originals")
    for path in sorted((source / "exports").rglob("*")):
        if path.is_file() and not path.name.startswith(_PARTLY):
            _copy(path, home / path.relative_to(source))
    for name in _SMALL:
        if (source / name).exists():
            _copy(source / name, home / name)
    say(f"done: {count} originals")
    return wrong


@contextmanager
def _database(home: Path) -> Iterator[Path]:
    """The folder of a database that runs: that of a running Oatmeal, or started for now."""
    with (home / "running").open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield home / "database"
            return
        server = PrivateServer(home / "database")
        server.start()
        try:
            yield home / "database"
        finally:
            server.stop()


def _client(name: str, folder: Path, *more: str) -> list[str]:
    """A program of MariaDB's that talks to a library's database, as who owns its files."""
    user = pwd.getpwuid(os.geteuid()).pw_name
    return [
        program(name),
        "--no-defaults",
        f"--user={user}",
        f"--socket={folder / 's.sock'}",
        *more,
    ]


def _dump(folder: Path, target: Path) -> None:
    """One consistent state of the database, while it is used."""
    command = _client(
        "mariadb-dump", folder, "--single-transaction", "--quick", "--hex-blob",
        "--default-character-set=utf8mb4", "oatmeal",
    )  # fmt: skip
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
    assert process.stdout is not None
    assert process.stderr is not None
    with target.open("wb") as raw, gzip.open(raw, "wb", compresslevel=3) as file:
        shutil.copyfileobj(process.stdout, file, 1 << 20)
    reason = process.stderr.read().decode(errors="replace").strip().splitlines()
    if process.wait():
        target.unlink(missing_ok=True)
        raise BackupError(
            f"The database could not be read: {reason[-1] if reason else 'no reason'}"
        )


def _load(folder: Path, dump: Path) -> None:
    command = _client("mariadb", folder, "--default-character-set=utf8mb4", "oatmeal")
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE)
    assert process.stdin is not None
    assert process.stderr is not None
    try:
        with gzip.open(dump) as file, suppress(BrokenPipeError), process.stdin:
            shutil.copyfileobj(file, process.stdin, 1 << 20)
    except (OSError, EOFError, zlib.error) as error:
        process.kill()
        process.wait()
        raise BackupError(f"{dump} is damaged: use another backup.") from error
    reason = process.stderr.read().decode(errors="replace").strip().splitlines()
    if process.wait():
        raise BackupError(
            f"The database could not be made: {reason[-1] if reason else 'no reason'}"
        )


def _copied(source: Path, target: Path) -> list[str]:
    """Copy an original unless it is there; a sentence if its content is not what its name says."""
    if target.exists() and target.stat().st_size == source.stat().st_size:
        return []
    _copy(source, target)
    if is_whole(target, target.name.split(".")[0]):
        return []
    target.unlink()
    return [f"{source.name} is damaged and was left out: add the same file again, if you have it."]


def _same(source: Path, copy: Path) -> bool:
    one, other = source.stat(), copy.stat()
    return one.st_size == other.st_size and one.st_mtime <= other.st_mtime


def _copy(source: Path, target: Path) -> None:
    """Copy a file, whole or not at all."""
    target.parent.mkdir(parents=True, exist_ok=True)
    partly = target.with_name(_PARTLY + hashlib.sha256(target.name.encode()).hexdigest()[:16])
    try:
        shutil.copy2(source, partly)
        partly.replace(target)
    except OSError as error:
        partly.unlink(missing_ok=True)
        if room.is_full(error):
            raise BackupError(
                str(room.no_room(source.name, target.parent, source.stat().st_size))
            ) from error
        raise BackupError(f"{target} could not be written: {error.strerror}.") from error


def _write(target: Path, content: bytes) -> None:
    partly = target.with_name(_PARTLY + target.name)
    partly.write_bytes(content)
    partly.replace(target)


def main(arguments: list[str] | None = None) -> int:
    """``python -m oatmeal.run.backup backup|restore FOLDER``; returns the exit status."""
    parser = argparse.ArgumentParser(prog="oatmeal")
    parser.add_argument("what", choices=("backup", "restore"))
    parser.add_argument("folder", type=Path)
    options = parser.parse_args(arguments)

    def say(words: str) -> None:
        if sys.stderr.isatty():
            print(f"\r\033[K{words}", end="\n" if words.startswith("done") else "", file=sys.stderr)

    try:
        home = Settings.from_environment().home
        if options.what == "backup":
            wrong = backup(home, options.folder, say)
        else:
            wrong = restore(options.folder, home, say)
    except (BackupError, StartError, SettingError) as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"oatmeal: {error.filename} cannot be used: {error.strerror}.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("oatmeal: stopped; begin again", file=sys.stderr)
        return 1
    for sentence in wrong:
        print(f"oatmeal: {sentence}", file=sys.stderr)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
