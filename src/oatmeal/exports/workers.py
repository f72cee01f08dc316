"""Who does the work of exports: processes of this machine, or the workers of a cluster.

A cluster is one of dask.distributed, under the address of its scheduler. Its workers come and go;
as many jobs are handed over as they have threads. Workers that see the same files under the same
paths read and write them; others are sent the original and give the finished files back.
"""

from __future__ import annotations

import logging
import os
import secrets
import tempfile
from collections.abc import Callable, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any, BinaryIO, Final, Protocol

from oatmeal.exports import task
from oatmeal.exports.convert import Finished
from oatmeal.exports.task import Cancelled, Task
from oatmeal.host.disk import NoRoom
from oatmeal.host.errors import Told
from oatmeal.library.store import check
from oatmeal.photofile import encode
from oatmeal.photofile.errors import PhotoFileError

log = logging.getLogger("oatmeal")

#: What workers tell how far they are under.
_TOPIC: Final = "oatmeal-progress"

#: Seconds to wait for a scheduler to answer.
_PATIENCE_S: Final = 10


#: In which forms answers are taken: plain values, and that something failed.
_PLAIN: Final = ["msgpack", "error"]

#: What may stand in the way of a job, by its name.
_PROBLEMS: Final[dict[str, type[Exception]]] = {
    one.__name__: one
    for one in (*PhotoFileError.__subclasses__(), PhotoFileError, NoRoom, Cancelled)
}


class Away(Exception):
    """There are no workers now; the text says what is missing."""


class Workers(Protocol):
    """What does jobs."""

    def places(self) -> int:
        """Jobs that can be done at the same time now; raises :class:`Away` where it is none."""

    def submit(self, wanted: Task) -> Future[Finished]:
        """Have a job done."""

    def look_after(self) -> None:
        """Tell running jobs that they were called off, where files do not tell them."""

    def close(self) -> None:
        """Let go; what runs may end or not."""


class OnExecutor:
    """Jobs on an executor that shares this machine's files.

    Parameters
    ----------
    executor : Executor
    at_once : int
        How many it does at the same time.
    """

    def __init__(self, executor: Executor, at_once: int) -> None:
        self._executor = executor
        self._at_once = at_once

    def places(self) -> int:
        """Jobs that can be done at the same time."""
        return self._at_once

    def submit(self, wanted: Task) -> Future[Finished]:
        """Have a job done."""
        return self._executor.submit(task.run, wanted)

    def look_after(self) -> None:
        """Nothing: jobs here look at their files."""

    def close(self) -> None:
        """Take no more."""
        self._executor.shutdown(wait=False, cancel_futures=True)


def here(at_once: int | None = None) -> Workers:
    """Processes of this machine, one for each core unless said otherwise."""
    count = at_once or os.cpu_count() or 1
    return OnExecutor(task.process_pool(count), count)


def workers_for(
    address: str, shared: Sequence[Path], most_bytes: int, tls: tuple[Path, ...] = ()
) -> Callable[[], Workers]:
    """What makes the workers: those of a cluster, or of this machine where there is no address."""
    return (lambda: Cluster(address, shared, most_bytes, tls)) if address else here


