"""``oatmeal recipe``: recipes checked, or their schema."""

from __future__ import annotations

import argparse
import json

from oatmeal.cli.files import read_recipe
from oatmeal.core import recipe as recipes


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    actions = parser.add_subparsers(required=True, metavar="ACTION")
    check = actions.add_parser("check", help="say whether a recipe can be used")
    check.add_argument("file", help="recipe file; - is standard input")
    check.set_defaults(run=_check)
    schema = actions.add_parser("schema", help="print the JSON Schema of recipes")
    schema.set_defaults(run=_schema)


def _check(options: argparse.Namespace) -> int:
    read_recipe(options.file)
    print(f"{'standard input' if options.file == '-' else options.file}: good")
    return 0


def _schema(options: argparse.Namespace) -> int:
    print(json.dumps(recipes.schema(), indent=1))
    return 0
