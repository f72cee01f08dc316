"""The JSON API for versions and their history. Errors are problem documents (RFC 9457)."""

from __future__ import annotations

from typing import Any

from flask import Blueprint

from oatmeal.core.recipe import from_document, words
from oatmeal.library import history, photographs, versions
from oatmeal.web.parsing import Reply, body, number, numbers, text
from oatmeal.web.services import services

version_api = Blueprint("versions", __name__, url_prefix="/api")


@version_api.get("/photographs/<int:photograph_id>/versions")
def list_versions(photograph_id: int) -> Reply:
    with services().database.session() as session:
        return {"versions": versions.listed(photographs.get(session, photograph_id))}


@version_api.put("/photographs/<int:photograph_id>/versions")
def order_versions(photograph_id: int) -> Reply:
    wanted = numbers(body(), "versions")
    with services().database.session() as session:
        versions.reorder(session, photograph_id, wanted)
        return {"versions": versions.listed(photographs.get(session, photograph_id))}


@version_api.get("/versions/<int:version_id>")
def version_state(version_id: int) -> Reply:
    with services().database.session() as session:
        return versions.state(session, versions.get(session, version_id))


@version_api.patch("/versions/<int:version_id>")
def rename_version(version_id: int) -> Reply:
    name = text(body(), "name")
    with services().database.session() as session:
        return {"id": version_id, "name": versions.rename(session, version_id, name).name}


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


@version_api.put("/versions/<int:version_id>/pins")
def pin_version(version_id: int) -> Reply:
    document = body()
    revision = number(document, "revision")
    with services().database.session() as session:
        return versions.pin(session, version_id, revision, document.get("pins"))


@version_api.put("/versions/<int:version_id>/recipe")
def save_recipe(version_id: int) -> Reply:
    document = body()
    revision = number(document, "revision")
    with services().database.session() as session:
        return versions.save(session, version_id, revision, document.get("recipe"))


@version_api.post("/versions/<int:version_id>/undo")
def undo(version_id: int) -> Reply:
    revision = number(body(), "revision")
    with services().database.session() as session:
        return versions.undo(session, version_id, revision)


@version_api.post("/versions/<int:version_id>/redo")
def redo(version_id: int) -> Reply:
    revision = number(body(), "revision")
    with services().database.session() as session:
        return versions.redo(session, version_id, revision)


@version_api.get("/versions/<int:version_id>/history")
def list_history(version_id: int) -> Reply:
    with services().database.session() as session:
        return {"steps": history.listed(session, version_id)}


@version_api.get("/versions/<int:version_id>/history/<int:step_id>")
def history_step(version_id: int, step_id: int) -> Reply:
    """The whole recipe after a step."""
    with services().database.session() as session:
        return {"recipe": history.recipe(session, version_id, step_id).full_document()}


@version_api.patch("/versions/<int:version_id>/history/<int:step_id>")
def keep_state(version_id: int, step_id: int) -> Reply:
    """Keep the state after a step under a name; an empty name lets it go."""
    name = text(body(), "kept")
    with services().database.session() as session:
        return {"id": step_id, "kept": history.keep(session, version_id, step_id, name).kept}


@version_api.post("/versions/<int:version_id>/go")
def go(version_id: int) -> Reply:
    """Let any step of the history be in force."""
    document = body()
    revision, step_id = number(document, "revision"), number(document, "step")
    with services().database.session() as session:
        return history.go(session, version_id, revision, step_id)


@version_api.post("/differences")
def differences() -> dict[str, Any]:
    """What differs between two recipes, in words."""
    document = body()
    before, after = (from_document(document.get(key)) for key in ("before", "after"))
    return {"words": words.changes(before, after)}
