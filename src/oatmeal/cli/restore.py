"""``oatmeal restore``: the library of a backup made again."""

from __future__ import annotations

import argparse
import subprocess
import sys


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("folder", help="folder of the backup")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Make the library again, in an empty OATMEAL_HOME."""
    # it works with the database, which the command itself knows nothing of
    command = [sys.executable, "-m", "oatmeal.run.backup", "restore", options.folder]
    return subprocess.call(command)
