"""Picture files out: finished greys as JPEG, PNG, TIFF, WebP or AVIF."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import replace
from io import BytesIO
from pathlib import Path
from typing import Any, BinaryIO, Final

import numpy as np
import pyvips
from numpy.typing import NDArray
from PIL import Image

from oatmeal.host import disk
from oatmeal.photofile import metadata, profiles, tiff
from oatmeal.photofile.errors import PhotoFileError, Unsupported
from oatmeal.photofile.output import Output

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
    disk.require(path.name, path.parent, size)
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
        if disk.is_full(error):
            raise disk.no_room(path.name, path.parent, size) from error
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


def _umask() -> int:
    current = os.umask(0)
    os.umask(current)
    return current
