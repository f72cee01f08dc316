"""A curve of tones as settings of the scale: levels and contrast where they do, else points."""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core.reading.fitting import STANDS, tones_of
from oatmeal.core.recipe import Tone
from oatmeal.core.recipe.curves import monotone
from oatmeal.core.tone.scale import transfer

Values = NDArray[np.float64]

#: L* (root mean square over the picture's tones) that levels and contrast may be off, and that
#: leaving out points of the curve may cost.
_LEVELS_L, _CURVE_L = 0.15, 0.06


def scale_of(
    knots: Values, heights: Values, share: Values, off: float = _LEVELS_L, thin: float = _CURVE_L
) -> dict[str, Any]:
    """Settings of Tone that stand for a curve on encoded values.

    Parameters
    ----------
    knots, heights : float64 (n,)
        Of a monotone cubic, 0 to 1.
    share : float64 (m,)
        How much of the picture lies at evenly spaced encoded tones.
    off, thin : float
        L* that may be lost.
    """
    place = np.linspace(0, 1, 129)
    weight = np.interp(place, np.linspace(0, 1, len(share)), share) + 1e-4
    weight = np.sqrt(weight / weight.sum())
    wanted = tones_of(monotone(knots, heights)(place))

    def tone(p: Values) -> Tone:
        return Tone.model_construct(
            contrast=p[3],
            levels=Tone().levels.model_copy(
                update={
                    "black": p[0] * 255, "white": p[1] * 255, "middle": p[2],
                    "out_black": p[4] * 255, "out_white": p[5] * 255,
                }
            ),
        )  # fmt: skip

    def errors(p: Values) -> Values:
        return np.asarray((tones_of(transfer(place, tone(p))) - wanted) * weight)

    ends = max(0.0, float(heights[0])), min(1.0, float(heights[-1]))
    best = None
    for contrast in (0.0, 25.0):
        begin = [0.02, 0.98, 1.0, contrast, min(ends[0], 0.59), max(ends[1], 0.31)]
        found = scipy.optimize.least_squares(
            errors, begin, bounds=([0, 0.3, 0.2, -90, 0, 0.3], [0.29, 1.0, 5, 95, 0.6, 1.0]),
            ftol=STANDS,
        )  # fmt: skip
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None
    if float(np.sqrt(2 * best.cost)) <= off:
        p = best.x
        levels = {
            "black": round(p[0] * 255, 1), "white": round(p[1] * 255, 1), "middle": round(p[2], 3),
            "out_black": round(p[4] * 255, 1), "out_white": round(p[5] * 255, 1),
        }  # fmt: skip
        return {"levels": levels, "contrast": round(p[3], 1)}
    kept = _thinned(knots, heights, share, thin)
    return {"curve": [[round(float(knots[i]), 4), round(float(heights[i]), 4)] for i in kept]}


def _thinned(knots: Values, heights: Values, share: Values, most: float) -> list[int]:
    """The fewest points whose curve stays near."""
    place = np.linspace(0, 1, 257)
    weight = np.interp(place, np.linspace(0, 1, len(share)), share) + 1e-5
    full = tones_of(monotone(knots, heights)(place))

    def error(kept: list[int]) -> float:
        thin = tones_of(monotone(knots[kept], heights[kept])(place))
        return float(np.sqrt(np.average((thin - full) ** 2, weights=weight)))

    kept = list(range(len(knots)))
    while len(kept) > 2:
        without = [(error(kept[:i] + kept[i + 1 :]), i) for i in range(1, len(kept) - 1)]
        least, at = min(without)
        if least > most:
            break
        kept.pop(at)
    return kept
