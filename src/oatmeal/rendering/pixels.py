"""An original's own pixels, decoded when they are first needed and held."""

from __future__ import annotations

import threading

from oatmeal.core.noise import Noise
from oatmeal.core.trust import Trust
from oatmeal.library.store import Original
from oatmeal.photofile.decode import SourcePicture
from oatmeal.rendering.proxies import Proxies


class Pixels:
    """The decoded original of one photograph.

    Attributes
    ----------
    held : SourcePicture or None
        None until it is decoded.
    holds : dict
        By ranges, the stops of lift that its colour carries; empty until that is measured.
    """

    def __init__(self, original: Original, proxies: Proxies) -> None:
        self._original = original
        self._proxies = proxies
        self._decoding = threading.Lock()
        self.held: SourcePicture | None = None
        self.holds: dict[str, float] = {}

    def source(self) -> SourcePicture:
        """The file's own pixels, decoded once; frames of the copies go on meanwhile."""
        with self._decoding:
            if self.held is None:
                held = self._proxies.decode(self._original)
                held.known_trust = self._proxies.trust(self._original, lambda: held)
                self.held = held
            return self.held

    def noise(self) -> Noise:
        """Their noise."""
        return self._proxies.noise(self._original, self.source)

    def measure(self) -> None:
        """Find out how far each range can be lifted, which frames do not wait for."""
        self.holds = self._proxies.holds(self._original, self.source())

    def trust(self) -> Trust:
        """Trust in their colour."""
        return self._proxies.trust(self._original, self.source)
