"""Picture files out: finished greys as JPEG, PNG, TIFF, WebP or AVIF."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from io import BytesIO
from pathlib import Path
from typing import Any, BinaryIO, Final, Literal, get_args

import numpy as np
import pyvips
from numpy.typing import NDArray
from PIL import Image

from oatmeal.core.media import MEDIA
from oatmeal.photofile import metadata, profiles, room, tiff
from oatmeal.photofile.errors import PhotoFileError, Unsupported

Format = Literal["jpeg", "png", "tiff", "webp", "avif"]
FORMATS: Final[tuple[str, ...]] = get_args(Format)
SUFFIXES: Final[dict[str, str]] = {
    ".jpg": "jpeg", ".jpeg": "jpeg", ".png": "png", ".tif": "tiff", ".tiff": "tiff",
    ".webp": "webp", ".avif": "avif",
}  # fmt: skip
SUFFIX_OF: Final[dict[str, str]] = {
    "jpeg": ".jpg", "png": ".png", "tiff": ".tif", "webp": ".webp", "avif": ".avif",
}  # fmt: skip
MIMETYPES: Final[dict[str, str]] = {
    "jpeg": "image/jpeg", "png": "image/png", "tiff": "image/tiff", "webp": "image/webp",
    "avif": "image/avif",
}  # fmt: skip

#: Formats that hold 16 bits, one channel of grey, and transparency.
DEEP: Final = ("png", "tiff")
_SINGLE: Final = ("jpeg", "png", "tiff")
WITH_ALPHA: Final = ("png", "tiff", "webp", "avif")

#: What may be kept of the descriptive metadata.
METADATA: Final[tuple[str, ...]] = ("keep", "place-free", "none")

#: Where finished files are sharpened for.
SHARPENING: Final[tuple[str, ...]] = ("off", *MEDIA)

#: What can be put beside a finished file.
BESIDE: Final[tuple[str, ...]] = ("nothing", "original", "colour")

#: Largest side of a part of a finished file that is shown before it is saved.
_MOST_LOOKED_AT: Final = 2000

#: What the name of a file begins with while it is being written.
TEMPORARY: Final = ".oatmeal-"

#: JPEG cannot count further (ITU-T T.81, 16-bit frame size).
_JPEG_MAX_SIDE: Final = 65535

#: Bytes of metadata that one marker of a JPEG has room for (ITU-T T.81, B.1.1.4), without ``Exif``.
_JPEG_MOST_EXIF: Final = 65533 - 6

#: Quality from which a JPEG keeps the colour of each pixel.
_FULL_COLOUR: Final = 90


@dataclass(frozen=True)
class Output:
    """How a finished file is written.

    Attributes
    ----------
    format : str
        ``jpeg``, ``png``, ``tiff``, ``webp`` or ``avif``.
    depth : int
        8 or 16 bits; only PNG and TIFF hold 16.
    channels : str
        ``grey``, one channel, or ``rgb``, three equal ones; WebP and AVIF always hold three.
    quality : int
        Of a JPEG, WebP or AVIF, 1 to 100.
    long_side : int or None
        Reduce to this many pixels; None keeps the size.
    metadata : str
        What to keep of the descriptive metadata: ``keep`` all, ``place-free`` without the place
        where it was taken, or ``none``.
    resolution : int
        Pixels an inch, written into the file and used for sharpening.
    sharpen : str
        ``off``, ``screen``, ``glossy`` or ``matte`` (paper), :mod:`oatmeal.core.media`.
    sharpen_amount : int
        0 to 100.
    beside : str
        What is put beside the file: ``nothing``, the ``original``, or the prepared ``colour``
        picture in the same format.
    """

    format: str = "jpeg"
    depth: int = 8
    channels: str = "grey"
    quality: int = 92
    long_side: int | None = None
    metadata: str = "keep"
    resolution: int = 300
    sharpen: str = "off"
    sharpen_amount: int = 50
    beside: str = "nothing"

    def __post_init__(self) -> None:
        if self.format not in FORMATS:
            raise Unsupported(f"{self.format} files are not written yet: use {listed(FORMATS)}.")
        if self.depth not in (8, 16):
            raise Unsupported(f"The depth must be 8 or 16 bits, not {self.depth}.")
        if self.format not in DEEP and self.depth == 16:
            raise Unsupported(f"{_called(self.format)} holds 8 bits: choose PNG or TIFF for 16.")
        if self.channels not in ("grey", "rgb"):
            raise Unsupported(f"The channels must be grey or rgb, not {self.channels}.")
        if not 1 <= self.quality <= 100:
            raise Unsupported(f"The quality must be from 1 to 100, not {self.quality}.")
        if self.long_side is not None and not 16 <= self.long_side <= 100_000:
            raise Unsupported(f"The size must be from 16 to 100000 pixels, not {self.long_side}.")
        if self.metadata not in METADATA:
            raise Unsupported(f"The metadata must be {listed(METADATA)}, not {self.metadata}.")
        if not 10 <= self.resolution <= 2400:
            raise Unsupported(f"The resolution must be 10 to 2400 dpi, not {self.resolution}.")
        if self.sharpen not in SHARPENING:
            raise Unsupported(f"Sharpening must be {listed(SHARPENING)}, not {self.sharpen}.")
        if not 0 <= self.sharpen_amount <= 100:
            raise Unsupported(f"Sharpening goes from 0 to 100, not {self.sharpen_amount}.")
        if self.beside not in BESIDE:
            raise Unsupported(f"Beside a file can be {listed(BESIDE)}, not {self.beside}.")

    @property
    def keeps_alpha(self) -> bool:
        """Whether the format holds how opaque each pixel is."""
        return self.format in WITH_ALPHA

    @property
    def single(self) -> bool:
        """True if the file holds one channel of grey."""
        return self.channels == "grey" and self.format in _SINGLE

    def known_bytes(self, width: int, height: int) -> int:
        """At least so many bytes a finished file of this size will have; 0 where it depends."""
        if self.format != "tiff":
            return 0
        if self.long_side is not None and max(width, height) > self.long_side:
            share = self.long_side / max(width, height)
            width, height = round(width * share), round(height * share)
        return width * height * (1 if self.single else 3) * self.depth // 8

    @property
    def dtype(self) -> type[np.uint8] | type[np.uint16]:
        """The type of the codes that :func:`encode` wants."""
        return np.uint8 if self.depth == 8 else np.uint16


def encode(
    codes: NDArray[Any],
    path: Path,
    output: Output,
    exif: bytes = b"",
    alpha: NDArray[Any] | None = None,
) -> int:
    """Write a finished grey, or a colour picture, to ``path``, whole or not at all.

    Parameters
    ----------
    codes : uint8 or uint16, (H, W) or (H, W, 3)
        Finished codes of the output's depth; colour is written in three channels whatever the
        output says.
    path : Path
        Written under another name in the same folder first, then renamed.
    exif : bytes
        Descriptive metadata of the photograph; the output says what of it to keep.
    alpha : uint8 or uint16 (H, W), optional
        How opaque each pixel is, of the codes' size; left out where the format has no place for it.

    Returns
    -------
    int
        Bytes written.

    Raises
    ------
    PhotoFileError
        When the format cannot hold the picture or the file cannot be written.
    """
    height, width = codes.shape[:2]
    if codes.ndim == 3:
        output = replace(output, channels="rgb")
    if output.format == "jpeg" and max(width, height) > _JPEG_MAX_SIDE:
        raise Unsupported(f"A JPEG holds at most {_JPEG_MAX_SIDE} pixels a side: use PNG or TIFF.")
    exif = metadata.for_size(metadata.chosen(exif, output.metadata), width, height)
    if output.format == "tiff":
        pixels = _channels(codes, output, alpha)
        return write_whole(
            path,
            pixels.nbytes,
            lambda file: tiff.write(file, pixels, _profile(output), exif, output.resolution),
        )
    packed = _jpeg if output.format == "jpeg" else _through_vips
    data = packed(_channels(codes, output, alpha), output, exif)
    return write_whole(path, len(data), lambda file: file.write(data))


def write_whole(path: Path, size: int, write: Callable[[BinaryIO], object]) -> int:
    """Write a file of about ``size`` bytes, whole or not at all; gives its bytes.

    Raises
    ------
    PhotoFileError
        Where there is no room, or the file cannot be written.
    """
    if os.path.lexists(path) and not path.is_file():
        raise PhotoFileError(
            f"{path} is no regular file and stays as it is: give another name, or - for a pipe."
        )
    room.require(path.name, path.parent, size)
    try:
        handle, temporary = tempfile.mkstemp(prefix=TEMPORARY, dir=path.parent)
    except OSError as error:
        raise PhotoFileError(f"{path.parent} cannot be written to: {error.strerror}.") from error
    try:
        with os.fdopen(handle, "wb") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o666 & ~_umask())
        os.replace(temporary, path)
    except BaseException as error:
        Path(temporary).unlink(missing_ok=True)
        if room.is_full(error):
            raise room.no_room(path.name, path.parent, size) from error
        if isinstance(error, OSError):
            raise PhotoFileError(f"{path} could not be written: {error.strerror}.") from error
        raise
    return path.stat().st_size


def part_as_png(path: Path, x: float, y: float, width: int, height: int) -> bytes:
    """A part of a picture file, as an 8-bit PNG without losses.

    Parameters
    ----------
    x, y : float
        Where its middle lies, in shares of the picture; it is moved inside.
    width, height : int
        Pixels, at most those of the file and 2000.
    """
    try:
        image = pyvips.Image.new_from_file(str(path))
        width, height = (
            max(1, min(wanted, there, _MOST_LOOKED_AT))
            for wanted, there in ((width, image.width), (height, image.height))
        )
        left = min(max(0, round(x * image.width - width / 2)), image.width - width)
        top = min(max(0, round(y * image.height - height / 2)), image.height - height)
        part = image.crop(left, top, width, height)
        plain = part.colourspace("b-w" if part.bands < 3 else "srgb").cast("uchar")
        data: bytes = plain.pngsave_buffer(compression=1, keep="none")
    except pyvips.Error as error:
        raise PhotoFileError(f"{path.name} cannot be looked at.") from error
    return data


def _channels(codes: NDArray[Any], output: Output, alpha: NDArray[Any] | None) -> NDArray[Any]:
    opaque = alpha is None or not output.keeps_alpha
    if alpha is not None and opaque:
        codes = _on_paper(codes, alpha)
    if codes.ndim == 3 and opaque:
        return codes
    if codes.ndim == 3:
        planes = list(np.moveaxis(codes, -1, 0))
    else:
        planes = [codes] if output.single else [codes] * 3
    if alpha is not None and not opaque:
        planes = [*planes, _to_depth(alpha, codes.dtype)]
    return planes[0] if len(planes) == 1 else np.stack(planes, axis=-1)


def _on_paper(codes: NDArray[Any], alpha: NDArray[Any]) -> NDArray[Any]:
    """What shows where paper white lies under transparent parts, whose own colour nobody meant."""
    most = np.float32(np.iinfo(codes.dtype).max)
    share = alpha.astype(np.float32) / np.float32(np.iinfo(alpha.dtype).max)
    share = share if codes.ndim == 2 else share[..., None]
    return np.asarray(np.rint(codes * share + most * (1 - share)).astype(codes.dtype))


def _to_depth(alpha: NDArray[Any], dtype: np.dtype[Any]) -> NDArray[Any]:
    """Opacity in as many bits as the codes have."""
    if alpha.dtype == dtype:
        return alpha
    if dtype == np.uint8:
        return ((alpha.astype(np.uint32) + 128) // 257).astype(np.uint8)
    return alpha.astype(np.uint16) * np.uint16(257)


def _profile(output: Output) -> bytes:
    return profiles.grey_profile() if output.single else profiles.srgb_profile()


def _jpeg(pixels: NDArray[Any], output: Output, exif: bytes) -> bytes:
    """Through Pillow, which takes three quarters of libvips's time for the same picture."""
    packed = BytesIO()
    exif = metadata.at_resolution(exif, output.resolution)
    try:
        Image.fromarray(pixels).save(
            packed,
            "jpeg",
            quality=output.quality,
            subsampling="4:4:4" if output.quality >= _FULL_COLOUR else "4:2:0",
            dpi=(output.resolution, output.resolution),
            icc_profile=_profile(output),
            exif=b"Exif\0\0" + exif if 0 < len(exif) <= _JPEG_MOST_EXIF else b"",
        )
    except (OSError, ValueError) as error:
        raise PhotoFileError("The JPEG could not be written.") from error
    return packed.getvalue()


