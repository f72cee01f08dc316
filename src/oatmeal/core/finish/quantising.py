"""Quantising: encoded values become codes, the last thing that happens to a picture."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.loops import inline, parallel, rows_of

_f = np.float32

Depth = type[np.uint8] | type[np.uint16]

#: Steps of the low-discrepancy sequence in 32-bit fractions of one: the powers of the inverse of
#: the plastic number (M. Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences", 2018).
_STEP_X: Final = np.uint32(3242174889)
_STEP_Y: Final = np.uint32(2447445414)


@parallel
def _quantise(chunk, encoded, top, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, encoded.shape[0]):
        line, codes = encoded[y], out[y]
        for i in range(line.shape[0]):
            value = min(max(line[i], _f(0.0)), _f(1.0))
            codes[i] = value * top + _f(0.5)


@inline
def _threshold(x, down):  # type: ignore[no-untyped-def]
    """From 1/512 to 511/512, so that what lies on a code stays there."""
    place = np.uint32(np.uint32(x) * _STEP_X + down)
    return (_f(place >> np.uint32(24)) + _f(0.5)) * _f(1.0 / 256.0)


@parallel
def _dither(chunk, encoded, top, left, upper, channels, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, encoded.shape[0]):
        line, codes = encoded[y], out[y]
        down = np.uint32(y + upper) * _STEP_Y
        if channels == 1:  # without a division the compiler works on many pixels at a time
            for i in range(line.shape[0]):
                threshold = _threshold(i + left, down)
                value = min(max(line[i], _f(0.0)), _f(1.0))
                codes[i] = np.int32(value * top + threshold)
        else:
            for i in range(line.shape[0]):
                threshold = _threshold(i // channels + left, down)
                value = min(max(line[i], _f(0.0)), _f(1.0))
                codes[i] = value * top + threshold


@parallel
def _joined(chunk, red, green, blue, top, dither, left, upper, out):  # type: ignore[no-untyped-def]
    for y in rows_of(chunk, red.shape[0]):
        down = np.uint32(y + upper) * _STEP_Y
        for x in range(red.shape[1]):
            threshold = _threshold(x + left, down) if dither else _f(0.5)
            out[y, x, 0] = min(max(red[y, x], _f(0.0)), _f(1.0)) * top + threshold
            out[y, x, 1] = min(max(green[y, x], _f(0.0)), _f(1.0)) * top + threshold
            out[y, x, 2] = min(max(blue[y, x], _f(0.0)), _f(1.0)) * top + threshold


@parallel
def _through(chunk, encoded, table, top, dither, left, upper, out):  # type: ignore[no-untyped-def]
    last = np.int32(table.shape[0] - 2)
    steps = _f(table.shape[0] - 1)
    for y in rows_of(chunk, encoded.shape[0]):
        down = np.uint32(y + upper) * _STEP_Y
        for x in range(encoded.shape[1]):
            place = min(max(encoded[y, x], _f(0.0)), _f(1.0)) * steps
            index = max(min(np.int32(place), last), np.int32(0))
            between = place - _f(index)
            threshold = _threshold(x + left, down) if dither else _f(0.5)
            for c in range(3):
                value = table[index, c] + between * (table[index + 1, c] - table[index, c])
                out[y, x, c] = value * top + threshold


def quantised(
    encoded: NDArray[np.float32],
    dtype: Depth,
    *,
    dither: bool = False,
    corner: tuple[int, int] = (0, 0),
) -> NDArray[Any]:
    """Codes of encoded values.

    Parameters
    ----------
    encoded : float32 (H, W) or (H, W, 3)
        0 to 1; what lies beyond is clipped.
    dtype : numpy.uint8 or numpy.uint16
        Depth of the codes.
    dither : bool
        Spread the rounding over neighbouring pixels instead of rounding each to the nearest, so
        that slow gradients show no steps: by less than half a code either way, the same every time.
        Values that lie on a code keep it.
    corner : (x, y)
        Where a part lies in the whole, so that parts and whole agree.

    Returns
    -------
    uint8 or uint16, of the shape of ``encoded``

    Examples
    --------
    >>> quantised(np.array([[0.0, 0.5, 1.0]], np.float32), np.uint8).tolist()
    [[0, 128, 255]]
    """
    out: NDArray[Any] = np.empty(encoded.shape, dtype=dtype)
    channels = 1 if encoded.ndim == 2 else encoded.shape[2]
    lines = np.ascontiguousarray(encoded).reshape(len(encoded), -1)
    codes = out.reshape(len(out), -1)
    top = _f(np.iinfo(dtype).max)
    if dither:
        _dither(lines, top, corner[0], corner[1], channels, codes)
    else:
        _quantise(lines, top, codes)
    return out


def through(
    encoded: NDArray[np.float32],
    table: NDArray[np.float32],
    dtype: Depth,
    *,
    dither: bool = False,
    corner: tuple[int, int] = (0, 0),
) -> NDArray[Any]:
    """Codes ``(H, W, 3)`` of the encoded colours that a table ``(N, 3)`` gives encoded greys.

    The table's values lie within 0 to 1; the other parameters are those of :func:`quantised`.
    """
    out: NDArray[Any] = np.empty((*encoded.shape, 3), dtype=dtype)
    top = _f(np.iinfo(dtype).max)
    _through(np.ascontiguousarray(encoded), table, top, dither, *corner, out)
    return out


def joined(
    planes: tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]],
    dtype: Depth,
    *,
    dither: bool = False,
    corner: tuple[int, int] = (0, 0),
) -> NDArray[Any]:
    """Codes ``(H, W, 3)`` of encoded red, green and blue; the parameters of :func:`quantised`."""
    out: NDArray[Any] = np.empty((*planes[0].shape, 3), dtype=dtype)
    _joined(*planes, _f(np.iinfo(dtype).max), dither, *corner, out)
    return out


def warm() -> None:
    """Compile, or load from the cache."""
    plane = np.zeros((2, 2), dtype=np.float32)
    for dtype in (np.uint8, np.uint16):
        quantised(plane, dtype)
        joined((plane, plane, plane), dtype)
        through(plane, np.zeros((2, 3), np.float32), dtype)
    quantised(plane, np.uint8, dither=True)
