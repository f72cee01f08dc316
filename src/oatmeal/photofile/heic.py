"""HEIC files, through libheif with a decoder for HEVC, loaded when the first one is read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.photofile import metadata
from oatmeal.photofile.errors import incomplete

#: Brands of the file type box that promise HEVC (ISO/IEC 23008-12, annex B).
_BRANDS: Final = (b"heic", b"heix", b"heim", b"heis", b"hevc", b"hevx")


@dataclass(frozen=True)
class Read:
    """What a HEIC file holds: codes uint8 or uint16 ``(H, W, C)``, upright, and the rest."""

    codes: NDArray[Any]
    profile: bytes | None
    exif: bytes
    notes: tuple[str, ...] = ()


def is_heic(path: Path) -> bool:
    """True if the file type box says so (ISO/IEC 14496-12, 4.3)."""
    head = _file_type(path)
    return any(brand in head for brand in _BRANDS)


def is_boxes(path: Path) -> bool:
    """True for any file of boxes, HEIC and AVIF among them."""
    return bool(_file_type(path))


def is_moving(path: Path) -> bool:
    """True for an AVIF image sequence (AV1 Image File Format, 6.3), whose major brand says so."""
    return _file_type(path)[:4] == b"avis"


def _file_type(path: Path) -> bytes:
    """What the file type box says, empty where the file begins with none."""
    with path.open("rb") as file:
        head = file.read(64)
    return head[8 : int.from_bytes(head[:4], "big")] if head[4:8] == b"ftyp" else b""


def read(path: Path, name: str, check: Callable[[int, int], None]) -> Read:
    """Decode the main picture of a HEIC file.

    Parameters
    ----------
    check : callable
        Gets width and height before anything is decoded; may raise.

    Raises
    ------
    Damaged
    """
    import pillow_heif

    try:
        heif = pillow_heif.open_heif(str(path), convert_hdr_to_8bit=False)
        check(*heif.size)
        codes = np.asarray(heif)
        info = heif.info
        if codes.ndim not in (2, 3) or codes.dtype not in (np.uint8, np.uint16):
            raise ValueError("no pixels came")  # an array of the object itself
    except (ValueError, EOFError, IndexError, OSError, RuntimeError, SyntaxError) as error:
        raise incomplete(name) from error
    if codes.ndim == 2:
        codes = codes[..., None]
    codes = widened(codes, info.get("bit_depth", 8))
    several = f"{name} holds {len(heif)} pictures; the main one was taken."
    return Read(
        np.require(codes, requirements=["C", "W"]),
        info.get("icc_profile"),
        metadata.cleaned(info.get("exif") or b""),
        (several,) if len(heif) > 1 else (),
    )


def widened(codes: NDArray[Any], bits: int) -> NDArray[Any]:
    """Codes of 10 or 12 bits that stand at the high end of 16, filled up so that white is full."""
    if codes.dtype != np.uint16 or not 8 < bits < 16:
        return codes
    return np.asarray(codes | (codes >> bits))
