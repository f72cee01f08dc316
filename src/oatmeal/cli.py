"""The ``oatmeal`` command: convert, measure, balance and check without database or web.

Exit status: 0 done, 1 some file failed (the others are done), 2 bad use or a bad recipe.
"""

from __future__ import annotations

import argparse
import hashlib
import io
import json
import os
import sys
import tempfile
import webbrowser
from collections.abc import Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Final

import numpy as np

from oatmeal import __version__, handing
from oatmeal.core import pipeline
from oatmeal.core import recipe as recipes
from oatmeal.core.colour import encode_srgb
from oatmeal.core.colour import kernels as colours
from oatmeal.core.finish import quantised
from oatmeal.core.join import BORDERS, MOST_FRAMES, PROJECTIONS, Choices
from oatmeal.core.picture import framed, proxy
from oatmeal.core.prepare import geometry
from oatmeal.core.reading import Pair, ReadingError, look_of, matched
from oatmeal.core.reading import read as read_print
from oatmeal.core.seeing import measure
from oatmeal.core.seeing.balance import Balance
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.exports.convert import Finished, convert_file
from oatmeal.exports.join import join_files
from oatmeal.exports.printingmap import FORMATS as MAPS
from oatmeal.exports.printingmap import printing_map, write, written
from oatmeal.exports.task import Task, process_pool
from oatmeal.exports.task import run as run_task
from oatmeal.memory import keep_frames
from oatmeal.photofile.decode import SUFFIXES as READ_SUFFIXES
from oatmeal.photofile.decode import SourcePicture, decode
from oatmeal.photofile.encode import (
    FORMATS,
    METADATA,
    SHARPENING,
    SUFFIX_OF,
    SUFFIXES,
    Output,
    listed,
)
from oatmeal.photofile.errors import PhotoFileError
from oatmeal.settings import SettingError, Settings

#: Characters of the progress bar.
BAR_WIDTH: Final = 40

#: Longer side of the proxy from which the picture's colours are measured.
MEASURE_SIDE = 1600