def _through_vips(pixels: NDArray[Any], output: Output, exif: bytes) -> bytes:
    names = {(True, 8): "b-w", (True, 16): "grey16", (False, 8): "srgb", (False, 16): "rgb16"}
    image = pyvips.Image.new_from_array(pixels).copy(
        interpretation=names[output.single, output.depth],
        xres=output.resolution / 25.4,
        yres=output.resolution / 25.4,
    )
    blob = pyvips.GValue.blob_type
    image.set_type(blob, "icc-profile-data", _profile(output))
    if exif:
        image.set_type(blob, "exif-data", b"Exif\0\0" + exif)
    try:
        data: bytes = _SAVERS[output.format](image, output)
    except pyvips.Error as error:
        raise PhotoFileError(f"The {output.format.upper()} could not be written.") from error
    return data


_SAVERS: Final[dict[str, Callable[[Any, Output], bytes]]] = {
    "png": lambda image, output: image.pngsave_buffer(compression=4, bitdepth=output.depth),
    "webp": lambda image, output: image.webpsave_buffer(Q=output.quality, effort=3),
    "avif": lambda image, output: image.heifsave_buffer(
        Q=output.quality, compression="av1", effort=3, subsample_mode="on"
    ),
}


def _called(file_format: str) -> str:
    return {"jpeg": "A JPEG", "webp": "A WebP", "avif": "An AVIF"}[file_format]


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current


def listed(names: tuple[str, ...]) -> str:
    """Names as words: ``a, b or c``."""
    return ", ".join(names[:-1]) + " or " + names[-1]
