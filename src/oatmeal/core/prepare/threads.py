"""Threads: each colour range led to another hue, made stronger or brighter, before the mix.

What is led is told by settled colour (:mod:`oatmeal.core.guard`), which is what is moved. Hue order
never folds: the way over the hue circle is a rising curve through the ranges' feet (F. N. Fritsch
and R. E. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numer. Anal. 17, 1980). Hues
turn in OKLab (Ottosson 2020) and keep their luminance.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import ranges
from oatmeal.core.guard import Analysis, analyse
from oatmeal.core.maps import FULL, Box, Masks, not_empty
from oatmeal.core.prepare import thread_kernels as kernels
from oatmeal.core.recipe import Recipe, Threads
from oatmeal.core.recipe.curves import monotone

Colour = NDArray[np.float32]

#: How far pale colours follow, as the mix's usual.
PALE: Final = 50

#: Colours a side of the cube on which it is tried how bright a channel can get.
_CUBE: Final = 7


def threaded(rgb_linear: Colour, colours: Analysis, threads: Threads) -> Colour:
    """Linear colour ``(H, W, 3)`` as the threads lead it.

    Parameters
    ----------
    colours : Analysis
        Of the same picture.
    """
    full = ranges.full_chroma(PALE)
    return kernels.threaded(
        rgb_linear, colours.hue, colours.chroma, tables(threads), ranges.NEUTRAL_CHROMA, full
    )


def threaded_areas(recipe: Recipe, masks: Masks, rgb_linear: Colour, colours: Analysis) -> Colour:
    """Linear colour as the areas' own threads lead it, on top of what is led everywhere."""
    wanted = [one for one in recipe.areas.led if not_empty(masks, one[0])]
    if not wanted:
        return rgb_linear
    out = rgb_linear.copy()
    whole = Box(0, 0, out.shape[1], out.shape[0])
    for name, amount, own in wanted:
        mask = masks[name]
        here = mask.box.inside(whole)
        part = Analysis(
            *(
                np.ascontiguousarray(plane[here])
                for plane in (
                    colours.lightness, colours.a_axis, colours.b_axis, colours.hue, colours.chroma,
                )
            )
        )  # fmt: skip
        led_there = threaded(np.ascontiguousarray(out[here]), part, own)
        kernels.draw_to(out[here], led_there, mask.plane, amount / FULL)
    return out


@lru_cache(maxsize=8)
def tables(threads: Threads) -> NDArray[np.float32]:
    """Over the hue circle: cosine less 1 and sine of the turn, strength less 1, and stops.

    Returns
    -------
    float32 (4, HUE_TABLE_SIZE + 1)
    """
    turn = np.radians(led(threads, _hues()) - _hues())
    strengths = {name: getattr(threads, name).strength / 100 - 1 for name in ranges.NAMES}
    stops = {name: getattr(threads, name).bright for name in ranges.NAMES}
    return np.stack(
        [
            (np.cos(turn) - 1).astype(np.float32),
            np.sin(turn).astype(np.float32),
            ranges.lift_table(strengths, ranges.CENTRES),
            ranges.lift_table(stops, ranges.CENTRES),
        ]
    )


_STEP: Final = 360.0 / ranges.HUE_TABLE_SIZE


def _hues() -> NDArray[np.float64]:
    return np.asarray(np.arange(ranges.HUE_TABLE_SIZE + 1) * _STEP, dtype=np.float64)


def led(threads: Threads, hue_degrees: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where hues are led, in degrees and unrolled: a rising function of them."""
    centres = np.array([ranges.CENTRES[name] for name in ranges.NAMES])
    feet = centres + threads.hues()
    rounds = np.array([-360.0, 0.0, 360.0])[:, None]
    return monotone((centres + rounds).ravel(), (feet + rounds).ravel())(hue_degrees)


@lru_cache(maxsize=32)
def brightest(threads: Threads, channel: float) -> float:
    """The highest channel that colours with channels up to ``channel`` get, tried on a cube."""
    side = np.linspace(0, channel, _CUBE)
    cube = np.stack(np.meshgrid(side, side, side), axis=-1).reshape(1, -1, 3).astype(np.float32)
    return max(channel, float(threaded(cube, analyse(cube), threads).max()))
