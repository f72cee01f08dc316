"""TIFF: its tags, and files out with EXIF, in one plain strip or many compressed ones.

Tags are written by Pillow.

The other libraries at hand either drop the EXIF directory or cannot hold 16-bit colour.
"""

from __future__ import annotations

import os
import struct
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, BinaryIO, Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from oatmeal.photofile import metadata

_BASE = ExifTags.Base

#: What a little-endian file begins with; its directory follows.
_HEAD: Final = b"II*\0" + (8).to_bytes(4, "little")

#: Rows of a compressed strip, strips that may wait, and libdeflate's level.
_STRIP_ROWS: Final = 128
_WAITING: Final = 6
_FAST: Final = 1

#: Entries of a directory that are looked at.
_MOST_ENTRIES: Final = 4096

#: Field types of whole numbers (TIFF 6.0, section 2; BigTIFF, 2007) that are looked up: BYTE,
#: SHORT, LONG, LONG8.
_WHOLE: Final = {1: ("B", 1), 3: ("H", 2), 4: ("I", 4), 16: ("Q", 8)}

#: What a file begins with: the order of its bytes, and the forms of places, of a directory's count
#: and of a value's, and how long an entry is.
_KINDS: Final = {
    b"II*\0": ("<", "I", "H", 12), b"MM\0*": (">", "I", "H", 12),
    b"II+\0": ("<", "Q", "Q", 20), b"MM\0+": (">", "Q", "Q", 20),
}  # fmt: skip


def first_tags(path: Path) -> dict[int, int]:
    """Tags of a TIFF file's first directory with their first value, where it is a whole number.

    Empty for what is no TIFF. Read by hand, since libraries refuse the whole directory of a kind
    of picture that they do not know (TIFF 6.0, section 2; BigTIFF has longer places and counts).
    """
    with path.open("rb") as file:
        head = file.read(16)
        if head[:4] not in _KINDS:
            return {}
        order, place, counts, step = _KINDS[head[:4]]
        room = struct.calcsize(place)
        first = head[8:] if room == 8 else head[4:8]
        if len(first) < room:
            return {}
        file.seek(struct.unpack(order + place, first)[0])
        counted = file.read(struct.calcsize(counts))
        if len(counted) < struct.calcsize(counts):
            return {}
        entries = file.read(step * min(struct.unpack(order + counts, counted)[0], _MOST_ENTRIES))
        found = {}
        for start in range(0, len(entries) - step + 1, step):
            tag, kind, count = struct.unpack_from(f"{order}HH{place}", entries, start)
            form, length = _WHOLE.get(kind, ("I", 4))
            value = entries[start + step - room : start + step]
            if kind in _WHOLE and count * length > room:  # the values stand elsewhere
                file.seek(struct.unpack(order + place, value)[0])
                value = file.read(length)
            if len(value) >= length:
                found[tag] = struct.unpack_from(order + form, value)[0]
    return found


def write(
    file: BinaryIO, codes: NDArray[Any], profile: bytes, exif: bytes, resolution: int = 300
) -> None:
    """Write codes ``(H, W)`` or ``(H, W, 1 to 4)``, uint8 or uint16, as baseline TIFF 6.0.

    An even number of channels has opacity as its last one (ExtraSamples 2, unassociated alpha).
    """
    height, width = codes.shape[:2]
    samples = 1 if codes.ndim == 2 else codes.shape[2]
    pixels = np.ascontiguousarray(codes.astype(codes.dtype.newbyteorder("<"), copy=False))
    tags = _tags((height, width, samples), codes.dtype, profile, exif, resolution)
    tags[_BASE.Compression] = 1
    tags[_BASE.RowsPerStrip] = height
    tags[_BASE.StripByteCounts] = pixels.nbytes
    tags[_BASE.StripOffsets] = 0  # counted from the end of the directory when it is written
    file.write(_HEAD)
    tags.save(file)
    file.write(pixels.data)


