"""Files converted one by one, or side by side in processes."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import (
    FIRST_COMPLETED,
    BrokenExecutor,
    CancelledError,
    Future,
    wait,
)
from pathlib import Path
from typing import Any, Final

from oatmeal.cli.files import bar, input_file, same_file
from oatmeal.core.recipe import Recipe
from oatmeal.exports.convert import Finished, convert_file, rehearse
from oatmeal.exports.task import Task
from oatmeal.exports.workers import Away, Workers
from oatmeal.photofile.decode import SourcePicture
from oatmeal.photofile.encode import Output
from oatmeal.photofile.errors import PhotoFileError

#: Seconds after which a cluster is asked again whether it has workers.
_LOOK_S: Final = 1.0


def many(
    work: Sequence[tuple[str, Path]],
    recipe: Recipe,
    output: Output,
    find_workers: Callable[[], Workers],
) -> Iterator[dict[str, Any]]:
    """Convert files side by side, with a bar on standard error for people.

    Where a process dies, the files that it may have died of are tried again each by itself, and the
    rest goes on in new processes.
    """
    left = list(work)
    with tempfile.TemporaryDirectory(prefix="oatmeal-") as scratch:
        while left:
            finished = 0
            workers = find_workers()
            side_by_side = _places(workers)
            try:
                for report in _side_by_side(left, recipe, output, workers, Path(scratch)):
                    finished += 1
                    yield report
                    bar(len(work) - len(left) + finished, len(work))
                return
            except BrokenExecutor:
                suspects = left[finished : finished + side_by_side]
                left = left[finished + side_by_side :]
            finally:
                workers.close()
            for place, suspect in enumerate(suspects, start=1):
                workers = find_workers()
                try:
                    yield from _side_by_side([suspect], recipe, output, workers, Path(scratch))
                except BrokenExecutor:
                    yield _lost(suspect[0])
                finally:
                    workers.close()
                bar(len(work) - len(left) - len(suspects) + place, len(work))


def _places(workers: Workers) -> int:
    """How many files can be done at once; waits until that is one."""
    said = False
    while True:
        try:
            return workers.places()
        except Away as nobody:
            if not said:
                print(f"oatmeal: {nobody} Waiting for them.", file=sys.stderr)
            said = True
            time.sleep(_LOOK_S)


def _side_by_side(
    work: Sequence[tuple[str, Path]],
    recipe: Recipe,
    output: Output,
    workers: Workers,
    scratch: Path,
) -> Iterator[dict[str, Any]]:
    """The reports of files that are converted side by side, in order.

    Raises
    ------
    BrokenExecutor
        When a process dies, after the reports of what stands before the first unfinished file.
    """
    begun: list[Future[Finished] | None] = []

    def hand_over(place: int) -> list[Future[Finished]]:
        """Begin files while there are places; what is under way from this one on."""
        running = [one for one in begun[place:] if one is not None and not one.done()]
        while len(begun) < len(work) and len(running) < _places(workers):
            name, target = work[len(begun)]
            future = _begun(workers, name, target, recipe, output, scratch / str(len(begun)))
            begun.append(future)
            if future is not None:
                running.append(future)
        return running

    for place, (name, target) in enumerate(work):
        while (running := hand_over(place)) and (mine := begun[place]) and not mine.done():
            wait(running, timeout=_LOOK_S, return_when=FIRST_COMPLETED)
        mine = begun[place]
        try:
            if mine is None:
                yield one(name, recipe, output, target)
            else:
                yield report(name, target, mine.result())
        except (BrokenExecutor, CancelledError) as error:
            raise BrokenExecutor from error
        except Exception as error:
            yield _failed(name, error)


def _begun(
    workers: Workers,
    name: str,
    target: Path,
    recipe: Recipe,
    output: Output,
    progress: Path,
) -> Future[Finished] | None:
    """A file under way; None for what is done in this process."""
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if name == "-" or same_file(name, target) or not Path(name).is_file():
            return None
        path = str(Path(name).absolute())
        where = str(target.absolute())
        return workers.submit(Task(path, "", name, recipe.document(), output, where, str(progress)))
    except (OSError, BrokenExecutor) as error:
        begun: Future[Finished] = Future()
        begun.set_exception(error)
        return begun


def _lost(name: str) -> dict[str, Any]:
    return {"input": name, "error": f"{name} could not be finished: its process ended."}


def one(
    name: str,
    recipe: Recipe,
    output: Output,
    target: Path | None,
    reading: Future[SourcePicture] | None = None,
) -> dict[str, Any]:
    """The report of one file, made here; a target of None is standard output.

    While a file is being read, the compiled loops are loaded.
    """
    try:
        return _convert_one(name, recipe, output, target, reading)
    except Exception as error:  # whatever it is, the other files are done
        return _failed(name, error)


def _convert_one(
    name: str,
    recipe: Recipe,
    output: Output,
    destination: Path | None,
    reading: Future[SourcePicture] | None,
) -> dict[str, Any]:
    with input_file(name) as (path, called), tempfile.TemporaryDirectory() as scratch:
        if not path.is_file():
            raise PhotoFileError(f"{called} is not there or is no file.")
        if destination is not None and same_file(str(path), destination):
            raise PhotoFileError(f"{called} would be overwritten: choose another --out.")
        target = destination or Path(scratch) / "out"
        if reading:
            rehearse(recipe, output)
        finished = convert_file(path, recipe, output, target, name=called, reading=reading)
        if destination is None:
            sys.stdout.buffer.write(target.read_bytes())
            sys.stdout.buffer.flush()
        return report(name, destination, finished)


def _failed(name: str, error: Exception) -> dict[str, Any]:
    """The report of a file that could not be converted, whatever the reason."""
    if isinstance(error, UnicodeEncodeError):
        return {"input": name, "error": f"{name} has a name that is not UTF-8: rename it first."}
    if isinstance(error, PhotoFileError):
        return {"input": name, "error": str(error)}
    reason = (getattr(error, "strerror", None) or str(error) or type(error).__name__).splitlines()
    return {"input": name, "error": f"{name} could not be converted: {reason[0]}."}


def report(name: str, target: Path | None, finished: Finished) -> dict[str, Any]:
    return {
        "input": name,
        "output": str(target) if target else "-",
        "width": finished.width,
        "height": finished.height,
        "bytes": finished.bytes,
        "notes": list(finished.notes),
    }
