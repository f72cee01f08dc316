"""Small made-up pictures and helpers that several tests share."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb

DEMO = Path(__file__).parents[1] / "demo"


def colours(count: int = 500, seed: int = 3) -> NDArray[np.float32]:
    """Linear colours ``(1, count, 3)``: the corners of the cube, neutrals, and random ones."""
    generator = np.random.default_rng(seed)
    corners = np.array(np.meshgrid([0, 1], [0, 1], [0, 1])).reshape(3, -1).T
    greys = np.repeat(np.linspace(0, 1, 11)[:, None], 3, axis=1)
    free = generator.random((count - len(corners) - len(greys), 3))
    return np.concatenate([corners, greys, free])[None].astype(np.float32)


def codes(height: int = 40, width: int = 60, bits: int = 8, seed: int = 5) -> NDArray[Any]:
    """A smooth colourful picture with some noise, uint8 or uint16 ``(height, width, 3)``."""
    generator = np.random.default_rng(seed)
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j]
    waves = [np.sin(5 * x + 2 * y), np.cos(4 * y - x), np.sin(6 * (x - y) + 1)]
    value = 0.5 + 0.4 * np.stack(waves, axis=-1) + generator.normal(0, 0.02, (height, width, 3))
    top = 2**bits - 1
    return np.asarray(
        np.clip(value * top, 0, top).round().astype(np.uint8 if bits == 8 else np.uint16)
    )


def write_png(path: Path, pixels: NDArray[Any]) -> Path:
    """Write codes as PNG with a general-purpose library."""
    path.write_bytes(imagecodecs.png_encode(np.ascontiguousarray(np.squeeze(pixels))))
    return path


def read_png(path: Path) -> NDArray[Any]:
    """Read the codes of a PNG with a general-purpose library."""
    return np.asarray(imagecodecs.png_decode(path.read_bytes()))


def patches(*rgb_codes, size=30):
    """Vertical stripes of flat colours, linear."""
    stripes = np.repeat(np.array(rgb_codes, float)[None, :, None] / 255, size, axis=2)
    flat = np.repeat(stripes.reshape(1, -1, 3), 60, axis=0)
    return decode_srgb(flat).astype(np.float32)


RED, GREEN, BLUE, GREY = (178, 52, 44), (38, 108, 40), (60, 110, 200), (128, 128, 128)
