"""Whole pictures at their full size, strip by strip, and what is written of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import prepare
from oatmeal.core.colour import encode_srgb, kernels
from oatmeal.core.finish import Printing, bare, coded, mounted, printed, quantised
from oatmeal.core.finish.quantising import Depth
from oatmeal.core.opencv import cv2
from oatmeal.core.picture import STRIP_ROWS, Picture, Reduction, fitted, framed, reduced_copy
from oatmeal.core.pipeline.order import COLOUR, Order
from oatmeal.core.pipeline.region import Region
from oatmeal.core.pipeline.work import WHOLE_SIDE, Pipeline
from oatmeal.core.recipe import Recipe

#: Pixels of a strip at the most, for memory, and rows of one at the least: its surroundings are
#: read too.
_STRIP_PIXELS: Final = 3_000_000
_LEAST_ROWS: Final = 128

Progress = Callable[[float], None]
Between = Callable[[NDArray[np.float32]], NDArray[np.float32]]


def render(
    picture: Picture,
    recipe: Recipe,
    dtype: Depth = np.uint8,
    long_side: int | None = None,
    progress: Progress = lambda share: None,
    between: Between = lambda plane: plane,
    around: int = 0,
) -> NDArray[Any]:
    """Render a whole picture to codes; see :func:`rendered` for the parameters.

    Parameters
    ----------
    around : int
        Rows above and below one that ``between`` looks at.

    Returns
    -------
    uint8 or uint16 (H, W), or (H, W, 3) where it is toned or colour is kept
        Eight bits are dithered. Line and mat enlarge it.
    """
    order = Order(recipe)
    view = framed(picture, prepare.geometry(order.recipe))
    finish = order.recipe.finish
    if order.works(COLOUR) or _reduces(view, long_side):
        greys, kept = _rendered(view, order, long_side, progress, between)
        codes = coded(greys, finish, dtype, dither=dtype is np.uint8, kept=kept)
        return mounted(codes, finish.border)
    # nothing asks for all greys at once: as codes they take a quarter of the memory
    codes = np.empty((0,), dtype=dtype)
    whole = small_of(view, WHOLE_SIDE) if order.asks_whole() else None
    printing = Printing(
        view.width, view.height, order.recipe, view.seed, between, around, _asking(whole, order)
    )
    for _, strip in _strips(view, order, whole, progress):
        top, rows = printing.take(strip.sharpened(order))
        part = coded(rows, finish, dtype, dither=dtype is np.uint8, corner=(0, top))
        if top == 0:
            codes = np.empty((view.height, *part.shape[1:]), dtype=dtype)
        codes[top : top + len(part)] = part
    return mounted(codes, finish.border)


def _asking(whole: Pipeline | None, order: Order) -> Callable[[str], Any]:
    """Gives the results of stages that look at the whole picture."""
    return lambda name: whole.get(name, order) if whole is not None else None


def _reduces(view: Picture, long_side: int | None) -> bool:
    return long_side is not None and long_side < max(view.width, view.height)


def _strips(
    view: Picture, order: Order, whole: Pipeline | None, progress: Progress
) -> Iterator[tuple[int, Region]]:
    """A picture's strips from its top down, each with its first row."""
    most = max(_LEAST_ROWS, min(STRIP_ROWS, _STRIP_PIXELS // view.width))
    for top in range(0, view.height, most):
        rows = min(most, view.height - top)
        yield top, Region(view, (0, top, view.width, rows), order, whole, once=True)
        progress((top + rows) / view.height)


def rendered(
    picture: Picture,
    recipe: Recipe,
    long_side: int | None = None,
    progress: Progress = lambda share: None,
    between: Between = lambda plane: plane,
) -> NDArray[np.float32]:
    """Render a whole picture at its full size, strip by strip, and print it at the wanted one.

    Parameters
    ----------
    picture : Picture
        The file's; the recipe frames it.
    recipe : Recipe
        The settings.
    long_side : int, optional
        Reduce the result so that its longer side has this many pixels; never enlarges.
    progress : callable
        Called with the share that is done, 0 to 1; what it raises stops the work.
    between : callable
        Sharpening for the medium, on encoded values at the wanted size.

    Returns
    -------
    float32 (H, W)
        Encoded greys, 0 to 1, before anything is coloured.
    """
    order = Order(recipe)
    view = framed(picture, prepare.geometry(order.recipe))
    return _rendered(view, order, long_side, progress, between)[0]


def _rendered(
    view: Picture,
    order: Order,
    long_side: int | None,
    progress: Progress,
    between: Between,
) -> tuple[NDArray[np.float32], NDArray[np.float32] | None]:
    """The printed greys, and the colour that is kept, if any is."""
    side = long_side if _reduces(view, long_side) else None
    greys = _Gathered(view, side)
    colours = _Gathered(view, side, 3) if order.works(COLOUR) else None
    whole = small_of(view, WHOLE_SIDE) if order.asks_whole() else None
    for top, strip in _strips(view, order, whole, progress):
        light = strip.sharpened(order)
        greys.take(top, light if side is None else kernels.decoded(light))
        if colours is not None:
            colours.take(top, strip.kept_colour(order))
    out = greys.result() if side is None else kernels.encoded(greys.result())
    made = printed(out, order.recipe, view.seed, between, _asking(whole, order))
    return made, None if colours is None else bare(colours.result(), order.recipe, view.seed)


class _Gathered:
    """Strips of a picture put together, reduced where a size is wanted."""

    def __init__(self, view: Picture, long_side: int | None, channels: int = 1) -> None:
        self._reduction = self._whole = None
        if long_side is not None:
            self._reduction = Reduction(view.width, view.height, long_side, channels)
        else:
            shape = (view.height, view.width, channels)[: 2 if channels == 1 else 3]
            self._whole = np.empty(shape, dtype=np.float32)

    def take(self, top: int, strip: NDArray[np.float32]) -> None:
        """Add the rows from ``top`` on."""
        if self._reduction is not None:
            self._reduction.take(top, strip)
        elif self._whole is not None:
            self._whole[top : top + len(strip)] = strip

    def result(self) -> NDArray[np.float32]:
        """All of them."""
        if self._reduction is not None:
            return self._reduction.result()
        assert self._whole is not None
        return self._whole


def small_of(picture: Picture, long_side: int) -> Pipeline:
    """A pipeline on the whole of a picture, reduced to ``long_side``."""
    small = reduced_copy(picture, long_side)
    scale = max(small.shape[:2]) / max(picture.width, picture.height)
    return Pipeline(
        small,
        auto_guard=picture.auto_guard,
        scale=scale,
        layout=picture.layout,
        noise=picture.noise,
        taken=picture.taken,
        seed=picture.seed,
        once=True,
    )


def render_colour(
    picture: Picture,
    recipe: Recipe,
    dtype: Depth = np.uint8,
    long_side: int | None = None,
) -> NDArray[Any]:
    """The prepared colour picture as sRGB codes, uint8 or uint16 ``(H, W, 3)``.

    ``long_side`` reduces it; it is never enlarged. Colours outside sRGB are clipped.
    """
    order = Order(recipe.plain())
    view = framed(picture, prepare.geometry(order.recipe))
    if long_side is not None and long_side < max(view.width, view.height):
        return _coded(small_of(view, long_side).prepared(order), dtype)
    out: NDArray[Any] = np.empty((view.height, view.width, 3), dtype=dtype)
    whole = small_of(view, WHOLE_SIDE) if order.asks_whole() else None
    for top, strip in _strips(view, order, whole, lambda share: None):
        part = _coded(strip.prepared(order), dtype, top)
        out[top : top + len(part)] = part
    return out


def _coded(rgb_linear: NDArray[np.float32], dtype: Depth, top: int = 0) -> NDArray[Any]:
    shown = encode_srgb(np.clip(rgb_linear, 0, 1)).astype(np.float32)
    return quantised(shown, dtype, dither=dtype is np.uint8, corner=(0, top))


def opacity(picture: Picture, recipe: Recipe, long_side: int | None) -> NDArray[Any] | None:
    """How opaque each pixel of a rendered picture is, of its size; None where all are."""
    view = framed(picture, prepare.geometry(recipe.effective()))
    if view.alpha is None:
        return None
    size = fitted(view.width, view.height, long_side or max(view.width, view.height))
    whole = np.ascontiguousarray(view.alpha)
    if size != (view.width, view.height):
        whole = np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_AREA))
    return mounted(whole, recipe.effective().finish.border, alpha=True)
