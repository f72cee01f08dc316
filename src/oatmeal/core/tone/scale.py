"""The scale from black to white: levels, contrast, curve and output limits as one table.

The table is read with interpolation, so that a drag costs one pass and 16-bit output shows no
bands. What comes out are encoded values in floating point; quantising is the last thing that
happens to a picture (:mod:`oatmeal.core.finish`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import (
    decode_srgb,
    encode_srgb,
    lightness,
    luminance_of_lightness,
)
from oatmeal.core.maps import Maps
from oatmeal.core.recipe import Levels, Tone
from oatmeal.core.recipe.curves import STRAIGHT
from oatmeal.core.tone import area_kernels, kernels
from oatmeal.core.tone import curve as curves
from oatmeal.core.tone.area_kernels import HELD_PART

#: Entries of the compiled table. Over the square root of light, where the sRGB curve is nearly
#: straight, the interpolation error of an untouched scale is below 1e-7.
TABLE_SIZE = 8193

_ROOTS = np.linspace(0.0, 1.0, TABLE_SIZE)
_ENCODED = encode_srgb(_ROOTS**2)


@dataclass(frozen=True)
class Scale:
    """The Tone step compiled for the kernels.

    Attributes
    ----------
    table : float32 (TABLE_SIZE,)
        Encoded result at evenly spaced square roots of light, 0 to ``top_root``.
    top_root : float
        Square root of the light at the table's end; more light gives the last entry.
    peak : float
        The highest linear grey that is expected.
    """

    table: NDArray[np.float32]
    top_root: float
    peak: float = 1.0

    @property
    def end_codes(self) -> tuple[int, int]:
        """The lowest and highest 8-bit codes that can come out: where clipping piles up."""
        low, high = float(self.table.min()), float(self.table.max())
        return int(low * 255 + 0.5), int(high * 255 + 0.5)


def compile_scale(tone: Tone, peak: float = 1.0) -> Scale:
    """Compile levels, contrast, curve and output limits.

    Parameters
    ----------
    tone : Tone
        The settings; those of stages that work on light or on neighbourhoods are not part of the
        table.
    peak : float
        The highest linear grey that the table is given; "hold ends" makes room for it.
    """
    held = max(1.0, peak) if tone.hold_ends else 1.0
    top_root = float(np.sqrt(held))
    encoded = _ENCODED if held == 1.0 else encode_srgb((_ROOTS * top_root) ** 2)
    table = transfer(encoded, tone, float(encode_srgb(held)))
    return Scale(table.astype(np.float32), top_root, peak)


#: The scale of a tone step at rest.
AT_REST = Scale(_ENCODED.astype(np.float32), 1.0)


def transfer(
    encoded: NDArray[np.floating], tone: Tone, encoded_peak: float = 1.0
) -> NDArray[np.float64]:
    """Levels, contrast, curve and output limits on encoded values; the table's formula."""
    value = apply_levels(encoded, tone.levels, tone.hold_ends, encoded_peak)
    if tone.contrast:
        value = apply_contrast(value, tone.contrast)
    return after_contrast(value, tone)


def after_contrast(value: NDArray[np.floating], tone: Tone) -> NDArray[np.float64]:
    """Curve and output limits on encoded values."""
    if tone.curve != STRAIGHT:
        value = curves.evaluate(tone.curve, value)
    low, high = tone.levels.out_black / 255, tone.levels.out_white / 255
    return np.asarray(low + value * (high - low))


