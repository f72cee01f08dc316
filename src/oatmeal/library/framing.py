"""The size of a photograph as a recipe frames it: nobody else asks the file for its shape."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from oatmeal.core import prepare
from oatmeal.core.picture import Geometry, Layout
from oatmeal.core.recipe import Recipe, from_document
from oatmeal.library.models import Photograph


def laid(photograph: Photograph, recipe: Recipe) -> Layout:
    """How a recipe frames a photograph."""
    return geometry_of(recipe).on(photograph.width, photograph.height)


def geometry_of(recipe: Recipe) -> Geometry:
    """How a recipe, with what is switched off in it at rest, frames any picture."""
    return prepare.geometry(recipe.effective())


def size_in(document: Mapping[str, Any] | None, width: int, height: int) -> tuple[int, int]:
    """The size that a recipe's document gives a file; only what frames is read of it."""
    prepare = (document or {}).get("prepare", {})
    framing = {name: prepare[name] for name in ("on", "frame", "lens") if name in prepare}
    if not framing:
        return width, height
    found = geometry_of(from_document({"prepare": framing})).on(width, height)
    return found.width, found.height


def shown_size(photograph: Photograph) -> tuple[int, int]:
    """Width and height of the version that is shown."""
    head = photograph.shown.head
    return size_in(head.recipe if head else None, photograph.width, photograph.height)


def framed_size(photograph: Photograph, recipe: Recipe) -> tuple[int, int]:
    """Width and height in the file's pixels, of what a recipe keeps of a photograph."""
    found = laid(photograph, recipe)
    return found.width, found.height
