"""One photograph, one recipe, one finished file."""

from __future__ import annotations

import math
import shutil
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.finish import looks_around, sharpened
from oatmeal.core.pipeline import opacity, render
from oatmeal.core.recipe import Recipe
from oatmeal.host import disk
from oatmeal.photofile import decode as decoding
from oatmeal.photofile import encode as encoding
from oatmeal.photofile.decode import Limits, SourcePicture
from oatmeal.photofile.errors import PhotoFileError
from oatmeal.photofile.output import Output
from oatmeal.photofile.profiles import linear_tables

#: Rows, columns and channels of what is rendered only to load the loops.
_FEW_PIXELS: Final = (64, 96, 3)


@dataclass(frozen=True)
class Finished:
    """A file that was written: its size in pixels and bytes, and remarks on how it was read."""

    width: int
    height: int
    bytes: int
    notes: tuple[str, ...] = ()


def convert_file(
    source: Path,
    recipe: Recipe,
    output: Output,
    destination: Path,
    *,
    name: str | None = None,
    limits: Limits | None = None,
    progress: Callable[[float], None] = lambda share: None,
    reading: Future[SourcePicture] | None = None,
    careful: bool = False,
) -> Finished:
    """Read ``source``, render it with ``recipe`` and write ``destination``.

    Parameters
    ----------
    reading : Future, optional
        The source, where somebody has begun to read it.
    careful : bool
        Note whatever may be wrong with it: it was not looked at when it came.

    Raises
    ------
    RecipeError
        When the recipe asks for what is not built yet.
    PhotoFileError
        When the source cannot be read or the destination cannot be written.
    """
    if reading is not None:
        picture = reading.result()
    else:
        picture = decoding.decode(source, name, limits, careful=careful)
    finished = write_picture(picture, recipe, output, destination, progress=progress)
    if output.beside == "original":
        _copy(source, beside(destination, output, source.suffix))
    elif output.beside == "colour":
        _write_colour(picture, recipe, output, beside(destination, output, source.suffix))
    return finished


def beside(destination: Path, output: Output, source_suffix: str) -> Path:
    """Where what is put beside a finished file lies."""
    suffix = source_suffix if output.beside == "original" else destination.suffix
    return destination.with_name(f"{destination.stem}-{output.beside}{suffix}")


def _copy(source: Path, target: Path) -> None:
    """Copy a file, whole or not at all."""
    partly = target.with_name(f"{encoding.TEMPORARY}{target.name}")
    try:
        shutil.copyfile(source, partly)
        partly.replace(target)
    except OSError as error:
        partly.unlink(missing_ok=True)
        if disk.is_full(error):
            raise disk.no_room(target.name, target.parent, source.stat().st_size) from error
        raise PhotoFileError(f"{target} could not be written: {error.strerror}.") from error


def _write_colour(picture: SourcePicture, recipe: Recipe, output: Output, target: Path) -> None:
    codes = render(picture, recipe, output.dtype, output.long_side, colour=True)
    encoding.encode(codes, target, output, picture.exif)


def write_picture(
    picture: SourcePicture,
    recipe: Recipe,
    output: Output,
    destination: Path,
    *,
    progress: Callable[[float], None] = lambda share: None,
) -> Finished:
    """Render a decoded picture and write ``destination``; see :func:`convert_file`."""
    codes = _rendered(picture, recipe, output, progress)
    height, width = codes.shape[:2]
    alpha = opacity(picture, recipe, output.long_side)
    written = encoding.encode(codes, destination, output, picture.exif, alpha)
    notes = tuple(picture.notes)
    if alpha is not None and not output.keeps_alpha:
        notes += ("Transparent parts became paper white: PNG, TIFF, WebP and AVIF keep them.",)
    return Finished(width, height, written, notes)


def rehearse(recipe: Recipe, output: Output) -> None:
    """Render a few pixels as :func:`convert_file` would a picture, to load the compiled loops.

    A process that has just begun does so while a large file is being read.
    What goes wrong here goes wrong there again, and is told there.
    """
    codes = np.arange(math.prod(_FEW_PIXELS), dtype=np.uint8).reshape(_FEW_PIXELS)
    with suppress(Exception):
        picture = SourcePicture(codes, linear_tables(None, np.uint8))
        _rendered(picture, recipe, output, lambda share: None)


def _rendered(
    picture: SourcePicture, recipe: Recipe, output: Output, progress: Callable[[float], None]
) -> NDArray[Any]:
    """The codes of a file, as :func:`oatmeal.core.pipeline.render` gives them."""

    def for_medium(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
        if output.sharpen == "off":
            return encoded
        return sharpened(encoded, output.sharpen, output.sharpen_amount, output.resolution)

    around = 0 if output.sharpen == "off" else looks_around(output.sharpen, output.resolution)
    return render(
        picture, recipe, output.dtype, output.long_side,
        progress=progress, between=for_medium, around=around,
    )  # fmt: skip