def apply_levels(
    encoded: NDArray[np.floating],
    levels: Levels,
    hold_ends: bool = False,
    encoded_peak: float = 1.0,
) -> NDArray[np.float64]:
    """Spread the scale: ``clip((x - black) / (white - black)) ** (1 / middle)``.

    Parameters
    ----------
    encoded : ndarray
        Encoded values; 255 times these are the codes that ``levels`` speaks of.
    hold_ends : bool
        Bend smoothly over the last 5 % of the scale instead of clipping.
    encoded_peak : float
        Highest value that ``encoded`` can take, for the bend.
    """
    low, span = levels.black / 255, (levels.white - levels.black) / 255
    value = (np.asarray(encoded, dtype=np.float64) - low) / span
    if hold_ends:
        value = _hold(value, excess=(encoded_peak - low) / span)
        value = 1 - _hold(1 - value, excess=1 + low / span)
    value = np.clip(value, 0.0, 1.0)
    return value if levels.middle == 1.0 else value ** (1 / levels.middle)


def _hold(value: NDArray[np.float64], excess: float) -> NDArray[np.float64]:
    """Press what lies between the shoulder and ``excess`` into the end of the scale.

    A projective map with slope 1 at the shoulder: smooth, monotone, exactly nothing when nothing
    reaches beyond 1.
    """
    if excess <= 1.0:
        return value
    shoulder = 1 - HELD_PART
    steepness = (excess - shoulder) / HELD_PART
    part = np.maximum(value - shoulder, 0.0) / (excess - shoulder)
    bent = shoulder + HELD_PART * steepness * part / (1 + (steepness - 1) * part)
    return np.where(value > shoulder, bent, value)


def apply_contrast(encoded: NDArray[np.floating], contrast: float) -> NDArray[np.float64]:
    """Steepen (or flatten) around L* 50 with fixed ends.

    On ``x = L* / 100``: ``x**s / (x**s + (1 - x)**s)`` with ``s = 2 ** (contrast / 50)``, the
    slope at L* 50.
    """
    slope = 2.0 ** (contrast / 50)
    x = np.clip(lightness(decode_srgb(encoded)) / 100, 0.0, 1.0)
    up, down = x**slope, (1 - x) ** slope
    return encode_srgb(luminance_of_lightness(100 * up / (up + down)))


def encoded(
    grey: NDArray[np.float32],
    scale: Scale,
    gain: float = 1.0,
    tone: Tone | None = None,
    maps: Maps | None = None,
    light: Maps | None = None,
) -> NDArray[np.float32]:
    """The scale applied: linear float32 ``(H, W)`` to encoded float32 ``(H, W)``, 0 to 1.

    Parameters
    ----------
    grey : float32 (H, W)
    scale : Scale
    gain : float
        Factor on the light first.
    tone : Tone, optional
        Needed with maps: the settings that the scale was compiled from.
    maps : Maps, optional
        Planes that stand in the place of ``black``, ``white`` and ``contrast`` where areas are.
    light : Maps, optional
        Where areas have an exposure of their own; held ends make room for it.
    """
    out = kernels.through_scale(grey, gain, scale.table, scale.top_root)
    if tone is None:
        return out
    raised = light if light and tone.hold_ends and "exposure" in light.planes else None
    for one in (raised, maps):
        if one is not None:
            peak: Any = float(encode_srgb(scale.top_root**2))
            if raised is not None:  # what is brighter has more room above it
                stops = raised.over(one.box, "exposure", tone.exposure) - np.float32(tone.exposure)
                peak = encode_srgb(np.maximum(scale.peak * np.exp2(stops), 1.0)).astype(np.float32)
            _map_scale(grey, gain, tone, one, peak, out)
    return out


def _map_scale(
    grey: NDArray[np.float32],
    gain: float,
    tone: Tone,
    maps: Maps,
    peak: float | NDArray[np.float32],
    out: NDArray[np.float32],
) -> None:
    levels = tone.levels
    numbers = {"black": levels.black, "white": levels.white, "contrast": tone.contrast}
    black, white, contrast = (maps.planes.get(name, value) for name, value in numbers.items())
    rest = after_contrast(np.linspace(0.0, 1.0, TABLE_SIZE), tone).astype(np.float32)
    area_kernels.through_mapped_scale(
        grey, gain, (black, white, contrast, peak), 1 / levels.middle, tone.hold_ends, rest, maps,
        out,
    )  # fmt: skip
