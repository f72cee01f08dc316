"""``oatmeal read``: a recipe read off a finished print."""

from __future__ import annotations

import argparse
import json
import sys

from oatmeal.cli.files import MEASURE_SIDE, grey_of, picture_of
from oatmeal.core.picture import proxy
from oatmeal.core.reading import Pair, ReadingError
from oatmeal.core.reading import read as read_print


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", help="colour picture")
    parser.add_argument("print", help="grey picture made of it")
    parser.add_argument(
        "--pair", nargs=2, action="append", default=[], metavar=("INPUT", "PRINT"),
        help="one more picture and its print, read together with the first",
    )  # fmt: skip
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print the recipe, and how well it was read."""
    names = [(options.input, options.print), *options.pair]
    pairs = []
    for name, print_name in names:
        picture, grey = picture_of(name), picture_of(print_name)
        if picture is None or grey is None:
            return 1
        pairs.append(Pair(proxy(picture, MEASURE_SIDE), grey_of(grey), picture.trust()))
    try:
        found = read_print(pairs)
    except ReadingError as error:
        print(f"oatmeal: {options.print}: {error}", file=sys.stderr)
        return 1
    print(json.dumps(found.recipe.document(), indent=1))
    for line in (
        f"made from {found.base}",
        f"explains {found.explains:.0%} of what tone alone leaves open: off by {found.error:.2f} "
        f"L*, plain luminance with its best curve by {found.plain:.2f}",
        f"left over: {found.low:.2f} L* over wide parts, {found.middle:.2f} in texture, "
        f"{found.high:.2f} in grain",
        *found.notes(),
    ):
        print(f"oatmeal: {line}", file=sys.stderr)
    return 0
