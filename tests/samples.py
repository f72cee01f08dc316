"""Small made-up pictures and helpers that several tests share."""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import suppress
from functools import cache, lru_cache
from hashlib import sha256
from importlib.metadata import distribution
from pathlib import Path
from typing import Any

import cv2
import imagecodecs
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

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
    return _codes(height, width, bits, seed).copy()


@lru_cache(64)  # many tests begin with the same
def _codes(height: int, width: int, bits: int, seed: int) -> NDArray[Any]:
    generator = np.random.default_rng(seed)
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j]
    waves = [np.sin(5 * x + 2 * y), np.cos(4 * y - x), np.sin(6 * (x - y) + 1)]
    value = 0.5 + 0.4 * np.stack(waves, axis=-1) + generator.normal(0, 0.02, (height, width, 3))
    top = 2**bits - 1
    return np.asarray(
        np.clip(value * top, 0, top).round().astype(np.uint8 if bits == 8 else np.uint16)
    )


@cache
def colour_science() -> Any:
    """The library that colours are compared with: it is loaded where a test asks for it."""
    import colour

    return colour


def kept(make: Callable[[], dict[str, NDArray[Any]]], *sources: Path) -> dict[str, NDArray[Any]]:
    """What takes long to make and follows from sources alone, made once where there is a cache.

    The folder is ``OATMEAL_TESTS_KEPT``, which ``bin/test`` sets.
    """
    folder = os.environ.get("OATMEAL_TESTS_KEPT")
    if not folder:
        return make()
    told = b"".join(path.read_bytes() for path in sources)
    told += f"{np.__version__} {cv2.__version__}".encode()
    path = Path(folder) / f"{make.__name__}-{sha256(told).hexdigest()[:16]}.npz"
    if not path.exists():
        own = path.with_name(f"{os.getpid()}-{path.name}")
        np.savez(own, **make())  # type: ignore[arg-type]
        own.replace(path)
        there = path.parent.glob(f"{make.__name__}-*.npz")
        with suppress(FileNotFoundError):  # another worker was quicker
            for old in sorted(there, key=os.path.getmtime)[:-3]:
                old.unlink()
    with np.load(path) as found:
        return dict(found)


@cache
def _lights(count: int) -> NDArray[np.float32]:
    return decode_srgb(np.arange(count) / (count - 1)).astype(np.float32)


def linear_of(codes: NDArray[Any]) -> NDArray[np.float32]:
    """Linear light of codes, uint8 or uint16: each code is decoded once, not each pixel."""
    return _lights(np.iinfo(codes.dtype).max + 1).take(codes)


def of_scikit_learn(name: str) -> NDArray[np.uint8]:
    """A photograph of scikit-learn, uint8 ``(H, W, 3)``, without loading what goes with it."""
    carried = distribution("scikit-learn").locate_file(f"sklearn/datasets/images/{name}")
    return np.asarray(Image.open(str(carried)))


def png(pixels: NDArray[Any]) -> bytes:
    """Codes as PNG by a general-purpose library, quickly rather than small."""
    quick = {"level": 1, "filter": imagecodecs.PNG.FILTER.NO}
    return bytes(imagecodecs.png_encode(np.ascontiguousarray(np.squeeze(pixels)), **quick))


def write_png(path: Path, pixels: NDArray[Any]) -> Path:
    """Write codes as PNG."""
    path.write_bytes(png(pixels))
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


#: From XYZ to a camera that sees sRGB.
SEES_SRGB = np.array(
    [[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.204, 1.057]]
)


def write_dng(
    path: Path,
    linear: NDArray[Any],
    to_camera: NDArray[Any] = SEES_SRGB,
    neutral: tuple[float, float, float] = (1, 1, 1),
    preview: NDArray[np.uint8] | None = None,
) -> Path:
    """A small raw file (DNG) of a made-up camera: a mosaic of linear light.

    Parameters
    ----------
    linear : float (H, W, 3)
        Linear light as the camera sees it; height and width even. What is brighter than its
        sensor can hold is cut off.
    to_camera : float (3, 3)
        From XYZ to what the camera sees.
    neutral : (red, green, blue)
        How much of white each kind of its pixels holds.
    preview : uint8 (h, w, 3), optional
        The camera's own picture.
    """
    linear = np.clip(linear * np.array(neutral), 0, 1)
    to_camera = np.diag(neutral) @ to_camera
    mosaic = np.empty(linear.shape[:2])
    for y, x, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[y::2, x::2] = linear[y::2, x::2, channel]

    def rationals(values: Any) -> list[int]:
        return [part for value in values for part in (round(value * 10000), 10000)]

    tags = [
        (271, "s", 0, "Larkmoor", True), (272, "s", 0, "LM-1", True), (254, "I", 1, 0, True),
        (33421, "H", 2, (2, 2), True), (33422, "B", 4, bytes([0, 1, 1, 2]), True),  # red first
        (50706, "B", 4, bytes([1, 4, 0, 0]), True), (50707, "B", 4, bytes([1, 1, 0, 0]), True),
        (50708, "s", 0, "LM-1", True), (50717, "I", 1, 65535, True),
        (50721, "2i", 9, rationals(to_camera.ravel()), True),
        (50728, "2I", 3, rationals(neutral), True), (50778, "H", 1, 21, True),
    ]  # fmt: skip
    codes_ = (mosaic * 65535).round().astype(np.uint16)
    with tifffile.TiffWriter(path) as file:
        file.write(codes_, photometric=32803, metadata=None, extratags=tags)
        if preview is not None:
            file.write(
                iter([imagecodecs.jpeg_encode(preview, 95)]), shape=preview.shape, dtype=np.uint8,
                photometric="ycbcr", compression="jpeg", rowsperstrip=preview.shape[0],
                metadata=None, subfiletype=1,
            )  # fmt: skip
    return path


def on_the_bench(file, side):
    """A decoded photograph as the bench reduces it for a picture whose longer side is so long."""
    from oatmeal.core.picture import copy_of

    return copy_of(copy_of(file, 2048), side)
