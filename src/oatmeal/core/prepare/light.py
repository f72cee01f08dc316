"""The light of the colour picture, before it becomes grey."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.bands import (
    SMALL_SIDE,
    Ends,
    Moves,
    kernels,
    move_light,
    small_light,
    spread,
)
from oatmeal.core.bands.light import FINE_ALONG
from oatmeal.core.colour import LUMINANCE_WEIGHTS, decode_srgb, encode_srgb
from oatmeal.core.colour import kernels as colour
from oatmeal.core.picture import Window, reduced
from oatmeal.core.prepare import white
from oatmeal.core.recipe import Light
from oatmeal.core.recipe.curves import STRAIGHT, Point, evaluate

Colour = NDArray[np.float32]

#: The bands that highlights and shadows follow.
CHARACTER: Final = "soft"


def lit(rgb_linear: Colour, light: Light) -> Colour:
    """Linear colour ``(H, W, 3)`` with its light taken out, its exposure and colour strength.

    The same array where all are at rest.
    """
    if light.warmth == 0.0 and light.tint == 0.0 and light.colour == 100.0:
        if light.exposure == 0.0:
            return rgb_linear
        return rgb_linear * np.float32(2.0**light.exposure)
    return kernels.through_matrix(rgb_linear, _matrix(light) * 2.0**light.exposure)


def _matrix(light: Light) -> NDArray[np.float64]:
    """The light taken out, then colour led away from the grey of its luminance, or toward it."""
    strength = light.colour / 100
    led = strength * np.eye(3) + (1 - strength) * np.asarray(LUMINANCE_WEIGHTS)
    return np.asarray(led @ white.adaptation(light.warmth, light.tint))


def rendered(rgb_linear: Colour, curve: Sequence[Point]) -> Colour:
    """Linear colour ``(H, W, 3)`` with a curve over its encoded luminance, as a gain: hue is kept.

    Light beyond white goes on as white does.
    """
    own = np.zeros((4, 1, rgb_linear.shape[1]), dtype=np.float32)
    own[0] = 1.0  # the base that the gain is read over is the pixel's own light
    height, width = rgb_linear.shape[:2]
    gains = camera_gains(curve).astype(np.float32)
    whole = (0.0, 0.0, float(width), float(height))
    return kernels.relit(rgb_linear, own, whole, (gains, np.zeros_like(gains)))


def camera_gains(curve: Sequence[Point]) -> NDArray[np.float64]:
    """Gains in stops of a curve over luminance, at the places of the bands' tables."""
    stops = np.linspace(kernels.LOWEST_STOPS, kernels.HIGHEST_STOPS, kernels.TABLE_SIZE)
    light = np.maximum(np.exp2(stops) - float(kernels.FLOOR), 1e-6)
    inside = np.minimum(light, 1.0)
    meant = decode_srgb(evaluate(curve, encode_srgb(inside)))
    return np.asarray(np.log2(np.maximum(meant, 1e-6) / inside)).clip(-8, 8)


def small_of(rgb_linear: Colour) -> NDArray[np.float32]:
    """The light of a colour picture's luminance as its bands are found from.

    Light is averaged to their size first: that costs a fraction of the logarithm of every pixel.
    """
    return small_light(colour.luminance(np.ascontiguousarray(reduced(rgb_linear, SMALL_SIDE))))


def relit(
    rgb_linear: Colour, light: Light, bands: NDArray[np.float32], ends: Ends, window: Window
) -> Colour:
    """Linear colour with its highlights and shadows, as a gain by the base: hue is kept.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        Of the window.
    bands, ends
        Of the whole, from :func:`oatmeal.core.bands.find_bands` and ``find_ends``.
    """
    wide = spread(bands, window, rgb_linear.shape)
    gain, more = (table.astype(np.float32) for table in _moved(light, ends))
    return kernels.relit(rgb_linear, wide, window.place, (gain, more), FINE_ALONG)


def _moved(light: Light, ends: Ends) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return move_light(Moves(light.highlights, light.shadows), ends)


def brightest(light: Light, ends: Ends | None = None) -> float:
    """The highest linear channel that a picture whose white is 1 can get here, at least 1.

    ``ends`` are the picture's, where highlights or shadows are set.
    """
    channel = float(np.maximum(_matrix(light), 0).sum(axis=1).max())
    stops = light.exposure
    if ends is not None:
        stops += sum(max(0.0, float(table.max())) for table in _moved(light, ends))
    stops += max(0.0, float(camera_gains(light.camera).max())) if light.camera != STRAIGHT else 0.0
    return float(max(1.0, channel * 2.0**stops))
