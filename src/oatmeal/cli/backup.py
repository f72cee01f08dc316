"""``oatmeal backup``: a copy of the whole library in another folder."""

from __future__ import annotations

import argparse
import subprocess
import sys


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("folder", help="folder of the backup; a second one copies only what is new")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Copy the library; it may be in use."""
    # it works with the database, which the command itself knows nothing of
    command = [sys.executable, "-m", "oatmeal.run.backup", "backup", options.folder]
    return subprocess.call(command)
