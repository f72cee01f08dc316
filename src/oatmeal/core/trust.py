"""How far a file's colour can be trusted: what compression took of it, told from its pixels.

Files keep light finely and colour coarsely. Where they do, a finer octave of the colour lacks what
a coarser one has; how much is measured (:mod:`oatmeal.core.guard.measuring`), whatever the file's
tables say and whoever compressed it before.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

#: Chroma, in codes of 255, that is not told from a block's step: of fine and of coarse colour.
_FLOOR: Final = (0.3, 2.0)

#: Share of the chroma's own variation round a pixel that is not believed, likewise.
_SHARE: Final = (0.015, 0.115)

#: How far colour of half the size counts for the floor by itself.
_HALVED: Final = 0.6

#: Where light tells nothing of the colour.
_UNKNOWN_FLOOR, _UNKNOWN_SHARE = 2.0, 0.1


#: From which coarseness, and from which narrowness, that is said.
_COARSELY, _HALF = 0.25, 0.5


@dataclass(frozen=True)
class Trust:
    """What is known of a file's colour.

    Attributes
    ----------
    settles : bool
        False where it is as good as light, and nothing is done about it.
    coarse : float
        0: as fine as it looks; 1: strongly compressed, once or more than once.
    narrow : float
        0: colour is as fine as light; 1: half as fine either way (4:2:0).
    told : bool
        False where light tells nothing of the colour, and its faults could not be measured.
    """

    settles: bool = True
    coarse: float = 0.0
    narrow: float = 0.0
    told: bool = True

    @property
    def floor(self) -> float:
        """Chroma, 0 to 1, that is not told from a block's step."""
        low, high = _FLOOR
        share = max(self.coarse, _HALVED * self.narrow)
        return (low + share * (high - low) if self.told else _UNKNOWN_FLOOR) / 255

    @property
    def share(self) -> float:
        """Share of the chroma's own variation that is not believed."""
        low, high = _SHARE
        return low + self.coarse * (high - low) if self.told else _UNKNOWN_SHARE

    @property
    def step(self) -> int:
        """Pixels that a colour of the file covers either way."""
        return 4 if self.coarse > 0.5 else 2

    def words(self) -> str:
        """What was found, and what is done about it."""
        if not self.settles:
            return "colour is as fine as light here: left as it is"
        if not self.told:
            return "light tells little of the colour here: held lightly"
        if self.coarse >= _COARSELY:
            return "colour was kept coarsely here: held"
        if self.narrow >= _HALF:
            return "colour is half as fine as light here: drawn from it"
        return "colour is fine here: hardly touched"

    def wanted(self, guard: float | str) -> Trust:
        """As a recipe's guard wants it: as measured, or as coarse as a percentage says; 0: off."""
        if guard == "auto":
            return self
        return replace(self, settles=float(guard) > 0, coarse=float(guard) / 100, told=True)


#: Colour that nothing is done about.
FINE: Final = Trust(settles=False)