class Cluster:
    """The workers of a dask.distributed scheduler.

    Parameters
    ----------
    address : str
        Of the scheduler.
    shared : sequence of Path
        Folders, and files, that a worker must see to work on the files themselves; something is
        written into the first.
    most_bytes : int
        The largest original that is sent to workers that do not see them.
    tls : (Path, Path, Path), optional
        Certificates of the authority that all of the cluster were given theirs by, this one's own,
        and its key: then nothing is said to whoever shows no such certificate.

    Notes
    -----
    What workers answer is taken as plain values alone (msgpack), never as Python objects, which
    could hold a program. What the library itself says of a task that failed still comes as those:
    without TLS, whoever reaches the scheduler can make this process run what they like.

    Raises
    ------
    Away
        When nobody answers, or the package for it is not installed.
    """

    def __init__(
        self, address: str, shared: Sequence[Path], most_bytes: int, tls: tuple[Path, ...] = ()
    ) -> None:
        try:
            self._distributed = _distributed()
        except ImportError as error:
            raise Away(
                "The cluster cannot be used: install Oatmeal with its extra cluster."
            ) from error
        self._address = address
        self._shared = shared
        self._most_bytes = most_bytes
        self._seeing: dict[str, bool] = {}
        self._sent: dict[str, Any] = {}
        secured: dict[str, Any] = {}
        if address.startswith("tls://") and not tls:
            raise Away(
                f"The cluster at {address} asks for certificates: set OATMEAL_CLUSTER_CA, "
                "OATMEAL_CLUSTER_CERT and OATMEAL_CLUSTER_KEY."
            )
        if tls and not address.startswith("tls://"):
            raise Away(f"With certificates the cluster's address must begin with tls://: {address}")
        if tls:
            authority, certificate, key = map(str, tls)
            secured["security"] = self._distributed.Security(
                tls_ca_file=authority,
                tls_client_cert=certificate,
                tls_client_key=key,
                require_encryption=True,
            )
        try:
            self._client = self._distributed.Client(
                address,
                set_as_default=False,
                timeout=_PATIENCE_S,
                name="oatmeal",
                deserializers=_PLAIN,
                **secured,
            )
        except (OSError, ValueError) as error:
            raise Away(
                f"The cluster at {address} cannot be reached: {_first_line(error)}"
            ) from error
        self._executor: Executor = self._client.get_executor(pure=False)  # a job tried again
        self._client.subscribe_topic(_TOPIC, self._told)

    def places(self) -> int:
        """Threads of all the workers there are now."""
        try:
            threads: dict[str, int] = self._client.nthreads()
            self._look(set(threads))
        except Away:
            raise
        except Exception as error:  # whatever a connection that ends raises
            self.close()
            raise BrokenExecutor(str(error)) from error
        if not threads:
            raise Away(f"The cluster at {self._address} has no workers: start some.")
        return sum(threads.values())

    def _look(self, workers: set[str]) -> None:
        """Find out which of the workers see the files that are here."""
        self._seeing = {one: sees for one, sees in self._seeing.items() if one in workers}
        new = sorted(workers - set(self._seeing))
        if not new:
            return
        shown, mark = (
            self._shared[0] / f"{encode.TEMPORARY}{secrets.token_hex(8)}",
            secrets.token_bytes(16),
        )
        try:
            shown.write_bytes(mark)
        except OSError as error:
            raise Away(f"{self._shared[0]} cannot be written to: {error.strerror}.") from error
        try:
            others = [str(path) for path in self._shared[1:]]
            self._seeing |= self._client.run(sees, str(shown), mark, others, workers=new)
        finally:
            shown.unlink(missing_ok=True)

    def submit(self, wanted: Task) -> Future[Finished]:
        """Have a job done by whoever is free."""
        done: Future[Finished] = Future()
        if all(self._seeing.values()):
            there = self._executor.submit(run_there, wanted)
            there.add_done_callback(lambda ended: _settle(done, partial(_finished, ended)))
            return done
        try:
            content = self._content(wanted)
        except Told as error:
            done.set_exception(error)
            return done
        called = secrets.token_hex(8)
        self._sent[called] = wanted
        # what is sent stands in the workers' memory until nobody refers to it
        held = self._client.scatter(content, hash=False)
        suffix, name = Path(wanted.source).suffix, Path(wanted.destination).name
        sent = Sent(called, replace(wanted, source=suffix, destination=name))
        running = self._executor.submit(run_sent, sent, held)
        running.add_done_callback(lambda ended: self._came_back(called, ended, done))
        return done

    def _content(self, wanted: Task) -> bytes:
        source = Path(wanted.source)
        if wanted.sha256:
            check(source, wanted.sha256, wanted.name)
        if not source.is_file():
            raise PhotoFileError(f"{wanted.name} is not there or is no file.")
        if source.stat().st_size > self._most_bytes:
            raise PhotoFileError(
                f"{wanted.name} has {source.stat().st_size / 1e6:.0f} MB, and workers of the "
                f"cluster do not see {self._shared[0]}: let them see it under the same path, or "
                "raise OATMEAL_CLUSTER_BYTES."
            )
        return source.read_bytes()

    def _came_back(
        self, called: str, ended: Future[dict[str, Any]], done: Future[Finished]
    ) -> None:
        """Put what a worker gave back where it belongs."""
        wanted = self._sent.pop(called)

        def kept() -> Finished:
            try:
                finished = _finished(ended)
                for name, content in ended.result()["files"].items():
                    path = Path(wanted.destination).with_name(Path(name).name)
                    encode.write_whole(path, len(content), partial(_write, content))
                return finished
            finally:
                for left in (wanted.progress, wanted.progress + ".cancel"):
                    Path(left).unlink(missing_ok=True)

        # last: whoever waits for it finds everything in its place
        _settle(done, kept)

    def _told(self, event: Any) -> None:
        """A worker says how far it is."""
        _, (called, share) = event
        wanted = self._sent.get(called)
        if wanted is not None:
            with suppress(OSError):
                Path(wanted.progress).write_text(f"{share:.3f}")

    def look_after(self) -> None:
        """Pass on what was called off."""
        for called, wanted in list(self._sent.items()):
            if Path(wanted.progress + ".cancel").exists():
                self._distributed.Event(_call(called), client=self._client).set()

    def close(self) -> None:
        """Leave the cluster; what runs there is forgotten."""
        with suppress(Exception):
            self._client.close(timeout=2)


