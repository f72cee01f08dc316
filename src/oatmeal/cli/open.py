"""``oatmeal open``: files sent to the running application."""

from __future__ import annotations

import argparse
import html
import os
import sys
import tempfile
import time
import webbrowser
from pathlib import Path
from typing import Final

from oatmeal.host import client
from oatmeal.settings import SettingError, Settings

#: What begins the names of pages that lead a browser on, and seconds for which each stays.
_PAGE: Final = "browse-"
_PAGE_STAYS_S: Final = 60


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("file", nargs="+", help="picture files")
    parser.add_argument("--series", default="", help="its name (the files' folder)")
    parser.add_argument("--browse", action="store_true", help="open the bench in a browser")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Hand the files over; print the address of each bench."""
    try:
        home = Settings.from_environment().home
        application = client.Application(client.started(home, _say))
    except (client.HandingError, SettingError) as error:
        _say(str(error))
        return 1
    except OSError as error:
        _say(f"{error.filename} cannot be used: {error.strerror}. Set OATMEAL_HOME to a folder.")
        return 1
    failed = 0
    for path, came in client.hand_over(
        application, [Path(name) for name in options.file], options.series
    ):
        if isinstance(came, str):
            _say(came)
            failed += 1
            continue
        address = application.bench(came["id"])
        print(address)
        if came["note"]:
            _say(f"{path.name}: {came['note']}")
        if options.browse:
            webbrowser.open(_led_to(address, home).as_uri())
    return 1 if failed else 0


def _led_to(address: str, home: Path) -> Path:
    """A page that nobody else can read and that goes on to an address with its key.

    What a browser is begun with stands in the list of processes, for every user of the machine.
    """
    for old in home.glob(f"{_PAGE}*"):
        if time.time() - old.stat().st_mtime > _PAGE_STAYS_S:
            old.unlink(missing_ok=True)
    handle, name = tempfile.mkstemp(prefix=_PAGE, suffix=".html", dir=home)
    with os.fdopen(handle, "w") as file:
        to = html.escape(address, quote=True)
        file.write(f'<!doctype html><meta http-equiv="refresh" content="0; url={to}">\n')
    return Path(name)


def _say(words: str) -> None:
    print(f"oatmeal: {words}", file=sys.stderr, flush=True)
