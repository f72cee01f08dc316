"""Hand-over: files that another program sends, and finished ones written back beside them."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from pathlib import Path
from typing import Final

from oatmeal.host import disk
from oatmeal.library.errors import Invalid
from oatmeal.library.models import Photograph
from oatmeal.library.store import is_whole
from oatmeal.photofile.encode import TEMPORARY
from oatmeal.photofile.errors import PhotoFileError

#: Longest path that is remembered.
_LONGEST: Final = 4096


def origin(text: str) -> Path | None:
    """The path that a file was handed over from; raises :class:`Invalid` for what is none."""
    if not text:
        return None
    path = Path(text)
    if len(text) > _LONGEST or not path.is_absolute() or "\0" in text or ".." in path.parts:
        raise Invalid("Where the file came from must be a whole path.")
    return path


def write_back(photograph: Photograph, version: str, made: Path, ledger: Path) -> Path:
    """Put a finished file beside the original that was handed over, under a name of its own.

    Nothing that is there is ever written over: the name is numbered until it is free.

    Parameters
    ----------
    version : str
        Name of the version; it becomes part of the file's name.
    made : Path
        The finished file, in the cache.
    ledger : Path
        Keeps what was written, so that a watched folder does not take it in again.

    Raises
    ------
    Invalid
        Where the photograph was not handed over, or its original is gone or another now.
    PhotoFileError
        Where the folder cannot be written to.
    """
    if photograph.came_from is None:
        raise Invalid(f"“{photograph.title}” was not handed over from a folder: download it.")
    original = Path(photograph.came_from)
    if not is_whole(original, photograph.sha256):
        raise Invalid(
            f"{original} is not there any more, or is another file now: download the finished one."
        )
    spoken = re.sub(r"[^\w]+", "-", version.lower()).strip("-") or "finished"
    folder = original.parent
    disk.require(original.name, folder, made.stat().st_size)
    partly = None
    try:
        # a name that nobody can foretell, and never through a link that lies there
        handle, name = tempfile.mkstemp(prefix=TEMPORARY, suffix=made.suffix, dir=folder)
        partly = Path(name)
        with os.fdopen(handle, "wb") as file, made.open("rb") as source:
            shutil.copyfileobj(source, file)
        partly.chmod(made.stat().st_mode & 0o777)
        number = 1
        while True:
            more = f"-{number}" if number > 1 else ""
            target = folder / f"{original.stem[:100]}-{spoken[:60]}{more}{made.suffix}"
            if target.exists():
                number += 1
                continue
            with ledger.open("a") as lines:  # before it is there
                lines.write(f"{target}\n")
            try:
                os.link(partly, target)  # unlike a rename it never replaces what is there
                return target
            except FileExistsError:  # another one was faster
                number += 1
    except OSError as error:
        if disk.is_full(error):
            raise disk.no_room(original.name, folder, made.stat().st_size) from error
        raise PhotoFileError(f"{folder} cannot be written to: {error.strerror}.") from error
    finally:
        if partly is not None:
            partly.unlink(missing_ok=True)


def written(ledger: Path) -> set[str]:
    """Paths of what was ever written back."""
    try:
        return set(ledger.read_text().splitlines())
    except OSError:
        return set()
