"""Recipes kept by name: the page and the JSON API."""

from __future__ import annotations

import json
import re
from io import BytesIO
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file

from oatmeal.core.recipe import read
from oatmeal.library import photographs, recipes, series, versions
from oatmeal.web import schemas
from oatmeal.web.parsing import Reply, takes
from oatmeal.web.services import services
from oatmeal.web.vocabulary import vocabulary

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
            "groups": vocabulary()["groups"],
        }
        return render_template("recipes.html", start=start)


def _version(photograph: Any, wanted: int | None) -> Any:
    return next((item for item in photograph.versions if item.id == wanted), photograph.shown)


@recipe_api.get("/api/recipes")
def list_recipes() -> Reply:
    with services().database.session() as session:
        return {"recipes": recipes.listed(session)}


@recipe_api.post("/api/recipes")
@takes(schemas.Keep)
def save_recipe(wanted: schemas.Keep) -> Reply:
    """Keep a recipe."""
    with services().database.session() as session:
        return recipes.save(session, wanted.name, wanted.recipe, wanted.groups)


@recipe_api.post("/api/recipes/onto")
@takes(schemas.Onto)
def recipes_onto(wanted: schemas.Onto) -> Reply:
    """A recipe with each of the kept ones carried onto it, or with some; nothing is stored."""
    with services().database.session() as session:
        return {"recipes": recipes.onto(session, wanted.recipe, wanted.sources, wanted.strength)}


@recipe_api.post("/api/recipes/file")
@takes(schemas.File)
def take_in_recipe(wanted: schemas.File) -> Reply:
    """Keep a recipe from a file; it is named by itself or by the file."""
    recipe = read(wanted.text)
    name = recipe.name or re.sub(r"\.json$", "", wanted.file, flags=re.IGNORECASE)
    with services().database.session() as session:
        return recipes.save(session, name, recipe)


@recipe_api.patch("/api/recipes/<int:saved_id>")
@takes(schemas.Describing)
def describe_recipe(saved_id: int, wanted: schemas.Describing) -> Reply:
    """Change ``name``, ``note`` or ``tags``."""
    texts = wanted.model_dump(exclude_none=True)
    with services().database.session() as session:
        return recipes.describe(session, saved_id, **texts)


@recipe_api.put("/api/recipes/at-import")
@takes(schemas.AtImport)
def choose_at_import(wanted: schemas.AtImport) -> Reply:
    """What new photographs begin with."""
    with services().database.session() as session:
        recipes.choose_at_import(session, wanted.id)
    return {"id": wanted.id}


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
@takes(schemas.Using)
def use_recipe(version_id: int, wanted: schemas.Using) -> Reply:
    """Apply a recipe to a version."""
    with services().database.session() as session:
        return recipes.use(session, wanted.source, version_id, wanted.revision)


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
