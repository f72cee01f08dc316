"""The demo series: made-up photographs of the Larkmoor balloon meet."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import AbstractContextManager
from pathlib import Path

from sqlalchemy import select

from oatmeal.core.recipe import from_document
from oatmeal.library import photographs, series, versions
from oatmeal.library.database import Database
from oatmeal.library.models import Photograph, Series
from oatmeal.rendering.importing import Importer
from oatmeal.run.mariadb import StartError

#: In the project's folder, beside ``src``; the installed package does not carry the pictures.
FOLDER = Path(__file__).parents[3] / "demo"

_LISTING = FOLDER / "series.json"

Step = Callable[[str], AbstractContextManager[object]]


def require() -> None:
    """Raise :class:`StartError` where the demo's photographs are not there."""
    if not _LISTING.exists():
        raise StartError(
            "The demo's photographs come with the project's source, not with the installed "
            f"package ({FOLDER} is not there): run bin/demo in the folder of the source."
        )


def load(database: Database, importer: Importer, home: Path, step: Step) -> None:
    """Load the demo series once; what an interrupted load left off is added the next time."""
    marker = home / "demo-loaded"
    if marker.exists():
        return
    plan = json.loads(_LISTING.read_text())
    with database.session() as session:
        found = session.scalar(
            select(Series.id).where(Series.name == plan["name"], Series.deleted_at.is_(None))
        )
        series_id = found or series.create(session, plan["name"]).id
        there = set(
            session.scalars(select(Photograph.file_name).where(Photograph.series_id == series_id))
        )
    for entry in plan["photographs"]:
        if entry["file"] in there:
            continue
        with step(f"Adding {entry['file']}"):
            content = (FOLDER / entry["file"]).read_bytes()
            taken = importer.add(series_id, entry["file"], [content], entry["caption"])
            photograph = taken.photograph
            with database.session() as session:
                photographs.rename(session, photograph.id, entry["title"])
                version = photographs.get(session, photograph.id).shown
                if "recipe" in entry:
                    recipe = from_document(entry["recipe"])
                    versions.save(session, version.id, version.revision, recipe)
                    versions.rename(session, version.id, entry["version"])
    marker.write_text("The demo series was loaded; remove this file to load it again.\n")
