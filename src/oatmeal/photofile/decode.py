"""Picture files in: from a file's bytes to linear light.

What computes light is loaded when light is asked for: a process that has just begun reads a file
beside that.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, TypeVar

import numpy as np
import pyvips
from numpy.typing import NDArray

from oatmeal.core.trust import FINE, Trust
from oatmeal.photofile import heic, metadata, profiles, rawfile, unusual, wholeness
from oatmeal.photofile.errors import Damaged, NotAPicture, TooLarge, Unsupported, incomplete

if TYPE_CHECKING:
    from oatmeal.core.noise import Noise
    from oatmeal.core.picture import Coded

pyvips.cache_set_max(0)  # files are read once; a cache would only hold memory

#: Loaders of libvips by the name of the format, as far as they are supported.
_FORMATS: Final = {
    "VipsForeignLoadJpegFile": "jpeg",
    "VipsForeignLoadPngFile": "png",
    "VipsForeignLoadTiffFile": "tiff",
    "VipsForeignLoadWebpFile": "webp",
    "VipsForeignLoadHeifFile": "heif",
    "VipsForeignLoadNsgifFile": "gif",
}

#: Suffixes of files that are taken for pictures.
SUFFIXES: Final = frozenset(
    {
        ".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".avif", ".heic", ".heif", ".hif",
        ".gif", *rawfile.SUFFIXES,
    }
)  # fmt: skip

_KINDS: Final = "JPEG, PNG, TIFF, WebP, AVIF, HEIC, GIF or raw files of cameras"

#: What infinite light in a floating point file is taken for, in multiples of white.
BRIGHTEST: Final = 65504.0

#: What is said of a file that may be damaged.
_WARNS: Final = "The file warns of damage: look at its lower half."
_ENDS_EARLY: Final = "The file ends early; its main picture is there."

#: Types of numbers that libvips gives, by their bits; floating point counts as 32.
_BITS: Final = {"uchar": 8, "ushort": 16, "float": 32, "double": 32}

#: The same as numpy's.
_NUMBERS: Final = {"uchar": "u1", "ushort": "u2", "float": "f4", "double": "f8"}

#: Bytes of a pixel up to which the largest picture is taken: RGB in floating point.
_BYTES_A_PIXEL: Final = 12


#: Gets width and height before anything is decoded; may raise.
Check = Callable[[int, int], None]


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
    codes : uint8, uint16 or float32, (H, W, 3) or (H, W, 1)
        As stored in the file, turned upright. Floating point is linear light already.
    tables : ndarray or None
        From codes to linear light; None when only the profile itself can tell, or for linear light.
    exif : bytes
        Descriptive metadata, see :mod:`oatmeal.photofile.metadata`.
    notes : list of str
        What a user should know about how the file was read.
    alpha : uint8 or uint16 (H, W), optional
        How opaque each pixel is, kept aside for formats that have it.
    known_trust : Trust, optional
        In its colour, where that was measured before.
    """

    codes: NDArray[Any]
    tables: NDArray[np.float32] | None
    profile: bytes | None = None
    format: str = ""
    exif: bytes = b""
    notes: list[str] = field(default_factory=list)
    alpha: NDArray[Any] | None = None
    seed: int = 0
    _noise: Noise | None = field(default=None, repr=False)
    _taken: NDArray[np.float32] | None = field(default=None, repr=False)
    known_trust: Trust | None = field(default=None, repr=False)

    @property
    def width(self) -> int:
        return int(self.codes.shape[1])

    @property
    def height(self) -> int:
        return int(self.codes.shape[0])

    @property
    def layout(self) -> None:
        """It is as it was taken."""

    @property
    def scale(self) -> float:
        """It is the file."""
        return 1.0

    def noise(self) -> Noise:
        """Of its pixels, measured once."""
        from oatmeal.core.noise import measured

        if self._noise is None:
            self._noise = measured(self.linear, self.width, self.height)
        return self._noise

    def trust(self) -> Trust:
        """In its colour, measured once; light and greys are fine."""
        from oatmeal.core.guard.measuring import measured

        if self.known_trust is None:
            whole_numbers = np.issubdtype(self.codes.dtype, np.integer)
            if whole_numbers and self.codes.shape[2] == 3:
                self.known_trust = measured(self.linear, self.width, self.height, self.bits)
            else:
                self.known_trust = FINE
        return self.known_trust

    def taken(self) -> NDArray[np.float32]:
        """Linear colour of the whole, reduced once."""
        from oatmeal.core.picture import TAKEN_SIDE, proxy

        if self._taken is None:
            self._taken = proxy(self, TAKEN_SIDE)
        return self._taken

    @property
    def bits(self) -> int:
        return int(self.codes.dtype.itemsize * 8)

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """Linear colour ``(height, width, 3)`` of the rectangle at ``x``, ``y``."""
        part = self.codes[y : y + height, x : x + width]
        if part.shape[2] == 1:
            part = np.repeat(part, 3, axis=2)
        part = np.ascontiguousarray(part)
        if part.dtype == np.float32:
            return part
        if self.tables is not None:
            from oatmeal.core.colour import kernels

            return kernels.look_up(part, self.tables)
        if self.profile is None:
            raise ValueError("a picture needs tables or a profile")
        return profiles.to_linear(part, self.profile)

    def averaged(self, width: int, height: int) -> NDArray[np.float32] | None:
        """Linear colour of the whole, averaged; where one table tells the light of all channels."""
        from oatmeal.core.colour import kernels

        whole = self.coded(0, 0, self.width, self.height)
        return None if whole is None else kernels.averaged(whole.codes, whole.table, width, height)

    def coded(self, x: int, y: int, width: int, height: int) -> Coded | None:
        """The codes of the rectangle, where one table tells the light of all channels."""
        from oatmeal.core.picture import Coded

        if self.tables is None or self.tables.ndim != 1 or self.codes.shape[2] != 3:
            return None
        part = self.codes[y : y + height, x : x + width]
        return Coded(np.ascontiguousarray(part), self.tables)


