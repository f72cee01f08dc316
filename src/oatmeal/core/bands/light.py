"""Highlights, shadows and depth as curves over the base, anchored at a picture's black and white.

All work on L* that goes on beyond white. Each is monotone and proportional to its number in stops;
highlights and shadows do not overlap, and depth is read at what they leave: together they keep
tones in order. Where highlights or depth press lights together, what stands out from the base is
spread by as much as the way from there to white has become longer, so that it still reaches
white; grain by less.

References
----------
CIE 015:2018 Colorimetry, section 8.2.1 (L*).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from oatmeal.core.bands import kernels
from oatmeal.core.bands.split import Ends
from oatmeal.core.colour import lightness
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.colour.spaces import luminance_of_lightness

Curve = NDArray[np.float64]

#: L* above which highlights and depth work, and below which shadows do.
HIGHLIGHTS_FROM: Final = 58.0
DEPTH_FROM: Final = 55.0
SHADOWS_TO: Final = 55.0

#: L* between which a picture's white and its black are held: what lies beyond counts as these.
WHITES: Final = (90.0, 170.0)
BLACKS: Final = (0.5, 10.0)

#: Slope of L* at white: of depth at 100, and of highlights at -100 at the most.
WHITE_SLOPE: Final = 2.0

#: Slope of what is lighter than white at highlights of -100.
BEYOND_SLOPE: Final = 0.5

#: Stops that shadows of 100 raise what is dark by at the most, and those of -100 lower it by.
OPENED_STOPS: Final = 2.0
DEEPENED_STOPS: Final = 1.5

#: L* that black stays below, and over which beyond it the full gain is reached.
BLACK_STAYS: Final = 10.0
BLACK_FADE: Final = 14.0

#: Least and most that what stands out from the base is changed by.
CURBED: Final = (0.35, 1.5)

#: Share of what is finer than the middle band that is changed along: grain is not to grow as
#: textures do.
FINE_ALONG: Final = 0.4

#: Stops to white that the way to it is taken as at the least.
LEAST_WAY: Final = 0.15

#: Whites and blacks for which curves are kept, for where they differ from place to place.
ROWS: Final = 49

#: The tables' places.
STOPS: Final = np.linspace(kernels.LOWEST_STOPS, kernels.HIGHEST_STOPS, kernels.TABLE_SIZE)


def stops_of(lightness_star: float) -> float:
    """Stops around white of an L*."""
    return float(np.log2(luminance_of_lightness(lightness_star)))


#: The ends of :data:`WHITES` and :data:`BLACKS` in stops.
WHITE_STOPS: Final = (stops_of(WHITES[0]), stops_of(WHITES[1]))
BLACK_STOPS: Final = (stops_of(BLACKS[0]), stops_of(BLACKS[1]))


def _moved(stops: ArrayLike, target: ArrayLike) -> Curve:
    """Stops from tones in stops to where they shall lie in L*."""
    return np.asarray(np.log2(luminance_of_lightness(target)) - stops)


def _cubic(x: Curve, end: float, first: float, last: float) -> Curve:
    """0 to ``end`` over 0 to 1 with these slopes there."""
    cubed = first + last - 2 * end
    squared = 3 * end - 2 * first - last
    return np.asarray(x * (first + x * (squared + x * cubed)))


def white_pressed(white: float) -> float:
    """L* that a picture's white is brought to by highlights of -100."""
    return 90 + 0.2 * (white - 90) if white <= 100 else 92 + min(4.0, 0.08 * (white - 100))


def pressed(stops: ArrayLike, white: float) -> Curve:
    """Gain of highlights at -100 in stops; ``white`` in stops, within :data:`WHITE_STOPS`."""
    top = float(lightness(2.0**white))
    star, room = lightness(np.exp2(stops)), top - HIGHLIGHTS_FROM
    x = np.clip((star - HIGHLIGHTS_FROM) / room, 0, 1)
    end = (white_pressed(top) - HIGHLIGHTS_FROM) / room
    steep = 2.7 - 1.4 * float(smoothstep(top, 100, 130))
    inside = _cubic(x, end, min(1.0, 2.4 * end), min(WHITE_SLOPE, steep * end))
    beyond = BEYOND_SLOPE * np.maximum(star - top, 0)
    target = np.where(star > HIGHLIGHTS_FROM, HIGHLIGHTS_FROM + inside * room + beyond, star)
    return _moved(stops, target)


