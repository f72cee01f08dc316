"""The workbench: the desks of the photographs in use, within a size in memory."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from typing import Final

from oatmeal.core.recipe import Recipe
from oatmeal.host.allocator import give_back, held_bytes
from oatmeal.library.models import Photograph
from oatmeal.rendering.desk import SIZES, SMALLEST_SIDE, Desk
from oatmeal.rendering.proxies import Proxies
from oatmeal.rendering.requests import Request

#: Memory that desks may take unless said otherwise.
USUAL_BYTES: Final = 4 * 1024**3

#: Seconds between two weighings.
_WEIGHED_S: Final = 0.5

#: Recipes hold no arrays, but thousands of values.
NO_ARRAYS: Final = ("oatmeal.core.recipe.", "oatmeal.core.pipeline.order")


class Workbench:
    """The desks of all photographs in use; the longest unused make room.

    Parameters
    ----------
    proxies : Proxies
    most_bytes : int
        Memory that they may take together; the one that is worked on stays, however large.
    sizes : int
        Sizes that each holds ready.
    """

    def __init__(self, proxies: Proxies, most_bytes: int = USUAL_BYTES, sizes: int = SIZES) -> None:
        self._proxies = proxies
        self._most_bytes = most_bytes
        self._sizes = sizes
        self._lock = threading.Lock()
        self._desks: OrderedDict[str, Desk] = OrderedDict()
        self._known: dict[int, str] = {}
        self._coming: dict[str, Future[Desk]] = {}
        self._ahead = ThreadPoolExecutor(1, "ahead")
        self._newest = ""
        self._weights: dict[str, int] = {}
        self._worked_on: set[str] = set()
        self._heavier = threading.Event()
        threading.Thread(target=self._weigh_for_ever, name="weighing", daemon=True).start()

    def desk(self, photograph: Photograph) -> Desk:
        """The desk of a photograph, set up now if it is not in use."""
        sha256 = photograph.sha256
        with self._lock:
            desk, coming = self._desks.get(sha256), self._coming.get(sha256)
            if desk is None and coming is None:
                mine = self._coming[sha256] = Future()
        if desk is None:
            # outside the lock: the desks in use go on meanwhile
            desk = coming.result() if coming is not None else self._set_up(photograph, mine)
        with self._lock:
            self._known[photograph.id] = sha256
        return self._used(sha256, desk)

    def at_hand(self, photograph_id: int) -> Desk | None:
        """The desk of a photograph in use, without asking the database.

        That takes as long as a frame of a drag. A photograph that was removed a moment ago may
        still be drawn: what shall be known to be there is to be asked for first.
        """
        with self._lock:
            sha256 = self._known.get(photograph_id, "")
            desk = self._desks.get(sha256)
        return self._used(sha256, desk) if desk is not None else None

    def forget(self) -> None:
        """Photographs were removed: the next frame of each asks whether it is still there."""
        with self._lock:
            self._known.clear()

    def _used(self, sha256: str, desk: Desk) -> Desk:
        with self._lock:
            self._desks.setdefault(sha256, desk)
            self._desks.move_to_end(sha256)
        return desk

    def _worked(self, sha256: str) -> None:
        """Something was done at a desk: it may hold more than before."""
        with self._lock:
            self._worked_on.add(sha256)
        self._heavier.set()

    def _weigh_for_ever(self) -> None:
        while True:
            self._heavier.wait()
            self._heavier.clear()
            with suppress(RuntimeError):  # what it holds changed meanwhile: it will be told again
                self.weigh()
            time.sleep(_WEIGHED_S)  # a drag is many frames a second

    def weigh(self) -> None:
        """Weigh the desks at which something was done since, and make room."""
        with self._lock:
            changed = [(one, self._desks.get(one)) for one in self._worked_on]
            self._worked_on.clear()
        weights = {one: held_bytes(desk, NO_ARRAYS) for one, desk in changed if desk is not None}
        del changed  # they are held no longer for being weighed
        with self._lock:
            self._weights.update(weights)
            gone = self._make_room()
        _let_go(gone)

    def begin(self, photograph: Photograph, recipe: Recipe) -> None:
        """Set a desk up in the background, and what its first frame needs at any size.

        Who asks for it meanwhile waits for the same one. What goes wrong is told to them. Of
        several that wait to be begun only the newest is: whoever walks on has left the others.
        """
        with self._lock:
            if photograph.sha256 in self._desks or photograph.sha256 in self._coming:
                return
            self._newest = photograph.sha256
        self._ahead.submit(self._begin, photograph, recipe)

    def _begin(self, photograph: Photograph, recipe: Recipe) -> None:
        if photograph.sha256 == self._newest:
            self.desk(photograph).frame(Request(recipe, SMALLEST_SIDE))

    def _set_up(self, photograph: Photograph, promised: Future[Desk]) -> Desk:
        size, sha256 = (photograph.width, photograph.height), photograph.sha256
        try:
            # a function, which is not weighed: what it belongs to is no part of the desk
            desk = Desk(
                photograph.original, size, self._proxies, self._sizes, lambda: self._worked(sha256)
            )
        except BaseException as problem:
            with self._lock:
                del self._coming[photograph.sha256]
            promised.set_exception(problem)
            raise
        with self._lock:
            self._desks[photograph.sha256] = desk
            del self._coming[photograph.sha256]
            gone = self._make_room()
        _let_go(gone)
        promised.set_result(desk)
        return desk

    def _make_room(self) -> list[Desk]:
        """Put the longest unused desks away until the others fit; returns those.

        One that was not weighed yet will weigh, once it was worked at, as much as the heaviest.
        """
        left, gone = self._most_bytes, []
        heaviest = max(self._weights.values(), default=0)
        for place, sha256 in enumerate(reversed(list(self._desks))):
            left -= self._weights.get(sha256, heaviest)
            if left < 0 and place > 0:
                gone.append(self._desks.pop(sha256))
        self._weights = {one: self._weights[one] for one in self._desks if one in self._weights}
        return gone


def _let_go(desks: list[Desk]) -> None:
    """What desks that were put away held goes back to the system."""
    if desks:
        desks.clear()
        give_back()
