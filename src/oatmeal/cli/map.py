"""``oatmeal map``: a printing map."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from oatmeal.cli.errors import UsageError
from oatmeal.cli.files import picture_of, read_recipe
from oatmeal.exports.printingmap import FORMATS as MAPS
from oatmeal.exports.printingmap import printing_map, write, written
from oatmeal.host.errors import Told
from oatmeal.photofile.output import listed


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", help="picture file; - is standard input")
    parser.add_argument("--recipe", required=True, help="recipe file (JSON)")
    parser.add_argument("--out", required=True, help=f"file; its suffix decides: {listed(MAPS)}")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Draw the map."""
    target = Path(options.out)
    kind = target.suffix[1:].lower()
    if kind not in MAPS:
        raise UsageError(
            f"--out needs a name that ends with {listed(tuple(f'.{one}' for one in MAPS))}"
        )
    recipe = read_recipe(options.recipe)
    picture = picture_of(options.input)
    if picture is None:
        return 1
    called = "standard input" if options.input == "-" else Path(options.input).name
    try:
        write(written(printing_map(picture, recipe, called), kind), target)
    except Told as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    return 0
