"""The file store: originals by content, and a cache that may be deleted at any time."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Final, cast

from oatmeal.host import disk
from oatmeal.photofile.errors import Lost, PhotoFileError, TooLarge

_PIECE: Final = 1 << 20


@dataclass(frozen=True)
class Original:
    """A file that was taken in.

    Attributes
    ----------
    sha256, suffix : str
        Its content, and the end of its name in the store.
    name : str
        What its owner calls it.
    """

    sha256: str
    suffix: str
    name: str


class FileStore:
    """Files of one installation.

    Parameters
    ----------
    home : Path
        Folder that holds ``originals``, ``incoming``, ``exports`` and ``cache``.
    cache_bytes : int
        How large the cache may grow.
    """

    def __init__(self, home: Path, cache_bytes: int = 4 * 1024**3) -> None:
        self.originals = home / "originals"
        self.incoming = home / "incoming"
        self.exports = home / "exports"
        self.cache = home / "cache"
        #: Paths of finished files that were written beside originals elsewhere, a line each.
        self.written_back = home / "written-back.txt"
        self._cache_bytes = cache_bytes
        for folder in (self.originals, self.incoming, self.exports, self.cache):
            folder.mkdir(parents=True, exist_ok=True)

    def clear_incoming(self) -> None:
        """Remove what an interrupted import left behind."""
        for left in self.incoming.iterdir():
            left.unlink(missing_ok=True)

    @contextmanager
    def receive(
        self, chunks: Iterable[bytes], name: str, max_bytes: int, expected: int = 0
    ) -> Iterator[Received]:
        """Take in a file; it is gone again at the end of the block unless it was kept.

        Parameters
        ----------
        expected : int
            How many bytes will come, as far as that is known.

        Raises
        ------
        NoRoom
            Before anything is taken in, if it is known that the disk cannot hold it.
        TooLarge
            As soon as more than ``max_bytes`` arrived.
        """
        disk.require(name, self.incoming, expected)
        digest, size = hashlib.sha256(), 0
        with tempfile.NamedTemporaryFile(dir=self.incoming, delete=False) as file:
            path = Path(file.name)
            try:
                for chunk in chunks:
                    size += len(chunk)
                    if size > max_bytes:
                        raise TooLarge(
                            f"{name} is larger than the {max_bytes / 1e6:.0f} MB that are "
                            "accepted: save a smaller copy, or raise OATMEAL_MAX_BYTES."
                        )
                    digest.update(chunk)
                    file.write(chunk)
                file.flush()
                os.fsync(file.fileno())
                yield Received(path, digest.hexdigest(), size)
            except OSError as error:
                if disk.is_full(error):
                    raise disk.no_room(name, self.incoming, max(size, expected)) from error
                raise PhotoFileError(f"{name} could not be stored: {error.strerror}.") from error
            finally:
                for left in self.incoming.glob(f"{path.name}*"):  # what was made beside it too
                    left.unlink(missing_ok=True)

    def keep(self, received: Received, suffix: str) -> Path:
        """Move a received file to the originals; the same content is kept once.

        What lies there under its name and is not what it should be is replaced.
        """
        path = self.original(received.sha256, suffix)
        path.parent.mkdir(parents=True, exist_ok=True)
        if not is_whole(path, received.sha256):
            os.chmod(received.path, 0o444)
            os.replace(received.path, path)
            _sync_folder(path.parent)
        return path

    def original(self, sha256: str, suffix: str) -> Path:
        """Where the original with this content lies."""
        return self.originals / sha256[:2] / (sha256 + suffix)

    def checked(self, original: Original) -> Path:
        """Where an original lies, after a look at its content; raises :class:`Lost`."""
        path = self.original(original.sha256, original.suffix)
        check(path, original.sha256, original.name)
        return path

    def cached(self, name: str, make: Callable[[BinaryIO], None]) -> Path:
        """A file of the cache, made now if it is not there.

        Parameters
        ----------
        name : str
            Says everything that the content depends on.
        make : callable
            Writes the content.
        """
        path = self.cache / name[:2] / name
        if is_filled(path):
            os.utime(path)
            return path
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as file:
            try:
                make(cast(BinaryIO, file))
                file.flush()
                os.fsync(file.fileno())  # or a power cut may leave the name without the content
                os.replace(file.name, path)
            except BaseException:
                Path(file.name).unlink(missing_ok=True)
                raise
        return path

    def trim_cache(self) -> None:
        """Remove the cache's longest unused files until it fits its size."""
        files = [(path.stat(), path) for path in self.cache.rglob("*") if path.is_file()]
        total = sum(status.st_size for status, _ in files)
        for status, path in sorted(files, key=lambda entry: entry[0].st_mtime):
            if total <= self._cache_bytes:
                break
            path.unlink(missing_ok=True)
            total -= status.st_size


def pieces(path: Path) -> Iterator[bytes]:
    """A file piece by piece, as :meth:`FileStore.receive` takes it."""
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            yield piece


def is_filled(path: Path, size: int | None = None) -> bool:
    """True for a file that is there and not empty, or of just this size."""
    try:
        found = path.stat().st_size
        return found > 0 if size is None else found == size
    except OSError:
        return False


def is_whole(path: Path, sha256: str) -> bool:
    """True for a file that is there and has this content."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest() == sha256
    except OSError:
        return False


def check(path: Path, sha256: str, name: str) -> None:
    """Raise :class:`Lost` unless the original at ``path`` is what was taken in as ``name``."""
    if not is_whole(path, sha256):
        found = "damaged" if path.exists() else "missing"
        raise Lost(
            f"The original of {name} in Oatmeal's folder is {found}: add the same file to its "
            "series once more, and it is put back."
        )


class Received:
    """A file that has arrived whole but is not kept yet."""

    def __init__(self, path: Path, sha256: str, size: int) -> None:
        self.path = path
        self.sha256 = sha256
        self.size = size


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
