"""Frames joined to a file: decoded, found, laid, composed and written, strip by strip."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.join import Choices, Frame, JoinError, Laid, find, lay
from oatmeal.photofile import encode, metadata, profiles, tiff
from oatmeal.photofile.decode import Limits, SourcePicture, decode
from oatmeal.photofile.errors import PhotoFileError

#: Shares of the whole work at which its steps begin; composing takes the rest.
_BEGINS: Final = {
    "reading": 0.0, "finding": 0.12, "matching": 0.2, "fitting": 0.25, "laying": 0.36,
    "light": 0.38,
    "seams": 0.4, "composing": 0.45,
}  # fmt: skip

#: Bytes that a compressed picture has, at most, for one of its codes.
_MOST_BYTES: Final = 1.0


@dataclass(frozen=True)
class Joined:
    """A joined file that was written.

    Attributes
    ----------
    raised : float
        Stops by which the file is darker than the frames, so that nothing of them is clipped.
    notes : tuple of str
        What the photographer should know.
    """

    width: int
    height: int
    bytes: int
    raised: float
    notes: tuple[str, ...]
    laid: Laid

    @property
    def left_out(self) -> list[str]:
        """Names of frames that do not belong."""
        found = self.laid.found
        return [found.frames[k].name for k in found.left_out]


def join_files(
    sources: Sequence[Path],
    destination: Path,
    choices: Choices,
    *,
    names: Sequence[str] | None = None,
    limits: Limits | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> Joined:
    """Join frames and write a compressed 16-bit TIFF, whole or not at all.

    Frames in sRGB make a file in sRGB; where one has another space, the file has BT.2020's
    primaries. It says of itself what the first frame says.

    Parameters
    ----------
    names : sequence of str, optional
        What to call the frames in messages.

    Raises
    ------
    PhotoFileError
        When a frame cannot be read, they cannot be joined, or the file cannot be written.
    """
    limits = limits or Limits()
    called = names or [path.name for path in sources]
    pictures = []
    for n, (path, name) in enumerate(zip(sources, called, strict=True)):
        progress(_BEGINS["finding"] * n / len(sources))
        if not path.is_file():
            raise PhotoFileError(f"{name} is not there or is no file.")
        pictures.append(decode(path, name, limits))

    def told(step: str) -> None:
        progress(_BEGINS[step])

    try:
        frames = [Frame.of(name, one) for name, one in zip(called, pictures, strict=True)]
        found = find(frames, lens=choices.lens, told=told)
        laid = lay(found, choices, most_pixels=limits.max_pixels, told=told)
    except JoinError as error:
        raise PhotoFileError(str(error)) from error
    wide = any(is_wide(one) for one in pictures)
    size = laid.canvas.width, laid.canvas.height
    exif = metadata.for_size(pictures[0].exif, *size)
    profile = profiles.wide_profile() if wide else profiles.srgb_profile()
    strips = _counted(laid, wide, progress)
    written = encode.write_whole(
        destination,
        round(size[0] * size[1] * 6 * _MOST_BYTES),
        lambda file: tiff.write_compressed(file, size, strips, profile, exif),
    )
    notes = list(laid.notes)
    if laid.light.raised > 0.01:
        notes.append(
            f"It is {laid.light.raised:.2f} stops darker than the frames, so that nothing of them "
            "is clipped."
        )
    return Joined(*size, written, laid.light.raised, tuple(notes), laid)


def is_wide(picture: SourcePicture) -> bool:
    """True for a picture whose colours sRGB may not hold."""
    return picture.tables is None or picture.tables.ndim == 3


def _counted(
    laid: Laid, wide: bool, progress: Callable[[float], None]
) -> Iterator[NDArray[np.uint16]]:
    done, begins = 0, _BEGINS["composing"]
    for strip in laid.strips(wide):
        yield strip
        done += len(strip)
        progress(begins + (1 - begins) * done / laid.canvas.height)