class UsageError(Exception):
    """The command line or the recipe cannot be used; exit status 2."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command; returns the exit status."""
    parser = _parser()
    options = parser.parse_args(arguments)
    keep_frames()
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # names need not be of any encoding
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
    convert.add_argument(
        "input", nargs="+", help="picture files or folders of them; - is standard input"
    )
    convert.add_argument("--recipe", help="recipe file (JSON); without it, plain luminance")
    convert.add_argument("--out", required=True, help="file or folder; - is standard output")
    convert.add_argument("--format", help=f"{listed(FORMATS)}; otherwise the suffix decides")
    convert.add_argument("--depth", type=int, choices=(8, 16), help="bits (8); 16 for PNG and TIFF")
    convert.add_argument("--channels", choices=("grey", "rgb"), default="grey")
    convert.add_argument("--quality", type=int, default=92, help="1 to 100 (92)")
    convert.add_argument("--size", type=int, metavar="PX", help="longer side, only to reduce")
    convert.add_argument("--metadata", choices=METADATA, default="keep", help="what to keep (keep)")
    convert.add_argument("--resolution", type=int, default=300, metavar="DPI", help="(300)")
    convert.add_argument("--sharpen", choices=SHARPENING, default="off", help="for what (off)")
    convert.add_argument(
        "--sharpen-amount", type=int, default=50, metavar="N", help="0 to 100 (50)"
    )
    convert.add_argument("--jobs", type=int, metavar="N", help="files at a time (one a core)")
    convert.add_argument(
        "--resume",
        action="store_true",
        help="leave out what is there already, newer than its source",
    )
    convert.add_argument("--json", action="store_true", help="report each file as a JSON line")
    convert.set_defaults(run=_convert)

    measuring = commands.add_parser("measure", help="print figures of the converted picture")
    measuring.add_argument("input", help="picture file; - is standard input")
    measuring.add_argument("--recipe", help="recipe file (JSON)")
    measuring.set_defaults(run=_measure)

    balancing = commands.add_parser("balance", help="print a recipe that parts a picture's colours")
    balancing.add_argument("input", help="picture file; - is standard input")
    balancing.add_argument("--strength", type=float, default=70, help="0 to 100 (70)")
    balancing.set_defaults(run=_balance)

    mapping = commands.add_parser("map", help="draw a printing map: contours and a table of areas")
    mapping.add_argument("input", help="picture file; - is standard input")
    mapping.add_argument("--recipe", required=True, help="recipe file (JSON)")
    mapping.add_argument("--out", required=True, help=f"file; its suffix decides: {listed(MAPS)}")
    mapping.set_defaults(run=_map)

    joining = commands.add_parser("join", help="join frames that overlap to one wide picture")
    joining.add_argument("input", nargs="+", help=f"2 to {MOST_FRAMES} picture files")
    joining.add_argument("--out", required=True, help="TIFF file (16 bits, compressed)")
    joining.add_argument("--projection", choices=PROJECTIONS, default="auto", help="(auto)")
    joining.add_argument("--border", choices=BORDERS, default="crop", help="(crop)")
    joining.add_argument("--yaw", type=float, default=0, metavar="DEGREES", help="turn aside (0)")
    joining.add_argument("--pitch", type=float, default=0, metavar="DEGREES", help="turn up (0)")
    joining.add_argument("--roll", type=float, default=0, metavar="DEGREES", help="level (0)")
    joining.add_argument(
        "--uneven-light", action="store_true", help="leave exposure and falloff as they are"
    )
    joining.add_argument(
        "--no-lens", action="store_true", help="leave the bend of the lens as it is"
    )
    joining.add_argument("--json", action="store_true", help="report as a JSON line")
    joining.set_defaults(run=_join)

    reading = commands.add_parser("read", help="read a recipe off a finished print")
    reading.add_argument("input", help="colour picture")
    reading.add_argument("print", help="grey picture made of it")
    reading.add_argument(
        "--pair", nargs=2, action="append", default=[], metavar=("INPUT", "PRINT"),
        help="one more picture and its print, read together with the first",
    )  # fmt: skip
    reading.set_defaults(run=_read_print)

    looking = commands.add_parser("look", help="print a recipe with the look of a grey picture")
    looking.add_argument("input", help="colour picture")
    looking.add_argument("reference", help="grey picture of anything")
    looking.add_argument("--strength", type=float, default=70, help="0 to 100 (70)")
    looking.set_defaults(run=_look)

    opening = commands.add_parser("open", help="send files to the running application")
    opening.add_argument("file", nargs="+", help="picture files")
    opening.add_argument("--series", default="", help="its name (the files' folder)")
    opening.add_argument("--browse", action="store_true", help="open the bench in a browser")
    opening.set_defaults(run=_open)

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
    return recipes.read(text)


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
        return Output(
            chosen,
            options.depth or 8,
            options.channels,
            options.quality,
            options.size,
            options.metadata,
            options.resolution,
            options.sharpen,
            options.sharpen_amount,
        )
    except PhotoFileError as error:
        raise UsageError(str(error)) from error


def _convert(options: argparse.Namespace) -> int:
    out = Path(options.out)
    to_pipe = options.out == "-"
    folders = any(Path(name).is_dir() for name in options.input)
    several = len(options.input) > 1 or folders
    folder = not to_pipe and (out.is_dir() or several or options.out.endswith("/"))
    if to_pipe and several:
        raise UsageError("only one picture can go to standard output")
    if options.input.count("-") + (options.recipe == "-") > 1:
        raise UsageError("standard input can be read only once")
    if folder and out.exists() and not out.is_dir():
        raise UsageError(f"{out} is a file; several pictures need a folder")
    if options.jobs is not None and options.jobs < 1:
        raise UsageError("--jobs needs a number from 1 on")
    output = _output(options, folder)
    recipe = _read_recipe(options.recipe)
    work = list(_destinations(options.input, out, folder, output))
    if options.resume:
        work = [(name, target) for name, target in work if not _is_there(name, target)]
    if several:
        reports = _convert_many(work, recipe, output, options.jobs)
    else:
        reports = (
            _reported(name, recipe, output, None if to_pipe else target) for name, target in work
        )
    failed = 0
    for report in reports:
        if "error" in report:
            print(f"oatmeal: {report['error']}", file=sys.stderr)
            failed += 1
        if options.json:
            print(json.dumps(report), file=sys.stderr if to_pipe else sys.stdout, flush=True)
    return 1 if failed else 0


