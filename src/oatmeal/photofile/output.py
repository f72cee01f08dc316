"""How a finished file is written: declared once, for files, forms, batches and the command line."""

from __future__ import annotations

from dataclasses import dataclass, field, fields
from typing import Any, Final, Literal, get_args

import numpy as np

from oatmeal.core.media import MEDIA
from oatmeal.photofile.errors import Unsupported

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
SINGLE: Final = ("jpeg", "png", "tiff")
WITH_ALPHA: Final = ("png", "tiff", "webp", "avif")

#: What may be kept of the descriptive metadata.
METADATA: Final[tuple[str, ...]] = ("keep", "place-free", "none")

#: Where finished files are sharpened for.
SHARPENING: Final[tuple[str, ...]] = ("off", *MEDIA)

#: What can be put beside a finished file.
BESIDE: Final[tuple[str, ...]] = ("nothing", "original", "colour")


@dataclass(frozen=True)
class Choice:
    """What may be chosen for one part of the form.

    Attributes
    ----------
    words : str
        What a sentence about it begins with: ``The quality must be``.
    help : str
        For the command line.
    choices : tuple
        What is allowed; empty for numbers between limits.
    low, high : int
        Of a number.
    unit : str
        Behind the limits in a sentence.
    flag : str
        What the command line and requests call it, where it is not the name itself.
    metavar : str
        For the command line.
    """

    words: str
    help: str = ""
    choices: tuple[Any, ...] = ()
    low: int = 0
    high: int = 0
    unit: str = ""
    flag: str = ""
    metavar: str | None = None

    def wrong(self, value: Any) -> str:
        """A sentence on a value that is not allowed; empty for one that is."""
        if value in self.choices if self.choices else value is None or self.fits(value):
            return ""
        allowed = listed(self.choices) if self.choices else f"from {self.low} to {self.high}"
        return f"{self.words} {allowed}{self.unit}, not {value}."

    def fits(self, number: int) -> bool:
        """True for a number within the limits."""
        return self.low <= number <= self.high


def _choice(rest: Any, words: str, **more: Any) -> Any:
    return field(default=rest, metadata={"choice": Choice(words, **more)})


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

    format: str = _choice("jpeg", "The format must be", choices=FORMATS)
    depth: int = _choice(
        8, "The depth must be", choices=(8, 16), unit=" bits", help="bits (8); 16 for PNG and TIFF"
    )
    channels: str = _choice("grey", "The channels must be", choices=("grey", "rgb"))
    quality: int = _choice(92, "The quality must be", low=1, high=100)
    long_side: int | None = _choice(
        None, "The size must be", low=16, high=100_000, unit=" pixels", flag="size",
        help="longer side, only to reduce", metavar="PX",
    )  # fmt: skip
    metadata: str = _choice(
        "keep", "The metadata must be", choices=METADATA, help="what to keep (keep)"
    )
    resolution: int = _choice(
        300, "The resolution must be", low=10, high=2400, unit=" dpi", metavar="DPI"
    )
    sharpen: str = _choice("off", "Sharpening must be", choices=SHARPENING, help="for what (off)")
    sharpen_amount: int = _choice(50, "Sharpening goes", low=0, high=100, metavar="N")
    beside: str = _choice("nothing", "Beside a file can be", choices=BESIDE)

    def __post_init__(self) -> None:
        for name, one in CHOICES.items():
            if wrong := one.wrong(getattr(self, name)):
                raise Unsupported(wrong)
        if self.format not in DEEP and self.depth == 16:
            raise Unsupported(f"{_called(self.format)} holds 8 bits: choose PNG or TIFF for 16.")

    @property
    def keeps_alpha(self) -> bool:
        """Whether the format holds how opaque each pixel is."""
        return self.format in WITH_ALPHA

    @property
    def single(self) -> bool:
        """True if the file holds one channel of grey."""
        return self.channels == "grey" and self.format in SINGLE

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
        """The type of the codes that :mod:`oatmeal.photofile.encode` wants."""
        return np.uint8 if self.depth == 8 else np.uint16


#: What may be chosen for each part of the form.
CHOICES: Final[dict[str, Choice]] = {one.name: one.metadata["choice"] for one in fields(Output)}

#: What each part is called in requests and on the command line, with its usual value.
FORM: Final[dict[str, Any]] = {
    one.metadata["choice"].flag or one.name: one.default for one in fields(Output)
}


def output_of(given: dict[str, Any]) -> Output:
    """The form that a request or a command line asks for, by the names of :data:`FORM`.

    Raises
    ------
    Unsupported
        For what no file can be.
    """
    called = {name: one.flag or name for name, one in CHOICES.items()}
    return Output(**{name: given[call] for name, call in called.items() if call in given})


def listed(names: tuple[Any, ...]) -> str:
    """Names as words: ``a, b or c``."""
    return f"{', '.join(map(str, names[:-1]))} or {names[-1]}"


def _called(file_format: str) -> str:
    return {"jpeg": "A JPEG", "webp": "A WebP", "avif": "An AVIF"}[file_format]
