"""Toning: greys get a colour of the same luminance.

OKLab (Ottosson 2020) scales with light, so that hue and chroma over lightness are kept while the
colour is brought to the luminance of the grey; what leaves sRGB is drawn toward the grey.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import (
    LUMINANCE_WEIGHTS,
    decode_srgb,
    encode_srgb,
    lightness,
    oklab_to_linear,
)
from oatmeal.core.colour.ranges import smoothstep
from oatmeal.core.finish import kernels
from oatmeal.core.recipe.finish import Tint, Toning

#: Chroma over lightness at strength 100.
_AT_100: Final = 0.25

#: Lights and darks are mixed over so many L* to either side of where they meet.
_MIXED: Final = 35.0

#: Colours are drawn toward the grey from this share of the way to the end of sRGB on.
_KNEE: Final = float(kernels.KNEE)

_SIZE: Final = 4097


def toned(luminance: NDArray[np.float64], tint: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear colours ``(n, 3)`` of luminances ``(n,)`` and OKLab ``(a / L, b / L)``, ``(n, 2)``."""
    grey = np.asarray(luminance, dtype=np.float64)
    lab = np.concatenate([np.ones((len(grey), 1)), tint], axis=1)
    linear = oklab_to_linear(lab)
    linear = linear * (grey / (linear @ np.array(LUMINANCE_WEIGHTS)))[:, None]
    level = grey[:, None]
    above = (linear - level) / np.maximum(1 - level, 1e-6)
    below = (level - linear) / np.maximum(level, 1e-6)
    far = np.maximum(above, below).max(axis=1)
    bent = _KNEE + (1 - _KNEE) * (1 - np.exp(-(far - _KNEE) / (1 - _KNEE)))
    kept = np.where(far > _KNEE, bent / np.maximum(far, 1e-9), 1.0)
    return np.asarray(level + kept[:, None] * (linear - level))


@lru_cache(maxsize=16)
def table(toning: Toning, size: int = _SIZE) -> NDArray[np.float32]:
    """Encoded colours ``(size, 3)`` of encoded greys from 0 to 1."""
    grey = decode_srgb(np.linspace(0, 1, size))
    return encode_srgb(np.clip(toned(grey, tints(toning, size)), 0, 1)).astype(np.float32)


def tints(toning: Toning, size: int = _SIZE) -> NDArray[np.float64]:
    """OKLab ``(a / L, b / L)`` of the tint, ``(size, 2)``, over encoded greys from 0 to 1."""
    star = lightness(decode_srgb(np.linspace(0, 1, size)))
    meet = 50 - _MIXED * toning.balance / 100
    share = smoothstep(star, meet - _MIXED, meet + _MIXED)[:, None]
    tint = (1 - share) * _vector(toning.darks) + share * _vector(toning.lights)
    return np.asarray(tint * (1 - (star / 100) ** 6)[:, None])  # white stays the paper's white


@lru_cache(maxsize=16)
def shades(toning: Toning) -> NDArray[np.float32]:
    """The same in single precision; two entries where nothing is toned."""
    return tints(toning, 2 if toning.rests else _SIZE).astype(np.float32)


def _vector(tint: Tint) -> NDArray[np.float64]:
    turn = np.radians(tint.hue)
    return _AT_100 * tint.strength / 100 * np.array([np.cos(turn), np.sin(turn)])


def palette(toning: Toning) -> NDArray[np.uint8]:
    """The colours that the 256 codes of a grey frame are shown in, ``(256, 3)``."""
    return np.asarray(table(toning, 256) * 255 + 0.5, dtype=np.uint8)
