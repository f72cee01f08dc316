"""``oatmeal balance``: a recipe that parts a picture's colours."""

from __future__ import annotations

import argparse
import json

from oatmeal.cli.errors import UsageError
from oatmeal.cli.files import MEASURE_SIDE, picture_of
from oatmeal.core import recipe as recipes
from oatmeal.core.picture import proxy
from oatmeal.core.seeing.balance import Balance


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", help="picture file; - is standard input")
    parser.add_argument("--strength", type=float, default=70, help="0 to 100 (70)")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print the recipe."""
    if not 0 <= options.strength <= 100:
        raise UsageError("--strength needs a number from 0 to 100")
    picture = picture_of(options.input)
    if picture is None:
        return 1
    found = Balance(proxy(picture, MEASURE_SIDE), recipes.REST).find(options.strength)
    print(json.dumps({"oatmeal": recipes.FORMAT, "mix": {"lifts": found.lifts}}, indent=1))
    return 0
