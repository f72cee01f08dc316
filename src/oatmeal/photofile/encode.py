"""Picture files out: finished greys as JPEG, PNG or TIFF."""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, Literal, get_args

import numpy as np
import pyvips
from numpy.typing import NDArray

from oatmeal.photofile import metadata, profiles, tiff
from oatmeal.photofile.errors import PhotoFileError, Unsupported

Format = Literal["jpeg", "png", "tiff"]
FORMATS: Final[tuple[str, ...]] = get_args(Format)
SUFFIXES: Final[dict[str, str]] = {
    ".jpg": "jpeg", ".jpeg": "jpeg", ".png": "png", ".tif": "tiff", ".tiff": "tiff",
}  # fmt: skip
SUFFIX_OF: Final[dict[str, str]] = {"jpeg": ".jpg", "png": ".png", "tiff": ".tif"}
MIMETYPES: Final[dict[str, str]] = {
    "jpeg": "image/jpeg", "png": "image/png", "tiff": "image/tiff",
}  # fmt: skip

#: What may be kept of the descriptive metadata.
METADATA: Final[tuple[str, ...]] = ("keep", "place-free", "none")

#: JPEG cannot count further (ITU-T T.81, 16-bit frame size).
_JPEG_MAX_SIDE: Final = 65535


@dataclass(frozen=True)
class Output:
    """How a finished file is written.

    Attributes
    ----------
    format : str
        ``jpeg``, ``png`` or ``tiff``.
    depth : int
        8 or 16 bits; JPEG holds 8.
    channels : str
        ``grey``, one channel, or ``rgb``, three equal ones.
    quality : int
        Of a JPEG, 1 to 100.
    long_side : int or None
        Reduce to this many pixels; None keeps the size.
    metadata : str
        What to keep of the descriptive metadata: ``keep`` all, ``place-free`` without the place
        where it was taken, or ``none``.
    """

    format: str = "jpeg"
    depth: int = 8
    channels: str = "grey"
    quality: int = 92
    long_side: int | None = None
    metadata: str = "keep"

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise Unsupported(f"{self.format} files are not written yet: use {_listed(FORMATS)}.")
        if self.depth not in (8, 16):
            raise Unsupported(f"The depth must be 8 or 16 bits, not {self.depth}.")
        if self.format == "jpeg" and self.depth == 16:
            raise Unsupported("A JPEG holds 8 bits: choose PNG or TIFF for 16.")
        if self.channels not in ("grey", "rgb"):
            raise Unsupported(f"The channels must be grey or rgb, not {self.channels}.")
        if not 1 <= self.quality <= 100:
            raise Unsupported(f"The quality must be from 1 to 100, not {self.quality}.")
        if self.long_side is not None and not 16 <= self.long_side <= 100_000:
            raise Unsupported(f"The size must be from 16 to 100000 pixels, not {self.long_side}.")
        if self.metadata not in METADATA:
            raise Unsupported(f"The metadata must be {_listed(METADATA)}, not {self.metadata}.")

    @property
    def dtype(self) -> type[np.uint8] | type[np.uint16]:
        """The type of the codes that :func:`encode` wants."""
        return np.uint8 if self.depth == 8 else np.uint16


def encode(codes: NDArray[Any], path: Path, output: Output, exif: bytes = b"") -> int:
    """Write a finished grey to ``path``, whole or not at all.

    Parameters
    ----------
    codes : uint8 or uint16 (H, W)
        Finished codes of the output's depth.
    path : Path
        Written under another name in the same folder first, then renamed.
    exif : bytes
        Descriptive metadata of the photograph; the output says what of it to keep.

    Returns
    -------
    int
        Bytes written.

    Raises
    ------
    PhotoFileError
        When the format cannot hold the picture or the file cannot be written.
    """
    height, width = codes.shape
    if output.format == "jpeg" and max(width, height) > _JPEG_MAX_SIDE:
        raise Unsupported(f"A JPEG holds at most {_JPEG_MAX_SIDE} pixels a side: use PNG or TIFF.")
    exif = metadata.for_size(metadata.chosen(exif, output.metadata), width, height)
    try:
        handle, temporary = tempfile.mkstemp(prefix=".oatmeal-", dir=path.parent)
    except OSError as error:
        raise PhotoFileError(f"{path.parent} cannot be written to: {error.strerror}.") from error
    try:
        with os.fdopen(handle, "wb") as file:
            if output.format == "tiff":
                tiff.write(file, _channels(codes, output), _profile(output), exif)
            else:
                file.write(_through_vips(codes, output, exif))
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
    except BaseException as error:
        Path(temporary).unlink(missing_ok=True)
        if isinstance(error, OSError):
            raise PhotoFileError(f"{path} could not be written: {error.strerror}.") from error
        raise
    return path.stat().st_size


def _channels(codes: NDArray[Any], output: Output) -> NDArray[Any]:
    return codes if output.channels == "grey" else np.repeat(codes[..., None], 3, axis=2)


def _profile(output: Output) -> bytes:
    return profiles.grey_profile() if output.channels == "grey" else profiles.srgb_profile()


def _through_vips(codes: NDArray[Any], output: Output, exif: bytes) -> bytes:
    names = {("grey", 8): "b-w", ("grey", 16): "grey16", ("rgb", 8): "srgb", ("rgb", 16): "rgb16"}
    image = pyvips.Image.new_from_array(_channels(codes, output)).copy(
        interpretation=names[output.channels, output.depth], xres=300 / 25.4, yres=300 / 25.4
    )
    blob = pyvips.GValue.blob_type
    image.set_type(blob, "icc-profile-data", _profile(output))
    if exif:
        image.set_type(blob, "exif-data", b"Exif\0\0" + exif)
    try:
        if output.format == "jpeg":
            data: bytes = image.jpegsave_buffer(Q=output.quality)
        else:
            data = image.pngsave_buffer(compression=4, bitdepth=output.depth)
    except pyvips.Error as error:
        raise PhotoFileError(f"The {output.format.upper()} could not be written.") from error
    return data


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current


def _listed(names: tuple[str, ...]) -> str:
    return ", ".join(names[:-1]) + " or " + names[-1]
