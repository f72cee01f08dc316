"""Only the look of a print: its tones and its local contrast, given to another picture.

References
----------
E. Reinhard et al., "Color Transfer between Images", IEEE CG&A 21 (2001), and F. Pitié et al.,
"N-dimensional probability density function transfer", ICCV 2005, for matching what tones there are;
here its slopes are held, so that no tone tears or merges.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, luminance_of_lightness
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading.fitting import tones_of
from oatmeal.core.reading.scales import scale_of
from oatmeal.core.recipe import Mix, Recipe, from_document
from oatmeal.core.tone.kernels import CLARITY_AT_100

Plane = NDArray[np.float32]
Values = NDArray[np.float64]

#: Shares of a picture whose tones are compared.
_SHARES: Final = (
    np.array([0.2, 1, 3, 6, 10, 15, 20, 30, 40, 50, 60, 70, 80, 85, 90, 94, 97, 99, 99.8]) / 100
)

#: Slopes that the curve keeps to, L* that a tone may move, and what its ends count.
_SLOPES: Final = (0.5, 2.0)
_FARTHEST_L: Final = 15.0
_END: Final = 0.15
_SMOOTH: Final = 2.0

#: Clarity at which a picture's middle band is told.
_MEASURED_AT: Final = 40

#: Clarity that doubles the middle band, and its limits here.
_CLARITY: Final = 50 / 1.47
_CLARITY_LIMITS: Final = (-30.0, 50.0)


@dataclass(frozen=True, eq=False)
class Look:
    """Tones of a print, L* at :data:`_SHARES` of it, and stops of its middle band."""

    tones: Values
    middle: float


def look_of(grey: Plane) -> Look:
    """The look of an encoded grey, float32 ``(H, W)``, 0 to 1."""
    tones = tones_of(grey.astype(np.float64))
    light = np.ascontiguousarray(decode_srgb(np.clip(grey, 0, 1)), dtype=np.float32)
    pipeline = Pipeline(np.repeat(light[..., None], 3, axis=2))
    rest, moved = (
        np.log2(np.maximum(pipeline.toned(from_document({"tone": tone})), 2.0**-14))
        for tone in ({"character": "crisp"}, {"character": "crisp", "clarity": _MEASURED_AT})
    )
    middle = (moved - rest) * (100 / _MEASURED_AT / CLARITY_AT_100)
    inner = (tones > 15) & (tones < 90)
    local = float(np.std(middle[inner])) if inner.sum() > 99 else 0.0
    return Look(np.quantile(tones, _SHARES), local)


def matched(
    pipeline: Pipeline, look: Look, strength: float = 70.0, mix: Mix | None = None
) -> Recipe:
    """A recipe whose Tone gives a picture the look of a print.

    Parameters
    ----------
    pipeline : Pipeline
        Of the picture, prepared.
    strength : float
        0 to 100: how far its tones go there.
    mix : Mix, optional
        How the picture is mixed; it stays so.
    """
    mixed = {} if mix is None else {"mix": Recipe(mix=mix).document().get("mix", {})}
    own = pipeline.encoded(from_document(mixed))
    here = look_of(own)
    x, y = _curve(here.tones, look.tones, strength / 100)
    knots, heights = (encode_srgb(luminance_of_lightness(np.clip(v, 0, 100))) for v in (x, y))
    knots[0], knots[-1] = 0.0, 1.0
    heights = np.clip(np.maximum.accumulate(heights), 0, 1)
    kept = np.concatenate([[True], np.diff(knots) > 0.004])
    share = np.histogram(np.clip(own, 0, 1), 64, (0, 1))[0] / own.size
    tone: dict[str, Any] = scale_of(knots[kept], heights[kept], share, 0.7, 0.4)
    now = look_of(pipeline.encoded(from_document(mixed | {"tone": tone})))
    ratio = look.middle / max(now.middle, 1e-3)
    clarity = float(np.clip(_CLARITY * (ratio - 1), *_CLARITY_LIMITS)) * strength / 70
    clarity = float(np.clip(clarity, *_CLARITY_LIMITS))
    if abs(clarity) >= 4:
        tone["clarity"] = round(clarity)
    return from_document(mixed | {"tone": tone})


def _curve(own: Values, wanted: Values, strength: float) -> tuple[Values, Values]:
    """A curve in L* that leads one picture's tones toward another's, its slopes held."""
    x = np.concatenate([[0], np.clip(own, 0, 100), [100]])
    ends = max(0.0, wanted[0] - own[0]), min(100.0, wanted[-1] + (100 - own[-1]) * 0.5)
    far = _FARTHEST_L / max(strength, 1e-3)
    y = np.concatenate([[ends[0]], wanted, [ends[1]]])
    goal = x + strength * np.clip(y - x, -far, far)
    kept = np.concatenate([[True], np.diff(x) > 1.0])
    kept[-1] = True
    x, goal = x[kept], goal[kept]
    if len(x) > 2 and x[-1] - x[-2] < 1:
        x, goal = np.delete(x, -2), np.delete(goal, -2)
    count, steps = len(x), np.diff(x)
    weight = np.ones(count)
    weight[0] = weight[-1] = _END
    rising = np.tril(np.ones((count, count)))
    smooth = np.zeros((max(0, count - 2), count))
    for i in range(count - 2):
        smooth[i, i + 1], smooth[i, i + 2] = -1 / steps[i], 1 / steps[i + 1]
    low = np.concatenate([[0], _SLOPES[0] * steps])
    low[1] = low[-1] = 0  # outside the picture's own tones it may be flatter
    high = np.maximum(np.concatenate([[25], _SLOPES[1] * steps]), low + 1e-6)
    found = scipy.optimize.lsq_linear(
        np.concatenate([rising * weight[:, None], _SMOOTH * smooth]),
        np.concatenate([goal * weight, np.zeros(len(smooth))]),
        bounds=(low, high),
    )
    return x, np.clip(rising @ found.x, 0, 100)
