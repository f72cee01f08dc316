"""A zip archive as a stream: the first byte leaves before the second file is read."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Final

#: Bytes of a file that are held at a time.
CHUNK: Final = 1 << 20


class _Outlet(io.RawIOBase):
    """What an archive is written to: it keeps what was not taken yet, and cannot go back."""

    def __init__(self) -> None:
        self._written = bytearray()

    def writable(self) -> bool:
        """Only ever written to."""
        return True

    def write(self, data: object) -> int:
        """Keep bytes until they are taken."""
        view = memoryview(data)  # type: ignore[arg-type]
        self._written += view
        return view.nbytes

    def take(self) -> bytes:
        """All that was written since the last time."""
        taken = bytes(self._written)
        self._written.clear()
        return taken


def streamed(folder: Path, names: Sequence[str]) -> Iterator[bytes]:
    """The archive of some files of a folder, piece by piece.

    Pictures are compressed already, so that they are only stored. A file that has gone meanwhile
    is left out.
    """
    outlet = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED) as archive:
        for name in names:
            try:
                file = (folder / name).open("rb")
            except FileNotFoundError:
                continue
            with file, archive.open(zipfile.ZipInfo.from_file(folder / name, name), "w") as packed:
                while chunk := file.read(CHUNK):
                    packed.write(chunk)
                    yield outlet.take()
    yield outlet.take()
