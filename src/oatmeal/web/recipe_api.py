"""Recipes kept by name: the page and the JSON API."""

from __future__ import annotations

import json
import re
from io import BytesIO
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file

from oatmeal.core.recipe import carry, read
from oatmeal.library import photographs, recipes, series, versions
from oatmeal.library.errors import Invalid
from oatmeal.web.parsing import Reply, body, number, text
from oatmeal.web.services import services

recipe_api = Blueprint("recipes", __name__)


@recipe_api.get("/recipes")
def recipes_page() -> str:
    """All recipes, each shown on the photograph in hand (``?photograph=``), or on any."""
    wanted = request.args.get("photograph", type=int)
    with services().database.session() as session:
        hand = None
        entries = series.listed(session)
        if wanted is None:
            wanted = next((entry.cover_id for entry in entries if entry.cover_id), None)
        if wanted is not None:
            photograph = photographs.get(session, wanted)
            version = _version(photograph, request.args.get("version", type=int))
            hand = {
                "photograph": photograph.id,
                "title": photograph.title,
                "version": version.id,
                "treatment": version.name,
                "revision": version.revision,
                "recipe": versions.recipe_of(version).full_document(),
            }
        start = {
            "recipes": recipes.listed(session),
            "hand": hand,
            "groups": [{"name": group.name, "step": group.step} for group in carry.GROUPS],
        }
        return render_template("recipes.html", start=start)


def _version(photograph: Any, wanted: int | None) -> Any:
    return next((item for item in photograph.versions if item.id == wanted), photograph.shown)


@recipe_api.get("/api/recipes")
def list_recipes() -> Reply:
    with services().database.session() as session:
        return {"recipes": recipes.listed(session)}


@recipe_api.post("/api/recipes")
def save_recipe() -> Reply:
    """Keep a recipe: ``{name, recipe, groups?}``."""
    document = body()
    groups = document.get("groups", list(recipes.ALL_GROUPS))
    if not isinstance(groups, list):
        raise Invalid("groups must be a list of names.")
    with services().database.session() as session:
        return recipes.save(session, text(document, "name"), document.get("recipe"), groups)


@recipe_api.post("/api/recipes/file")
def take_in_recipe() -> Reply:
    """Keep a recipe from a file: ``{file, text}``; it is named by itself or by the file."""
    document = body()
    recipe = read(text(document, "text"))
    name = recipe.name or re.sub(r"\.json$", "", text(document, "file"), flags=re.IGNORECASE)
    with services().database.session() as session:
        return recipes.save(session, name, recipe.document())


@recipe_api.patch("/api/recipes/<int:saved_id>")
def describe_recipe(saved_id: int) -> Reply:
    """Change ``name``, ``note`` or ``tags``."""
    document = body()
    texts = {key: text(document, key) for key in ("name", "note", "tags") if key in document}
    with services().database.session() as session:
        return recipes.describe(session, saved_id, **texts)


@recipe_api.put("/api/recipes/at-import")
def choose_at_import() -> Reply:
    """What new photographs begin with: ``{id}``, or none without."""
    document = body()
    wanted = number(document, "id") if document.get("id") is not None else None
    with services().database.session() as session:
        recipes.choose_at_import(session, wanted)
    return {"id": wanted}


@recipe_api.delete("/api/recipes/<int:saved_id>")
def delete_recipe(saved_id: int) -> Reply:
    with services().database.session() as session:
        recipes.delete(session, saved_id)
    return {"id": saved_id}


@recipe_api.post("/api/recipes/<int:saved_id>/restore")
def restore_recipe(saved_id: int) -> Reply:
    with services().database.session() as session:
        recipes.restore(session, saved_id)
    return {"id": saved_id}


@recipe_api.post("/api/versions/<int:version_id>/use")
def use_recipe(version_id: int) -> Reply:
    """Apply a recipe to a version: ``{source, revision}``."""
    document = body()
    source, revision = text(document, "source"), number(document, "revision")
    with services().database.session() as session:
        return recipes.use(session, source, version_id, revision)


@recipe_api.get("/recipes/file")
def recipe_file() -> Response:
    """A recipe as a JSON file, ``?source=``."""
    with services().database.session() as session:
        named = recipes.get(session, request.args.get("source", ""))
    content = json.dumps({**named.recipe.document(), "name": named.name}, indent=1)
    called = re.sub(r"[^\w]+", "-", named.name.lower()).strip("-") or "recipe"
    file = BytesIO(content.encode())
    return send_file(
        file, "application/json", as_attachment=True, download_name=f"{called}.json", max_age=0
    )