def _destinations(
    inputs: Sequence[str], out: Path, folder: bool, output: Output
) -> Iterator[tuple[str, Path]]:
    """Each input with its output file; equal names in one folder are numbered."""
    taken: set[str] = set()
    for name, inside in _files(inputs):
        if not folder:
            yield name, out
            continue
        stem = "standard-input" if name == "-" else Path(name).stem
        suffix = SUFFIX_OF[output.format]
        candidate, number = out / inside / (stem + suffix), 2
        while str(candidate).casefold() in taken:
            candidate, number = out / inside / f"{stem}-{number}{suffix}", number + 1
        taken.add(str(candidate).casefold())
        yield name, candidate


def _files(inputs: Sequence[str]) -> Iterator[tuple[str, Path]]:
    """The files to convert, and the folder inside the output that each goes to."""
    for name in inputs:
        top = Path(name)
        if name == "-" or not top.is_dir():
            yield name, Path()
            continue
        for path in sorted(top.rglob("*")):
            if path.suffix.lower() in READ_SUFFIXES and path.is_file():
                yield str(path), path.parent.relative_to(top)


def _is_there(name: str, target: Path) -> bool:
    """True if a file was written after its source, which it only is when it is whole."""
    source = Path(name)
    return target.exists() and source.exists() and target.stat().st_mtime >= source.stat().st_mtime


def _reported(
    name: str, recipe: recipes.Recipe, output: Output, target: Path | None
) -> dict[str, Any]:
    try:
        return _convert_one(name, recipe, output, target)
    except Exception as error:  # whatever it is, the other files are done
        return _failed(name, error)


def _convert_many(
    work: Sequence[tuple[str, Path]], recipe: recipes.Recipe, output: Output, jobs: int | None
) -> Iterator[dict[str, Any]]:
    """Convert files side by side in processes, with a bar on standard error for people.

    Where a process dies, the files that it may have died of are tried again each by itself, and the
    rest goes on in new processes.
    """
    side_by_side = jobs or os.cpu_count() or 1
    left = list(work)
    with tempfile.TemporaryDirectory(prefix="oatmeal-") as scratch:
        while left:
            finished = 0
            try:
                for report in _side_by_side(left, recipe, output, side_by_side, Path(scratch)):
                    finished += 1
                    yield report
                    _bar(len(work) - len(left) + finished, len(work))
                return
            except BrokenExecutor:
                suspects = left[finished : finished + side_by_side]
                left = left[finished + side_by_side :]
            for place, suspect in enumerate(suspects, start=1):
                try:
                    yield from _side_by_side([suspect], recipe, output, 1, Path(scratch))
                except BrokenExecutor:
                    yield _lost(suspect[0])
                _bar(len(work) - len(left) - len(suspects) + place, len(work))


def _side_by_side(
    work: Sequence[tuple[str, Path]],
    recipe: recipes.Recipe,
    output: Output,
    jobs: int,
    scratch: Path,
) -> Iterator[dict[str, Any]]:
    """The reports of files that are converted side by side, in order.

    Raises
    ------
    BrokenExecutor
        When a process dies, after the reports of what stands before the first unfinished file.
    """
    with process_pool(jobs) as pool:
        futures = [
            _begun(pool, name, target, recipe, output, scratch / str(place))
            for place, (name, target) in enumerate(work)
        ]
        for (name, target), future in zip(work, futures, strict=True):
            try:
                if future is None:
                    yield _reported(name, recipe, output, target)
                else:
                    yield _report(name, target, future.result())
            except BrokenExecutor:
                raise
            except Exception as error:
                yield _failed(name, error)


