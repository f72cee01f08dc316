"""The pipeline: runs the steps in order and remembers what each returned.

Stages are pure functions; this module alone keeps results, and recomputes from the first stage
whose part of the recipe changed.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import mix, prepare, tone
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.recipe import Recipe

Depth = type[np.uint8] | type[np.uint16]
T = TypeVar("T")

#: Rows of the picture that an export holds in floating point at a time.
STRIP_ROWS = 256


class Picture(Protocol):
    """A picture at its full size, read in pieces."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """Linear colour ``(height, width, 3)`` of the rectangle at ``x``, ``y``."""


class _Memory:
    """The last result of one stage and what it was made from."""

    def __init__(self) -> None:
        self._key: tuple[Any, ...] | None = None
        self._value: Any = None

    def get(self, key: tuple[Any, ...], make: Callable[[], T]) -> T:
        if self._key is None or key != self._key:
            self._value = make()
            self._key = key
        value: T = self._value
        return value


class Pipeline:
    """Renders one picture (a proxy or a region) with changing recipes.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        Linear light, sRGB primaries, unbounded.

    Notes
    -----
    Not to be used from two threads at once.
    """

    def __init__(self, rgb_linear: NDArray[np.float32]) -> None:
        self.source = np.ascontiguousarray(rgb_linear, dtype=np.float32)
        self._prepared = _Memory()
        self._analysis = _Memory()
        self._base = _Memory()
        self._mixed = _Memory()
        self._scale = _Memory()
        self._codes = _Memory()

    def prepared(self, recipe: Recipe) -> NDArray[np.float32]:
        """Linear colour after the Prepare step."""
        part = recipe.effective().prepare
        return self._prepared.get((part,), lambda: prepare.apply(self.source, part))

    def mixed(self, recipe: Recipe) -> NDArray[np.float32]:
        """Linear grey after the Mix step, float32 ``(H, W)``."""
        effective = recipe.effective()
        rgb, part = self.prepared(recipe), effective.mix
        base_key = (effective.prepare, part.base)
        base = self._base.get(base_key, lambda: mix.base_grey(rgb, part.base))
        lift_key = (*base_key, part.lifts, part.centres, part.pale)
        return self._mixed.get(lift_key, lambda: self._lifted(base, rgb, effective))

    def _lifted(
        self, base: NDArray[np.float32], rgb: NDArray[np.float32], effective: Recipe
    ) -> NDArray[np.float32]:
        if not any(effective.mix.lifts.model_dump().values()):
            return base
        analysis = self._analysis.get((effective.prepare,), lambda: mix.analyse(rgb))
        return mix.lifted(base, analysis, effective.mix)

    def scale(self, recipe: Recipe) -> tone.Scale:
        """The compiled Tone step."""
        effective = recipe.effective()
        brightest = 2.0 ** max(0.0, effective.prepare.exposure)
        peak = mix.peak(effective.mix, brightest) if effective.tone.hold_ends else 1.0
        key = (effective.tone, peak)
        return self._scale.get(key, lambda: tone.compile_scale(effective.tone, peak))

    def codes(self, recipe: Recipe, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The finished grey as codes, uint8 or uint16 ``(H, W)``."""
        effective = recipe.effective()
        grey, scale = self.mixed(recipe), self.scale(recipe)
        key = (effective.prepare, effective.mix, effective.tone, dtype)
        return self._codes.get(key, lambda: tone.apply(grey, scale, dtype))


def render(
    picture: Picture,
    recipe: Recipe,
    dtype: Depth = np.uint8,
    long_side: int | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> NDArray[Any]:
    """Render a whole picture at its full size, strip by strip.

    Parameters
    ----------
    picture : Picture
        Where the colour comes from.
    recipe : Recipe
        The settings.
    dtype : numpy.uint8 or numpy.uint16
        Depth of the result.
    long_side : int, optional
        Reduce the result so that its longer side has this many pixels; never enlarges.
    progress : callable
        Called with the share that is done, 0 to 1; what it raises stops the work.

    Returns
    -------
    uint8 or uint16 (H, W)
    """
    reduce = long_side is not None and long_side < max(picture.width, picture.height)
    depth: Depth = np.uint16 if reduce else dtype
    out: NDArray[Any] = np.empty((picture.height, picture.width), dtype=depth)
    for top in range(0, picture.height, STRIP_ROWS):
        rows = min(STRIP_ROWS, picture.height - top)
        strip = Pipeline(picture.linear(0, top, picture.width, rows))
        out[top : top + rows] = strip.codes(recipe, depth)
        progress((top + rows) / picture.height)
    if reduce and long_side is not None:
        return reduce_grey(out, long_side, dtype)
    return out


def reduce_grey(codes: NDArray[np.uint16], long_side: int, dtype: Depth) -> NDArray[Any]:
    """Reduce finished 16-bit codes ``(H, W)`` by averaging light over each new pixel's area."""
    height, width = codes.shape
    light = decode_srgb(np.arange(65536) / 65535).astype(np.float32)[codes]
    size = fitted(width, height, long_side)
    small = cv2.resize(light, size, interpolation=cv2.INTER_AREA)
    top = np.iinfo(dtype).max
    return np.floor(encode_srgb(np.clip(small, 0, 1)) * top + 0.5).astype(dtype)


def proxy(picture: Picture, long_side: int) -> NDArray[np.float32]:
    """The picture's linear colour, reduced to ``long_side`` by averaging light; never enlarged."""
    width, height = fitted(picture.width, picture.height, long_side)
    if (width, height) == (picture.width, picture.height):
        return picture.linear(0, 0, width, height)
    narrow = np.empty((picture.height, width, 3), dtype=np.float32)
    for top in range(0, picture.height, STRIP_ROWS):
        rows = min(STRIP_ROWS, picture.height - top)
        strip = picture.linear(0, top, picture.width, rows)
        cv2.resize(strip, (width, rows), narrow[top : top + rows], interpolation=cv2.INTER_AREA)
    return np.asarray(
        cv2.resize(narrow, (width, height), interpolation=cv2.INTER_AREA), dtype=np.float32
    )


def reduced(rgb_linear: NDArray[np.float32], long_side: int) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` reduced to ``long_side`` pixels; never enlarged."""
    height, width = rgb_linear.shape[:2]
    size = fitted(width, height, long_side)
    if size == (width, height):
        return rgb_linear
    return np.asarray(cv2.resize(rgb_linear, size, interpolation=cv2.INTER_AREA), dtype=np.float32)


def fitted(width: int, height: int, long_side: int) -> tuple[int, int]:
    """Width and height that fit ``long_side`` in the same proportion, at least 1 pixel each."""
    longest = max(width, height)
    if long_side >= longest:
        return width, height
    scale = long_side / longest
    return max(1, round(width * scale)), max(1, round(height * scale))
