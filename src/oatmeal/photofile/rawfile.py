"""Cameras' raw files and DNG, through LibRaw."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path, PurePath
from typing import Final

import numpy as np
import rawpy
from numpy.typing import NDArray

from oatmeal.photofile import tiff
from oatmeal.photofile.errors import Damaged

#: Suffixes of cameras' raw files, as their makers chose them.
SUFFIXES: Final = frozenset(
    {
        ".3fr", ".ari", ".arw", ".bay", ".cap", ".cr2", ".cr3", ".crw", ".dcr", ".dng", ".erf",
        ".fff", ".gpr", ".iiq", ".k25", ".kdc", ".mef", ".mos", ".mrw", ".nef", ".nrw", ".orf",
        ".pef", ".raf", ".rw2", ".rwl", ".sr2", ".srf", ".srw", ".x3f",
    }
)  # fmt: skip

#: What begins files that are no raw files, whatever their suffix says.
_OTHERS: Final = (b"\xff\xd8\xff", b"\x89PNG", b"RIFF", b"GIF8")

#: Tags of a TIFF directory: DNGVersion (DNG specification), filter pattern of a sensor (TIFF/EP).
_DNG_VERSION: Final = 50706
_CFA_PATTERN: Final = 33422


def is_raw(path: Path, name: str) -> bool:
    """True for a raw file, by the suffix of its name or, in a TIFF structure, by its tags."""
    with path.open("rb") as file:
        magic = file.read(4)
    if magic.startswith(_OTHERS):
        return False
    if PurePath(name).suffix.lower() in SUFFIXES:
        return True
    tags = tiff.first_tags(path)
    return _DNG_VERSION in tags or _CFA_PATTERN in tags


def develop(path: Path, name: str, check: Callable[[int, int], None]) -> NDArray[np.uint16]:
    """Linear light with sRGB primaries, uint16 ``(H, W, 3)``, upright, as the camera saw white.

    Parameters
    ----------
    check : callable
        Gets width and height before anything is developed; may raise.

    Raises
    ------
    Damaged
        When LibRaw cannot read the file.
    """
    try:
        with rawpy.imread(str(path)) as raw:
            check(raw.sizes.width, raw.sizes.height)
            codes = raw.postprocess(
                gamma=(1, 1),
                no_auto_bright=True,
                output_bps=16,
                use_camera_wb=True,
                output_color=rawpy.ColorSpace.sRGB,
            )
    except (rawpy.LibRawError, OSError, MemoryError, ValueError) as error:
        raise Damaged(
            f"{name} cannot be read as a raw file: it is damaged or of a camera not known here."
        ) from error
    return np.require(codes, requirements=["C", "W"])