def write_compressed(
    file: BinaryIO,
    size: tuple[int, int],
    parts: Iterable[NDArray[np.uint16]],
    profile: bytes,
    exif: bytes,
    resolution: int = 300,
) -> None:
    """Write a picture that comes in parts, uint16 ``(rows, width, 3)`` from the top down.

    Deflate with differences between neighbours (TIFF 6.0, section 14, and TIFF Technical Notes,
    2002), so that most programs can read it.

    Parameters
    ----------
    file : binary file
        Must be seekable.
    size : tuple of int
        Width and height.
    """
    width, height = size
    strips = -(-height // _STRIP_ROWS)
    tags = _tags((height, width, 3), np.dtype(np.uint16), profile, exif, resolution)
    tags[_BASE.Compression] = 8
    tags[_BASE.Predictor] = 2
    tags[_BASE.RowsPerStrip] = _STRIP_ROWS
    tags[_BASE.StripByteCounts] = (1 << 20,) * strips  # all are counted in four bytes
    tags[_BASE.StripOffsets] = (1 << 20,) * strips
    file.write(_HEAD)
    tags.save(file)
    begun = file.tell()
    offsets, counts = [], []
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for packed in _in_order(pool, _strips(parts)):
            offsets.append(file.tell() - begun)
            counts.append(len(packed))
            file.write(packed)
    if len(counts) != strips:
        raise ValueError(f"{len(counts)} strips came, {strips} were wanted")
    tags[_BASE.StripByteCounts] = tuple(counts)
    tags[_BASE.StripOffsets] = tuple(offsets)  # from the end of the directory, as above
    file.seek(len(_HEAD))
    tags.save(file)
    if file.tell() != begun:
        raise ValueError("the directory changed its length")
    file.seek(0, os.SEEK_END)


def _strips(parts: Iterable[NDArray[np.uint16]]) -> Iterator[NDArray[np.uint16]]:
    """Parts of any height in strips of equal height."""
    left: list[NDArray[np.uint16]] = []
    for part in parts:
        rows = np.concatenate([*left, part]) if left else part
        full = len(rows) // _STRIP_ROWS * _STRIP_ROWS
        for top in range(0, full, _STRIP_ROWS):
            yield rows[top : top + _STRIP_ROWS]
        left = [rows[full:]] if full < len(rows) else []
    yield from left


def _in_order(pool: ThreadPoolExecutor, strips: Iterator[NDArray[np.uint16]]) -> Iterator[bytes]:
    """Compress strips side by side; a few at a time wait in memory."""
    waiting = []
    for strip in strips:
        waiting.append(pool.submit(_packed, strip))
        if len(waiting) > _WAITING:
            yield waiting.pop(0).result()
    for one in waiting:
        yield one.result()


def _packed(strip: NDArray[np.uint16]) -> bytes:
    steps = strip.astype("<u2")
    steps[:, 1:] -= strip[:, :-1]
    return bytes(imagecodecs.deflate_encode(steps.tobytes(), _FAST))


def _tags(
    shape: tuple[int, int, int], dtype: np.dtype[Any], profile: bytes, exif: bytes, resolution: int
) -> ImageFileDirectory_v2:
    """What is said of any picture, with its descriptive metadata."""
    height, width, samples = shape
    tags = ImageFileDirectory_v2()
    described = metadata.load(exif)
    for tag, value in described.items():
        if tag not in (ExifTags.IFD.Exif, ExifTags.IFD.GPSInfo):
            tags[tag] = value
    for directory in (ExifTags.IFD.Exif, ExifTags.IFD.GPSInfo):
        if described.get_ifd(directory):
            tags[directory] = described.get_ifd(directory)
    tags[_BASE.ImageWidth] = width
    tags[_BASE.ImageLength] = height
    tags[_BASE.BitsPerSample] = (dtype.itemsize * 8,) * samples
    tags[_BASE.PhotometricInterpretation] = 1 if samples < 3 else 2
    if samples % 2 == 0:
        tags[_BASE.ExtraSamples] = 2
    tags[_BASE.Orientation] = 1
    tags[_BASE.SamplesPerPixel] = samples
    tags[_BASE.PlanarConfiguration] = 1
    tags[_BASE.XResolution] = tags[_BASE.YResolution] = float(resolution)
    tags[_BASE.ResolutionUnit] = 2  # inch
    tags[_BASE.InterColorProfile] = profile
    return tags
