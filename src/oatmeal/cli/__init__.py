"""The ``oatmeal`` command: convert, measure, balance and check without database or web.

Exit status: 0 done, 1 some file failed (the others are done), 2 bad use or a bad recipe.

What a command needs is imported when it is asked for: each is a module with ``arguments(parser)``,
which declares its arguments and what runs it.
"""

from __future__ import annotations

import argparse
import io
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module
from typing import Final, NoReturn, Protocol, cast

from oatmeal import __version__
from oatmeal.cli.ending import leave
from oatmeal.cli.errors import UsageError
from oatmeal.host.allocator import keep_frames, made_to_last


class _Module(Protocol):
    def arguments(self, parser: argparse.ArgumentParser) -> None: ...


@dataclass(frozen=True)
class Command:
    """A word of the command line, what it does, and the module that does it."""

    word: str
    help: str

    def load(self) -> _Module:
        """Import what the command needs."""
        return cast(_Module, import_module(f"oatmeal.cli.{self.word}"))


COMMANDS: Final = (
    Command("convert", "convert pictures with a recipe"),
    Command("measure", "print figures of the converted picture"),
    Command("balance", "print a recipe that parts a picture's colours"),
    Command("map", "draw a printing map: contours and a table of areas"),
    Command("join", "join frames that overlap to one wide picture"),
    Command("read", "read a recipe off a finished print"),
    Command("look", "print a recipe with the look of a grey picture"),
    Command("open", "send files to the running application"),
    Command("backup", "copy the library to another folder"),
    Command("restore", "make the library of a backup again"),
    Command("recipe", "check recipes, or print their schema"),
)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; returns the exit status."""
    given = sys.argv[1:] if arguments is None else list(arguments)
    options = _parser(given).parse_args(given)
    keep_frames()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # names need not be of any encoding
    try:
        status: int = options.run(options)
        return status
    except UsageError as error:
        for line in error.args:
            print(f"oatmeal: {line}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
        return 1
    except KeyboardInterrupt:
        print("oatmeal: stopped", file=sys.stderr)
        return 1


def run() -> NoReturn:
    """Run the command as a process of its own."""
    leave(main())


def _parser(given: Sequence[str]) -> argparse.ArgumentParser:
    """Knows every command's word, and the arguments of the one that is given."""
    parser = argparse.ArgumentParser(prog="oatmeal", description="Colour photographs to grey.")
    parser.add_argument("--version", action="version", version=f"oatmeal {__version__}")
    words = parser.add_subparsers(required=True, metavar="COMMAND")
    asked = next((one for one in given if not one.startswith("-")), None)
    for command in COMMANDS:
        own = words.add_parser(command.word, help=command.help)
        if command.word == asked:
            with made_to_last():
                command.load().arguments(own)
    return parser
