"""Whether a file is whole, told from its structure: decoders fill up what is missing.

Each check reads only what names the parts of a file and where they lie. What lies beyond the end of
the file, or cannot be what it is said to be, is surely damaged.
"""

from __future__ import annotations

import os
import struct
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO, Final

import numpy as np

#: What a PNG begins with, and bytes of a chunk beside its data.
_PNG: Final = b"\x89PNG\r\n\x1a\n"
_CHUNK: Final = 12

#: Bytes of a box's head (ISO/IEC 14496-12, 4.2), and of one with a long size.
_HEAD: Final = 8
_LONG_HEAD: Final = 16

#: How many bytes of boxes that describe a file are read.
_MOST_DESCRIBED: Final = 16 << 20

#: Pixels of a side of a JPEG block (ITU-T T.81, A.1.1).
_BLOCK: Final = 8

#: Frames of JPEG with Huffman coding (T.81, table B.1): each block has a code of at least a bit.
_HUFFMAN_FRAMES: Final = (0xC0, 0xC1, 0xC2)

#: Zeros in compressed data that no coder writes.
_HOLE: Final = 4096

#: The same where colour tables and what is described may hold some.
_ZEROS: Final = 2048

#: TIFF tags (TIFF 6.0; SubIFDs: Technical Note 1, 1995): where strips and tiles lie, and how many
#: bytes each has; the kind of a directory's picture, and further directories.
_SUBFILE, _COMPRESSION = 254, 259
_PLACES: Final = ((273, 279), (324, 325))
_SUB_IFDS: Final = 330
_UNCOMPRESSED: Final = 1

#: Directories that are looked at in one file, and values of one tag.
_MOST_DIRECTORIES: Final = 64
_MOST_VALUES: Final = 1 << 20

_SIZES: Final = {1: ("B", 1), 3: ("H", 2), 4: ("I", 4), 13: ("I", 4), 16: ("Q", 8), 18: ("Q", 8)}


class Broken(Exception):
    """The file is surely not whole."""


