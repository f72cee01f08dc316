"""TIFF files of the kinds that libvips does not read, through tifffile and imagecodecs.

Tiles in separate planes, LZMA, Zstandard, LERC, JPEG 2000 and old JPEG, other numbers of bits than
usual, Lab, and an Orientation that is none.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from oatmeal.photofile import profiles, tiff
from oatmeal.photofile.errors import PhotoFileError, Unsupported, incomplete

#: Tags of TIFF 6.0.
_BITS: Final = 258
_COMPRESSION: Final = 259
_PHOTOMETRIC: Final = 262
_ORIENTATION: Final = 274
_PLANES: Final = 284
_TILE_WIDTH: Final = 322
_FORMAT: Final = 339

#: ExtraSamples: colour is multiplied by the opacity.
_ASSOCIATED: Final = 1

#: Rows that are worked on together.
_BAND: Final = 256
_PROFILE: Final = 34675

#: Ways of compressing that libvips reads: none, CCITT, LZW, JPEG, ZIP (two numbers), PackBits.
_USUAL_COMPRESSION: Final = (1, 2, 3, 4, 5, 7, 8, 32773, 32946)
_USUAL_BITS: Final = (1, 2, 4, 8, 16, 32)
_SEPARATE: Final = 2
_FLOATING: Final = 3

#: PhotometricInterpretation (TIFF 6.0; the last one is Lab as ICC profiles count it).
_WHITE_IS_ZERO, _BLACK_IS_ZERO, _RGB, _PALETTE, _YCBCR, _LAB, _ICC_LAB = 0, 1, 2, 3, 6, 8, 9
_LABS: Final = (_LAB, _ICC_LAB)
_READ: Final = (_WHITE_IS_ZERO, _BLACK_IS_ZERO, _RGB, _PALETTE, _YCBCR, *_LABS)


@dataclass(frozen=True)
class Read:
    """What a file holds: codes uint8, uint16, or float32 as linear light, ``(H, W, C)``."""

    codes: NDArray[Any]
    profile: bytes | None
    orientation: int
    notes: tuple[str, ...]


def is_unusual(path: Path) -> bool:
    """True for a TIFF file of such a kind, by its first directory."""
    tags = tiff.first_tags(path)
    return bool(tags) and (
        (_TILE_WIDTH in tags and tags.get(_PLANES) == _SEPARATE)
        or tags.get(_COMPRESSION, 1) not in _USUAL_COMPRESSION
        or tags.get(_BITS, 1) not in _USUAL_BITS
        or tags.get(_PHOTOMETRIC) in _LABS
        or not 1 <= tags.get(_ORIENTATION, 1) <= 8
        or (_is_half(tags) and tags.get(_PLANES) == _SEPARATE)
    )


def _is_half(tags: dict[int, int]) -> bool:
    return tags.get(_BITS) == 16 and tags.get(_FORMAT) == _FLOATING


def read(
    path: Path, name: str, check: Callable[[int, int], None], weigh: Callable[[int, int, Any], None]
) -> Read:
    """Decode the first picture of a TIFF file.

    Parameters
    ----------
    check : callable
        Gets width and height before anything is decoded; may raise.
    weigh : callable
        Gets the number of pixels, of channels, and the type of their numbers; may raise.

    Raises
    ------
    Damaged
        When a part of it is missing or cannot be decoded.
    Unsupported
        When it holds something other than grey, RGB, a palette or Lab.
    """
    import tifffile  # only few files need it

    logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what is wrong is said below
    try:
        with tifffile.TiffFile(path) as file:
            page: Any = file.pages[0]
            check(page.imagewidth, page.imagelength)
            weigh(page.imagewidth * page.imagelength, page.samplesperpixel, page.dtype)
            _require_known(page, name)
            _require_whole(page, path.stat().st_size)
            codes = _interleaved(page.asarray(), page)
            several = len(file.pages)
            profile = page.tags.valueof(_PROFILE)
            premultiplied = _ASSOCIATED in (page.extrasamples or ())
            colours = page.colormap
    except (PhotoFileError, MemoryError):
        raise  # a whole file that is too large is not damaged
    except Exception as error:  # each codec has errors of its own
        raise incomplete(name) from error
    notes = [f"{name} holds {several} pages; the first was taken."] if several > 1 else []
    orientation = tiff.first_tags(path).get(_ORIENTATION, 1)
    kind, bits = int(page.photometric), int(page.bitspersample)
    if kind in _LABS:
        notes.append(f"{name} is a Lab file; its colours were taken as sRGB.")
        return Read(_from_lab(codes, kind), None, orientation, tuple(notes))
    if kind == _PALETTE:
        codes = np.ascontiguousarray(colours.T[codes[..., 0]])
    elif codes.dtype.kind == "f":
        codes = codes.astype(np.float32)
    elif bits not in (8, 16):
        codes = _widened(codes, bits)
    if premultiplied:
        codes = _apart(codes)
    if kind == _WHITE_IS_ZERO:
        codes = (1 if codes.dtype.kind == "f" else np.iinfo(codes.dtype).max) - codes
    return Read(codes, profile, orientation, tuple(notes))


def _apart(codes: NDArray[Any]) -> NDArray[Any]:
    """Colour that was multiplied by its opacity, the last channel, as it was before."""
    if codes.shape[2] not in (2, 4):
        return codes
    most = 1.0 if codes.dtype.kind == "f" else float(np.iinfo(codes.dtype).max)
    for top in range(0, len(codes), _BAND):  # a part at a time, for the sake of memory
        part = codes[top : top + _BAND]
        alpha = part[..., -1:].astype(np.float32)
        colour = part[..., :-1] * (most / np.maximum(alpha, most * 1e-6))
        if codes.dtype.kind != "f":
            colour = np.rint(np.minimum(colour, most))
        part[..., :-1] = np.where(alpha > 0, colour, 0).astype(codes.dtype)
    return codes


def _require_known(page: Any, name: str) -> None:
    kind = int(page.photometric)
    if kind not in _READ:
        raise Unsupported(
            f"{name} is a TIFF of a kind that is not supported: save it as RGB with LZW or ZIP."
        )
    integers = page.dtype is not None and page.dtype.kind in "ui"
    if page.dtype is None or not (page.dtype.kind == "f" or (integers and page.dtype.itemsize < 3)):
        raise Unsupported(
            f"{name} stores its pixels as {page.dtype or 'unknown'} numbers, which is not "
            "supported: save it with 8 or 16 bits, or 32 in floating point."
        )


def _require_whole(page: Any, size: int) -> None:
    """Raise ValueError if a strip or tile is missing; it would be taken for black."""
    for offset, count in zip(page.dataoffsets, page.databytecounts, strict=True):
        if offset <= 0 or count <= 0 or offset + count > size:
            raise ValueError("a part of the picture is missing")


def _interleaved(pixels: NDArray[Any], page: Any) -> NDArray[Any]:
    """Pixels as ``(H, W, C)``, whichever way they were stored."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    elif int(page.planarconfig) == _SEPARATE:
        pixels = np.moveaxis(pixels, 0, -1)
    if pixels.shape[:2] != (page.imagelength, page.imagewidth):
        raise ValueError("the picture has another size than it says")
    return np.ascontiguousarray(pixels)


