"""The eight colour ranges: where they lie on the hue circle and how strongly a pixel belongs."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

#: Range names with their centres at rest, OKLCh hue in degrees.
CENTRES: Final[dict[str, float]] = {
    "red": 29.0,
    "orange": 55.0,
    "yellow": 100.0,
    "green": 142.0,
    "cyan": 195.0,
    "blue": 255.0,
    "purple": 300.0,
    "magenta": 340.0,
}
NAMES: Final[tuple[str, ...]] = tuple(CENTRES)

#: Neighbouring centres keep this distance, in degrees.
MIN_DISTANCE_DEGREES: Final = 10.0

#: Chroma below which a colour counts as neutral and no lift reaches it.
NEUTRAL_CHROMA: Final = 0.005

#: Entries of the hue table that :func:`lift_table` makes (a tenth of a degree each).
HUE_TABLE_SIZE: Final = 3600


def weights(hue_degrees: ArrayLike, centres: Mapping[str, float]) -> NDArray[np.float64]:
    """How much each range holds of a hue.

    Raised cosines run between neighbouring centres, so that the eight weights sum to one.

    Parameters
    ----------
    hue_degrees : array_like, shape (...)
        OKLCh hue.
    centres : mapping
        Centre of each of the eight ranges in degrees, in hue order round the circle.

    Returns
    -------
    ndarray of float64, shape (..., 8)
        Weights in the order of :data:`NAMES`.
    """
    index, part = between_centres(hue_degrees, centres)
    falling = 0.5 * (1 + np.cos(np.pi * part))
    result = np.zeros((*index.shape, len(NAMES)))
    np.put_along_axis(result, index[..., None], falling[..., None], axis=-1)
    following = (index + 1) % len(NAMES)
    np.put_along_axis(result, following[..., None], 1 - falling[..., None], axis=-1)
    return result


def between_centres(
    hue_degrees: ArrayLike, centres: Mapping[str, float]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Which centre a hue follows (0 to 7) and how far it is on the way to the next (0 to 1)."""
    positions = np.array([centres[name] for name in NAMES])
    start = positions[0]
    unrolled = np.append((positions - start) % 360.0, 360.0)
    hue = (np.asarray(hue_degrees, dtype=np.float64) - start) % 360.0
    index = np.clip(np.searchsorted(unrolled, hue, side="right") - 1, 0, len(NAMES) - 1)
    part = (hue - unrolled[index]) / (unrolled[index + 1] - unrolled[index])
    return index.astype(np.int64), part


def colourfulness(chroma: ArrayLike, pale: float) -> NDArray[np.float64]:
    """How far a colour counts as one: 0 for neutrals, 1 for full colours.

    A smoothstep of OKLab chroma from :data:`NEUTRAL_CHROMA` to ``0.08 - 0.06 * pale / 100``.
    """
    return smoothstep(chroma, NEUTRAL_CHROMA, full_chroma(pale))


def full_chroma(pale: float) -> float:
    """Chroma from which a lift acts fully, for ``pale`` from 0 to 100."""
    return 0.08 - 0.06 * pale / 100.0


def smoothstep(x: ArrayLike, low: float, high: float) -> NDArray[np.float64]:
    """Hermite step: 0 below ``low``, 1 above ``high``, ``t * t * (3 - 2 t)`` between."""
    t = np.clip((np.asarray(x, dtype=np.float64) - low) / (high - low), 0.0, 1.0)
    return np.asarray(t * t * (3 - 2 * t))


@lru_cache(16)
def _circle(centres: tuple[float, ...]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Of each hue of the table: the range that it follows, and that one's weight."""
    hue = np.arange(HUE_TABLE_SIZE) * (360.0 / HUE_TABLE_SIZE)
    index, part = between_centres(hue, dict(zip(NAMES, centres, strict=True)))
    return index, 0.5 * (1 + np.cos(np.pi * part))


def lift_table(lifts: Mapping[str, float], centres: Mapping[str, float]) -> NDArray[np.float32]:
    """Lift in stops over the hue circle, for the kernels.

    Returns
    -------
    ndarray of float32, shape (HUE_TABLE_SIZE + 1,)
        Entry ``i`` belongs to hue ``360 * i / HUE_TABLE_SIZE``; the last repeats the first.
    """
    index, falling = _circle(tuple(centres[name] for name in NAMES))
    values = np.array([lifts[name] for name in NAMES])
    stops = values[index] * falling + values[(index + 1) % len(NAMES)] * (1 - falling)
    return np.append(stops, stops[:1]).astype(np.float32)
