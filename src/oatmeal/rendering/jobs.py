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

#: Told the step that begins.
Told = Callable[[str], None]


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
        self._looks: OrderedDict[str, Job[_Result]] = OrderedDict()
        self._newest = ""

    def look(
        self, token: str, make: Callable[[Told], _Result], wait_s: float = 0.15
    ) -> Job[_Result]:
        """Begin, or go on with, an answer; waits a moment for it to be there.

        The newest wish goes first: an older one that has not begun is forgotten, and made when it
        is asked for again.
        """
        with self._lock:
            self._newest = token
            look = self._looks.get(token)
            if look is None:
                look = self._looks[token] = Job(token)
                while len(self._looks) > self._kept:
                    self._looks.popitem(last=False)
                threading.Thread(target=self._make, args=(look, make), daemon=True).start()
            else:
                self._looks.move_to_end(token)
        look.done.wait(wait_s)
        if look.problem:  # told once: what was wrong may be put right
            self._forget(token)
        return look

    def result(self, token: str) -> _Result:
        """What came of a look; raises :class:`Missing` once it is forgotten."""
        with self._lock:
            look = self._looks.get(token)
        if look is None or look.result is None:
            raise Missing(self._forgotten)
        return look.result

    def _forget(self, token: str) -> None:
        with self._lock:
            self._looks.pop(token, None)

    def _make(self, look: Job[_Result], make: Callable[[Told], _Result]) -> None:
        def told(step: str) -> None:
            look.step = step

        try:
            with self._work:
                if look.token == self._newest:
                    look.result = make(told)
                else:
                    self._forget(look.token)
        except self._expected as error:
            look.problem = str(error)
        except Exception:
            log.exception("%s", self._failed)
            look.problem = f"{self._failed}; the server's log says more."
        finally:
            look.done.set()
