"""One job of a batch, as it runs in a process of its own: it knows files, not the database."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import Executor, ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from oatmeal.core.recipe import from_document
from oatmeal.exports.convert import Finished, convert_file
from oatmeal.host.processes import beginning, load_first, settle_in
from oatmeal.library.store import check
from oatmeal.photofile.decode import Limits
from oatmeal.photofile.output import Output

load_first("oatmeal.exports.preload")


class Cancelled(Exception):
    """The job was called off while it ran."""


@dataclass(frozen=True)
class Task:
    """Everything that a job needs; plain values, so that it can travel to another machine.

    Attributes
    ----------
    source : str
        Path of the original.
    sha256 : str
        What its content must be; empty for a file that is in no library.
    name : str
        What to call it in messages.
    recipe : dict
        The recipe's document.
    output : Output
    destination : str
        Path of the finished file, written whole or not at all.
    progress : str
        Path of a small file that says how far the job is, 0 to 1; the job ends when a file of this
        name with ``.cancel`` behind it appears.
    limits : Limits
    """

    source: str
    sha256: str
    name: str
    recipe: dict[str, Any]
    output: Output
    destination: str
    progress: str
    limits: Limits = Limits()


def run(task: Task, tell: Callable[[float], None] | None = None) -> Finished:
    """Render and write one file.

    Parameters
    ----------
    tell : callable, optional
        Is told how far the job is, and ends it where it is called off; usually through the files
        that the task names.

    Raises
    ------
    PhotoFileError
        When the original is lost or cannot be read, or the file cannot be written.
    Cancelled
    """
    progress, cancel = Path(task.progress), Path(task.progress + ".cancel")
    try:
        if task.sha256:
            check(Path(task.source), task.sha256, task.name)
        return convert_file(
            Path(task.source),
            from_document(task.recipe),
            task.output,
            Path(task.destination),
            name=task.name,
            limits=task.limits,
            progress=tell or teller(progress, cancel),
            careful=not task.sha256,
        )
    finally:
        progress.unlink(missing_ok=True)
        cancel.unlink(missing_ok=True)


def teller(progress: Path, cancel: Path) -> Callable[[float], None]:
    """Writes how far a job is, and ends it where it is called off."""

    def tell(share: float) -> None:
        if cancel.exists():
            raise Cancelled
        progress.write_text(f"{share:.3f}")

    return tell


def prepare_worker() -> None:
    """Make this process a worker: one thread of arithmetic, and an end when the server ends."""
    from oatmeal.core.kernels import wait_for_others  # loaded here already, elsewhere not needed

    settle_in(wait_for_others)
    os.environ["VIPS_CONCURRENCY"] = "1"
    import cv2

    from oatmeal.core.loops import use_threads
    from oatmeal.host.allocator import keep_frames

    use_threads(1)
    cv2.setNumThreads(1)
    keep_frames()


def process_pool(workers: int | None = None) -> Executor:
    """A pool of processes on this machine, one for each core unless said otherwise."""
    return ProcessPoolExecutor(
        max_workers=workers or os.cpu_count() or 1,
        mp_context=beginning(),
        initializer=prepare_worker,
    )
