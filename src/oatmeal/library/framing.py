"""The size of a photograph as a recipe frames it: nobody else asks the file for its shape."""

from __future__ import annotations

from oatmeal.core import prepare
from oatmeal.core.picture import Layout
from oatmeal.core.recipe import REST, Recipe, from_document
from oatmeal.library.models import Photograph


def laid(photograph: Photograph, recipe: Recipe) -> Layout:
    """How a recipe frames a photograph."""
    return prepare.geometry(recipe.effective()).on(photograph.width, photograph.height)


def shown_size(photograph: Photograph) -> tuple[int, int]:
    """The same for the version that is shown; only what frames is read of its recipe."""
    head = photograph.shown.head
    prepare = head.recipe.get("prepare", {}) if head else {}
    framing = {name: prepare[name] for name in ("on", "frame", "lens") if name in prepare}
    recipe = from_document({"prepare": framing}) if framing else REST
    return framed_size(photograph, recipe)


def framed_size(photograph: Photograph, recipe: Recipe) -> tuple[int, int]:
    """Width and height in the file's pixels, of what a recipe keeps of a photograph."""
    found = laid(photograph, recipe)
    return found.width, found.height
