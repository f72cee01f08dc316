"""Room on a disk: how much is free, and what is said where it does not suffice."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path
from typing import Final

from oatmeal.host.errors import Told

#: What the system says of a full disk, or of a full share of one.
_FULL: Final = (errno.ENOSPC, errno.EDQUOT)


class NoRoom(Told):
    """A file that its disk has no room for.

    Attributes
    ----------
    folder : str
        On that disk.
    needed : int
        Bytes that must be free.
    """

    def __init__(self, text: str, folder: str, needed: int) -> None:
        super().__init__(text, folder, needed)
        self.folder = folder
        self.needed = needed

    def __str__(self) -> str:
        return str(self.args[0])


def free(folder: Path) -> int:
    """Bytes that are free for us on the disk of a folder, which need not be there yet."""
    there = folder.absolute()
    while not there.exists():
        there = there.parent
    return shutil.disk_usage(there).free


def is_full(error: BaseException) -> bool:
    """True where the system refused to write for want of room."""
    return isinstance(error, OSError) and error.errno in _FULL


def require(what: str, folder: Path, needed: int) -> None:
    """Raise :class:`NoRoom` unless ``needed`` bytes are free on the disk of ``folder``.

    Parameters
    ----------
    what : str
        What would be written, as the subject of a sentence in the singular.
    """
    if free(folder) < needed:
        raise no_room(what, folder, needed)


def no_room(what: str, folder: Path, needed: int) -> NoRoom:
    """The error for ``what``, which needs so many bytes on the disk of ``folder``."""
    return NoRoom(
        f"{what} needs {weight(needed)}, and the disk that holds {folder} has "
        f"{weight(free(folder))} free: make room there.",
        str(folder),
        needed,
    )


def weight(size: int) -> str:
    """Bytes in words, such as ``24 MB``."""
    for unit, factor in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size >= factor:
            value = size / factor
            return f"{value:.0f} {unit}" if value >= 10 else f"{value:.1f} {unit}"
    return f"{size} bytes"
