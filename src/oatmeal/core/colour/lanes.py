"""Arithmetic for the kernels: small functions that are built into their loops.

They hold no branch that would keep the compiler from working on eight pixels at a time. The sRGB
curve is computed inside 0 to 1 from roots, and beyond from a guess of its power; its inverse inside
0 to 1 from a square root. Errors stay below 6e-7 of the scale.

To read a table takes longer than to compute a number, so what has a formula is computed. Of a table
that must be read a value and the next one are taken in one look.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numba import types
from numba.extending import overload
from numpy.typing import NDArray

from oatmeal.core.colour.ranges import HUE_TABLE_SIZE
from oatmeal.core.colour.spaces import LMS_TO_OKLAB, SRGB_TO_LMS
from oatmeal.core.loops import inline, inline_rows

_f = np.float32

Table = NDArray[np.floating]

#: The sRGB curve over the fourth root of light, where it is no line: a polynomial with the least
#: largest error (fitted with weights renewed after each round).
_Q0, _Q1, _Q2, _Q3, _Q4, _Q5, _Q6, _Q7, _Q8 = (
    _f(value)
    for value in (
        -0.0577183662, 0.111458873, 1.5463344, -1.48225281, 1.96542297,
        -1.98118848, 1.33217283, -0.526028002, 0.0917986029,
    )
)  # fmt: skip

#: The bits of 1.
_ONE_BITS: Final = np.int32(0x3F800000)

#: The binomial series of ``(1 - r) ** (-7 / 12)``.
_P1, _P2, _P3, _P4, _P5 = (
    _f(math.prod((7 + 12 * k) / (12 * (k + 1)) for k in range(n))) for n in (1, 2, 3, 4, 5)
)

#: A guess of ``x ** (-1 / 12)`` from a twelfth of the float's bits: what is added to them, and the
#: bend that takes most of the error of a straight mantissa (both fitted; the series does the rest).
_TWELFTH_BITS: Final = np.int32(1154102593)
_BEND: Final = _f(0.2285)

#: ``s ** 4.8`` where the sRGB curve is no line, s the root of ``(encoded + 0.055) / 1.055``: least
#: error in proportion to the root of the light (fitted with weights renewed after each round).
_D0, _D1, _D2, _D3, _D4, _D5, _D6, _D7 = (
    _f(value)
    for value in (
        8.81490876e-05, -0.00149847052, 0.011432316, -0.054114943,
        0.216596065, 0.901271675, -0.0846633044, 0.0108887826,
    )
)  # fmt: skip

_L0, _L1, _L2, _M0, _M1, _M2, _S0, _S1, _S2 = (_f(value) for value in SRGB_TO_LMS.ravel())
_K0, _K1, _K2, _A0, _A1, _A2, _B0, _B1, _B2 = (_f(value) for value in LMS_TO_OKLAB.ravel())

_INVERSE: Final = np.linalg.inv(LMS_TO_OKLAB)
_LA, _LB = _f(_INVERSE[0, 1]), _f(_INVERSE[0, 2])
_MA, _MB = _f(_INVERSE[1, 1]), _f(_INVERSE[1, 2])
_SA, _SB = _f(_INVERSE[2, 1]), _f(_INVERSE[2, 2])
_R0, _R1, _R2, _G0, _G1, _G2, _U0, _U1, _U2 = (
    _f(value) for value in np.linalg.inv(SRGB_TO_LMS).ravel()
)

#: Arc tangent on 0 to 1, error below 1e-5 (Abramowitz and Stegun 1964, 4.4.49), in hue steps.
_ATAN1, _ATAN3, _ATAN5, _ATAN7, _ATAN9 = (
    _f(value * HUE_TABLE_SIZE / (2 * math.pi))
    for value in (0.9998660, -0.3302995, 0.1801410, -0.0851330, 0.0208351)
)
_TURN: Final = _f(HUE_TABLE_SIZE)
_HALF_TURN: Final = _f(HUE_TABLE_SIZE / 2)
_QUARTER_TURN: Final = _f(HUE_TABLE_SIZE / 4)

#: Taylor series of 2**x on -0.5 to 0.5, error below 2e-7.
_E1, _E2, _E3, _E4, _E5, _E6 = (
    _f(math.log(2) ** n / math.factorial(n)) for n in (1, 2, 3, 4, 5, 6)
)

#: First guess of a cube root from a third of the float's bits (constant from memory; the
#: iterations after it remove its error).
_CUBE_ROOT_BITS: Final = np.int32(709921077)

#: Added before a cube root: its powers stay numbers of full precision, which processors are quick
#: with, where there is no light.
_TINY: Final = _f(1e-24)


def at(setting, y, x):  # type: ignore[no-untyped-def]
    """A setting's value at a pixel: a number, a map ``(H, W)``, or nothing, which is 0."""
    return setting[y, x] if isinstance(setting, np.ndarray) else setting or _f(0.0)


@overload(at, inline="always")
def _at(setting, y, x):  # type: ignore[no-untyped-def]
    if isinstance(setting, types.Array):
        return lambda setting, y, x: setting[y, x]
    if isinstance(setting, types.NoneType | types.Omitted):
        return lambda setting, y, x: _f(0.0)
    return lambda setting, y, x: setting


