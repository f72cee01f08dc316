"""Answers that take seconds: made in the background, one at a time, asked for until they come."""

from __future__ import annotations

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

from oatmeal.library.errors import Missing

log = logging.getLogger("oatmeal")

_Result = TypeVar("_Result")

#: Tell the step that begins.
Tell = Callable[[str], None]


@dataclass
class Job(Generic[_Result]):
    """One answer: the step that is under way, what came of it, or what is wrong."""

    token: str
    step: str = "waiting"
    result: _Result | None = None
    problem: str = ""
    done: threading.Event = field(default_factory=threading.Event)


class Jobs(Generic[_Result]):
    """Answers by their token, the newest few of them.

    Parameters
    ----------
    kept : int
        Answers that are held.
    expected : tuple of types
        Errors whose text is a sentence for the user.
    failed, forgotten : str
        What to say of any other error, and of an answer that is not held any more.
    """

    def __init__(
        self, kept: int, expected: tuple[type[Exception], ...], failed: str, forgotten: str
    ) -> None:
        self._kept, self._expected = kept, expected
        self._failed, self._forgotten = failed, forgotten
        self._lock = threading.Lock()
        self._work = threading.Lock()
        self._jobs: OrderedDict[str, Job[_Result]] = OrderedDict()
        self._newest = ""

    def ask(
        self, token: str, make: Callable[[Tell], _Result], wait_s: float = 0.15
    ) -> Job[_Result]:
        """Begin, or go on with, an answer; waits a moment for it to be there.

        The newest wish goes first: an older one that has not begun is forgotten, and made when it
        is asked for again.
        """
        with self._lock:
            self._newest = token
            job = self._jobs.get(token)
            if job is None:
                job = self._jobs[token] = Job(token)
                while len(self._jobs) > self._kept:
                    self._jobs.popitem(last=False)
                threading.Thread(target=self._make, args=(job, make), daemon=True).start()
            else:
                self._jobs.move_to_end(token)
        job.done.wait(wait_s)
        if job.problem:  # told once: what was wrong may be put right
            self._forget(token)
        return job

    def result(self, token: str) -> _Result:
        """What came of a job; raises :class:`Missing` once it is forgotten."""
        with self._lock:
            job = self._jobs.get(token)
        if job is None or job.result is None:
            raise Missing(self._forgotten)
        return job.result

    def _forget(self, token: str) -> None:
        with self._lock:
            self._jobs.pop(token, None)

    def _make(self, job: Job[_Result], make: Callable[[Tell], _Result]) -> None:
        def told(step: str) -> None:
            job.step = step

        try:
            with self._work:
                if job.token == self._newest:
                    job.result = make(told)
                else:
                    self._forget(job.token)
        except self._expected as error:
            job.problem = str(error)
        except Exception:
            log.exception("%s", self._failed)
            job.problem = f"{self._failed}; the server's log says more."
        finally:
            job.done.set()
