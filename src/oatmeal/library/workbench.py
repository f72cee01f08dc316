"""The workbench: the desks of the photographs in use."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Final

from oatmeal.library.desk import Desk
from oatmeal.library.models import Photograph
from oatmeal.library.proxies import Proxies

#: Photographs held ready.
DESKS: Final = 3


class Workbench:
    """The desks of all photographs in use; the longest unused makes room."""

    def __init__(self, proxies: Proxies) -> None:
        self._proxies = proxies
        self._lock = threading.Lock()
        self._desks: OrderedDict[str, Desk] = OrderedDict()

    def desk(self, photograph: Photograph) -> Desk:
        """The desk of a photograph, set up now if it is not in use."""
        with self._lock:
            desk = self._desks.get(photograph.sha256)
        if desk is None:
            # outside the lock: the desks in use go on meanwhile
            size = (photograph.width, photograph.height)
            desk = Desk(photograph.original, size, self._proxies)
        with self._lock:
            desk = self._desks.setdefault(photograph.sha256, desk)
            self._desks.move_to_end(photograph.sha256)
            while len(self._desks) > DESKS:
                self._desks.popitem(last=False)
            return desk
