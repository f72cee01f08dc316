"""The part of Tone that looks at neighbourhoods: light, local contrast, veil.

The logarithm of the grey is split into bands (:mod:`oatmeal.core.bands`). Light (highlights,
shadows, depth, zones) and veil are gains that depend on the base alone, so that local contrast
stays; each is read at what those before it leave. Clarity and sparkle are gains of the middle band,
detail of the fine one.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import Ends, Moves, move_light
from oatmeal.core.bands.kernels import TABLE_SIZE
from oatmeal.core.bands.light import STOPS
from oatmeal.core.colour import lightness
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.maps import Maps, in_character
from oatmeal.core.picture import Window
from oatmeal.core.recipe import DECLARED, REST, Tone
from oatmeal.core.recipe.tone import OF_LIGHT
from oatmeal.core.stages import moves
from oatmeal.core.tone import area_kernels, fine_kernel, kernels
from oatmeal.core.tone.area_kernels import ADDED_VEIL, LEAST_LEFT, MOST_REMOVED
from oatmeal.core.tone.kernels import CLARITY_AT_100

Plane = NDArray[np.float32]
Curve = NDArray[np.float64]

#: Fine band: radius as a share of the longer side, and variance of an edge.
FINE_SHARE: Final = 2 / 1600
FINE_VARIANCE: Final = 0.05


#: What works on light and on neighbourhoods.
LOCAL: Final = DECLARED.of_step("tone", *OF_LIGHT)


def highest_gain(tone: Tone, ends: Ends) -> float:
    """Stops by which this part can raise the brightest tone, for what must hold it."""
    return sum(max(0.0, float(table.max())) for table in tables(tone, ends))


def apply(
    grey: Plane,
    tone: Tone,
    ends: Ends,
    wide: NDArray[np.float32],
    fine: Plane | None,
    window: Window,
) -> Plane:
    """The grey with its exposure and everything local.

    Parameters
    ----------
    grey : float32 (H, W)
        Linear mixed grey of the window.
    tone : Tone
    ends : Ends
        Of the uncropped picture.
    wide : float32 (4, h, W)
        What :func:`oatmeal.core.bands.spread` gives.
    fine : float32 (H, W), optional
        What :func:`fine_band` gives; only needed for detail.
    window : Window
        Where the grey lies in the whole.

    Returns
    -------
    float32 (H, W)
        Linear, not negative; the exposure is in it.
    """
    folded = tables(tone, ends)
    return kernels.local(grey, tone.exposure, wide, window.place, folded, fine, tone.detail)


def moved(
    result: Plane,
    grey: Plane,
    tone: Tone,
    ends: Ends,
    wide: NDArray[np.float32],
    fine: Plane | None,
    window: Window,
    maps: Maps,
    gain_left: float,
) -> Plane:
    """What is there without areas, with what they do to light and neighbourhoods inside them.

    Parameters
    ----------
    result : float32 (H, W)
        What :func:`apply` gives, or the grey itself where everything local rests.
    grey, tone, ends, wide, fine, window
        As :func:`apply` takes them.
    maps : Maps
    gain_left : float
        Factor on light that the result leaves to the scale.
    """
    as_numbers = REST.model_copy(update={"tone": tone})
    if maps.planes.keys() == {"exposure"} and not any(moves(as_numbers, path) for path in LOCAL):
        return area_kernels.exposed(result, grey, maps, 1 / gain_left)
    numbers = {name: getattr(tone, name) for name in area_kernels.NUMBERS}
    factors = [
        (factor, maps.planes[name] / 100 if name in maps.planes else getattr(tone, name) / 100)
        for name, factor in over_the_base(tone.character).items()
        if name in maps.planes or getattr(tone, name)
    ]
    factors += [
        (over_the_base(own)["clarity"], maps.planes[name] / 100)
        for own in DECLARED["tone.character"].choices
        if (name := in_character(own)) in maps.planes
    ]
    return area_kernels.moved(
        result, grey, numbers, wide, window.place, _zone_gain(tone.zones), factors, fine, ends,
        maps, 1 / gain_left,
    )  # fmt: skip


def fine_radius(long_side: float) -> int:
    """Radius of the fine band's windows in a picture with this longer side, in pixels."""
    return max(1, round(FINE_SHARE * long_side))


