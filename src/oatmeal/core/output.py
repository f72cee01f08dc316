"""Sharpening for the screen or for paper, the very last step on finished greys.

Reducing a picture and the spread of ink soften edges; a little unsharp masking at the size of that
softness brings them back (common practice, no source for the figures). Each pixel stays within
the range of its neighbourhood, so that no bright or dark lines appear beside edges.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

#: Rows that are worked on at a time.
_STRIP_ROWS: Final = 1024


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


def sharpened(
    codes: NDArray[Any], medium: str, amount: float = 50, resolution: float = 300
) -> NDArray[Any]:
    """Finished codes sharpened for where they are seen.

    Parameters
    ----------
    codes : uint8 or uint16 (H, W)
    medium : str
        A key of :data:`MEDIA`.
    amount : float
        0 to 100; 0 changes nothing.
    resolution : float
        Pixels an inch of the print.

    Returns
    -------
    uint8 or uint16 (H, W)

    Raises
    ------
    KeyError
        For a medium that does not exist.
    """
    chosen = MEDIA[medium]
    if amount == 0:
        return codes
    radius = max(0.3, chosen.radius_px(resolution))
    gain = np.float32(chosen.strength * amount / 100)
    margin = int(np.ceil(3 * radius)) + 1
    out = np.empty_like(codes)
    for top in range(0, codes.shape[0], _STRIP_ROWS):
        low, high = max(0, top - margin), min(codes.shape[0], top + _STRIP_ROWS + margin)
        strip = codes[low:high].astype(np.float32)
        soft = cv2.GaussianBlur(strip, (0, 0), radius, borderType=cv2.BORDER_REPLICATE)
        near = np.ones((3, 3), np.uint8)
        sharp = np.clip(
            strip + gain * (strip - soft), cv2.erode(strip, near), cv2.dilate(strip, near)
        )
        rows = slice(top - low, min(top + _STRIP_ROWS, codes.shape[0]) - low)
        out[top : top + _STRIP_ROWS] = np.floor(sharp[rows] + 0.5).astype(codes.dtype)
    return out