@dataclass(frozen=True)
class Sent:
    """A job for a worker without the files.

    Attributes
    ----------
    called : str
        Names it among all that runs.
    task : Task
        Its source is the original's suffix, its destination the finished file's name.
    """

    called: str
    task: Task


def _distributed() -> Any:
    """The package, the optional extra "cluster"; it has no types."""
    return import_module("distributed")


def _write(content: bytes, file: BinaryIO) -> None:
    file.write(content)


def _call(called: str) -> str:
    return f"oatmeal-call-{called}"


def _first_line(error: BaseException) -> str:
    return (str(error) or type(error).__name__).splitlines()[0]


def _settle(done: Future[Finished], make: Callable[[], Finished]) -> None:
    """Let a job end with what is made, or with what that raises."""
    try:
        finished = make()
    except BaseException as problem:
        done.set_exception(problem)
    else:
        done.set_result(finished)


def _finished(ended: Future[dict[str, Any]]) -> Finished:
    """What a worker answered; raises what stood in its way."""
    answer = ended.result()
    if "failed" in answer:
        kind, *given = answer["failed"]
        raise _PROBLEMS.get(kind, Told)(*given)
    width, height, size, notes = answer["finished"]
    return Finished(width, height, size, tuple(notes))


# what follows runs in the workers


def _answer(work: Callable[[], Finished]) -> dict[str, Any]:
    """What comes of a job, in plain values."""
    try:
        done = work()
    except (Told, Cancelled) as problem:
        return {"failed": [type(problem).__name__, *problem.args]}
    return {"finished": [done.width, done.height, done.bytes, list(done.notes)], "files": {}}


def sees(path: str, mark: bytes, others: Sequence[str]) -> bool:
    """True if this process sees a file with its content, and more."""
    try:
        return Path(path).read_bytes() == mark and all(Path(other).exists() for other in others)
    except OSError:
        return False


def run_there(wanted: Task) -> dict[str, Any]:
    """Do a job on files that are seen here; one thread of arithmetic for one of the worker."""
    _one_thread()
    return _answer(lambda: task.run(wanted))


def run_sent(sent: Sent, content: bytes) -> dict[str, Any]:
    """Do a job on an original that was sent.

    Returns
    -------
    dict
        With the content of every file that was written, by its name, among ``files``.
    """
    distributed = _distributed()
    _one_thread()
    call = distributed.Event(_call(sent.called))
    worker = distributed.get_worker()

    def tell(share: float) -> None:
        if call.is_set():
            raise Cancelled
        worker.log_event(_TOPIC, (sent.called, share))

    with tempfile.TemporaryDirectory(prefix="oatmeal-") as scratch:
        source = Path(scratch) / f"original{sent.task.source}"
        source.write_bytes(content)
        out = Path(scratch) / "out"
        out.mkdir()
        wanted = replace(
            sent.task,
            source=str(source),
            destination=str(out / sent.task.destination),
            progress=str(Path(scratch) / "progress"),
        )
        answer = _answer(lambda: task.run(wanted, tell))
        answer["files"] = {path.name: path.read_bytes() for path in out.iterdir()}
        return answer


def _one_thread() -> None:
    import cv2

    from oatmeal.core.loops import use_threads

    use_threads(1)
    cv2.setNumThreads(1)
