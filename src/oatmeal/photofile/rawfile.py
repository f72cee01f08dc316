"""Cameras' raw files and DNG, through LibRaw, which is loaded when the first one is read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path, PurePath
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, luminance
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


#: Light as it was counted, under the white that the camera took.
_LINEAR: Final[dict[str, Any]] = {
    "gamma": (1, 1), "no_auto_bright": True, "output_bps": 16, "use_camera_wb": True,
}  # fmt: skip

#: A white balance that would give more light than this beyond white is not to be trusted.
_MOST_BEYOND: Final = 8.0

#: Points of a curve that is found from a camera's preview.
_LOOK_POINTS: Final = 12


def _to_srgb() -> NDArray[np.float64]:
    """From BT.2020's primaries to sRGB's; what is neutral stays so exactly."""
    matrix: NDArray[np.float64] = np.linalg.inv(SRGB_TO_XYZ) @ _BT2020_TO_XYZ
    matrix /= matrix.sum(axis=1, keepdims=True)
    return matrix


@cache
def _tables() -> NDArray[np.float32]:
    """Developed codes to linear sRGB: what each channel adds, float32 (3, 65536, 3)."""
    shares = np.arange(65536) / 65535
    return (_to_srgb().T[:, None, :] * shares[None, :, None]).astype(np.float32)


@dataclass(frozen=True)
class Developed:
    """A developed raw file: codes uint16 ``(H, W, 3)``, and the light that the highest code is."""

    codes: NDArray[np.uint16]
    brightest: float

    @property
    def tables(self) -> NDArray[np.float32]:
        """From codes to linear sRGB; 1 is where the sensor's first channel is full."""
        return _tables() * np.float32(self.brightest)


def developer() -> str:
    """What makes colours of raw files, and how: part of a recipe's words."""
    import rawpy

    version = ".".join(str(part) for part in rawpy.libraw_version)
    return f"LibRaw {version}, camera’s white, BT.2020, highlights rebuilt"


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


def develop(path: Path, name: str, check: Callable[[int, int], None]) -> Developed:
    """Linear light as the camera saw white, upright.

    Its primaries are those of BT.2020, so that colours outside sRGB are kept; its tables lead
    to linear sRGB, where they have components below 0 or above 1. Where one channel of the sensor
    is full, the others say on; LibRaw rebuilds it from them (its mode "reconstruct"), and the
    scale that this needs is undone.

    Parameters
    ----------
    check : callable
        Gets width and height before anything is developed; may raise.

    Raises
    ------
    Damaged
        When LibRaw cannot read the file.
    """
    import rawpy

    try:
        with rawpy.imread(str(path)) as raw:
            check(raw.sizes.width, raw.sizes.height)
            brightest = _beyond_white(raw)
            mode = rawpy.HighlightMode
            codes = raw.postprocess(
                **_LINEAR,
                output_color=rawpy.ColorSpace.Rec2020,
                highlight_mode=mode.ReconstructDefault if brightest > 1 else mode.Clip,
            )
    except (rawpy.LibRawError, OSError, MemoryError, ValueError) as error:
        raise Damaged(
            f"{name} cannot be read as a raw file: it is damaged or of a camera not known here."
        ) from error
    return Developed(np.require(codes, requirements=["C", "W"]), brightest)


def _beyond_white(raw: Any) -> float:
    """How much more light than white the fullest channel can hold; 1 where nothing is known.

    By that factor LibRaw darkens what it rebuilds highlights of: the greatest of the white
    balance's multipliers over the least.
    """
    multipliers = [float(one) for one in raw.camera_whitebalance if one > 0]
    if len(multipliers) < 3 or raw.num_colors != 3:
        return 1.0
    return min(max(multipliers) / min(multipliers), _MOST_BEYOND)


def camera_look(path: Path, name: str = "") -> list[tuple[float, float]] | None:
    """The curve, on encoded luminance, from developed light to the camera's own preview.

    Both pictures' tones are put in order and compared; none where the file holds no preview.

    Raises
    ------
    Damaged
        When LibRaw cannot read the file.
    """
    import rawpy

    try:
        with rawpy.imread(str(path)) as raw:
            preview = _preview(raw)
            if preview is None:
                return None
            linear = raw.postprocess(
                **_LINEAR,
                half_size=True,
                output_color=rawpy.ColorSpace.sRGB,
            )
    except (rawpy.LibRawError, OSError, MemoryError, ValueError) as error:
        raise Damaged(f"{name or path.name} cannot be read as a raw file.") from error
    own = encode_srgb(luminance(np.ascontiguousarray(linear / np.float32(65535))))
    theirs = encode_srgb(luminance(decode_srgb(preview / 255)))
    shares = np.linspace(0.01, 0.99, 99)
    return _rising(np.quantile(own, shares), np.quantile(theirs, shares))


def _preview(raw: Any) -> NDArray[np.uint8] | None:
    import cv2
    import rawpy

    try:
        thumb = raw.extract_thumb()
    except (rawpy.LibRawNoThumbnailError, rawpy.LibRawUnsupportedThumbnailError):
        return None
    if thumb.format == rawpy.ThumbFormat.BITMAP:
        return np.asarray(thumb.data)
    decoded = cv2.imdecode(np.frombuffer(thumb.data, np.uint8), cv2.IMREAD_COLOR)
    return None if decoded is None else np.ascontiguousarray(decoded[..., ::-1])


def _rising(own: NDArray[Any], theirs: NDArray[Any]) -> list[tuple[float, float]]:
    """A few points of the curve through pairs of tones, from black to white."""
    points = [(0.0, 0.0)]
    for place in np.linspace(0.06, 0.94, _LOOK_POINTS):
        if not own[0] <= place <= own[-1]:
            continue  # the picture has no such tone
        near = np.interp(np.linspace(place - 0.03, place + 0.03, 7), own, theirs).mean()
        x, y = round(float(place), 3), round(float(min(max(near, points[-1][1]), 1)), 3)
        points.append((x, y))
    return [*points, (1.0, 1.0)]
