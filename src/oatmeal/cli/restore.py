"""``oatmeal restore``: the library of a backup made again."""

from __future__ import annotations

import argparse

from oatmeal.cli.backup import work


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("folder", help="folder of the backup; OATMEAL_HOME must be empty")
    parser.set_defaults(run=lambda options: work("restore", options.folder))