def decode(
    path: Path,
    name: str | None = None,
    limits: Limits | None = None,
    announce: Callable[[int], None] = lambda pixels: None,
    *,
    careful: bool = False,
) -> SourcePicture:
    """Read a picture file.

    JPEG, PNG, TIFF (integers and floating point), WebP, AVIF, HEIC, GIF, and what LibRaw reads of
    cameras' raw files. Of files with several pages or frames the first is taken.

    Parameters
    ----------
    path : Path
        The file.
    name : str, optional
        What to call it in messages; its own name by default.
    limits : Limits, optional
    announce : callable, optional
        Is told the number of pixels, as soon as the file's header was read.
    careful : bool
        Note what a JPEG's decoder warns of, which takes a third of the time again.

    Raises
    ------
    PhotoFileError
        With one sentence that names the file.
    """
    name = name or path.name
    limits = limits or Limits()
    _check_size(path, name, limits)
    with ThreadPoolExecutor(1) as beside:
        summing = beside.submit(_sha256, path)
        picture = _decoded(path, name, limits, announce)
        if careful and _warns_of_damage(path, picture.format):
            picture.notes.append(_WARNS)
    from oatmeal.core.picture import seed_of

    picture.seed = seed_of(summing.result())
    return picture


def _warns_of_damage(path: Path, kind: str) -> bool:
    """Whether a picture that could be read may be damaged all the same."""
    if kind == "jpeg":
        return wholeness.jpeg_warns(path)
    if kind == "png":
        return not wholeness.png_ends(path)
    return kind in ("gif", "webp") and wholeness.holds_zeros(path)


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _decoded(
    path: Path, name: str, limits: Limits, announce: Callable[[int], None]
) -> SourcePicture:
    def check(width: int, height: int) -> None:
        _check_pixels(width, height, name, limits)
        announce(width * height)

    def weigh(pixels: int, channels: int, dtype: Any) -> None:
        _check_weight(
            pixels * channels * (np.dtype(dtype or "u1").itemsize), channels, name, limits
        )

    if rawfile.is_raw(path, name):
        _require(wholeness.check_strips, path, name)
        return _raw(path, name, check)
    notes = []
    if heic.is_boxes(path) and not _require(wholeness.check_boxes, path, name):
        notes.append(_ENDS_EARLY)
    if heic.is_heic(path):
        return _heic(path, name, check, notes)
    if heic.is_moving(path):
        raise Unsupported(
            f"{name} is a moving picture, which is not supported: save one frame of it as PNG."
        )
    if unusual.is_unusual(path):
        return _unusual(path, name, check, weigh)
    _require(wholeness.check_jpeg, path, name)
    image, header, codes = _pixels(path, name, check, weigh, notes)
    if header.format == "heif" and image.get_typeof("bits-per-sample"):
        codes = heic.widened(codes, image.get("bits-per-sample"))
    codes = _finite(codes)
    codes, alpha = _without_alpha(codes, name, notes)
    turn = _orientation(image, path, header.format)
    codes = _upright(codes, turn)
    profile, tables = _meaning(image, codes, notes)
    return SourcePicture(
        codes,
        tables,
        profile,
        header.format,
        metadata.read(path),
        notes,
        _upright(alpha[..., None], turn)[..., 0] if alpha is not None else None,
    )


