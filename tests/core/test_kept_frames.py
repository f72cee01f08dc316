"""Frames rendered by earlier versions: a recipe keeps its look, but for what the changes tell."""

import json
from pathlib import Path

import numpy as np
import pytest
from samples import codes, linear_of, read_png

from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline, render
from oatmeal.core.recipe import from_document

KEPT = Path(__file__).parent / "kept"
RECIPES = json.loads((KEPT / "recipes.json").read_text())
FRAMES = read_png(KEPT / "frames.png").reshape(len(RECIPES), 90, 130).astype(int)
RGB = linear_of(codes(90, 130, 16))
PICTURE = ArrayPicture(RGB)


@pytest.mark.parametrize("number", range(len(RECIPES)), ids=list(RECIPES))
def test_a_recipe_written_before_gives_the_same_pixels(number):
    """Within one code at 8 bits, in a preview and in a file."""
    recipe = from_document(list(RECIPES.values())[number])
    frame = Pipeline(PICTURE).codes(recipe)
    assert np.abs(frame.astype(int) - FRAMES[number]).max() <= 1
    written = render(PICTURE, recipe)
    assert np.abs(written.astype(int) - FRAMES[number]).max() <= 1
