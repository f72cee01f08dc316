"""Descriptive metadata (EXIF): read from any file, cleaned of what describes the old pixels."""

from __future__ import annotations

import os
import re
from datetime import datetime
from io import BytesIO
from pathlib import Path
from typing import Any, Final

from PIL import ExifTags, Image

_BASE = ExifTags.Base

#: Tags of the first directory that describe the photograph rather than how pixels are stored.
_KEPT = (
    _BASE.ImageDescription, _BASE.Make, _BASE.Model, _BASE.Software, _BASE.DateTime,
    _BASE.Artist, _BASE.Copyright,
)  # fmt: skip
_DIRECTORIES = (ExifTags.IFD.Exif, ExifTags.IFD.GPSInfo)

#: Orientation as an attribute or an element of XMP (ISO 16684-1), in its TIFF namespace.
_XMP_ORIENTATION: Final = re.compile(rb"tiff:Orientation(?:=[\"']|>)([1-8])")

#: Bytes of a chunk that describes a PNG up to which it is read.
_MOST_DESCRIBED: Final = 4 << 20

#: Embedded pictures above this many pixels are refused elsewhere; here only headers are read.
Image.MAX_IMAGE_PIXELS = None


def read(file: Path | bytes) -> bytes:
    """EXIF of a picture file as a TIFF-structured block, empty where there is none.

    Orientation is left out, since decoding applies it; so are thumbnails. Damaged metadata never
    keeps a picture from being opened: what cannot be read is left out.
    """
    try:
        with Image.open(BytesIO(file) if isinstance(file, bytes) else file) as image:
            return _kept_of(image.getexif())
    except Exception:  # metadata of any brokenness must not stop the picture
        return b""


def cleaned(block: bytes) -> bytes:
    """The same for an EXIF block that a file carries, with or without its ``Exif`` mark."""
    try:
        return _kept_of(load(block.removeprefix(b"Exif\0\0")))
    except Exception:
        return b""


def orientation_in_xmp(packet: bytes) -> int:
    """Orientation (1 to 8) that an XMP packet names, in either of its forms; 1 without."""
    found = _XMP_ORIENTATION.search(packet)
    return int(found[1]) if found else 1


def orientation_of_png(path: Path) -> int:
    """Orientation that a PNG's chunks name, wherever they stand; 1 without.

    EXIF in ``eXIf`` (PNG, third edition, 11.3.4.5), else XMP in ``iTXt``.
    """
    told = 1
    with path.open("rb") as file:
        file.seek(8)
        while len(head := file.read(8)) == 8:
            length, kind = int.from_bytes(head[:4], "big"), head[4:]
            if kind in (b"eXIf", b"iTXt") and length <= _MOST_DESCRIBED:
                content = file.read(length)
                if kind == b"eXIf":
                    return _told_by(content)
                if content.startswith(b"XML:com.adobe.xmp\0\0"):
                    told = orientation_in_xmp(content)
                length = 0
            file.seek(length + 4, os.SEEK_CUR)
    return told


def _told_by(block: bytes) -> int:
    try:
        told = int(load(block.removeprefix(b"Exif\0\0")).get(_BASE.Orientation, 1))
    except Exception:  # as above
        return 1
    return told if 1 <= told <= 8 else 1


def _kept_of(found: Image.Exif) -> bytes:
    kept = Image.Exif()
    for tag in _KEPT:
        if tag in found:
            kept[tag] = found[tag]
    for directory in _DIRECTORIES:
        content = found.get_ifd(directory)
        if content:
            kept.get_ifd(directory).update(content)
    return _bytes(kept)


def _bytes(exif: Image.Exif) -> bytes:
    if not dict(exif) and not any(exif.get_ifd(directory) for directory in _DIRECTORIES):
        return b""
    for directory in _DIRECTORIES:
        if exif.get_ifd(directory):
            exif[directory] = exif.get_ifd(directory)
    block = exif.tobytes()
    return block.removeprefix(b"Exif\0\0")


def load(block: bytes) -> Image.Exif:
    """The EXIF block as Pillow's mapping."""
    exif = Image.Exif()
    if block:
        exif.load(b"Exif\0\0" + block)
    return exif


def chosen(block: bytes, what: str) -> bytes:
    """The EXIF block as asked for: ``keep``, ``place-free`` (without the place) or ``none``."""
    if not block or what == "none":
        return b""
    if what == "keep":
        return block
    full, kept = load(block), Image.Exif()
    for tag, value in full.items():
        if tag not in _DIRECTORIES:
            kept[tag] = value
    details = full.get_ifd(ExifTags.IFD.Exif)
    if details:
        kept.get_ifd(ExifTags.IFD.Exif).update(details)
    return _bytes(kept)


def for_size(block: bytes, width: int, height: int) -> bytes:
    """The EXIF block for a finished file of another size; empty stays empty."""
    if not block:
        return b""
    exif = load(block)
    details = exif.get_ifd(ExifTags.IFD.Exif)
    if details:
        details[_BASE.ExifImageWidth] = width
        details[_BASE.ExifImageHeight] = height
    return _bytes(exif)


def at_resolution(block: bytes, resolution: int) -> bytes:
    """The EXIF block with pixels an inch, which readers take for 72 where it says none (EXIF 2.32,
    tags 282, 283 and 296); empty stays empty."""
    if not block:
        return b""
    exif = load(block)
    exif[_BASE.XResolution] = exif[_BASE.YResolution] = float(resolution)
    exif[_BASE.ResolutionUnit] = 2
    return _bytes(exif)


def taken_at(block: bytes) -> datetime | None:
    """When the photograph was taken, as the camera's clock said."""
    exif: Any = load(block)
    text = exif.get_ifd(ExifTags.IFD.Exif).get(_BASE.DateTimeOriginal) or exif.get(_BASE.DateTime)
    try:
        return datetime.strptime(str(text), "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None


def description(block: bytes) -> str:
    """The photograph's own description, empty where it has none."""
    text = load(block).get(_BASE.ImageDescription, "")
    return text.strip("\0 \n") if isinstance(text, str) else ""
