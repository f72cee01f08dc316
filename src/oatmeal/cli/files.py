"""What several commands do with files: recipes, pictures, and a bar for people."""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any, Final

import numpy as np

from oatmeal.cli.errors import UsageError
from oatmeal.core import recipe as recipes
from oatmeal.core.colour import encode_srgb
from oatmeal.core.colour import kernels as colours
from oatmeal.core.kernels import wait_for_others
from oatmeal.core.picture import proxy
from oatmeal.host.errors import Told
from oatmeal.photofile.decode import SourcePicture, decode
from oatmeal.photofile.errors import PhotoFileError

#: Characters of the progress bar.
BAR_WIDTH: Final = 40

#: Longer side of the proxy from which the picture's colours are measured.
MEASURE_SIDE: Final = 1600


def read_recipe(name: str | None) -> recipes.Recipe:
    """The recipe in a file, or on standard input; at rest without one."""
    if name is None:
        return recipes.REST
    try:
        text = _standard_input() if name == "-" else Path(name).read_bytes()
    except OSError as error:
        raise UsageError(f"{name} cannot be read: {error.strerror}") from error
    try:
        return recipes.read(text)
    except recipes.RecipeError as error:
        raise UsageError(*(f"recipe: {problem}" for problem in error.problems)) from error


def _standard_input() -> bytes:
    if sys.stdin is None:
        raise UsageError("there is no standard input to read")
    return sys.stdin.buffer.read()


@cache
def say_when_compiling() -> None:
    """Tell people, once, that loops are compiled before anything comes of it."""
    told = False

    def said(step: str) -> None:
        nonlocal told
        if not told:
            told = True
            line = "oatmeal: making the calculations ready, once; some seconds"
            print(line, file=sys.stderr, flush=True)

    wait_for_others(said)


@contextmanager
def input_file(name: str) -> Iterator[tuple[Path, str]]:
    """The file to read and what to call it; standard input goes through a temporary file."""
    say_when_compiling()
    if name != "-":
        yield Path(name), name
        return
    with tempfile.NamedTemporaryFile(prefix="oatmeal-") as file:
        file.write(_standard_input())
        file.flush()
        yield Path(file.name), "standard input"


def picture_of(name: str) -> SourcePicture | None:
    """A decoded picture; None, after saying why, where it cannot be read."""
    try:
        with input_file(name) as (path, called):
            if not path.is_file():
                raise PhotoFileError(f"{called} is not there or is no file.")
            picture = decode(path, called, careful=True)
    except Told as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return None
    for note in picture.notes:
        print(f"oatmeal: {called}: {note}", file=sys.stderr)
    return picture


def same_file(name: str, target: Path) -> bool:
    """True if both name one file that is there."""
    return target.exists() and Path(name).exists() and target.samefile(name)


def bar(done: int, total: int, unit: str = "") -> None:
    """How far the work is, on standard error, if a person reads it."""
    if not sys.stderr.isatty():
        return
    filled = round(BAR_WIDTH * done / total)
    end = "\n" if done == total else ""
    drawn = "█" * filled + "·" * (BAR_WIDTH - filled)
    said = f"{done}{unit}" if unit else f"{done} of {total}"
    print(f"\r{drawn} {said}", end=end, file=sys.stderr, flush=True)


def grey_of(picture: SourcePicture) -> Any:
    """A grey picture's encoded values."""
    light = np.maximum(colours.luminance(proxy(picture, MEASURE_SIDE)), 0)
    return np.asarray(encode_srgb(light), dtype=np.float32)
