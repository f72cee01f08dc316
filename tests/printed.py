"""What tests of Finish share: recipes, flat pictures, lightness, edges."""

import numpy as np

from oatmeal.core.colour import (
    decode_srgb,
    lightness,
)
from oatmeal.core.recipe import from_document

HIGH = 240


WIDE = 360


def finish(**parts):
    return from_document({"finish": parts})


def flat(encoded, shape=(HIGH, WIDE)):
    return np.full((*shape, 3), decode_srgb(np.array(encoded)), np.float32)


def star(encoded):
    return lightness(decode_srgb(np.asarray(encoded, dtype=float)))


RED = (0.45, 0.05, 0.04)


BLUE = (0.04, 0.10, 0.40)


def patches():
    """Red, blue and grey side by side, linear colour ``(120, 360, 3)``."""
    rgb = np.full((120, 360, 3), 0.2, np.float32)
    rgb[:, :120], rgb[:, 120:240] = RED, BLUE
    return rgb