@inline
def cube_root(value):  # type: ignore[no-untyped-def]
    """Cube root by two Halley steps; works on many values at once."""
    size = np.float32(abs(value) + _TINY)
    third = np.int32(np.float32(size.view(np.int32)) * _f(1.0 / 3.0))
    root = np.int32(third + _CUBE_ROOT_BITS).view(np.float32)
    cube = root * root * root
    root = root * (cube + size + size) / (cube + cube + size)
    cube = root * root * root
    root = root * (cube + size + size) / (cube + cube + size)
    return math.copysign(root, value)


@inline_rows
def beyond_one(row):  # type: ignore[no-untyped-def]
    """True where a number of a row is larger than 1 or smaller than -1.

    The bits of floats are in the order of their sizes, and integers are compared many at a time.
    """
    largest = np.int32(0)
    for i in range(row.shape[0]):
        bits = np.int32(np.float32(row[i]).view(np.int32) & np.int32(0x7FFFFFFF))
        largest = np.int32(max(largest, bits))
    return largest > _ONE_BITS


@inline
def encode_one(linear):  # type: ignore[no-untyped-def]
    """sRGB encoding of linear light of any size (IEC 61966-2-1).

    With a guess y of x ** (-1 / 12), x ** (1 / 2.4) is x * y ** 7 * (1 - r) ** (-7 / 12) where
    r = 1 - x * y ** 12.
    """
    size = np.float32(abs(linear) + _TINY)
    bits = np.int32(np.float32(size.view(np.int32)) * _f(-1.0 / 12.0))
    bits = np.int32(bits + _TWELFTH_BITS)
    part = np.int32((bits & np.int32(0x7FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    bend = _f(1.0) + _BEND * (part - _f(1.0)) * (part - _f(2.0))
    guess = np.int32(bits).view(np.float32) * bend
    square = guess * guess
    sixth = square * square * square
    half = sixth * size
    rest = _f(1.0) - half * sixth
    first = half * guess
    again = rest * rest
    series = (_P1 + _P2 * rest) + again * ((_P3 + _P4 * rest) + again * _P5)
    power = _f(1.055) * (first + first * rest * series) - _f(0.055)
    return math.copysign(power if size > _f(0.0031308) else _f(12.92) * size, linear)


@inline
def encode_inside(linear):  # type: ignore[no-untyped-def]
    """sRGB encoding of linear light of 0 to 1, in half the time."""
    q = math.sqrt(math.sqrt(linear))
    q2 = q * q
    q4 = q2 * q2
    high = (_Q4 + _Q5 * q) + q2 * (_Q6 + _Q7 * q) + q4 * _Q8
    power = (_Q0 + _Q1 * q) + q2 * (_Q2 + _Q3 * q) + q4 * high
    return power if linear > _f(0.0031308) else _f(12.92) * linear


@inline_rows
def encode_row(row, out):  # type: ignore[no-untyped-def]
    """sRGB encoding of much linear light; quick where none is beyond 1. In place, too."""
    if beyond_one(row):
        for i in range(row.shape[0]):
            out[i] = encode_one(row[i])
    else:
        for i in range(row.shape[0]):
            out[i] = math.copysign(encode_inside(abs(row[i])), row[i])


@inline
def decode_inside(encoded):  # type: ignore[no-untyped-def]
    """Light of an encoded value, clamped to 0 to 1 (IEC 61966-2-1)."""
    value = min(max(encoded, _f(0.0)), _f(1.0))
    s = math.sqrt((value + _f(0.055)) * _f(1 / 1.055))
    bent = _D4 + s * (_D5 + s * (_D6 + s * _D7))
    bent = _D0 + s * (_D1 + s * (_D2 + s * (_D3 + s * bent)))
    return bent if value > _f(0.04045) else value * _f(1 / 12.92)


@inline_rows
def decode_row(row, out):  # type: ignore[no-untyped-def]
    """Light of many encoded values, clamped at 0; without a branch where none is beyond 1."""
    for i in range(row.shape[0]):
        out[i] = decode_inside(row[i])
    if beyond_one(row):
        for i in range(row.shape[0]):
            if row[i] > _f(1.0):
                out[i] = ((row[i] + _f(0.055)) / _f(1.055)) ** _f(2.4)


@inline_rows
def find_places(places, last, index, between):  # type: ignore[no-untyped-def]
    """Where places on a table lie: the value before each, ``last`` at the most, and how far on.

    What is no number lies at the beginning, and is none in the end.
    """
    last = np.int32(last)
    for x in range(places.shape[0]):
        spot = min(max(places[x], _f(0.0)), _f(last + 1))
        whole = max(min(np.int32(spot), last), np.int32(0))
        index[x] = whole
        between[x] = spot - _f(whole)


@inline_rows
def read_row(pairs, index, between, found, out):  # type: ignore[no-untyped-def]
    """Values of a table of :func:`pairs_of` at the places that :func:`find_places` found.

    ``found``, int64, is for scribbling.
    """
    for x in range(index.shape[0]):
        found[x] = pairs[np.uint32(index[x])]
    both = found.view(np.float32)
    for x in range(index.shape[0]):
        out[x] = both[2 * x] + between[x] * (both[2 * x + 1] - both[2 * x])


def pairs_of(table: Table) -> NDArray[np.int64]:
    """A table ``(n,)`` as ``(n - 1,)`` pairs of neighbours, each read as one number of 64 bits."""
    table = np.ascontiguousarray(table, dtype=np.float32)
    return np.ndarray((len(table) - 1,), np.int64, table, 0, (table.itemsize,))


def pairs_of_rows(tables: Table) -> NDArray[np.int64]:
    """Each of many tables ``(m, n)`` as :func:`pairs_of` gives it: ``(m, n - 1)``."""
    tables = np.ascontiguousarray(tables, dtype=np.float32)
    shape = (tables.shape[0], tables.shape[1] - 1)
    return np.ndarray(shape, np.int64, tables, 0, tables.strides)


def pairs_of_two(one: Table, two: Table) -> NDArray[np.complex128]:
    """Two tables ``(n,)`` as ``(n - 1,)`` numbers of 128 bits: one, two, and both of the next."""
    both = np.stack([one, two], axis=1).astype(np.float32)
    return np.ndarray((len(both) - 1,), np.complex128, both, 0, both.strides[:1])


@inline
def oklab(red, green, blue):  # type: ignore[no-untyped-def]
    """OKLab of linear sRGB (Ottosson 2020)."""
    long = cube_root(_L0 * red + _L1 * green + _L2 * blue)
    medium = cube_root(_M0 * red + _M1 * green + _M2 * blue)
    short = cube_root(_S0 * red + _S1 * green + _S2 * blue)
    light = _K0 * long + _K1 * medium + _K2 * short
    a_axis = _A0 * long + _A1 * medium + _A2 * short
    b_axis = _B0 * long + _B1 * medium + _B2 * short
    return light, a_axis, b_axis


@inline
def from_oklab(light, a_axis, b_axis):  # type: ignore[no-untyped-def]
    """Linear sRGB of OKLab (Ottosson 2020); its lightness counts once in each of L, M and S."""
    long = light + _LA * a_axis + _LB * b_axis
    medium = light + _MA * a_axis + _MB * b_axis
    short = light + _SA * a_axis + _SB * b_axis
    long = long * long * long
    medium = medium * medium * medium
    short = short * short * short
    red = _R0 * long + _R1 * medium + _R2 * short
    green = _G0 * long + _G1 * medium + _G2 * short
    blue = _U0 * long + _U1 * medium + _U2 * short
    return red, green, blue


@inline
def smooth(value, low, scale):  # type: ignore[no-untyped-def]
    """A smooth step from 0 at ``low`` to 1 at ``low + 1 / scale``."""
    t = min(max((value - low) * scale, _f(0.0)), _f(1.0))
    return t * t * (_f(3.0) - _f(2.0) * t)


@inline
def hue_steps(a_axis, b_axis):  # type: ignore[no-untyped-def]
    """Angle of OKLab a and b in steps of the hue table."""
    across, along = abs(a_axis), abs(b_axis)
    t = min(across, along) / (max(across, along) + _f(1e-30))
    u = t * t
    place = t * (_ATAN1 + u * (_ATAN3 + u * (_ATAN5 + u * (_ATAN7 + u * _ATAN9))))
    place = _QUARTER_TURN - place if along > across else place
    place = _HALF_TURN - place if a_axis < _f(0.0) else place
    return _TURN - place if b_axis < _f(0.0) else place


@inline
def exp2(stops):  # type: ignore[no-untyped-def]
    """Two to the power of -100 to 100; exactly 1 at 0."""
    whole = np.int32(stops + _f(128.5)) - np.int32(128)
    part = stops - _f(whole)
    series = _E1 + part * (_E2 + part * (_E3 + part * (_E4 + part * (_E5 + part * _E6))))
    scale = np.int32((np.int32(whole) + np.int32(127)) << np.int32(23)).view(np.float32)
    return (_f(1.0) + part * series) * scale


@inline
def log2_one(value):  # type: ignore[no-untyped-def]
    """Logarithm of a positive number: its exponent, and a series for the rest."""
    bits = np.float32(value).view(np.int32)
    whole = np.int32(bits >> np.int32(23)) - np.int32(127)
    rest = np.int32((bits & np.int32(0x7FFFFF)) | np.int32(0x3F800000)).view(np.float32)
    large = rest > _f(1.41421356)
    rest = rest * _f(0.5) if large else rest
    exponent = _f(whole) + _f(1.0) if large else _f(whole)
    t = (rest - _f(1.0)) / (rest + _f(1.0))
    u = t * t
    series = _f(1.0) + u * (_f(1 / 3) + u * (_f(1 / 5) + u * (_f(1 / 7) + u * _f(1 / 9))))
    return exponent + _f(2.0 / math.log(2)) * t * series