def fine_band(grey: Plane, window: Window) -> Plane:
    """What is finer than the middle band, edges left out, float32 (H, W) in stops."""
    return fine_kernel.fine_band(grey, fine_radius(window.long_side), FINE_VARIANCE)


def tables(tone: Tone, ends: Ends) -> tuple[Plane, Plane, Plane]:
    """What the kernels read over the base, in stops around white.

    Returns
    -------
    gain, more, factor : float32 (TABLE_SIZE,)
        Gain in stops, how much of what stands out from the base is added, and factor on the middle
        band.
    """
    gain, more = before_zones(tone, ends)
    if any(tone.zones):
        gain = gain + np.interp(STOPS + gain, STOPS, _zone_gain(tone.zones))
    if tone.veil:
        gain = gain + _veil_gain(np.exp2(STOPS + gain), tone, ends)
    factor = np.zeros(TABLE_SIZE)
    for name, spreads in over_the_base(tone.character).items():
        factor = factor + getattr(tone, name) / 100 * spreads
    return gain.astype(np.float32), more.astype(np.float32), factor.astype(np.float32)


def before_zones(tone: Tone, ends: Ends) -> tuple[Curve, Curve]:
    """What highlights, shadows and depth do; zones are read at what they leave."""
    return move_light(Moves(tone.highlights, tone.shadows, tone.depth, tone.exposure), ends)


_TONE_SHARE: Final = lightness(np.minimum(np.exp2(STOPS), 1.0)) / 100

#: Slope, in stops a stop, that tones which zones move keep at the least.
LEAST_SLOPE: Final = 0.2


@cache
def over_the_base(character: str) -> dict[str, Curve]:
    """The factor on the middle band, ``(TABLE_SIZE,)``, that each number is at 100.

    All of these are proportional to the number, everywhere or inside an area.
    """
    return {
        "clarity": CLARITY_AT_100 * _character(_TONE_SHARE, character),
        "sparkle": 1 - smoothstep(_TONE_SHARE, 0.25, 0.6),
    }


@lru_cache(4)
def _zone_gain(zones: tuple[float, ...]) -> Curve:
    """Gain in stops over the base; tones stay in their order."""
    moved = STOPS + zone_weights(_TONE_SHARE) @ np.asarray(zones)
    over = moved - LEAST_SLOPE * STOPS
    up, down = np.maximum.accumulate(over), np.minimum.accumulate(over[::-1])[::-1]
    return np.asarray(0.5 * (up + down) + (LEAST_SLOPE - 1) * STOPS)


def zone_weights(tone_share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Share of each zone's gain at tones (L* / 100), ``(n, 9)``.

    Raised cosines between the middles of zones I to IX; level beyond them.
    """
    place = np.clip(np.asarray(tone_share) * 10 - 1, 0, 8)
    index = np.minimum(place.astype(int), 7)
    falling = 0.5 * (1 + np.cos(np.pi * (place - index)))
    found = np.zeros((len(place), 9))
    rows = np.arange(len(place))
    found[rows, index] = falling
    found[rows, index + 1] += 1 - falling
    return found


def _veil_gain(light: Curve, tone: Tone, ends: Ends) -> Curve:
    strength = tone.veil / 100
    if strength < 0:
        added = -strength * ADDED_VEIL
        return np.asarray(np.log2((light * (1 - added) + added) / light))
    removed = min(strength * ends.veil * 2.0**tone.exposure, MOST_REMOVED)
    # what is darker than the veil fades out instead of falling without end
    left = np.maximum(light - removed, LEAST_LEFT * light) / (1 - removed)
    return np.asarray(np.log2(left / light))


def _character(tone_share: NDArray[np.float64], character: str) -> NDArray[np.float64]:
    if character == "crisp":
        return np.ones_like(tone_share)
    if character == "deep":
        return np.asarray(1.25 - 0.75 * smoothstep(tone_share, 0.2, 0.8))
    inside = smoothstep(tone_share, 0.02, 0.2) * (1 - smoothstep(tone_share, 0.85, 1.0))
    return np.asarray(inside)
