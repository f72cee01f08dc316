"""TIFF out, with EXIF: one uncompressed strip, tags written by Pillow.

The other libraries at hand either drop the EXIF directory or cannot hold 16-bit colour.
"""

from __future__ import annotations

from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from oatmeal.photofile import metadata

_BASE = ExifTags.Base


def write(file: BinaryIO, codes: NDArray[Any], profile: bytes, exif: bytes) -> None:
    """Write codes ``(H, W)`` or ``(H, W, 3)``, uint8 or uint16, as baseline TIFF 6.0."""
    height, width = codes.shape[:2]
    samples = 1 if codes.ndim == 2 else 3
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
    tags[_BASE.PhotometricInterpretation] = 1 if samples == 1 else 2
    tags[_BASE.Orientation] = 1
    tags[_BASE.SamplesPerPixel] = samples
    tags[_BASE.RowsPerStrip] = height
    tags[_BASE.StripByteCounts] = pixels.nbytes
    tags[_BASE.PlanarConfiguration] = 1
    tags[_BASE.InterColorProfile] = profile
    tags[_BASE.StripOffsets] = 0  # counted from the end of the directory when it is written
    file.write(b"II*\0" + (8).to_bytes(4, "little"))
    tags.save(file)
    file.write(pixels.data)
