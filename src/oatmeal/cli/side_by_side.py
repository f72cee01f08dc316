"""Files converted side by side, in processes here or by the workers of a cluster."""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, CancelledError, Future, wait
from pathlib import Path
from typing import Any, Final

from oatmeal.cli.converting import failed, one, report
from oatmeal.cli.files import bar, same_file
from oatmeal.core.recipe import Recipe
from oatmeal.exports.convert import Finished
from oatmeal.exports.task import Task
from oatmeal.exports.workers import Away, Workers
from oatmeal.photofile.output import Output

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
                for made in _side_by_side(left, recipe, output, workers, Path(scratch)):
                    finished += 1
                    yield made
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
            yield failed(name, error)


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
