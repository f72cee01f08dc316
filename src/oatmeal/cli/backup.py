"""``oatmeal backup``: the whole library in another folder."""

from __future__ import annotations

import argparse
import subprocess
import sys


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("folder", help="folder of the backup; a second one copies only what is new")
    parser.add_argument(
        "--check", action="store_true", help="make none: prove the one that is there"
    )
    parser.set_defaults(
        run=lambda options: work("check" if options.check else "backup", options.folder)
    )


def work(what: str, folder: str) -> int:
    """Have it done: it needs the database, which the command itself knows nothing of."""
    return subprocess.call([sys.executable, "-m", "oatmeal.run.backup", what, folder])
