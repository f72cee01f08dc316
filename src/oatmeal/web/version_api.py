"""The JSON API for versions and their history. Errors are problem documents (RFC 9457)."""

from __future__ import annotations

from flask import Blueprint, request

from oatmeal.core.recipe import words
from oatmeal.library import history, photographs, versions
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, query, takes
from oatmeal.web.services import services

version_api = Blueprint("versions", __name__, url_prefix="/api")


@version_api.get("/photographs/<int:photograph_id>/versions")
def list_versions(photograph_id: int) -> Reply:
    with services().database.session() as session:
        return {"versions": versions.listed(photographs.get(session, photograph_id))}


@version_api.put("/photographs/<int:photograph_id>/versions")
@takes(schemas.Versions)
def order_versions(photograph_id: int, wanted: schemas.Versions) -> Reply:
    with services().database.session() as session:
        versions.reorder(session, photograph_id, wanted.versions)
        return {"versions": versions.listed(photographs.get(session, photograph_id))}


@version_api.get("/versions/<int:version_id>")
def version_state(version_id: int) -> Reply:
    with services().database.session() as session:
        return versions.state(session, versions.get(session, version_id))


@version_api.patch("/versions/<int:version_id>")
@takes(schemas.Name)
def rename_version(version_id: int, wanted: schemas.Name) -> Reply:
    with services().database.session() as session:
        return {"id": version_id, "name": versions.rename(session, version_id, wanted.name).name}


@version_api.delete("/versions/<int:version_id>")
def delete_version(version_id: int) -> Reply:
    with services().database.session() as session:
        return {"id": version_id, "name": versions.delete(session, version_id).name}


@version_api.post("/versions/<int:version_id>/restore")
def restore_version(version_id: int) -> Reply:
    with services().database.session() as session:
        return {"id": version_id, "name": versions.restore(session, version_id).name}


@version_api.post("/versions/<int:version_id>/duplicate")
def duplicate_version(version_id: int) -> Reply:
    with services().database.session() as session:
        made = versions.duplicate(session, version_id)
        return {"id": made.id, "name": made.name}


@version_api.post("/versions/<int:version_id>/show")
def show_version(version_id: int) -> Reply:
    """Let the sheet show this version."""
    with services().database.session() as session:
        return {"id": version_id, "name": versions.show(session, version_id).name}


@version_api.post("/versions/<int:version_id>/looked")
def looked_at(version_id: int) -> Reply:
    """What acts otherwise since an upgrade was told."""
    with services().database.session() as session:
        versions.looked(session, version_id)
        return {"id": version_id}


@version_api.put("/versions/<int:version_id>/pins")
@takes(schemas.Pins)
def pin_version(version_id: int, wanted: schemas.Pins) -> Reply:
    pins = [pin.model_dump() for pin in wanted.pins]
    with services().database.session() as session:
        return versions.pin(session, version_id, wanted.revision, pins)


@version_api.put("/versions/<int:version_id>/recipe")
@takes(schemas.Saving)
def save_recipe(version_id: int, wanted: schemas.Saving) -> Reply:
    with services().database.session() as session:
        return versions.save(session, version_id, wanted.revision, wanted.recipe)


@version_api.post("/versions/<int:version_id>/undo")
@takes(schemas.Revision)
def undo(version_id: int, wanted: schemas.Revision) -> Reply:
    with services().database.session() as session:
        return versions.undo(session, version_id, wanted.revision)


@version_api.post("/versions/<int:version_id>/redo")
@takes(schemas.Revision)
def redo(version_id: int, wanted: schemas.Revision) -> Reply:
    with services().database.session() as session:
        return versions.redo(session, version_id, wanted.revision)


@version_api.get("/versions/<int:version_id>/history")
def list_history(version_id: int) -> Reply:
    with services().database.session() as session:
        return history.listed(session, version_id, query(schemas.Listing, request.args).count)


@version_api.get("/versions/<int:version_id>/history/<int:step_id>")
def history_step(version_id: int, step_id: int) -> Reply:
    """The whole recipe after a step."""
    with services().database.session() as session:
        return {"recipe": history.recipe(session, version_id, step_id).full_document()}


@version_api.patch("/versions/<int:version_id>/history/<int:step_id>")
@takes(schemas.Keeping)
def keep_state(version_id: int, step_id: int, wanted: schemas.Keeping) -> Reply:
    """Keep the state after a step under a name; an empty name lets it go."""
    with services().database.session() as session:
        step = history.keep(session, version_id, step_id, wanted.kept)
        return {"id": step_id, "kept": step.kept}


@version_api.post("/versions/<int:version_id>/go")
@takes(schemas.Going)
def go(version_id: int, wanted: schemas.Going) -> Reply:
    """Let any step of the history be in force."""
    with services().database.session() as session:
        return history.go(session, version_id, wanted.revision, wanted.step)


@version_api.post("/differences")
@takes(schemas.Differing)
def differences(wanted: schemas.Differing) -> Reply:
    """What differs between two recipes, in words."""
    return {"words": words.changes(wanted.before, wanted.after)}