def raised(stops: ArrayLike, white: float) -> Curve:
    """Gain of highlights at 100 in stops: white stays."""
    top = float(lightness(2.0**white))
    star, room = lightness(np.exp2(stops)), top - HIGHLIGHTS_FROM
    x = (star - HIGHLIGHTS_FROM) / room
    inside = HIGHLIGHTS_FROM + room * x * (1.6 - x * (0.45 + 0.15 * x))
    return _moved(stops, np.where((x > 0) & (x < 1), inside, star))


def opened(stops: ArrayLike, black: float) -> Curve:
    """Gain of shadows at 100 in stops; ``black`` in stops: it stays below L* 10."""
    star = lightness(np.exp2(stops))
    kept = min(1.0, (stops_of(BLACK_STAYS) - black) / OPENED_STOPS)
    bottom = float(lightness(2.0**black))
    rising = kept + (1 - kept) * smoothstep(star, bottom, bottom + BLACK_FADE)
    return np.asarray(OPENED_STOPS * rising * _fading(star))


def deepened(stops: ArrayLike) -> Curve:
    """Gain of shadows at -100 in stops."""
    return np.asarray(-DEEPENED_STOPS * _fading(lightness(np.exp2(stops))))


def _fading(star: Curve) -> Curve:
    return np.asarray(1 - smoothstep(star, 0, SHADOWS_TO))


def deep(stops: ArrayLike, white: float) -> Curve:
    """Gain of depth at 100 in stops: lights below white go down, white stays."""
    top = float(lightness(2.0**white))
    star, room = lightness(np.exp2(stops)), top - DEPTH_FROM
    x = (star - DEPTH_FROM) / room
    inside = DEPTH_FROM + room * _cubic(np.clip(x, 0, 1), 1.0, 1.0, WHITE_SLOPE)
    return _moved(stops, np.where((x > 0) & (x < 1), inside, star))


@dataclass(frozen=True)
class Moves:
    """What is to be done to light: highlights, shadows -100 to 100; depth 0 to 100; exposure."""

    highlights: float = 0.0
    shadows: float = 0.0
    depth: float = 0.0
    exposure: float = 0.0


@lru_cache(4)
def move_light(moves: Moves, ends: Ends) -> tuple[Curve, Curve]:
    """Tables over the base, which has the exposure already.

    Returns
    -------
    gain, spread : float64 (TABLE_SIZE,)
        Gain in stops, and how much of what stands out from the base is added to it.
    """
    white = float(np.clip(ends.white + moves.exposure, *WHITE_STOPS))
    gain, ways = np.zeros_like(STOPS), np.ones_like(STOPS)
    if moves.highlights:
        share, curve = abs(moves.highlights) / 100, pressed if moves.highlights < 0 else raised
        gain = share * curve(STOPS, white)
        at_white = share * float(curve(white, white))
        ways = 1 + (at_white - gain) / np.maximum(white - STOPS, LEAST_WAY)
        white += at_white
    if moves.shadows > 0:
        black = float(np.clip(ends.black + moves.exposure, *BLACK_STOPS))
        gain = gain + moves.shadows / 100 * opened(STOPS, black)
    elif moves.shadows:
        gain = gain - moves.shadows / 100 * deepened(STOPS)
    if moves.depth:
        left = STOPS + gain
        more = moves.depth / 100 * deep(left, white)
        ways = ways * (1 - more / np.maximum(white - left, LEAST_WAY))
        gain = gain + more
    least = 1.0 if moves.highlights <= 0 else CURBED[0]
    return gain, np.clip(ways, least, CURBED[1]) - 1


@cache
def light_rows() -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """The curves for many whites and blacks, for where they differ from place to place.

    Returns
    -------
    highlights : float32 (2, ROWS, TABLE_SIZE)
        Gains at -100 and at 100, whites from :data:`WHITE_STOPS`' first to its last; over stops
        from white, where each has its bend.
    shadows : float32 (2, ROWS, TABLE_SIZE)
        The same, blacks from :data:`BLACK_STOPS`' first to its last; over stops.
    depth : float32 (ROWS, TABLE_SIZE)
        At 100, by whites, over stops from white.
    """
    whites, blacks = np.linspace(*WHITE_STOPS, ROWS), np.linspace(*BLACK_STOPS, ROWS)
    highlights = [[curve(STOPS + white, white) for white in whites] for curve in (pressed, raised)]
    shadows = [[deepened(STOPS)] * ROWS, [opened(STOPS, black) for black in blacks]]
    return (
        np.asarray(highlights, np.float32),
        np.asarray(shadows, np.float32),
        np.asarray([deep(STOPS + white, white) for white in whites], np.float32),
    )