def check_boxes(path: Path) -> bool:
    """Whether all of a HEIF file is there; raises :class:`Broken` if its main picture is not.

    HEIC and AVIF are boxes (ISO/IEC 14496-12); the box ``meta`` tells of items where they lie
    (``iloc``, 8.11.3), which is the main one (``pitm``), of which others it is made, and which
    belong to it (``iref``). A file whose boxes cannot be followed is left to its decoder.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        try:
            items = _Items(file, size)
        except (struct.error, ValueError, IndexError):
            return True
    beyond = {
        item
        for item, places in items.places.items()
        if any(offset + length > size for offset, length in places)
    }
    if beyond & items.needed():
        raise Broken
    return not beyond


class _Items:
    """What a HEIF file says of its items."""

    def __init__(self, file: BinaryIO, size: int) -> None:
        self.main = 0
        self.places: dict[int, list[tuple[int, int]]] = {}
        self._made_of: dict[int, list[int]] = {}
        for kind, begin, end in _boxes(file, 0, size):
            if kind == b"meta":
                file.seek(begin)
                inside = file.read(min(end - begin, _MOST_DESCRIBED))
                self._described(inside[4:])

    def needed(self) -> set[int]:
        """The main item and all that it is made of, such as tiles, and its opacity."""
        found: set[int] = set()
        todo = [self.main]
        while todo:
            one = todo.pop()
            if one not in found:
                found.add(one)
                todo += self._made_of.get(one, [])
        return found

    def _described(self, meta: bytes) -> None:
        for kind, begin, end in _inner(meta):
            body = meta[begin:end]
            version = body[0] if body else 0
            if kind == b"pitm":
                self.main = struct.unpack_from(">H" if version == 0 else ">I", body, 4)[0]
            elif kind == b"iloc":
                self._located(body, version)
            elif kind == b"iref":
                self._referred(body, version)

    def _located(self, body: bytes, version: int) -> None:
        """ISO/IEC 14496-12, 8.11.3.2; places inside other items (constructions 1, 2) are left."""
        widths, more = body[4], body[5]
        offset_size, length_size = widths >> 4, widths & 15
        base_size, index_size = more >> 4, more & 15 if version in (1, 2) else 0
        at = 6
        form, step = (">I", 4) if version == 2 else (">H", 2)
        count = struct.unpack_from(form, body, at)[0]
        at += step

        def number(length: int) -> int:
            nonlocal at
            value = int.from_bytes(body[at : at + length], "big")
            if at + length > len(body):
                raise ValueError("cut short")
            at += length
            return value

        for _ in range(count):
            item = number(4 if version == 2 else 2)
            construction = number(2) & 15 if version in (1, 2) else 0
            number(2)
            base = number(base_size)
            places = []
            for _ in range(number(2)):
                number(index_size)
                offset = base + number(offset_size)
                places.append((offset, number(length_size)))
            if construction == 0:
                self.places[item] = places

    def _referred(self, body: bytes, version: int) -> None:
        """Which items one is derived from, ``dimg``, or has beside it, ``auxl`` (8.11.12)."""
        form, step = (">H", 2) if version == 0 else (">I", 4)
        for kind, begin, end in _inner(body[4:]):
            if kind not in (b"dimg", b"auxl"):
                continue
            one = body[4 + begin : 4 + end]
            (item,) = struct.unpack_from(form, one)
            (count,) = struct.unpack_from(">H", one, step)
            others = struct.unpack_from(f">{count}{form[1]}", one, step + 2)
            if kind == b"dimg":
                self._made_of.setdefault(item, []).extend(others)
            else:  # it says itself whose it is
                for other in others:
                    self._made_of.setdefault(other, []).append(item)


def _boxes(file: BinaryIO, begin: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    """Kind, begin and end of what is inside each box of a file."""
    while begin + _HEAD <= end:
        file.seek(begin)
        head = file.read(_LONG_HEAD)
        length, kind = struct.unpack_from(">I4s", head)
        inside = begin + _HEAD
        if length == 1:
            (length,) = struct.unpack_from(">Q", head, 8)
            inside += 8
        elif length == 0:
            length = end - begin
        if length < _HEAD:
            raise ValueError("no box")
        yield kind, inside, begin + length
        begin += length


def _inner(data: bytes) -> Iterator[tuple[bytes, int, int]]:
    """The same of boxes in memory."""
    at = 0
    while at + _HEAD <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        begin = at + _HEAD
        if length == 1:
            (length,) = struct.unpack_from(">Q", data, begin)
            begin += 8
        elif length == 0:
            length = len(data) - at
        if length < _HEAD:
            raise ValueError("no box")
        yield kind, begin, at + length
        at += length


def check_jpeg(path: Path) -> None:
    """Raise :class:`Broken` if a JPEG file is too short for the blocks that it says it has.

    Each block of the first component has a Huffman code of at least one bit for its mean (T.81,
    F.1.2.1); so the file has at least as many bits as blocks.
    """
    with path.open("rb") as file:
        size = _jpeg_size(file)
    if size is None:
        return
    width, height = size
    blocks = -(-width // _BLOCK) * -(-height // _BLOCK)
    # subsampled the other way round, the first component may have a sixteenth of the blocks
    if path.stat().st_size * 8 < blocks // 16:
        raise Broken


def _jpeg_size(file: BinaryIO) -> tuple[int, int] | None:
    """Width and height of a Huffman-coded JPEG; None where they are not found."""
    if file.read(2) != b"\xff\xd8":
        return None
    while True:
        byte = file.read(1)
        while byte == b"\xff":
            byte = file.read(1)
            if byte not in (b"\xff", b"\x00", b""):
                break
        if not byte:
            return None
        marker = byte[0]
        if marker == 0xDA:
            return None
        if marker == 0x01 or 0xD0 <= marker <= 0xD8:
            continue
        head = file.read(2)
        if len(head) < 2:
            return None
        length = int.from_bytes(head, "big")
        if marker in _HUFFMAN_FRAMES:
            frame = file.read(5)
            if len(frame) < 5:
                return None
            return int.from_bytes(frame[3:5], "big"), int.from_bytes(frame[1:3], "big")
        file.seek(max(length - 2, 0), os.SEEK_CUR)


def jpeg_warns(path: Path) -> bool:
    """Whether libjpeg warns of a JPEG's data: too few or too many for its picture, or no codes.

    OpenCV's decoder says so on standard error alone, of this whole process; it is asked for a
    picture of an eighth of the size, for which all codes are read too.
    """
    import cv2

    sys.stderr.flush()
    with tempfile.TemporaryFile() as said:
        kept = os.dup(2)
        try:
            os.dup2(said.fileno(), 2)
            cv2.imdecode(np.fromfile(path, np.uint8), cv2.IMREAD_REDUCED_GRAYSCALE_8)
        finally:
            os.dup2(kept, 2)
            os.close(kept)
        said.seek(0)
        return b"JPEG" in said.read()


def holds_zeros(path: Path) -> bool:
    """Whether a file of codes alone, such as GIF or WebP, holds zeros that no coder writes.

    Nothing in such codes says where they went wrong: decoders draw something all the same.
    """
    return bytes(_ZEROS) in path.read_bytes()


def png_ends(path: Path) -> bool:
    """Whether a PNG holds all of its chunks to the last (W3C PNG, 5.3 and 11.2.5)."""
    size = path.stat().st_size
    with path.open("rb") as file:
        place = len(_PNG)
        while place + _CHUNK <= size:
            file.seek(place)
            length, kind = struct.unpack(">I4s", file.read(8))
            place += _CHUNK + int(length)
            if kind == b"IEND":
                return place <= size
    return False


def check_strips(path: Path) -> None:
    """Raise :class:`Broken` if strips or tiles of a TIFF structure are missing or hold a hole.

    For raw files of cameras, which most are such structures: their decoder takes what is missing
    for black. Of every directory the parts must lie within the file, and compressed ones hold no
    long run of zeros.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(8)
        order = {b"II": "<", b"MM": ">"}.get(head[:2])
        if order is None or len(head) < 8:
            return
        todo = [struct.unpack(order + "I", head[4:])[0]]
        seen: set[int] = set()
        while todo and len(seen) < _MOST_DIRECTORIES:
            place = todo.pop()
            if place in seen or not 8 <= place < size:
                continue
            seen.add(place)
            tags, following = _directory(file, order, place)
            todo += [following, *tags.get(_SUB_IFDS, ())]
            _check_parts(file, size, tags)


