"""``oatmeal convert``: finished files, or whole folders of them.

What converts is loaded once the command is known to be a good one; a large picture is read beside
that.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from oatmeal.cli.errors import UsageError
from oatmeal.host.allocator import made_to_last
from oatmeal.host.errors import Told
from oatmeal.photofile.decode import SUFFIXES as READ_SUFFIXES
from oatmeal.photofile.decode import SourcePicture, decode
from oatmeal.photofile.output import (
    CHOICES,
    FORM,
    FORMATS,
    SUFFIX_OF,
    SUFFIXES,
    Choice,
    Output,
    listed,
    output_of,
)
from oatmeal.settings import Settings

if TYPE_CHECKING:
    from oatmeal.exports.workers import Workers

#: Bytes of a file beside whose reading something else can be made ready.
_LONG_TO_READ: Final = 1_000_000


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument(
        "input", nargs="+", help="picture files or folders of them; - is standard input"
    )
    parser.add_argument("--recipe", help="recipe file (JSON); without it, plain luminance")
    parser.add_argument("--out", required=True, help="file or folder; - is standard output")
    parser.add_argument("--format", help=f"{listed(FORMATS)}; otherwise the suffix decides")
    for name, one in _asked().items():
        rest = FORM[name]
        usual = "" if rest is None or rest in one.choices else f"({rest})"
        limits = f"{one.low} to {one.high} {usual}".strip()
        parser.add_argument(
            f"--{name.replace('_', '-')}",
            type=str if isinstance(rest, str) else int,
            choices=one.choices or None,
            default=rest,
            metavar=one.metavar,
            help=one.help or (None if one.choices else limits),
        )
    parser.add_argument("--jobs", type=int, metavar="N", help="files at a time (one a core)")
    parser.add_argument(
        "--cluster", metavar="ADDRESS", help="scheduler of dask.distributed whose workers do it"
    )
    parser.add_argument(
        "--resume",
        action="store_true",
        help="leave out what is there already, newer than its source",
    )
    parser.add_argument("--json", action="store_true", help="report each file as a JSON line")
    parser.set_defaults(run=run)


def _asked() -> dict[str, Choice]:
    """What of the form is asked for as it is; nothing is put beside files that are no batch."""
    return {
        one.flag or name: one for name, one in CHOICES.items() if name not in ("format", "beside")
    }


def run(options: argparse.Namespace) -> int:
    """Convert; the status is 1 where a file failed."""
    out = Path(options.out)
    to_pipe = options.out == "-"
    folders = any(Path(name).is_dir() for name in options.input)
    several = len(options.input) > 1 or folders
    folder = not to_pipe and (out.is_dir() or several or options.out.endswith("/"))
    if to_pipe and several:
        raise UsageError("only one picture can go to standard output")
    if to_pipe and options.cluster:
        raise UsageError("a cluster writes files: give --out a name or a folder")
    if options.input.count("-") + (options.recipe == "-") > 1:
        raise UsageError("standard input can be read only once")
    if folder and out.exists() and not out.is_dir():
        raise UsageError(f"{out} is a file; several pictures need a folder")
    if options.jobs is not None and options.jobs < 1:
        raise UsageError("--jobs needs a number from 1 on")
    if options.jobs is not None and options.cluster:
        raise UsageError("--jobs is for this machine: a cluster has as many as its workers do")
    output = _output(options, folder)
    work = list(_destinations(options.input, out, folder, output))
    if options.resume:
        work = [(name, target) for name, target in work if not _is_there(name, target)]
    if several or options.cluster:
        return _many(options, work, output, _seen(out, folder))
    return sum(_one(options, name, output, None if to_pipe else target) for name, target in work)


def _one(options: argparse.Namespace, name: str, output: Output, target: Path | None) -> int:
    """Convert a file here; 1 if it failed."""
    with ThreadPoolExecutor(1) as beside:
        reading = _begun(name, beside)
        with made_to_last():
            from oatmeal.cli import converting
            from oatmeal.cli.files import read_recipe
        recipe = read_recipe(options.recipe)
        report = converting.one(name, recipe, output, target, reading)
    return _told(report, options.json, target is None)


def _begun(name: str, beside: Executor) -> Future[SourcePicture] | None:
    """A file that takes long to read, being read."""
    path = Path(name)
    if name == "-" or not path.is_file() or path.stat().st_size <= _LONG_TO_READ:
        return None
    return beside.submit(decode, path, name, careful=True)


def _many(
    options: argparse.Namespace, work: Sequence[tuple[str, Path]], output: Output, seen: Path
) -> int:
    """Convert files side by side; 1 if some failed."""
    with made_to_last():
        from oatmeal.cli.files import read_recipe
        from oatmeal.cli.side_by_side import many
        from oatmeal.exports import workers
    recipe = read_recipe(options.recipe)
    failed = 0
    try:
        for report in many(work, recipe, output, _workers(options, seen)):
            failed += _told(report, options.json, to_pipe=False)
    except workers.Away as nobody:
        print(f"oatmeal: {nobody}", file=sys.stderr)
        return 1
    return 1 if failed else 0


def _told(report: dict[str, Any], as_json: bool, to_pipe: bool) -> bool:
    """Say how a file ended; true if it failed."""
    if "error" in report:
        print(f"oatmeal: {report['error']}", file=sys.stderr)
    for note in report.get("notes", ()):
        print(f"oatmeal: {report['input']}: {note}", file=sys.stderr)
    if as_json:
        print(json.dumps(report), file=sys.stderr if to_pipe else sys.stdout, flush=True)
    return "error" in report


def _seen(out: Path, folder: bool) -> Path:
    """The folder that whoever does the work must see."""
    return out if folder else out.parent


def _workers(options: argparse.Namespace, seen: Path) -> Callable[[], Workers]:
    """Who does the work; of a cluster, they see the files here if they see these."""
    from oatmeal.exports import workers

    if not options.cluster:
        return lambda: workers.here(options.jobs)
    seen.mkdir(parents=True, exist_ok=True)
    shared = [seen, *(Path(name) for name in options.input if name != "-")]
    settings = Settings.from_environment()
    return workers.workers_for(
        options.cluster,
        [one.absolute() for one in shared],
        settings.sent_bytes,
        settings.cluster_tls,
    )


def _output(options: argparse.Namespace, folder: bool) -> Output:
    suffix = Path(options.out).suffix.lower()
    chosen = options.format or (None if folder else SUFFIXES.get(suffix))
    if chosen is None and folder:
        chosen = "jpeg"
    if chosen is None:
        named = f"the suffix {suffix!r} names no format" if suffix else "no format is given"
        raise UsageError(f"{named}; use --format {'|'.join(FORMATS)}")
    try:
        return output_of({**vars(options), "format": chosen})
    except Told as error:
        raise UsageError(str(error)) from error


def _destinations(
    inputs: Sequence[str], out: Path, folder: bool, output: Output
) -> Iterator[tuple[str, Path]]:
    """Each input with its output file; equal names in one folder are numbered."""
    taken: set[str] = set()
    for name, inside in _files(inputs, out):
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


def _files(inputs: Sequence[str], out: Path) -> Iterator[tuple[str, Path]]:
    """The files to convert, and the folder inside the output that each goes to.

    Where the output lies inside a folder of the input, what is in it is none.
    """
    made = out.absolute()
    for name in inputs:
        top = Path(name)
        if name == "-" or not top.is_dir():
            yield name, Path()
            continue
        for path in sorted(top.rglob("*")):
            if made != top.absolute() and path.absolute().is_relative_to(made):
                continue
            if path.suffix.lower() in READ_SUFFIXES and path.is_file():
                yield str(path), path.parent.relative_to(top)


def _is_there(name: str, target: Path) -> bool:
    """True if a file was written after its source, which it only is when it is whole."""
    source = Path(name)
    return target.exists() and source.exists() and target.stat().st_mtime >= source.stat().st_mtime
