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
from oatmeal.host import disk
from oatmeal.library.store import is_whole
from oatmeal.run.mariadb import PrivateServer, StartError, program
from oatmeal.settings import SettingError, Settings

#: Version of the folder's arrangement.
FORMAT: Final = 1

_MANIFEST: Final = "oatmeal-backup.json"
_DUMP: Final = "library.sql.gz"
_SMALL: Final = ("secret", "version", "written-back.txt", "watched.json", "demo-loaded")
_PARTLY: Final = ".oatmeal-partly"

#: Inside a library's folder while it is being restored; none starts beside it.
RESTORING: Final = ".part"  # short, for the path of the database in it

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
    before = _sums_before(target / _MANIFEST)
    target.mkdir(parents=True, exist_ok=True)
    target.chmod(0o700)  # as the library itself
    (target / _MANIFEST).touch()
    say("the database")
    dumped = target / (_PARTLY + _DUMP)
    with _database(home) as database:
        _dump(database, dumped)
        named = _named(database)
    if not _is_complete(dumped):
        dumped.unlink()
        raise BackupError("The database's copy ends early: try again.")
    wrong: list[str] = []
    sums: dict[str, str] = {}
    for count, source in enumerate(_files(home / "originals"), 1):
        inside = source.relative_to(home)
        damaged = _copied(source, target / inside)
        wrong += damaged
        if not damaged:
            sums[str(inside)] = source.name.split(".")[0]
        if count % 100 == 0:
            say(f"{count} originals")
    wrong += [
        f"The original of {file} is missing: add the same file again, if you have it."
        for path, file in named.items()
        if not (home / path).exists()
    ]
    for source in _files(home / "exports"):
        inside = source.relative_to(home)
        copy = target / inside
        known = before.get(str(inside))
        if not (known and copy.exists() and _same(source, copy) and is_whole(copy, known)):
            _copy(source, copy)
            known = _sum(copy)
        sums[str(inside)] = known
    for name in _SMALL:
        if (home / name).exists():
            _copy(home / name, target / name)
    dumped.replace(target / _DUMP)  # not before all that it names is there
    originals = sum(path.startswith("originals/") for path in sums)
    told = {
        "oatmeal_backup": FORMAT,
        "version": __version__,
        "at": datetime.now(UTC).isoformat(timespec="seconds"),
        "originals": originals,
        "files": sums,
    }
    _write(target / _MANIFEST, json.dumps(told, indent=1).encode())
    say(f"done: {originals} originals")
    return wrong


def check(source: Path, say: Say = lambda words: None) -> list[str]:
    """Prove a backup without restoring it: a sentence for each file that is missing or damaged.

    Raises
    ------
    BackupError
    """
    sums = _told(source)
    say("the database")
    _require_dump(source / _DUMP)
    wrong = []
    for count, (name, wanted) in enumerate(sums.items(), 1):
        wrong += _wrong(source / name, wanted)
        if count % 100 == 0:
            say(f"{count} of {len(sums)} files")
    say(f"done: {len(sums)} files")
    return wrong


def restore(source: Path, home: Path, say: Say = lambda words: None) -> list[str]:
    """Make the library of a backup again in ``home``, which must be empty or not there.

    It is made in a folder inside, and moved into place when all of it is there: what was begun and
    not ended is begun anew, and no library starts in it.

    Returns
    -------
    list of str
        A sentence for each file that the backup lacks or holds damaged.

    Raises
    ------
    BackupError, StartError
    """
    sums = _told(source)
    _require_dump(source / _DUMP)
    if home.exists() and any(path.name != RESTORING for path in home.iterdir()):
        raise BackupError(f"{home} is not empty: set OATMEAL_HOME to a new folder.")
    home.mkdir(parents=True, exist_ok=True)
    home.chmod(0o700)
    partly = home / RESTORING
    shutil.rmtree(partly, ignore_errors=True)
    partly.mkdir(mode=0o700)
    try:
        wrong = _restored(source, sums, partly, say)
    except BaseException:
        shutil.rmtree(partly)
        raise
    # the database last: until it is there, no library starts
    for made in sorted(partly.iterdir(), key=lambda path: path.name == "database"):
        made.replace(home / made.name)
    partly.rmdir()
    return wrong


def _restored(source: Path, sums: dict[str, str], home: Path, say: Say) -> list[str]:
    say("the database")
    server = PrivateServer(home / "database")
    server.start()
    try:
        _load(home / "database", source / _DUMP)
    finally:
        server.stop()
    wrong = []
    for count, (name, wanted) in enumerate(sums.items(), 1):
        found = _wrong(source / name, wanted)
        wrong += found
        if not found:
            _copy(source / name, home / name)
        if count % 100 == 0:
            say(f"{count} of {len(sums)} files")
    for name in _SMALL:
        if (source / name).exists():
            _copy(source / name, home / name)
    say(f"done: {sum(name.startswith('originals/') for name in sums)} originals")
    return wrong