def _check_parts(file: BinaryIO, size: int, tags: dict[int, tuple[int, ...]]) -> None:
    compressed = tags.get(_COMPRESSION, (_UNCOMPRESSED,))[0] != _UNCOMPRESSED
    for where, lengths in _PLACES:
        for offset, count in zip(tags.get(where, ()), tags.get(lengths, ()), strict=False):
            if offset + count > size:
                raise Broken
            if compressed and count >= _HOLE and _has_hole(file, offset, count):
                raise Broken


def _has_hole(file: BinaryIO, offset: int, count: int) -> bool:
    file.seek(offset)
    return bytes(_HOLE) in file.read(count)


def _directory(file: BinaryIO, order: str, place: int) -> tuple[dict[int, tuple[int, ...]], int]:
    """Whole numbers of a directory's tags, and where the next one is."""
    file.seek(place)
    counted = file.read(2)
    if len(counted) < 2:
        return {}, 0
    (count,) = struct.unpack(order + "H", counted)
    entries = file.read(12 * count + 4)
    found: dict[int, tuple[int, ...]] = {}
    for at in range(0, min(len(entries), 12 * count) - 11, 12):
        tag, kind, values = struct.unpack_from(order + "HHI", entries, at)
        if kind not in _SIZES or values > _MOST_VALUES:
            continue
        form, length = _SIZES[kind]
        data = entries[at + 8 : at + 12]
        if values * length > 4:
            file.seek(struct.unpack(order + "I", data)[0])
            data = file.read(values * length)
        if len(data) >= values * length:
            found[tag] = struct.unpack_from(f"{order}{values}{form}", data)
    following = entries[12 * count :]
    return found, struct.unpack(order + "I", following)[0] if len(following) == 4 else 0
