"""Compiled loops for the local part of Tone."""

from __future__ import annotations

from typing import Any, Final

import numba
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.lanes import exp2, log2_one

_f = np.float32

#: Digest of lanes.py, see there.
LANES: Final = "cd62a841ecd7"

#: Tables over the base run over these stops around white.
LOWEST_STOPS: Final = -12.0
HIGHEST_STOPS: Final = 4.0
TABLE_SIZE: Final = 1025

#: Added to light before its logarithm, so that black has one.
FLOOR: Final = _f(2.0**-12)

Plane = NDArray[np.float32]

_parallel: Any = numba.njit(
    parallel=True, nogil=True, cache=True, error_model="numpy", fastmath={"contract", "arcp", "nsz"}
)


@_parallel
def _log_light(grey, out):  # type: ignore[no-untyped-def]
    for y in numba.prange(grey.shape[0]):
        line, result = grey[y], out[y]
        for x in range(grey.shape[1]):
            result[x] = log2_one(line[x] + FLOOR)


@_parallel
def _spread(maps, left, part, out):  # type: ignore[no-untyped-def]
    for place in numba.prange(maps.shape[0] * maps.shape[1]):
        plane, row = place // maps.shape[1], place % maps.shape[1]
        line, result = maps[plane, row], out[plane, row]
        for x in range(left.shape[0]):
            here = left[x]
            result[x] = line[here] + part[x] * (line[here + 1] - line[here])


@_parallel
def _apply(grey, shift, wide, first, step, gains, factors, low, per_stop, fine, strength, out):  # type: ignore[no-untyped-def]
    rows = wide.shape[1]
    last = np.int32(gains.shape[0] - 2)
    width = grey.shape[1]
    for y in numba.prange(grey.shape[0]):
        place = min(max(first + step * y, 0.0), rows - 1.0)
        above = min(int(place), max(rows - 2, 0))
        below = min(above + 1, rows - 1)
        t = _f(place - above)
        light = np.empty(width, np.float32)
        base = np.empty(width, np.float32)
        middle = np.empty(width, np.float32)
        line = grey[y]
        for x in range(width):
            light[x] = log2_one(line[x] + FLOOR)
        one, two, three, four = wide[0, above], wide[0, below], wide[1, above], wide[1, below]
        for x in range(width):
            slope = one[x] + t * (two[x] - one[x])
            base[x] = slope * light[x] + three[x] + t * (four[x] - three[x])
        one, two, three, four = wide[2, above], wide[2, below], wide[3, above], wide[3, below]
        for x in range(width):
            slope = one[x] + t * (two[x] - one[x])
            middle[x] = slope * light[x] + three[x] + t * (four[x] - three[x])
        result = out[y]
        for x in range(width):
            spot = min(max((base[x] + shift - low) * per_stop, _f(0.0)), _f(last + 1))
            index = min(np.int32(spot), last)
            between = spot - _f(index)
            gain = gains[index] + between * (gains[index + 1] - gains[index])
            factor = factors[index] + between * (factors[index + 1] - factors[index])
            light[x] += shift + gain + factor * middle[x]
        if strength != _f(0.0):
            detail = fine[y]
            for x in range(width):
                light[x] += strength * detail[x]
        for x in range(width):
            result[x] = max(exp2(light[x]) - FLOOR, _f(0.0))


def log_light(grey: Plane) -> Plane:
    """``log2(grey + 2 ** -12)``, in stops around white."""
    out = np.empty_like(grey)
    _log_light(grey, out)
    return out


def spread(
    maps: NDArray[np.float32], window: tuple[float, float, float, float], width: int
) -> NDArray[np.float32]:
    """Maps ``(n, h, w)`` of a whole picture, read along the rows of a window: ``(n, h, width)``.

    The window is ``(x, y, whole width, whole height)`` in pixels of the part.
    """
    count, rows, columns = maps.shape
    across = (np.arange(width) + 0.5 + window[0]) * (columns / window[2]) - 0.5
    across = np.clip(across, 0, columns - 1)
    left = np.minimum(across.astype(np.int32), max(columns - 2, 0))
    padded = np.pad(maps, ((0, 0), (0, 0), (0, 1)), mode="edge")
    wide = np.empty((count, rows, width), dtype=np.float32)
    _spread(padded, left, (across - left).astype(np.float32), wide)
    return wide


def apply(
    grey: Plane,
    exposure: float,
    wide: NDArray[np.float32],
    window: tuple[float, float, float, float],
    tables: tuple[Plane, Plane],
    fine: Plane | None,
    strength: float,
) -> Plane:
    """Move a grey by what its base and bands ask for; see :mod:`oatmeal.core.local`.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear.
    exposure : float
        Stops, the same everywhere.
    wide : float32 (4, h, W)
        Slopes and offsets of base and middle band, as :func:`spread` gives them.
    window : (x, y, width, height)
        Corner of the grey in the whole picture, and the whole's size in the same pixels.
    tables : two float32 (n,)
        Gain in stops and factor on the middle band, over the base.
    fine : float32 (H, W), optional
        Fine band, in stops.
    strength : float
        Factor on the fine band.
    """
    step = wide.shape[1] / window[3]
    out = np.empty_like(grey)
    _apply(
        grey,
        _f(exposure),
        wide,
        (0.5 + window[1]) * step - 0.5,
        step,
        *tables,
        _f(LOWEST_STOPS),
        _f((TABLE_SIZE - 1) / (HIGHEST_STOPS - LOWEST_STOPS)),
        grey if fine is None else fine,
        _f(0.0 if fine is None else strength),
        out,
    )
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    grey = np.full((4, 4), 0.2, dtype=np.float32)
    log_light(grey)
    table = np.zeros(1025, dtype=np.float32)
    maps = np.zeros((4, 2, 2), dtype=np.float32)
    window = (0.0, 0.0, 4.0, 4.0)
    apply(grey, 0.0, spread(maps, window, 4), window, (table, table), grey, 1.0)
