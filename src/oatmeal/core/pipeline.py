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

from oatmeal.core import guard, local, mix, prepare, tone
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.guard import Guarding
from oatmeal.core.local import Window
from oatmeal.core.recipe import Recipe

Depth = type[np.uint8] | type[np.uint16]
T = TypeVar("T")

#: Rows of the picture that an export holds in floating point at a time.
STRIP_ROWS = 512


#: Longer side of the picture that the local part of Tone looks at as a whole.
WHOLE_SIDE = 1600

#: In a proxy smaller than this, the file's faults have averaged out and the guard does nothing.
SMALLEST_GUARDED = 0.25


class Picture(Protocol):
    """A picture at its full size, read in pieces."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    @property
    def auto_guard(self) -> float:
        """Strength, 0 to 1, of the guard that the file's compression asks for."""

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
    auto_guard : float
        Strength, 0 to 1, of the guard where the recipe says ``auto``.
    scale : float
        Pixels of this picture for one of the file; less than 1 in a proxy.
    within : (Pipeline, Window), optional
        Of a part: a pipeline on the whole picture at some size, and where the part lies. The local
        part of Tone looks at the whole.

    Notes
    -----
    Not to be used from two threads at once.
    """

    def __init__(
        self,
        rgb_linear: NDArray[np.float32],
        *,
        auto_guard: float = 0.0,
        scale: float = 1.0,
        within: tuple[Pipeline, Window] | None = None,
    ) -> None:
        self.source = np.ascontiguousarray(rgb_linear, dtype=np.float32)
        self._within = within
        self._auto_guard = auto_guard
        self._pixel_scale = scale
        self._prepared = _Memory()
        self._analysis = _Memory()
        self._base = _Memory()
        self._mixed = _Memory()
        self._bands = _Memory()
        self._wide = _Memory()
        self._fine = _Memory()
        self._local = _Memory()
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
        return self._mixed.get(_mixed_key(effective), lambda: self._lifted(base, effective))

    def _lifted(self, base: NDArray[np.float32], effective: Recipe) -> NDArray[np.float32]:
        if not mix.moves(effective.mix):
            return base
        return mix.lifted(base, self.analysis(effective), effective.mix)

    def analysis(self, recipe: Recipe) -> mix.Analysis:
        """The colours that lifts are computed from, as the guard leaves them."""
        effective = recipe.effective()
        rgb, guarding = self.prepared(recipe), self._guarding(effective)
        return self._analysis.get((effective.prepare, guarding), lambda: mix.analyse(rgb, guarding))

    def _guarding(self, effective: Recipe) -> Guarding | None:
        strength = guarding_strength(effective, self._auto_guard)
        if strength <= 0 or self._pixel_scale < SMALLEST_GUARDED:
            return None
        return Guarding(strength, self._pixel_scale)

    def bands(self, recipe: Recipe) -> local.Bands:
        """Coefficients of the base and the middle band, of the whole picture."""
        if self._within is not None:
            return self._within[0].bands(recipe)
        effective = recipe.effective()
        grey, character = self.mixed(recipe), effective.tone.character
        key = (*_mixed_key(effective), character)
        return self._bands.get(key, lambda: local.find_bands(grey, character))

    def toned(self, recipe: Recipe) -> NDArray[np.float32]:
        """Linear grey after exposure and everything local, before the scale's table."""
        effective = recipe.effective()
        settings = effective.tone
        grey = self.mixed(recipe)
        if local.at_rest(settings):
            gain = np.float32(2.0**settings.exposure)
            return grey if settings.exposure == 0 else grey * gain
        return self._local_grey(effective, grey)

    def _local_grey(self, effective: Recipe, grey: NDArray[np.float32]) -> NDArray[np.float32]:
        settings = effective.tone
        height, width = grey.shape
        window = self._within[1] if self._within else Window(0, 0, width, height)
        mixed = _mixed_key(effective)
        bands = self.bands(effective)
        wide = self._wide.get(
            (*mixed, settings.character), lambda: local.spread(bands, window, width)
        )
        fine = None
        if settings.detail:
            fine = self._fine.get(mixed, lambda: local.fine_band(grey, window))
        return self._local.get(
            (*mixed, *local.settings_of(settings)),
            lambda: local.apply(grey, settings, bands.veil, wide, fine, window),
        )

    def scale(self, recipe: Recipe) -> tone.Scale:
        """The compiled table of the Tone step."""
        effective = recipe.effective()
        brightest = 2.0 ** max(0.0, effective.prepare.exposure)
        peak = mix.peak(effective.mix, brightest) if effective.tone.hold_ends else 1.0
        settings = effective.tone
        if not local.at_rest(settings):
            # the exposure is in the grey that the table gets, and with it what local gains add
            peak *= 2.0 ** (settings.exposure + local.highest_gain(settings))
            settings = settings.model_copy(update={"exposure": 0.0})
        key = (settings, peak)
        return self._scale.get(key, lambda: tone.compile_scale(settings, peak))

    def codes(self, recipe: Recipe, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The finished grey as codes, uint8 or uint16 ``(H, W)``."""
        effective = recipe.effective()
        scale = self.scale(recipe)
        grey = self.mixed(recipe)
        if not local.at_rest(effective.tone):
            grey = self._local_grey(effective, grey)
        key = (effective.prepare, effective.mix, effective.tone, dtype)
        return self._codes.get(key, lambda: tone.apply(grey, scale, dtype))


def _mixed_key(effective: Recipe) -> tuple[Any, ...]:
    """All that the mixed grey of a picture depends on."""
    part = effective.mix
    lifted = (part.lifts, part.centres, part.pale, part.picked, part.guard)
    return (effective.prepare, part.base, *lifted)


def guarding_strength(recipe: Recipe, auto_guard: float) -> float:
    """Strength of the guard, 0 to 1, that a recipe means for a picture."""
    wanted = recipe.effective().mix.guard
    return auto_guard if wanted == "auto" else wanted / 100


class Region:
    """A rectangle of a picture's own pixels, with what its neighbourhood stages need around it.

    Parameters
    ----------
    picture : Picture
    rectangle : (x, y, width, height)
        Within the picture.
    margin : int
        Pixels around it that the stages may look at.
    whole : Pipeline, optional
        On the whole picture at some size; recipes with local tone need it.
    """

    def __init__(
        self,
        picture: Picture,
        rectangle: tuple[int, int, int, int],
        margin: int = guard.MARGIN,
        whole: Pipeline | None = None,
    ) -> None:
        x, y, width, height = rectangle
        left, top = _aligned(x - margin), _aligned(y - margin)
        right = min(picture.width, _aligned(x + width + margin + guard.CELL - 1))
        bottom = min(picture.height, _aligned(y + height + margin + guard.CELL - 1))
        rgb = picture.linear(left, top, right - left, bottom - top)
        window = Window(left, top, picture.width, picture.height)
        within = (whole, window) if whole is not None else None
        self.pipeline = Pipeline(rgb, auto_guard=picture.auto_guard, within=within)
        self._inside = (slice(y - top, y - top + height), slice(x - left, x - left + width))

    def codes(self, recipe: Recipe, dtype: Depth = np.uint8) -> NDArray[Any]:
        """The finished grey of the rectangle."""
        return self.cut(self.pipeline.codes(recipe, dtype))

    def cut(self, plane: NDArray[Any]) -> NDArray[Any]:
        """The rectangle's part of something computed with its surroundings."""
        return np.ascontiguousarray(plane[self._inside])


def _aligned(place: int) -> int:
    """The start of the guard's coarse cell that holds ``place``; never before the picture."""
    return max(0, place // guard.CELL * guard.CELL)


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
    guarded = guarding_strength(recipe, picture.auto_guard) > 0 and mix.moves(
        recipe.effective().mix
    )
    detailed = recipe.effective().tone.detail != 0
    margin = guard.MARGIN if guarded or detailed else 0
    whole = None
    if not local.at_rest(recipe.effective().tone):
        small = proxy(picture, WHOLE_SIDE)
        scale = max(small.shape[:2]) / max(picture.width, picture.height)
        whole = Pipeline(small, auto_guard=picture.auto_guard, scale=scale)
    for top in range(0, picture.height, STRIP_ROWS):
        rows = min(STRIP_ROWS, picture.height - top)
        strip = Region(picture, (0, top, picture.width, rows), margin, whole)
        out[top : top + rows] = strip.codes(recipe, depth)
        progress((top + rows) / picture.height)
    if reduce and long_side is not None:
        return reduce_grey(out, long_side, dtype)
    return out


def render_colour(
    picture: Picture,
    recipe: Recipe,
    dtype: Depth = np.uint8,
    long_side: int | None = None,
) -> NDArray[Any]:
    """The prepared colour picture as sRGB codes, uint8 or uint16 ``(H, W, 3)``.

    ``long_side`` reduces it; it is never enlarged. Colours outside sRGB are clipped.
    """
    part, top = recipe.effective().prepare, np.iinfo(dtype).max

    def coded(rgb_linear: NDArray[np.float32]) -> NDArray[Any]:
        shown = encode_srgb(np.clip(prepare.apply(rgb_linear, part), 0, 1))
        return np.floor(shown * top + 0.5).astype(dtype)

    if long_side is not None and long_side < max(picture.width, picture.height):
        return coded(proxy(picture, long_side))
    out: NDArray[Any] = np.empty((picture.height, picture.width, 3), dtype=dtype)
    for first in range(0, picture.height, STRIP_ROWS):
        rows = min(STRIP_ROWS, picture.height - first)
        out[first : first + rows] = coded(picture.linear(0, first, picture.width, rows))
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