def _widened(codes: NDArray[Any], bits: int) -> NDArray[Any]:
    """Codes of any number of bits in 8 or 16, white at white."""
    most, dtype = (255, np.uint8) if bits < 8 else (65535, np.uint16)
    table: NDArray[Any] = np.rint(np.arange(2**bits) * (most / (2**bits - 1))).astype(dtype)
    return np.take(table, codes)


def _from_lab(codes: NDArray[Any], kind: int) -> NDArray[np.float32]:
    """Linear sRGB from CIE L*a*b* under D50, by LittleCMS.

    L* fills the range of the codes; a* and b* are signed (TIFF 6.0, section 23) or counted from the
    middle (ICC.1, 10.10). D50 is the white where the file names none, as in libtiff.
    """
    light = np.empty((*codes.shape[:2], 3), np.float32)
    for top in range(0, len(codes), _BAND):  # a part at a time, for the sake of memory
        light[top : top + _BAND] = _lab_part(codes[top : top + _BAND], kind)
    return light


def _lab_part(codes: NDArray[Any], kind: int) -> NDArray[np.float32]:
    lab = codes[..., :3]
    if codes.dtype.kind != "f":
        width = codes.dtype.itemsize
        lab = lab.view(f"u{width}").astype(np.float32)  # signed or not, the bits are the same
        top = np.float32(2 ** (8 * width))
        lab[..., 0] *= 100 / (top - 1)
        if kind == _ICC_LAB:
            lab[..., 1:] -= top / 2
        else:
            lab[..., 1:] -= np.where(lab[..., 1:] >= top / 2, top, 0)
        lab[..., 1:] /= top / 256
    light: NDArray[np.float32] = imagecodecs.cms_transform(
        np.ascontiguousarray(lab, dtype=np.float32), imagecodecs.cms_profile("lab4"),
        profiles.linear_profile(), colorspace="lab", outcolorspace="rgb", outdtype="float32",
        intent=1,
    )  # fmt: skip
    return light
