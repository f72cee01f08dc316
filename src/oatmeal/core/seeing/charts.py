"""Small charts that the screens draw with: what plain conversions make of pure colours, hues."""

from __future__ import annotations

from typing import Final

import numpy as np

from oatmeal.core import colour, mix
from oatmeal.core.recipe import Plain
from oatmeal.core.recipe.mix import Weighing

#: L* in the middle of zones I to IX.
ZONE_MIDDLES: Final = np.arange(10, 100, 10)

#: OKLab lightness and chroma of a middling colour.
_MIDDLING: Final = (0.68, 0.12)


def plain_chart(weighing: Weighing) -> list[int]:
    """Codes of the six pure colours, red to magenta, under a plain conversion."""
    pure = np.array(
        [[(1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1)]], np.float32
    )
    grey = mix.base_grey(pure, Plain(kind="plain", weighing=weighing))[0]
    return [int(code) for code in colour.encode_srgb(np.clip(grey, 0, 1)) * 255 + 0.5]


def hex_of_hue(hue_degrees: float) -> str:
    """A middling colour of an OKLCh hue as ``#rrggbb``.

    Examples
    --------
    >>> hex_of_hue(29)
    '#d87a6d'
    """
    angle = np.radians(hue_degrees)
    light, chroma = _MIDDLING
    lab = np.array([light, chroma * np.cos(angle), chroma * np.sin(angle)])
    shown = colour.encode_srgb(np.clip(colour.oklab_to_linear(lab), 0, 1))
    return "#" + "".join(f"{int(value * 255 + 0.5):02x}" for value in shown)


def zone_codes() -> list[int]:
    """8-bit codes in the middle of zones I to IX.

    Examples
    --------
    >>> zone_codes()[4]
    119
    """
    light = colour.luminance_of_lightness(ZONE_MIDDLES)
    return [int(code) for code in colour.encode_srgb(light) * 255 + 0.5]
