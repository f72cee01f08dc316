"""Picture files in: from a file's bytes to linear light."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

import numpy as np
import pyvips
from numpy.typing import NDArray

from oatmeal.core import kernels
from oatmeal.photofile import compression, metadata, profiles
from oatmeal.photofile.errors import Damaged, NotAPicture, TooLarge, Unsupported

pyvips.cache_set_max(0)  # files are read once; a cache would only hold memory

#: Loaders of libvips by the name of the format, as far as they are supported.
_FORMATS: Final = {
    "VipsForeignLoadJpegFile": "jpeg",
    "VipsForeignLoadPngFile": "png",
    "VipsForeignLoadTiffFile": "tiff",
}


@dataclass(frozen=True)
class Limits:
    """What is accepted.

    Attributes
    ----------
    max_bytes : int
        Size of a file.
    max_pixels : int
        Width times height.
    """

    max_bytes: int = 500 * 1024 * 1024
    max_pixels: int = 300_000_000


@dataclass(frozen=True)
class Header:
    """What a file says of itself before its pixels are read."""

    format: str
    width: int
    height: int
    bits: int
    note: str = ""


@dataclass
class SourcePicture:
    """A decoded picture: its codes, upright, and what they mean.

    Attributes
    ----------
    codes : uint8 or uint16, (H, W, 3) or (H, W, 1)
        As stored in the file, turned upright.
    tables : ndarray or None
        From codes to linear light; None when only the profile itself can tell.
    exif : bytes
        Descriptive metadata, see :mod:`oatmeal.photofile.metadata`.
    notes : list of str
        What a user should know about how the file was read.
    auto_guard : float
        Strength of the guard that the compression asks for, :mod:`oatmeal.photofile.compression`.
    """

    codes: NDArray[Any]
    tables: NDArray[np.float32] | None
    profile: bytes | None = None
    format: str = ""
    exif: bytes = b""
    notes: list[str] = field(default_factory=list)
    auto_guard: float = 0.0

    @property
    def width(self) -> int:
        return int(self.codes.shape[1])

    @property
    def height(self) -> int:
        return int(self.codes.shape[0])

    @property
    def bits(self) -> int:
        return int(self.codes.dtype.itemsize * 8)

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """Linear colour ``(height, width, 3)`` of the rectangle at ``x``, ``y``."""
        part = self.codes[y : y + height, x : x + width]
        if part.shape[2] == 1:
            part = np.repeat(part, 3, axis=2)
        part = np.ascontiguousarray(part)
        if self.tables is not None:
            return kernels.look_up(part, self.tables)
        if self.profile is None:
            raise ValueError("a picture needs tables or a profile")
        return profiles.to_linear(part, self.profile)


def decode(path: Path, name: str | None = None, limits: Limits | None = None) -> SourcePicture:
    """Read a JPEG, PNG or TIFF file of 8 or 16 bits.

    Parameters
    ----------
    path : Path
        The file.
    name : str, optional
        What to call it in messages; its own name by default.
    limits : Limits, optional

    Raises
    ------
    PhotoFileError
        With one sentence that names the file.
    """
    name = name or path.name
    limits = limits or Limits()
    image, header = _open(path, name, limits)
    try:
        codes = image.numpy()
    except pyvips.Error as error:
        raise Damaged(
            f"{name} is damaged or incomplete: copy it again from its card or archive."
        ) from error
    if codes.ndim == 2:
        codes = codes[..., None]
    codes = _without_alpha(codes, name)
    codes = _upright(codes, _orientation(image))
    notes = [header.note] if header.note else []
    profile, tables = _meaning(image, codes, notes)
    exif = metadata.read(path)
    guard = compression.auto_guard(path) if header.format == "jpeg" else 0.0
    return SourcePicture(codes, tables, profile, header.format, exif, notes, guard)


def _open(path: Path, name: str, limits: Limits) -> tuple[Any, Header]:
    size = path.stat().st_size
    if size == 0:
        raise NotAPicture(f"{name} is empty: copy it again from its card or archive.")
    if size > limits.max_bytes:
        raise TooLarge(
            f"{name} has {size / 1e6:.0f} MB, more than the {limits.max_bytes / 1e6:.0f} MB "
            "that are accepted: save a smaller copy, or raise OATMEAL_MAX_BYTES."
        )
    loader = pyvips.vips_lib.vips_foreign_find_load(str(path).encode())
    if loader == pyvips.ffi.NULL:
        raise NotAPicture(f"{name} is not a picture: add JPEG, PNG or TIFF files.")
    file_format = _FORMATS.get(pyvips.ffi.string(loader).decode())
    if file_format is None:
        raise Unsupported(
            f"{name} is of a kind that is not supported yet: save it as JPEG, PNG or TIFF first."
        )
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential", fail_on="error")
    except pyvips.Error as error:
        raise Damaged(
            f"{name} is damaged and cannot be opened: copy it again from its card or archive."
        ) from error
    if image.width * image.height > limits.max_pixels:
        raise TooLarge(
            f"{name} has {image.width * image.height / 1e6:.0f} megapixels, more than the "
            f"{limits.max_pixels / 1e6:.0f} that are accepted: save a smaller copy, or raise "
            "OATMEAL_MAX_PIXELS."
        )
    return image, _header(image, name, file_format)


def _header(image: Any, name: str, file_format: str) -> Header:
    bits = {"uchar": 8, "ushort": 16}.get(image.format)
    if bits is None:
        raise Unsupported(
            f"{name} stores its pixels as {image.format} numbers, which is not supported yet: "
            "save it with 8 or 16 bits."
        )
    if image.interpretation not in ("srgb", "rgb", "rgb16", "b-w", "grey16"):
        raise Unsupported(
            f"{name} is a {image.interpretation.upper()} picture, which is not supported yet: "
            "save it as RGB."
        )
    note = ""
    if image.get_typeof("n-pages") and image.get("n-pages") > 1:
        note = f"{name} holds {image.get('n-pages')} pages; the first was taken."
    return Header(file_format, image.width, image.height, bits, note)


def _without_alpha(codes: NDArray[Any], name: str) -> NDArray[Any]:
    channels = codes.shape[2]
    if channels in (1, 3):
        return codes
    colours = 1 if channels == 2 else 3
    if channels > 4 or (codes[..., colours:] != np.iinfo(codes.dtype).max).any():
        raise Unsupported(
            f"{name} has transparent parts or extra channels, which are not supported yet: "
            "save it flattened."
        )
    return np.ascontiguousarray(codes[..., :colours])


def _orientation(image: Any) -> int:
    return int(image.get("orientation")) if image.get_typeof("orientation") else 1


def _upright(codes: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Turn and mirror as the Orientation tag asks (EXIF 2.32, tag 274; 1 to 8)."""
    if orientation in (2, 4, 5, 7):
        codes = codes[:, ::-1] if orientation in (2, 5, 7) else codes[::-1]
    turns = {3: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    # writable and contiguous, so that each kernel is compiled for one kind of array only
    return np.require(np.rot90(codes, turns), requirements=["C", "W"])


def _meaning(
    image: Any, codes: NDArray[Any], notes: list[str]
) -> tuple[bytes | None, NDArray[np.float32] | None]:
    """The profile, and the tables from codes to light."""
    profile = image.get("icc-profile-data") if image.get_typeof("icc-profile-data") else None
    dtype = codes.dtype.type
    grey = codes.shape[2] == 1
    try:
        tables = profiles.linear_tables(profile, dtype, grey=grey)
    except profiles.BadProfile:
        notes.append("Its colour profile is damaged or does not fit; it was read as sRGB.")
        return None, profiles.linear_tables(None, dtype)
    return profile, tables