_Checked = TypeVar("_Checked")


def _require(check: Callable[[Path], _Checked], path: Path, name: str) -> _Checked:
    """What a check of :mod:`oatmeal.photofile.wholeness` finds."""
    try:
        return check(path)
    except wholeness.Broken as error:
        raise incomplete(name) from error


def _pixels(
    path: Path, name: str, check: Check, weigh: Callable[[int, int, Any], None], notes: list[str]
) -> tuple[Any, Header, NDArray[Any]]:
    """What libvips reads."""
    image, header = _open(path, name, check)
    weigh(image.width * image.height, image.bands, _NUMBERS[image.format])
    if header.note:
        notes.append(header.note)
    image = _as_rgb(image, name, notes)
    try:
        # a picture of one pixel would come without its sides
        codes = np.asarray(image.numpy()).reshape(image.height, image.width, image.bands)
    except pyvips.Error as error:
        raise incomplete(name) from error
    return image, header, codes


def _check_size(path: Path, name: str, limits: Limits) -> None:
    size = path.stat().st_size
    if size == 0:
        raise NotAPicture(f"{name} is empty: copy it again from its card or archive.")
    if size > limits.max_bytes:
        raise TooLarge(
            f"{name} has {size / 1e6:.0f} MB, more than the {limits.max_bytes / 1e6:.0f} MB "
            "that are accepted: save a smaller copy, or raise OATMEAL_MAX_BYTES."
        )


def _check_pixels(width: int, height: int, name: str, limits: Limits) -> None:
    if width * height > limits.max_pixels:
        raise TooLarge(
            f"{name} has {width * height / 1e6:.0f} megapixels, more than the "
            f"{limits.max_pixels / 1e6:.0f} that are accepted: save a smaller copy, or raise "
            "OATMEAL_MAX_PIXELS."
        )


def _check_weight(size: int, channels: int, name: str, limits: Limits) -> None:
    most = limits.max_pixels * _BYTES_A_PIXEL
    if size > most:
        raise TooLarge(
            f"{name} holds {channels} channels of {size / 1e9:.1f} GB, more than the "
            f"{most / 1e9:.1f} GB that are accepted: save it as RGB with 8 or 16 bits."
        )


def _raw(path: Path, name: str, check: Check) -> SourcePicture:
    """A camera's raw file as linear light at 16 bits, developed as the camera would."""
    made = rawfile.develop(path, name, check)
    return SourcePicture(made.codes, made.tables, None, "raw", metadata.read(path), [])


def _heic(path: Path, name: str, check: Check, notes: list[str]) -> SourcePicture:
    read = heic.read(path, name, check)
    notes += read.notes
    codes, alpha = _without_alpha(read.codes, name, notes)
    profile, tables = _tables_of(read.profile, codes, notes)
    return SourcePicture(codes, tables, profile, "heif", read.exif, notes, alpha)


def _unusual(
    path: Path, name: str, check: Check, weigh: Callable[[int, int, Any], None]
) -> SourcePicture:
    read = unusual.read(path, name, check, weigh)
    notes = list(read.notes)
    codes, alpha = _without_alpha(_finite(read.codes), name, notes)
    codes = _upright(codes, read.orientation)
    profile, tables = _tables_of(read.profile, codes, notes)
    if alpha is not None:
        alpha = _upright(alpha[..., None], read.orientation)[..., 0]
    return SourcePicture(codes, tables, profile, "tiff", metadata.read(path), notes, alpha)


def _finite(codes: NDArray[Any]) -> NDArray[Any]:
    """Floating point codes as float32, without what is no number."""
    if codes.dtype.kind != "f":
        return codes
    return np.nan_to_num(codes.astype(np.float32), posinf=BRIGHTEST, neginf=0.0)


