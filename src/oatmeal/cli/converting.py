"""A file converted in this process, and what is reported of it."""

from __future__ import annotations

import sys
import tempfile
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from oatmeal.cli.files import input_file, same_file
from oatmeal.core.recipe import Recipe
from oatmeal.exports.convert import Finished, convert_file, rehearse
from oatmeal.photofile.decode import SourcePicture
from oatmeal.photofile.errors import PhotoFileError
from oatmeal.photofile.output import Output


def one(
    name: str,
    recipe: Recipe,
    output: Output,
    target: Path | None,
    reading: Future[SourcePicture] | None = None,
) -> dict[str, Any]:
    """The report of one file, made here; a target of None is standard output.

    While a file is being read, the compiled loops are loaded.
    """
    try:
        return _convert_one(name, recipe, output, target, reading)
    except Exception as error:  # whatever it is, the other files are done
        return failed(name, error)


def _convert_one(
    name: str,
    recipe: Recipe,
    output: Output,
    destination: Path | None,
    reading: Future[SourcePicture] | None,
) -> dict[str, Any]:
    with input_file(name) as (path, called), tempfile.TemporaryDirectory() as scratch:
        if not path.is_file():
            raise PhotoFileError(f"{called} is not there or is no file.")
        if destination is not None and same_file(str(path), destination):
            raise PhotoFileError(f"{called} would be overwritten: choose another --out.")
        target = destination or Path(scratch) / "out"
        target.parent.mkdir(parents=True, exist_ok=True)
        if reading:
            rehearse(recipe, output)
        finished = convert_file(
            path, recipe, output, target, name=called, reading=reading, careful=True
        )
        if destination is None:
            sys.stdout.buffer.write(target.read_bytes())
            sys.stdout.buffer.flush()
        return report(name, destination, finished)


def failed(name: str, error: Exception) -> dict[str, Any]:
    """The report of a file that could not be converted, whatever the reason."""
    if isinstance(error, UnicodeEncodeError):
        return {"input": name, "error": f"{name} has a name that is not UTF-8: rename it first."}
    if isinstance(error, PhotoFileError):
        return {"input": name, "error": str(error)}
    reason = (getattr(error, "strerror", None) or str(error) or type(error).__name__).splitlines()
    return {"input": name, "error": f"{name} could not be converted: {reason[0]}."}


def report(name: str, target: Path | None, finished: Finished) -> dict[str, Any]:
    return {
        "input": name,
        "output": str(target) if target else "-",
        "width": finished.width,
        "height": finished.height,
        "bytes": finished.bytes,
        "notes": list(finished.notes),
    }
