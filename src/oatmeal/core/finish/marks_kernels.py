"""Compiled loops that draw marks by their distance."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import parallel, rows_of

#: Rows that are drawn at a time.
_BAND: Final = 32

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Blobs:
    """Round marks with uneven rims.

    Attributes
    ----------
    each : float64 (n, 12)
        Place, radius, strength, and strengths and phases of four waves round the rim, in pixels.
    soft : float
        Width over which their rims fade.
    """

    each: Numbers
    soft: float

    def drawn(self, corner: tuple[int, int], out: Plane) -> Plane:
        """Laid into an array that begins at a corner; where they cross the stronger one counts."""
        _blobs(self.each, max(self.soft, 1.0), *corner, out)
        return out


@parallel
def _strokes(chunk, parts, soft, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    for band in rows_of(chunk, (height + _BAND - 1) // _BAND):
        begin, end = band * _BAND, min(height, band * _BAND + _BAND)
        for i in range(parts.shape[0]):
            ax, ay, bx, by = parts[i, 0], parts[i, 1], parts[i, 2], parts[i, 3]
            wa, wb, sa, sb = parts[i, 4], parts[i, 5], parts[i, 6], parts[i, 7]
            reach = max(wa, wb) / 2 + soft + 1
            y0 = max(begin, math.floor(min(ay, by) - reach) - top)
            y1 = min(end, math.ceil(max(ay, by) + reach) - top + 1)
            if y0 >= y1:
                continue
            x0 = max(0, math.floor(min(ax, bx) - reach) - left)
            x1 = min(width, math.ceil(max(ax, bx) + reach) - left + 1)
            dx, dy = bx - ax, by - ay
            scale = 1 / max(dx * dx + dy * dy, 1e-9)
            for y in range(y0, y1):
                py = y + top + 0.5 - ay
                for x in range(x0, x1):
                    px = x + left + 0.5 - ax
                    t = min(max((px * dx + py * dy) * scale, 0.0), 1.0)
                    ex, ey = px - t * dx, py - t * dy
                    wide = wa + t * (wb - wa)
                    # what is thinner than its rim covers no more than it would without one
                    half = (wide + soft) / 2
                    thin = wide * soft / (half * half) if wide < soft else 1.0
                    over = (wide / 2 - math.sqrt(ex * ex + ey * ey)) / soft + 0.5
                    value = np.float32((sa + t * (sb - sa)) * thin * min(max(over, 0.0), 1.0))
                    if value > out[y, x]:
                        out[y, x] = value


@parallel
def _blobs(chunk, each, soft, left, top, out):  # type: ignore[no-untyped-def]
    height, width = out.shape
    for band in rows_of(chunk, (height + _BAND - 1) // _BAND):
        begin, end = band * _BAND, min(height, band * _BAND + _BAND)
        for i in range(each.shape[0]):
            cx, cy, radius, strength = each[i, 0], each[i, 1], each[i, 2], each[i, 3]
            reach = 1.8 * radius + soft + 1
            y0 = max(begin, math.floor(cy - reach) - top)
            y1 = min(end, math.ceil(cy + reach) - top + 1)
            if y0 >= y1:
                continue
            x0 = max(0, math.floor(cx - reach) - left)
            x1 = min(width, math.ceil(cx + reach) - left + 1)
            half, area = radius + soft / 2, radius * radius
            cone = 3 * area * soft / (half * half * half)
            small = area / (area + soft * soft / 12) if radius >= soft / 2 else cone
            for y in range(y0, y1):
                py = y + top + 0.5 - cy
                for x in range(x0, x1):
                    px = x + left + 0.5 - cx
                    angle = math.atan2(py, px)
                    rim = 1.0
                    for k in range(4):
                        rim += each[i, 4 + k] * math.cos((k + 2) * angle + each[i, 8 + k])
                    away = radius * max(rim, 0.2) - math.sqrt(px * px + py * py)
                    over = min(max(away / soft + 0.5, 0.0), 1.0)
                    value = np.float32(strength * small * over)
                    if value > out[y, x]:
                        out[y, x] = value


def strokes(parts: Numbers, soft: float, corner: tuple[int, int], out: Plane) -> None:
    """Lay lines ``(n, 8)`` into an array that begins at a corner; the stronger one counts."""
    _strokes(parts, max(soft, 1.0), *corner, out)


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((8, 8), dtype=np.float32)
    strokes(np.ones((1, 8)), 1.0, (0, 0), plane)
    Blobs(np.ones((1, 12)), 1.0).drawn((0, 0), plane)