def _open(path: Path, name: str, check: Check) -> tuple[Any, Header]:
    loader = pyvips.vips_lib.vips_foreign_find_load(str(path).encode())
    if loader == pyvips.ffi.NULL:
        raise NotAPicture(f"{name} is not a picture: add {_KINDS}.")
    file_format = _FORMATS.get(pyvips.ffi.string(loader).decode())
    if file_format is None:
        raise Unsupported(
            f"{name} is of a kind that is not supported yet: save it as JPEG, PNG or TIFF first."
        )
    # a missing tile of a TIFF is but a warning there, and would be taken in black
    strict = "warning" if file_format == "tiff" else "error"
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential", fail_on=strict)
    except pyvips.Error as error:
        raise Damaged(
            f"{name} is damaged and cannot be opened: copy it again from its card or archive."
        ) from error
    check(image.width, image.height)
    return image, _header(image, name, file_format)


def _header(image: Any, name: str, file_format: str) -> Header:
    bits = _BITS.get(image.format)
    if bits is None:
        raise Unsupported(
            f"{name} stores its pixels as {image.format} numbers, which is not supported: "
            "save it with 8, 16 or 32 bits."
        )
    note = ""
    pages = image.get("n-pages") if image.get_typeof("n-pages") else 1
    if pages > 1:
        what = "frames" if image.get_typeof("delay") else "pages"
        note = f"{name} holds {pages} {what}; the first was taken."
    return Header(file_format, image.width, image.height, bits, note)


def _as_rgb(image: Any, name: str, notes: list[str]) -> Any:
    """RGB or grey of any kind of colour, by LittleCMS inside libvips."""
    kind = image.interpretation
    if kind in ("srgb", "rgb", "rgb16", "scrgb", "b-w", "grey16"):
        return image
    profiled = bool(image.get_typeof("icc-profile-data"))
    try:
        if kind == "cmyk":
            # without a profile of its own, the general one that libvips carries
            options = {"embedded": True} if profiled else {"input_profile": "cmyk"}
            image = image.icc_transform("srgb", depth=16, intent="relative", **options)
            notes.append(f"{name} is a CMYK file; its colours were taken as sRGB.")
        else:
            raise Unsupported(
                f"{name} is a {kind.upper()} picture, which is not supported: save it as RGB."
            )
    except pyvips.Error as error:
        raise Damaged(f"{name} has colours that cannot be read: save it as RGB first.") from error
    image = image.copy()
    image.remove("icc-profile-data")
    return image


def _without_alpha(
    codes: NDArray[Any], name: str, notes: list[str]
) -> tuple[NDArray[Any], NDArray[Any] | None]:
    """Colour or grey alone, and what says how opaque each pixel is; None where all are."""
    if codes.ndim != 3:
        raise Damaged(f"{name} holds no picture that can be read: save it as JPEG, PNG or TIFF.")
    channels = codes.shape[2]
    if channels in (1, 3):
        return codes, None
    colours = 1 if channels == 2 else 3
    if channels > 4:
        notes.append(f"{name} has {channels - 3} extra channels; its colours were taken.")
    colour, alpha = np.ascontiguousarray(codes[..., :colours]), codes[..., colours]
    if channels > 4 or codes.dtype.kind == "f" or (alpha == np.iinfo(codes.dtype).max).all():
        return colour, None
    return colour, np.ascontiguousarray(alpha)


def _orientation(image: Any, path: Path, file_format: str) -> int:
    """As EXIF says, also where it stands after the pixels; else as XMP says."""
    told = int(image.get("orientation")) if image.get_typeof("orientation") else 1
    if told == 1 and file_format == "png":
        return metadata.orientation_of_png(path)
    if told == 1 and image.get_typeof("xmp-data"):
        return metadata.orientation_in_xmp(bytes(image.get("xmp-data")))
    return told


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
    return _tables_of(profile, codes, notes)


def _tables_of(
    profile: bytes | None, codes: NDArray[Any], notes: list[str]
) -> tuple[bytes | None, NDArray[np.float32] | None]:
    dtype, grey = codes.dtype.type, codes.shape[2] == 1
    if dtype == np.float32:
        if profile is not None:
            notes.append("It holds floating point numbers; they were taken as linear light.")
        return None, None
    try:
        tables = profiles.linear_tables(profile, dtype, grey=grey)
    except profiles.BadProfile:
        notes.append("Its colour profile is damaged or does not fit; it was read as sRGB.")
        return None, profiles.linear_tables(None, dtype)
    return profile, tables
