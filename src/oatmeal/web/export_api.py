"""Exports: the page, the JSON API of batches, and their files."""

from __future__ import annotations

from flask import Blueprint, Response, render_template, send_file

from oatmeal.exports import archive, batches
from oatmeal.library.errors import Missing
from oatmeal.library.store import is_filled
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.priorities import paced
from oatmeal.web.services import services

export_api = Blueprint("exports", __name__)


@export_api.get("/exports")
def exports_page() -> str:
    """Running and finished exports."""
    with services().database.session() as session:
        start = {"batches": batches.listed(session, services().store)}
        return render_template("exports.html", start=start, folder=services().store.exports)


@export_api.get("/api/exports")
def list_exports() -> Reply:
    with services().database.session() as session:
        return {"batches": batches.listed(session, services().store)}


@export_api.post("/api/exports")
@takes(schemas.Batch)
def create_export(wanted: schemas.Batch) -> Reply:
    """Ask for finished files."""
    with services().database.session() as session:
        batch = batches.create(
            session, services().store, wanted.photographs, wanted.output, wanted.pattern
        )
        made = {"id": batch.id, "count": len(batch.jobs)}
    services().runner.wake()
    return made


@export_api.post("/api/exports/names")
@takes(schemas.Batch)
def example_names(wanted: schemas.Batch) -> Reply:
    """The names that files would get."""
    with services().database.session() as session:
        found = batches.names(session, wanted.photographs, wanted.pattern, wanted.output)
    return {"names": found}


@export_api.post("/api/exports/<int:batch_id>/cancel")
def cancel_export(batch_id: int) -> Reply:
    with services().database.session() as session:
        batches.cancel(session, services().store, batch_id)
    services().runner.wake()
    return {"id": batch_id}


@export_api.post("/api/exports/<int:batch_id>/retry")
def retry_export(batch_id: int) -> Reply:
    with services().database.session() as session:
        count = batches.retry(session, batch_id)
    services().runner.wake()
    return {"id": batch_id, "count": count}


@export_api.delete("/api/exports/<int:batch_id>")
def remove_export(batch_id: int) -> Reply:
    with services().database.session() as session:
        batches.remove(session, services().store, batch_id)
    return {"id": batch_id}


@export_api.get("/exports/<int:batch_id>.zip")
@paced("archive")
def download_all(batch_id: int) -> Response:
    """The finished files of a batch in one archive; pictures are compressed already."""
    with services().database.session() as session:
        folder, there = batches.files(session, services().store, batch_id)
    if not there:
        raise Missing("Nothing of this export is finished yet.")
    response = Response(archive.streamed(folder, there), mimetype="application/zip")
    response.headers.set("Content-Disposition", "attachment", filename=f"{folder.name}.zip")
    return response


@export_api.get("/exports/<int:batch_id>/<int:job_id>")
@paced("file")
def download_one(batch_id: int, job_id: int) -> Response:
    """One finished file of a batch."""
    with services().database.session() as session:
        batch = batches.get(session, batch_id)
        folder = batches.folder(services().store, batch)
        name = next((job.name for job in batch.jobs if job.id == job_id), None)
    if name is None or not is_filled(folder / name):
        raise Missing("This file is not there any more: export it again.")
    return send_file(folder / name, as_attachment=True, download_name=name, max_age=0)
