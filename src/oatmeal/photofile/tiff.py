"""TIFF: its tags, and files out with EXIF, one uncompressed strip, tags written by Pillow.

The other libraries at hand either drop the EXIF directory or cannot hold 16-bit colour.
"""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any, BinaryIO, Final

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from oatmeal.photofile import metadata

_BASE = ExifTags.Base

#: Field types of whole numbers (TIFF 6.0, section 2) that are looked up: BYTE, SHORT, LONG.
_WHOLE: Final = {1: ("B", 1), 3: ("H", 2), 4: ("I", 4)}


def first_tags(path: Path) -> dict[int, int]:
    """Tags of a TIFF file's first directory with their first value, where it is a whole number.

    Empty for what is no TIFF. Read by hand, since libraries refuse the whole directory of a kind
    of picture that they do not know (TIFF 6.0, section 2).
    """
    with path.open("rb") as file:
        head = file.read(8)
        order = {b"II*\0": "<", b"MM\0*": ">"}.get(head[:4])
        if order is None or len(head) < 8:
            return {}
        file.seek(struct.unpack(order + "I", head[4:])[0])
        counted = file.read(2)
        if len(counted) < 2:
            return {}
        entries = file.read(12 * struct.unpack(order + "H", counted)[0])
        found = {}
        for start in range(0, len(entries) - 11, 12):
            tag, kind, count = struct.unpack_from(order + "HHI", entries, start)
            form, length = _WHOLE.get(kind, ("I", 4))
            value = entries[start + 8 : start + 12]
            if kind in _WHOLE and count * length > 4:  # the values stand elsewhere
                file.seek(struct.unpack(order + "I", value)[0])
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
    bits = codes.dtype.itemsize * 8
    pixels = np.ascontiguousarray(codes.astype(codes.dtype.newbyteorder("<"), copy=False))
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
    tags[_BASE.BitsPerSample] = (bits,) * samples
    tags[_BASE.Compression] = 1
    tags[_BASE.PhotometricInterpretation] = 1 if samples < 3 else 2
    if samples % 2 == 0:
        tags[_BASE.ExtraSamples] = 2
    tags[_BASE.Orientation] = 1
    tags[_BASE.SamplesPerPixel] = samples
    tags[_BASE.RowsPerStrip] = height
    tags[_BASE.StripByteCounts] = pixels.nbytes
    tags[_BASE.PlanarConfiguration] = 1
    tags[_BASE.XResolution] = tags[_BASE.YResolution] = float(resolution)
    tags[_BASE.ResolutionUnit] = 2  # inch
    tags[_BASE.InterColorProfile] = profile
    tags[_BASE.StripOffsets] = 0  # counted from the end of the directory when it is written
    file.write(b"II*\0" + (8).to_bytes(4, "little"))
    tags.save(file)
    file.write(pixels.data)
