"""Where finished pictures are seen, and how soft they look there.

The figures are common practice, no source.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True)
class Medium:
    """Where a picture is seen: radius of the softness, and how much it is met at amount 100.

    Attributes
    ----------
    radius : float
        Standard deviation of the softness: in pixels on a screen, in millimetres on paper.
    strength : float
        Share of what the softness took that is put back.
    """

    radius: float
    strength: float
    paper: bool = True

    def radius_px(self, resolution: float) -> float:
        """The radius in pixels at a resolution in pixels an inch."""
        return self.radius * resolution / 25.4 if self.paper else self.radius


MEDIA: Final = {
    "screen": Medium(0.6, 1.0, paper=False),
    "glossy": Medium(0.075, 1.6),
    "matte": Medium(0.105, 2.2),
}
