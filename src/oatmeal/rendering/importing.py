"""Taking files into a series."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path, PurePath
from typing import Literal

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.library import photographs, recipes
from oatmeal.library import series as series_of
from oatmeal.library.database import Database
from oatmeal.library.errors import Missing
from oatmeal.library.models import HistoryStep, Photograph, Series, Version
from oatmeal.library.store import FileStore, Original, Received, is_whole
from oatmeal.photofile import metadata, rawfile
from oatmeal.photofile.decode import Limits
from oatmeal.photofile.output import SUFFIX_OF
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.reading import Reader, Reading, shared_reader

#: Name of the version that a new photograph begins with.
FIRST_VERSION = "Version 1"


@dataclass(frozen=True)
class Beginning:
    """How a photograph begins that was made here.

    Its title, its recipe with that step's words, and what is to be known of how it was made.
    """

    title: str
    recipe: Recipe
    words: str
    note: str = ""


@dataclass(frozen=True)
class TakenIn:
    """What came of a file: its photograph, and how that is in the series now.

    ``how`` is added, there (it was in the series already) or back (it had been removed).
    """

    photograph: Photograph
    how: Literal["added", "there", "back"]


@dataclass(frozen=True)
class Importer:
    """Takes files into a series: received, checked by decoding, kept, then recorded.

    The database row comes last, in one transaction; whatever is interrupted before leaves at most
    an unused file that the same import would use again.
    """

    database: Database
    store: FileStore
    proxies: Proxies
    limits: Limits = Limits()
    reader: Reader = field(default_factory=shared_reader)

    def add(
        self,
        series_id: int,
        name: str,
        chunks: Iterable[bytes],
        caption: str = "",
        expected: int = 0,
        begin: Beginning | None = None,
        came_from: Path | None = None,
    ) -> TakenIn:
        """Import one file of ``expected`` bytes; one that is in the series is not added again.

        One that had been removed from the series comes back with its work. ``begin`` says how it
        begins where the file itself does not; ``came_from`` is where the file lies that was handed
        over.

        Raises
        ------
        PhotoFileError
            When the file is refused; nothing is left behind.
        Missing
            When the series is gone.
        """
        name = PurePath(name.replace("\\", "/")).name[-255:] or "unnamed"
        with self.database.session() as session:
            series_of.get(session, series_id)
        with self.store.receive(chunks, name, self.limits.max_bytes, expected) as received:
            with self.database.session() as session:
                there = _same(session, series_id, received.sha256)
            if there is not None:
                self._mend(there.photograph, received)
                self._remember(there.photograph, came_from)
                return there
            reading = self.reader.read(received.path, name, self.limits)
            suffix = _suffix(name, reading.format)
            self.store.keep(received, suffix)
            self.proxies.adopt(received.sha256, reading.copies, reading.trust)

        def recorded() -> TakenIn:
            photograph = _record(name, received.sha256, received.size, suffix, reading, caption)
            if begin is not None:
                photograph.title = begin.title
                photograph.note = f"{photograph.note} {begin.note}".strip()
            if came_from is not None:
                photograph.came_from = str(came_from)
            with self.database.session() as session:
                there = _append(session, series_id, photograph, begin)
                return there or TakenIn(photograph, "added")

        return self.database.repeated(recorded)

    def _remember(self, there: Photograph, came_from: Path | None) -> None:
        """Where a photograph that is in the series was handed over from this time."""
        if came_from is not None:
            with self.database.session() as session:
                photographs.get(session, there.id).came_from = str(came_from)

    def look_into(self, name: str, chunks: Iterable[bytes], expected: int = 0) -> Original:
        """Take in a file only to be looked at: its reduced copies stay in the cache for a while.

        Raises
        ------
        PhotoFileError
            When the file is refused.
        """
        name = PurePath(name.replace("\\", "/")).name[-255:] or "unnamed"
        with self.store.receive(chunks, name, self.limits.max_bytes, expected) as received:
            reading = self.reader.read(received.path, name, self.limits)
            self.proxies.adopt(received.sha256, reading.copies, reading.trust)
            return Original(received.sha256, _suffix(name, reading.format), name)

    def _mend(self, there: Photograph, received: Received) -> None:
        """Put back the original of a photograph that is in the series, where it was lost."""
        if not is_whole(self.store.original(there.sha256, there.suffix), there.sha256):
            self.store.keep(received, there.suffix)
            there.note = f"The original of “{there.title}” was lost or damaged; it is put back."


def _same(session: Session, series_id: int, sha256: str) -> TakenIn | None:
    """The photograph of a series with this very content, if there is one.

    One that was removed comes back as it was, the one removed last.
    """
    found = session.scalar(
        select(Photograph)
        .where(Photograph.series_id == series_id, Photograph.sha256 == sha256)
        .order_by(Photograph.deleted_at.is_(None).desc(), Photograph.deleted_at.desc())
        .limit(1)
    )
    if found is None:
        return None
    removed = found.deleted_at is not None
    if removed:
        found.deleted_at = None
        session.flush()
    session.expunge(found)  # what it says is for this answer only
    if removed:
        found.note = f"Had been removed from this series: “{found.title}” is back with its work."
        return TakenIn(found, "back")
    found.note = f"Is in this series already, as “{found.title}”; it was not added again."
    return TakenIn(found, "there")


def _suffix(name: str, file_format: str) -> str:
    """Suffix under which an original is kept; decoding goes by it for raw files."""
    own = PurePath(name).suffix.lower()
    if file_format == "raw":
        return own if own in rawfile.SUFFIXES else ".dng"
    if file_format == "heif":
        return own if own in (".heic", ".heif", ".hif", ".avif") else ".heif"
    return SUFFIX_OF.get(file_format, f".{file_format}")


def _record(
    name: str, sha256: str, size: int, suffix: str, picture: Reading, caption: str
) -> Photograph:
    return Photograph(
        title=(_plain(metadata.description(picture.exif)) or title_of(name))[:200],
        caption=caption,
        file_name=name,
        sha256=sha256,
        suffix=suffix,
        file_bytes=size,
        width=picture.width,
        height=picture.height,
        bits=picture.bits,
        note=" ".join(picture.notes),
        taken_at=metadata.taken_at(picture.exif),
    )


def _append(
    session: Session, series_id: int, photograph: Photograph, begin: Beginning | None
) -> TakenIn | None:
    """Add a photograph at the end; returns the one that came first if there is one."""
    series = session.scalar(
        select(Series).where(Series.id == series_id, Series.deleted_at.is_(None)).with_for_update()
    )
    if series is None:
        raise Missing("This series is not there any more.")
    # the series is locked: of the same file sent twice at once, the second finds the first
    there = _same(session, series_id, photograph.sha256)
    if there is not None:
        return there
    last = session.scalar(
        select(func.max(Photograph.position)).where(Photograph.series_id == series_id)
    )
    photograph.series_id = series_id
    photograph.position = (last or 0) + 1
    version = Version(name=FIRST_VERSION, position=1, revision=1)
    photograph.versions.append(version)
    session.add(photograph)
    session.flush()
    recipe, words = (begin.recipe, begin.words) if begin else _first(photograph.suffix)
    step = HistoryStep(version_id=version.id, recipe=recipe.document(), words=words)
    session.add(step)
    session.flush()
    version.head_id = step.id
    source = recipes.at_import(session)
    if source is not None:
        recipes.use(session, source, version.id, version.revision)
    return None


def _first(suffix: str) -> tuple[Recipe, str]:
    """The recipe that a version begins with, and its words; of a raw file they say what made it."""
    if suffix not in rawfile.SUFFIXES:
        return REST, "as taken"
    developer = rawfile.developer()
    recipe = from_document({"prepare": {"lens": {"developed": developer}}})
    return recipe, f"as taken, developed by {developer}"


def _plain(text: str) -> str:
    """A text on one line, without what no one can read: tabs, line ends, escapes."""
    return " ".join("".join(one if one.isprintable() else " " for one in text).split())


def title_of(file_name: str) -> str:
    """A title from a file name: ``painted-wagon_02.jpg`` becomes ``Painted wagon 02``."""
    words = re.sub(r"[-_\s]+", " ", PurePath(file_name).stem).strip()
    return words[:1].upper() + words[1:] or "Untitled"
