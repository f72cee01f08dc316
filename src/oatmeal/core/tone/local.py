"""The part of Tone that looks at neighbourhoods: light, local contrast, veil.

The logarithm of the grey is split into bands (:mod:`oatmeal.core.bands`). Light (highlights,
shadows, zones) and veil are gains that depend on the base alone, so that local contrast stays;
clarity, sparkle and depth are gains of the middle band, detail of the fine one.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import light_gains
from oatmeal.core.bands.kernels import HIGHEST_STOPS, LOWEST_STOPS, TABLE_SIZE
from oatmeal.core.colour import lightness
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.maps import Maps
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


def highest_gain(tone: Tone) -> float:
    """Stops by which this part can raise the brightest tone, for what must hold it."""
    gains, factors = tables(tone, 0.0)
    return max(0.0, float(gains.max())) + max(0.0, float(factors.max()))


def apply(
    grey: Plane,
    tone: Tone,
    veil: float,
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
    veil : float
        Light of the picture's veil, :attr:`Bands.veil`.
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
    folded = tables(tone, veil)
    return kernels.local(grey, tone.exposure, wide, window.place, folded, fine, tone.detail)


def moved(
    result: Plane,
    grey: Plane,
    tone: Tone,
    veil: float,
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
    grey, tone, veil, wide, fine, window
        As :func:`apply` takes them.
    maps : Maps
    gain_left : float
        Factor on light that the result leaves to the scale.
    """
    mapped = {name: 0.0 for name in maps.planes if name != "exposure"}
    numbers = tone.model_copy(update=mapped) if mapped else tone
    as_numbers = REST.model_copy(update={"tone": numbers})
    if not mapped and not any(moves(as_numbers, path) for path in LOCAL):
        return area_kernels.exposed(result, grey, maps, 1 / gain_left)
    folded = tables(numbers, veil)
    # where the exposure differs from place to place, so does the share of the veil that it bears
    if numbers.veil and "exposure" in maps.planes:
        plane = np.full(maps.box.shape, numbers.veil, np.float32)
        maps = replace(maps, planes={**maps.planes, "veil": plane})
        folded = tables(numbers.model_copy(update={"veil": 0.0}), veil)
    curves = over_the_base(tone.character)
    mapped_curves = {name: curves[name] for name in maps.planes if name in curves}
    return area_kernels.moved(
        result, grey, tone.exposure, wide, window.place, folded, mapped_curves, fine,
        numbers.detail, veil, maps, 1 / gain_left,
    )  # fmt: skip


def fine_radius(long_side: float) -> int:
    """Radius of the fine band's windows in a picture with this longer side, in pixels."""
    return max(1, round(FINE_SHARE * long_side))


def fine_band(grey: Plane, window: Window) -> Plane:
    """What is finer than the middle band, edges left out, float32 (H, W) in stops."""
    return fine_kernel.fine_band(grey, fine_radius(window.long_side), FINE_VARIANCE)


def tables(tone: Tone, veil: float) -> tuple[Plane, Plane]:
    """What the kernels read over the base, in stops around white.

    Returns
    -------
    gain, factor : float32 (TABLE_SIZE,)
        Gain in stops, and factor on the middle band.
    """
    gain, factor = np.zeros(TABLE_SIZE), np.zeros(TABLE_SIZE)
    for name, (raises, spreads) in over_the_base(tone.character).items():
        share = getattr(tone, name) / 100
        if share:
            gain, factor = gain + share * raises, factor + share * spreads
    if any(tone.zones):
        gain = gain + _zone_gain(_TONE_SHARE, tone.zones)
    if tone.veil:
        gain = gain + _veil_gain(_LIGHT, tone.veil / 100, veil * 2.0**tone.exposure)
    return gain.astype(np.float32), factor.astype(np.float32)


_LIGHT: Final = np.exp2(np.linspace(LOWEST_STOPS, HIGHEST_STOPS, TABLE_SIZE))
_TONE_SHARE: Final = lightness(np.minimum(_LIGHT, 1.0)) / 100


@cache
def over_the_base(character: str) -> dict[str, tuple[Curve, Curve]]:
    """What each number does at 100: gain in stops and factor on the middle band.

    All of these are proportional to the number, everywhere or inside an area.

    Returns
    -------
    dict of two float64 (TABLE_SIZE,)
    """
    share, none = _TONE_SHARE, np.zeros(TABLE_SIZE)
    return {
        "highlights": (light_gains(100, 0), none),
        "shadows": (light_gains(0, 100), none),
        "clarity": (none, CLARITY_AT_100 * _character(share, character)),
        "sparkle": (none, 1 - smoothstep(share, 0.25, 0.6)),
        "depth": (none, smoothstep(share, 0.45, 0.8)),
    }


def _zone_gain(tone_share: NDArray[np.float64], zones: tuple[float, ...]) -> NDArray[np.float64]:
    return np.asarray(zone_weights(tone_share) @ np.asarray(zones))


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


def _veil_gain(light: NDArray[np.float64], strength: float, veil: float) -> NDArray[np.float64]:
    if strength < 0:
        added = -strength * ADDED_VEIL
        return np.asarray(np.log2((light * (1 - added) + added) / light))
    removed = min(strength * veil, MOST_REMOVED)
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