def _begun(
    pool: Executor,
    name: str,
    target: Path,
    recipe: recipes.Recipe,
    output: Output,
    progress: Path,
) -> Future[Finished] | None:
    """A file under way; None for what is done in this process."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if name == "-" or _same_file(name, target) or not Path(name).is_file():
            return None
        wanted = Task(name, "", name, recipe.document(), output, str(target), str(progress))
        return pool.submit(run_task, wanted)
    except (OSError, BrokenExecutor) as error:
        begun: Future[Finished] = Future()
        begun.set_exception(error)
        return begun


def _lost(name: str) -> dict[str, Any]:
    return {"input": name, "error": f"{name} could not be finished: its process ended."}


def _failed(name: str, error: Exception) -> dict[str, Any]:
    """The report of a file that could not be converted, whatever the reason."""
    if isinstance(error, UnicodeEncodeError):
        return {"input": name, "error": f"{name} has a name that is not UTF-8: rename it first."}
    if isinstance(error, PhotoFileError):
        return {"input": name, "error": str(error)}
    reason = (getattr(error, "strerror", None) or str(error) or type(error).__name__).splitlines()
    return {"input": name, "error": f"{name} could not be converted: {reason[0]}."}


def _report(name: str, target: Path | None, finished: Finished) -> dict[str, Any]:
    return {
        "input": name,
        "output": str(target) if target else "-",
        "width": finished.width,
        "height": finished.height,
        "bytes": finished.bytes,
        "notes": list(finished.notes),
    }


def _bar(done: int, total: int, unit: str = "") -> None:
    if not sys.stderr.isatty():
        return
    filled = round(BAR_WIDTH * done / total)
    end = "\n" if done == total else ""
    drawn = "█" * filled + "·" * (BAR_WIDTH - filled)
    said = f"{done}{unit}" if unit else f"{done} of {total}"
    print(f"\r{drawn} {said}", end=end, file=sys.stderr, flush=True)


def _same_file(name: str, target: Path) -> bool:
    return target.exists() and Path(name).exists() and target.samefile(name)


def _convert_one(
    name: str, recipe: recipes.Recipe, output: Output, destination: Path | None
) -> dict[str, Any]:
    with _input_file(name) as (path, called), tempfile.TemporaryDirectory() as scratch:
        if not path.is_file():
            raise PhotoFileError(f"{called} is not there or is no file.")
        if destination is not None and _same_file(str(path), destination):
            raise PhotoFileError(f"{called} would be overwritten: choose another --out.")
        target = destination or Path(scratch) / "out"
        finished = convert_file(path, recipe, output, target, name=called)
        if destination is None:
            sys.stdout.buffer.write(target.read_bytes())
            sys.stdout.buffer.flush()
        return _report(name, destination, finished)


def _picture(name: str) -> SourcePicture | None:
    """A decoded picture; None, after saying why, where it cannot be read."""
    try:
        with _input_file(name) as (path, called):
            if not path.is_file():
                raise PhotoFileError(f"{called} is not there or is no file.")
            return decode(path, called)
    except PhotoFileError as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return None


def _measure(options: argparse.Namespace) -> int:
    recipe = _read_recipe(options.recipe)
    picture = _picture(options.input)
    if picture is None:
        return 1
    codes = quantised(pipeline.rendered(picture, recipe), np.uint8)
    view = framed(picture, geometry(recipe.effective()))
    small = proxy(view, MEASURE_SIDE)
    ends = pipeline.Pipeline(small).scale(recipe).end_codes
    figures = measure.tones(codes, ends) | GreyMap(small).figures(recipe)
    figures = {"input": options.input, "width": view.width, "height": view.height} | figures
    print(json.dumps(figures, indent=1))
    return 0


def _map(options: argparse.Namespace) -> int:
    target = Path(options.out)
    kind = target.suffix[1:].lower()
    if kind not in MAPS:
        raise UsageError(
            f"--out needs a name that ends with {listed(tuple(f'.{one}' for one in MAPS))}"
        )
    recipe = _read_recipe(options.recipe)
    picture = _picture(options.input)
    if picture is None:
        return 1
    called = "standard input" if options.input == "-" else Path(options.input).name
    try:
        write(written(printing_map(picture, recipe, called), kind), target)
    except PhotoFileError as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    return 0


def _balance(options: argparse.Namespace) -> int:
    if not 0 <= options.strength <= 100:
        raise UsageError("--strength needs a number from 0 to 100")
    picture = _picture(options.input)
    if picture is None:
        return 1
    found = Balance(proxy(picture, MEASURE_SIDE), recipes.REST).find(options.strength)
    print(json.dumps({"oatmeal": recipes.FORMAT, "mix": {"lifts": found.lifts}}, indent=1))
    return 0


def _read_print(options: argparse.Namespace) -> int:
    names = [(options.input, options.print), *options.pair]
    pairs = []
    for name, print_name in names:
        picture, grey = _picture(name), _picture(print_name)
        if picture is None or grey is None:
            return 1
        pairs.append(Pair(proxy(picture, MEASURE_SIDE), _grey_of(grey), picture.auto_guard))
    try:
        found = read_print(pairs)
    except ReadingError as error:
        print(f"oatmeal: {options.print}: {error}", file=sys.stderr)
        return 1
    print(json.dumps(found.recipe.document(), indent=1))
    for line in (
        f"made from {found.base}",
        f"explains {found.explains:.0%} of what tone alone leaves open: off by {found.error:.2f} "
        f"L*, plain luminance with its best curve by {found.plain:.2f}",
        f"left over: {found.low:.2f} L* over wide parts, {found.middle:.2f} in texture, "
        f"{found.high:.2f} in grain",
        *found.notes(),
    ):
        print(f"oatmeal: {line}", file=sys.stderr)
    return 0


def _grey_of(picture: SourcePicture) -> Any:
    """A grey picture's encoded values."""
    light = np.maximum(colours.luminance(proxy(picture, MEASURE_SIDE)), 0)
    return np.asarray(encode_srgb(light), dtype=np.float32)


