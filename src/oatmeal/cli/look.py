"""``oatmeal look``: a recipe with the look of a grey picture."""

from __future__ import annotations

import argparse
import json

from oatmeal.cli.errors import UsageError
from oatmeal.cli.files import MEASURE_SIDE, grey_of, picture_of
from oatmeal.core import pipeline
from oatmeal.core.picture import copy_of
from oatmeal.core.reading import look_of, matched


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", help="colour picture")
    parser.add_argument("reference", help="grey picture of anything")
    parser.add_argument("--strength", type=float, default=70, help="0 to 100 (70)")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print the recipe."""
    if not 0 <= options.strength <= 100:
        raise UsageError("--strength needs a number from 0 to 100")
    picture, reference = picture_of(options.input), picture_of(options.reference)
    if picture is None or reference is None:
        return 1
    own = pipeline.Pipeline(copy_of(picture, MEASURE_SIDE))
    found = matched(own, look_of(grey_of(reference)), options.strength)
    print(json.dumps(found.document(), indent=1))
    return 0
