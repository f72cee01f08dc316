"""The ``oatmeal`` command: convert, measure and check without database or web.

Exit status: 0 done, 1 some file failed (the others are done), 2 bad use or a bad recipe.
"""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np

from oatmeal import __version__
from oatmeal.core import measure, pipeline
from oatmeal.core import recipe as recipes
from oatmeal.core.greymap import GreyMap
from oatmeal.exports.convert import convert_file
from oatmeal.memory import keep_frames
from oatmeal.photofile.decode import decode
from oatmeal.photofile.encode import FORMATS, SUFFIX_OF, SUFFIXES, Output
from oatmeal.photofile.errors import PhotoFileError

#: Longer side of the proxy from which the picture's colours are measured.
MEASURE_SIDE = 1600


class UsageError(Exception):
    """The command line or the recipe cannot be used; exit status 2."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; returns the exit status."""
    parser = _parser()
    options = parser.parse_args(arguments)
    keep_frames()
    try:
        status: int = options.run(options)
        return status
    except UsageError as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 2
    except recipes.RecipeError as error:
        for problem in error.problems:
            print(f"oatmeal: recipe: {problem}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
        return 1
    except KeyboardInterrupt:
        print("oatmeal: stopped", file=sys.stderr)
        return 1


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="oatmeal", description="Colour photographs to grey.")
    parser.add_argument("--version", action="version", version=f"oatmeal {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    convert = commands.add_parser("convert", help="convert pictures with a recipe")
    convert.add_argument("input", nargs="+", help="picture files; - is standard input")
    convert.add_argument("--recipe", help="recipe file (JSON); without it, plain luminance")
    convert.add_argument("--out", required=True, help="file or folder; - is standard output")
    convert.add_argument("--format", help="jpeg, png or tiff; otherwise the suffix decides")
    convert.add_argument("--depth", type=int, choices=(8, 16), help="bits (8; JPEG holds 8)")
    convert.add_argument("--channels", choices=("grey", "rgb"), default="grey")
    convert.add_argument("--quality", type=int, default=92, help="of a JPEG, 1 to 100 (92)")
    convert.add_argument("--size", type=int, metavar="PX", help="longer side, only to reduce")
    convert.add_argument("--json", action="store_true", help="report each file as a JSON line")
    convert.set_defaults(run=_convert)

    measuring = commands.add_parser("measure", help="print figures of the converted picture")
    measuring.add_argument("input", help="picture file; - is standard input")
    measuring.add_argument("--recipe", help="recipe file (JSON)")
    measuring.set_defaults(run=_measure)

    recipe = commands.add_parser("recipe", help="check recipes, or print their schema")
    actions = recipe.add_subparsers(required=True, metavar="ACTION")
    check = actions.add_parser("check", help="say whether a recipe can be used")
    check.add_argument("file", help="recipe file; - is standard input")
    check.set_defaults(run=_check)
    schema = actions.add_parser("schema", help="print the JSON Schema of recipes")
    schema.set_defaults(run=_schema)
    return parser


def _read_recipe(name: str | None) -> recipes.Recipe:
    if name is None:
        return recipes.REST
    try:
        text = sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
    except OSError as error:
        raise UsageError(f"{name} cannot be read: {error.strerror}") from error
    return recipes.require_built(recipes.read(text))


@contextmanager
def _input_file(name: str) -> Iterator[tuple[Path, str]]:
    """The file to read and what to call it; standard input goes through a temporary file."""
    if name != "-":
        yield Path(name), name
        return
    with tempfile.NamedTemporaryFile(prefix="oatmeal-") as file:
        file.write(sys.stdin.buffer.read())
        file.flush()
        yield Path(file.name), "standard input"


def _output(options: argparse.Namespace, folder: bool) -> Output:
    suffix = Path(options.out).suffix.lower()
    chosen = options.format or (None if folder else SUFFIXES.get(suffix))
    if chosen is None and folder:
        chosen = "jpeg"
    if chosen is None:
        named = f"the suffix {suffix!r} names no format" if suffix else "no format is given"
        raise UsageError(f"{named}; use --format {'|'.join(FORMATS)}")
    try:
        return Output(chosen, options.depth or 8, options.channels, options.quality, options.size)
    except PhotoFileError as error:
        raise UsageError(str(error)) from error


def _convert(options: argparse.Namespace) -> int:
    out = Path(options.out)
    to_pipe = options.out == "-"
    folder = not to_pipe and (out.is_dir() or len(options.input) > 1 or options.out.endswith("/"))
    if to_pipe and len(options.input) > 1:
        raise UsageError("only one picture can go to standard output")
    if options.input.count("-") + (options.recipe == "-") > 1:
        raise UsageError("standard input can be read only once")
    if folder and out.exists() and not out.is_dir():
        raise UsageError(f"{out} is a file; several pictures need a folder")
    output = _output(options, folder)
    recipe = _read_recipe(options.recipe)
    if folder:
        out.mkdir(parents=True, exist_ok=True)
    failed = 0
    for name, destination in _destinations(options.input, out, folder, output):
        try:
            report = _convert_one(name, recipe, output, None if to_pipe else destination)
        except PhotoFileError as error:
            print(f"oatmeal: {error}", file=sys.stderr)
            report, failed = {"input": name, "error": str(error)}, failed + 1
        if options.json:
            print(json.dumps(report), file=sys.stderr if to_pipe else sys.stdout)
    return 1 if failed else 0


def _destinations(
    inputs: Sequence[str], out: Path, folder: bool, output: Output
) -> Iterator[tuple[str, Path]]:
    """Each input with its output file; equal names in one folder are numbered."""
    taken: set[str] = set()
    for name in inputs:
        if not folder:
            yield name, out
            continue
        stem = "standard-input" if name == "-" else Path(name).stem
        candidate, number = stem + SUFFIX_OF[output.format], 2
        while candidate in taken:
            candidate, number = f"{stem}-{number}{SUFFIX_OF[output.format]}", number + 1
        taken.add(candidate)
        yield name, out / candidate


def _convert_one(
    name: str, recipe: recipes.Recipe, output: Output, destination: Path | None
) -> dict[str, Any]:
    with _input_file(name) as (path, called), tempfile.TemporaryDirectory() as scratch:
        if not path.is_file():
            raise PhotoFileError(f"{called} is not there or is no file.")
        if destination is not None and destination.exists() and destination.samefile(path):
            raise PhotoFileError(f"{called} would be overwritten: choose another --out.")
        target = destination or Path(scratch) / "out"
        finished = convert_file(path, recipe, output, target, name=called)
        if destination is None:
            sys.stdout.buffer.write(target.read_bytes())
            sys.stdout.buffer.flush()
        return {
            "input": name,
            "output": str(destination) if destination else "-",
            "width": finished.width,
            "height": finished.height,
            "bytes": finished.bytes,
            "notes": list(finished.notes),
        }


def _measure(options: argparse.Namespace) -> int:
    recipe = _read_recipe(options.recipe)
    try:
        with _input_file(options.input) as (path, called):
            if not path.is_file():
                raise PhotoFileError(f"{called} is not there or is no file.")
            picture = decode(path, called)
    except PhotoFileError as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    codes = pipeline.render(picture, recipe, np.uint8)
    proxy = pipeline.proxy(picture, MEASURE_SIDE)
    ends = pipeline.Pipeline(proxy).scale(recipe).end_codes
    figures = measure.tones(codes, ends) | GreyMap(proxy).figures(recipe)
    figures = {"input": options.input, "width": picture.width, "height": picture.height} | figures
    print(json.dumps(figures, indent=1))
    return 0


def _check(options: argparse.Namespace) -> int:
    _read_recipe(options.file)
    print(f"{'standard input' if options.file == '-' else options.file}: good")
    return 0


def _schema(options: argparse.Namespace) -> int:
    print(json.dumps(recipes.schema(), indent=1))
    return 0


if __name__ == "__main__":
    sys.exit(main())