def _look(options: argparse.Namespace) -> int:
    if not 0 <= options.strength <= 100:
        raise UsageError("--strength needs a number from 0 to 100")
    picture, reference = _picture(options.input), _picture(options.reference)
    if picture is None or reference is None:
        return 1
    own = pipeline.Pipeline(proxy(picture, MEASURE_SIDE), auto_guard=picture.auto_guard)
    found = matched(own, look_of(_grey_of(reference)), options.strength)
    print(json.dumps(found.document(), indent=1))
    return 0


def _open(options: argparse.Namespace) -> int:
    home = Settings.from_environment().home
    try:
        if handing.running(home) is None:
            print("oatmeal: starting Oatmeal; it goes on running", file=sys.stderr)
        application = handing.Application(handing.started(home))
    except (handing.HandingError, SettingError) as error:
        print(f"oatmeal: {error}", file=sys.stderr)
        return 1
    failed = 0
    for path, came in handing.hand_over(
        application, [Path(name) for name in options.file], options.series
    ):
        if isinstance(came, str):
            print(f"oatmeal: {came}", file=sys.stderr)
            failed += 1
            continue
        address = application.bench(came["id"])
        print(address)
        if came["note"]:
            print(f"oatmeal: {path.name}: {came['note']}", file=sys.stderr)
        if options.browse:
            webbrowser.open(address)
    return 1 if failed else 0


def _join(options: argparse.Namespace) -> int:
    out = Path(options.out)
    if SUFFIXES.get(out.suffix.lower()) != "tiff":
        raise UsageError("--out needs a name that ends with .tif or .tiff")
    if not 2 <= len(options.input) <= MOST_FRAMES:
        raise UsageError(f"join needs 2 to {MOST_FRAMES} pictures")
    if any(_same_file(name, out) for name in options.input):
        raise UsageError(f"{out} would be overwritten: choose another --out")
    turns = {name: getattr(options, name) for name in ("yaw", "pitch", "roll")}
    for name, degrees in turns.items():
        if not -90 <= degrees <= 90:
            raise UsageError(f"--{name} needs a number from -90 to 90")
    choices = Choices(
        projection=options.projection,
        border=options.border,
        even_light=not options.uneven_light,
        lens=not options.no_lens,
        **turns,
    )
    report: dict[str, Any] = {"input": list(options.input)}
    try:
        made = join_files([Path(name) for name in options.input], out, choices,
                          names=options.input, progress=_share)  # fmt: skip
    except PhotoFileError as error:
        _share(1.0)
        print(f"oatmeal: {error}", file=sys.stderr)
        if options.json:
            print(json.dumps(report | {"error": str(error)}))
        return 1
    for note in made.notes:
        print(f"oatmeal: {note}", file=sys.stderr)
    if options.json:
        found = made.laid.found
        report |= {
            "output": str(out),
            "width": made.width,
            "height": made.height,
            "bytes": made.bytes,
            "projection": made.laid.projection,
            "off_px": round(found.fit.rms, 3),
            "stops": {
                found.frames[k].name: round(stops + made.raised, 3)
                for k, stops in made.laid.light.stops.items()
            },
            "darker_by_stops": round(made.raised, 3),
            "left_out": made.left_out,
            "notes": list(made.notes),
            "join": choices.document([_sum(name) for name in options.input]),
        }
        print(json.dumps(report))
    return 0


def _sum(name: str) -> str:
    with Path(name).open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _share(share: float) -> None:
    """A bar on standard error, for people."""
    _bar(round(100 * share), 100, unit=" %")


def _check(options: argparse.Namespace) -> int:
    _read_recipe(options.file)
    print(f"{'standard input' if options.file == '-' else options.file}: good")
    return 0


def _schema(options: argparse.Namespace) -> int:
    print(json.dumps(recipes.schema(), indent=1))
    return 0


if __name__ == "__main__":
    sys.exit(main())
