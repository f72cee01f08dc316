"""Runs a compiled formula over a picture: all instructions on one row while it is in the cache."""

from __future__ import annotations

import math
from typing import Any, Final

import numba
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.lanes import (
    cube_root,
    decode_row,
    encode_row,
    exp2,
    hue_steps,
    log2_one,
    oklab,
)
from oatmeal.core.colour.ranges import HUE_TABLE_SIZE
from oatmeal.core.loops import parallel, rows_of
from oatmeal.core.recipe.formula import CODES, VARIABLES, Program

_f = np.float32

#: A formula's grey is kept within this, encoded; what is no number becomes black.
TOP: Final = _f(4.0)

_NUMBER, _VARIABLE, _NEGATE = CODES["number"], CODES["variable"], CODES["negate"]
_ADD, _SUBTRACT, _MULTIPLY, _DIVIDE, _POWER = (CODES[sign] for sign in ("+", "-", "*", "/", "**"))
_LT, _LE, _GT, _GE, _EQ, _NE = (CODES[sign] for sign in ("<", "<=", ">", ">=", "==", "!="))
_MINIMUM, _MAXIMUM, _ABS, _SQRT = (CODES[n] for n in ("minimum", "maximum", "abs", "sqrt"))
_LOG, _EXP, _WHERE, _CLIP = (CODES[n] for n in ("log", "exp", "where", "clip"))
_DEGREES: Final = _f(360.0 / HUE_TABLE_SIZE)

#: Above this, and to powers below that, a power is computed by its logarithm, many at a time; what
#: is negative or no number, one by one.
_SMALL: Final = _f(1e-6)
_STEEP: Final = _f(5.0)


_plain: Any = numba.njit(nogil=True, cache=True, error_model="numpy", fastmath={"contract", "arcp"})


@_plain
def _row(pixels, codes, operands, depth, used, out):  # type: ignore[no-untyped-def]
    width = pixels.shape[0]
    known = np.empty((10, width), np.float32)
    stack = np.empty((depth, width), np.float32)
    # rows by themselves: in loops over one array the compiler works on single pixels
    red, green, blue = known[3], known[4], known[5]
    for x in range(width):
        red[x], green[x], blue[x] = pixels[x, 0], pixels[x, 1], pixels[x, 2]
    for channel in range(3):
        if used[channel]:
            encode_row(known[3 + channel], known[channel])
    if used[6] or used[7]:
        luminance, lightness = known[6], known[7]
        for x in range(width):
            light = _f(0.2126) * red[x] + _f(0.7152) * green[x]
            luminance[x] = max(light + _f(0.0722) * blue[x], _f(0.0))
        if used[7]:
            for x in range(width):
                light = luminance[x]
                dark = light * _f(841.0 / 108.0) + _f(4.0 / 29.0)
                root = cube_root(light) if light > _f(0.008856452) else dark
                lightness[x] = _f(1.16) * root - _f(0.16)
    if used[8] or used[9]:
        hue, chroma = known[8], known[9]
        for x in range(width):
            _, hue[x], chroma[x] = oklab(red[x], green[x], blue[x])
        if used[9]:
            for x in range(width):
                a_axis, b_axis = hue[x], chroma[x]
                hue[x] = hue_steps(a_axis, b_axis) * _DEGREES
                chroma[x] = math.sqrt(a_axis * a_axis + b_axis * b_axis)
        else:
            for x in range(width):
                hue[x] = hue_steps(hue[x], chroma[x]) * _DEGREES
    top = -1
    for place in range(codes.shape[0]):
        code = codes[place]
        if code == _NUMBER:
            top += 1
            one, number = stack[top], operands[place]
            for x in range(width):
                one[x] = number
        elif code == _VARIABLE:
            top += 1
            one, two = stack[top], known[int(operands[place])]
            for x in range(width):
                one[x] = two[x]
        elif code in (_WHERE, _CLIP):
            top -= 2
            one, two, three = stack[top], stack[top + 1], stack[top + 2]
            if code == _WHERE:
                for x in range(width):
                    one[x] = two[x] if one[x] != _f(0.0) else three[x]
            else:
                for x in range(width):
                    one[x] = min(max(one[x], two[x]), three[x])
        elif code in (_NEGATE, _ABS, _SQRT, _LOG, _EXP):
            one = stack[top]
            if code == _NEGATE:
                for x in range(width):
                    one[x] = -one[x]
            elif code == _ABS:
                for x in range(width):
                    one[x] = abs(one[x])
            elif code == _SQRT:
                for x in range(width):
                    one[x] = math.sqrt(one[x])
            elif code == _LOG:
                for x in range(width):
                    one[x] = math.log(one[x])
            else:
                for x in range(width):
                    one[x] = math.exp(one[x])
        else:
            top -= 1
            one, two = stack[top], stack[top + 1]
            if code == _ADD:
                for x in range(width):
                    one[x] += two[x]
            elif code == _SUBTRACT:
                for x in range(width):
                    one[x] -= two[x]
            elif code == _MULTIPLY:
                for x in range(width):
                    one[x] *= two[x]
            elif code == _DIVIDE:
                for x in range(width):
                    one[x] /= two[x]
            elif code == _POWER:
                odd = 0
                for x in range(width):
                    odd += 0 if one[x] > _SMALL and abs(two[x]) < _STEEP else 1
                if odd == 0:
                    for x in range(width):
                        one[x] = exp2(two[x] * log2_one(one[x]))
                else:
                    for x in range(width):
                        one[x] = one[x] ** two[x]
            elif code == _MINIMUM:
                for x in range(width):
                    one[x] = min(one[x], two[x])
            elif code == _MAXIMUM:
                for x in range(width):
                    one[x] = max(one[x], two[x])
            elif code == _LT:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] < two[x] else _f(0.0)
            elif code == _LE:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] <= two[x] else _f(0.0)
            elif code == _GT:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] > two[x] else _f(0.0)
            elif code == _GE:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] >= two[x] else _f(0.0)
            elif code == _EQ:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] == two[x] else _f(0.0)
            else:
                for x in range(width):
                    one[x] = _f(1.0) if one[x] != two[x] else _f(0.0)
    shown = stack[0]
    for x in range(width):
        value = shown[x]
        shown[x] = min(max(value, _f(0.0)), TOP) if value == value else _f(0.0)
    decode_row(shown, out)


@parallel
def _run(chunk, rgb, codes, operands, depth, used, out):  # type: ignore[no-untyped-def]
    """Rows by themselves: the passes for parallel loops take long over a long loop."""
    for y in rows_of(chunk, rgb.shape[0]):
        _row(rgb[y], codes, operands, depth, used, out[y])


def evaluate(rgb_linear: NDArray[np.float32], program: Program) -> NDArray[np.float32]:
    """Linear grey of a formula over linear colour ``(H, W, 3)``.

    The formula's value is an encoded grey, kept within 0 to 4; what is no number is black.
    """
    out = np.empty(rgb_linear.shape[:2], dtype=np.float32)
    _run(
        rgb_linear,
        program.codes,
        program.operands,
        program.depth,
        program.used(),
        out,
    )
    return out


def warm() -> Any:
    """Compile, or load from the cache."""
    program = Program(np.array([_VARIABLE], np.int32), np.zeros(1, np.float32), 1)
    assert len(VARIABLES) == 10
    return evaluate(np.zeros((2, 2, 3), np.float32), program)
