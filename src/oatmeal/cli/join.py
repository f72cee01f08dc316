"""``oatmeal join``: frames that overlap as one wide picture."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
from pathlib import Path
from typing import Any

from oatmeal.cli.errors import UsageError
from oatmeal.cli.files import bar, same_file, say_when_compiling
from oatmeal.core.join import BORDERS, MOST_FRAMES, PROJECTIONS, Choices
from oatmeal.exports.join import join_files
from oatmeal.host.errors import Told
from oatmeal.photofile.output import SUFFIXES


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be asked for."""
    parser.add_argument("input", nargs="+", help=f"2 to {MOST_FRAMES} picture files")
    parser.add_argument("--out", required=True, help="TIFF file (16 bits, compressed)")
    parser.add_argument("--projection", choices=PROJECTIONS, default="auto", help="(auto)")
    parser.add_argument("--border", choices=BORDERS, default="crop", help="(crop)")
    parser.add_argument("--yaw", type=float, default=0, metavar="DEGREES", help="turn aside (0)")
    parser.add_argument("--pitch", type=float, default=0, metavar="DEGREES", help="turn up (0)")
    parser.add_argument("--roll", type=float, default=0, metavar="DEGREES", help="level (0)")
    parser.add_argument(
        "--uneven-light", action="store_true", help="leave exposure and falloff as they are"
    )
    parser.add_argument(
        "--no-lens", action="store_true", help="leave the bend of the lens as it is"
    )
    parser.add_argument("--json", action="store_true", help="report as a JSON line")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Join the frames."""
    say_when_compiling()
    out = Path(options.out)
    if SUFFIXES.get(out.suffix.lower()) != "tiff":
        raise UsageError("--out needs a name that ends with .tif or .tiff")
    if not 2 <= len(options.input) <= MOST_FRAMES:
        raise UsageError(f"join needs 2 to {MOST_FRAMES} pictures")
    if any(same_file(name, out) for name in options.input):
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
    except Told as error:
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
    bar(round(100 * share), 100, unit=" %")
