"""``oatmeal measure``: figures of the converted picture."""

from __future__ import annotations

import argparse
import json

import numpy as np

from oatmeal.cli.files import MEASURE_SIDE, picture_of, read_recipe
from oatmeal.core import pipeline
from oatmeal.core.finish import quantised
from oatmeal.core.picture import framed, proxy
from oatmeal.core.prepare import geometry
from oatmeal.core.seeing import measure
from oatmeal.core.seeing.greymap import GreyMap


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", help="picture file; - is standard input")
    parser.add_argument("--recipe", help="recipe file (JSON)")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print the figures."""
    recipe = read_recipe(options.recipe)
    picture = picture_of(options.input)
    if picture is None:
        return 1
    codes = quantised(pipeline.render(picture, recipe, np.float32), np.uint8)
    view = framed(picture, geometry(recipe.effective()))
    small = proxy(view, MEASURE_SIDE)
    ends = pipeline.Pipeline(small).scale(recipe).end_codes
    figures = measure.tones(codes, ends) | GreyMap(small).figures(recipe)
    figures = {"input": options.input, "width": view.width, "height": view.height} | figures
    print(json.dumps(figures, indent=1))
    return 0