def _files(folder: Path) -> list[Path]:
    return sorted(path for path in folder.rglob("*") if path.is_file())


def _sum(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _wrong(path: Path, wanted: str) -> list[str]:
    """A sentence if a file of a backup is not what it was."""
    if is_whole(path, wanted):
        return []
    what = "damaged" if path.exists() else "missing"
    kind = "original" if "originals" in path.parts else "finished file"
    return [f"The {kind} {path.name} is {what} in the backup, and was left out."]


def _told(source: Path) -> dict[str, str]:
    """The files of a finished backup, with their sums."""
    try:
        told = json.loads((source / _MANIFEST).read_bytes())
    except (OSError, ValueError) as error:
        raise BackupError(f"{source} holds no finished backup of a library.") from error
    if not isinstance(told, dict) or not isinstance(told.get("oatmeal_backup"), int):
        raise BackupError(f"{source / _MANIFEST} is damaged: use another backup.")
    if told["oatmeal_backup"] > FORMAT:
        raise BackupError(f"{source} was made by a newer Oatmeal ({told.get('version')}).")
    sums = told.get("files")
    if sums is None:  # of an earlier version: originals are named by their sums
        sums = {
            str(path.relative_to(source)): path.name.split(".")[0]
            for path in _files(source / "originals")
            if not path.name.startswith(_PARTLY)
        }
        sums |= {
            str(path.relative_to(source)): _sum(path)
            for path in _files(source / "exports")
            if not path.name.startswith(_PARTLY)
        }
    whole = isinstance(sums, dict) and all(
        isinstance(one, str) and ".." not in Path(name).parts and not Path(name).is_absolute()
        for name, one in sums.items()
    )
    if not whole:
        raise BackupError(f"{source / _MANIFEST} is damaged: use another backup.")
    return dict(sums)


def _sums_before(manifest: Path) -> dict[str, str]:
    """What the backup before this one says of its files."""
    try:
        found = json.loads(manifest.read_bytes()).get("files")
    except (OSError, ValueError, AttributeError):
        return {}
    return found if isinstance(found, dict) else {}


def _require_dump(dump: Path) -> None:
    try:
        complete = _is_complete(dump)
    except (OSError, EOFError, zlib.error) as error:
        raise BackupError(f"{dump} is damaged: use another backup.") from error
    if not complete:
        raise BackupError(f"{dump} ends early: use another backup.")


def _is_complete(dump: Path) -> bool:
    """Whether a dump ends as each does that was made to its end."""
    last = b""
    with gzip.open(dump) as file:
        while part := file.read(1 << 20):
            last = (last + part)[-200:]
    return b"-- Dump completed" in last


def _named(folder: Path) -> dict[str, str]:
    """Originals that the database names, below the library's folder, with their files' names."""
    query = "SELECT sha256, suffix, file_name FROM photograph WHERE deleted_at IS NULL"
    command = _client("mariadb", folder, "--skip-column-names", "--batch", "-e", query, "oatmeal")
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode:
        raise BackupError(f"The database could not be read: {done.stderr.strip()}")
    rows = [line.split("\t") for line in done.stdout.splitlines()]
    return {f"originals/{sha[:2]}/{sha}{suffix}": name for sha, suffix, name in rows}


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
    if is_whole(target, target.name.split(".")[0]):
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
        if disk.is_full(error):
            raise BackupError(
                str(disk.no_room(source.name, target.parent, source.stat().st_size))
            ) from error
        raise BackupError(f"{target} could not be written: {error.strerror}.") from error


def _write(target: Path, content: bytes) -> None:
    partly = target.with_name(_PARTLY + target.name)
    partly.write_bytes(content)
    partly.replace(target)


def main(arguments: list[str] | None = None) -> int:
    """``python -m oatmeal.run.backup backup|restore FOLDER``; returns the exit status."""
    parser = argparse.ArgumentParser(prog="oatmeal")
    parser.add_argument("what", choices=("backup", "restore", "check"))
    parser.add_argument("folder", type=Path)
    options = parser.parse_args(arguments)

    def say(words: str) -> None:
        if sys.stderr.isatty():
            print(f"\r\033[K{words}", end="\n" if words.startswith("done") else "", file=sys.stderr)

    try:
        home = Settings.from_environment().home
        if options.what == "backup":
            wrong = backup(home, options.folder, say)
        elif options.what == "check":
            wrong = check(options.folder, say)
        else:
            wrong = restore(options.folder, home, say)
    except (BackupError, StartError, SettingError) as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    except OSError as error:
        if disk.is_full(error):
            print(f"oatmeal: the disk that holds {options.folder} is full.", file=sys.stderr)
            return 1
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
