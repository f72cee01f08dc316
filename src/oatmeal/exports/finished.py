"""Finished files of a version, kept in the cache until its recipe or the wanted form changes."""

from __future__ import annotations

import hashlib
import json
import re
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Final

from oatmeal.core.finish import widths
from oatmeal.core.picture import fitted
from oatmeal.core.recipe import Recipe
from oatmeal.exports.convert import write_picture
from oatmeal.host import disk, fingerprint
from oatmeal.host.disk import NoRoom
from oatmeal.library.errors import Invalid
from oatmeal.library.framing import framed_size
from oatmeal.library.models import Photograph
from oatmeal.library.store import FileStore, is_filled
from oatmeal.photofile.output import SUFFIX_OF, Output
from oatmeal.rendering.workbench import Workbench

#: How files are named unless the photographer says otherwise.
USUAL_PATTERN: Final = "{series}-{number}-{title}-{version}"

#: File systems hold names of 255 bytes; the rest is for numbers, suffixes and temporary names.
MOST_BYTES: Final = 190


@dataclass(frozen=True)
class FinishedFile:
    """A file ready to be handed over.

    Attributes
    ----------
    path : Path
        In the cache.
    name : str
        What to call it, made from series, frame, title and version.
    width, height, bytes : int
    """

    path: Path
    name: str
    width: int
    height: int
    bytes: int


def finished_file(
    store: FileStore,
    workbench: Workbench,
    photograph: Photograph,
    version_name: str,
    recipe: Recipe,
    output: Output,
    pattern: str = USUAL_PATTERN,
) -> FinishedFile:
    """Render and encode a version, unless the very same file is in the cache.

    The pattern, see :func:`named`, gives the file its name.

    Raises
    ------
    PhotoFileError
        When the original cannot be read, or there is no room or no format for the result.
    """
    wanted = json.dumps([fingerprint.mark(), recipe.document(), asdict(output)], sort_keys=True)
    mark = hashlib.sha256(wanted.encode()).hexdigest()[:24]
    suffix = SUFFIX_OF[output.format]
    folder = store.cache / photograph.sha256[:2]
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{photograph.sha256}-export-{mark}{suffix}"
    name = named(pattern, photograph, version_name) + suffix
    if not is_filled(path):
        source = workbench.desk(photograph).source()
        try:
            write_picture(source, recipe, output, path)
        except NoRoom as error:
            raise disk.no_room(name, folder, error.needed) from error
        store.trim_cache()
    size = framed_size(photograph, recipe)
    size = fitted(*size, output.long_side or max(size))
    width, height = widths(recipe.effective().finish.border, *size).round(*size)
    return FinishedFile(path, name, width, height, path.stat().st_size)


def _cut(name: str) -> str:
    """A name without what is beyond the bytes that a file's name may have, whole letters only."""
    return name.encode()[:MOST_BYTES].decode(errors="ignore").strip("-")


def file_name(photograph: Photograph, version_name: str) -> str:
    """A file name without suffix, such as ``larkmoor-balloon-meet-03-first-lift-dark-sky``."""
    return named(USUAL_PATTERN, photograph, version_name)


def named(pattern: str, photograph: Photograph, version_name: str) -> str:
    """A file name without suffix from a pattern.

    Parameters
    ----------
    pattern : str
        Text with ``{series}``, ``{number}``, ``{title}``, ``{version}`` and ``{file}``, the name
        that the original came with, in it.

    Raises
    ------
    Invalid
        When the pattern names something else or nothing is left of it.
    """
    values = {
        "series": photograph.series.name,
        "number": f"{photograph.position:02d}",
        "title": photograph.title,
        "version": version_name,
        "file": Path(photograph.file_name).stem,
    }
    unknown = [name for name in re.findall(r"{([^{}]*)}", pattern) if name not in values]
    if unknown:
        known = ", ".join(f"{{{name}}}" for name in values)
        raise Invalid(f"{{{unknown[0]}}} cannot be part of a file name; there are {known}.")
    filled = re.sub(r"{([^{}]*)}", lambda found: values[found[1]], pattern).lower()
    name = _cut(re.sub(r"[^\w]+", "-", filled).strip("-"))
    if not name:
        raise Invalid("The file name is empty: put text or {title} into the pattern.")
    return name
