"""Cameras' raw files and DNG, through LibRaw."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path, PurePath
from typing import Final

import numpy as np
import rawpy
from numpy.typing import NDArray

from oatmeal.core.colour.spaces import SRGB_TO_XYZ
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

#: Linear light of BT.2020's primaries to XYZ (ITU-R BT.2020-2, table 4; white is D65).
_BT2020_TO_XYZ: Final = np.array(
    [[0.636958, 0.144617, 0.168881], [0.262700, 0.677998, 0.059302], [0.0, 0.028073, 1.060985]]
)


def _to_srgb() -> NDArray[np.float64]:
    """From BT.2020's primaries to sRGB's; what is neutral stays so exactly."""
    matrix: NDArray[np.float64] = np.linalg.inv(SRGB_TO_XYZ) @ _BT2020_TO_XYZ
    matrix /= matrix.sum(axis=1, keepdims=True)
    return matrix


#: Developed codes to linear sRGB: what each channel adds, float32 (3, 65536, 3).
TABLES: Final = (_to_srgb().T[:, None, :] * (np.arange(65536) / 65535)[None, :, None]).astype(
    np.float32
)


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
    """Linear light as the camera saw white, uint16 ``(H, W, 3)``, upright.

    Its primaries are those of BT.2020, so that colours outside sRGB are kept; :data:`TABLES` lead
    to linear sRGB, where they have components below 0 or above 1.

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
                output_color=rawpy.ColorSpace.Rec2020,
            )
    except (rawpy.LibRawError, OSError, MemoryError, ValueError) as error:
        raise Damaged(
            f"{name} cannot be read as a raw file: it is damaged or of a camera not known here."
        ) from error
    return np.require(codes, requirements=["C", "W"])
