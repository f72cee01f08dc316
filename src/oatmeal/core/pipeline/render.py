"""Whole pictures at their full size, strip by strip, and what is written of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import prepare
from oatmeal.core.colour import encode_srgb, kernels
from oatmeal.core.finish import Printing, coded, mounted, quantised
from oatmeal.core.finish.quantising import Depth
from oatmeal.core.opencv import cv2
from oatmeal.core.picture import STRIP_ROWS, Picture, Reduction, fitted, framed, quick_copy_of
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
    dtype: Depth | type[np.float32] = np.uint8,
    long_side: int | None = None,
    *,
    colour: bool = False,
    progress: Progress = lambda share: None,
    between: Between = lambda plane: plane,
    around: int = 0,
) -> NDArray[Any]:
    """Render a whole picture at its full size, strip by strip, and print it at the wanted one.

    Parameters
    ----------
    picture : Picture
        The file's; the recipe frames it.
    recipe : Recipe
        The settings.
    dtype : type
        uint8 (dithered) or uint16: codes. float32: the printed greys, encoded, 0 to 1, before
        anything is coloured or mounted.
    long_side : int, optional
        Reduce the result so that its longer side has this many pixels; never enlarges.
    colour : bool
        The prepared colour picture in its place, as sRGB codes; what lies outside is clipped.
    progress : callable
        Called with the share that is done, 0 to 1; what it raises stops the work.
    between : callable
        Sharpening for the medium, on encoded values at the wanted size.
    around : int
        Rows above and below one that ``between`` looks at.

    Returns
    -------
    (H, W), or (H, W, 3) of codes that are toned or keep colour
        Line and mat enlarge them.
    """
    order = Order(recipe.plain() if colour else recipe)
    view = framed(picture, prepare.geometry(order.recipe))
    unsettled = order.works("settled") and not order.works("transitions")
    if unsettled and not view.trust().wanted(recipe.mix.guard).settles:
        # nobody is to look whether something was done about colour that is fine
        mix = order.given.mix.model_copy(update={"guard": 0.0})
        order = Order(order.given.model_copy(update={"mix": mix}))
    side = long_side if long_side and long_side < max(view.width, view.height) else None
    parts: Iterator[tuple[int, NDArray[Any]]]
    if colour:
        parts = _coloured(view, order, dtype, side, progress)
    else:
        parts = _printed(view, order, dtype, side, progress, between, around)
    height = fitted(view.width, view.height, side)[1] if side else view.height
    made = np.empty((0,), dtype)
    for top, part in parts:
        if top == 0:
            made = np.empty((height, *part.shape[1:]), dtype)
        made[top : top + len(part)] = part
    if colour or dtype is np.float32:
        return made
    return mounted(made, order.recipe.finish.border)


def _coloured(
    view: Picture, order: Order, dtype: Any, side: int | None, progress: Progress
) -> Iterator[tuple[int, NDArray[Any]]]:
    """Rows of the prepared picture as codes, with the first one's place."""

    def coded_(rgb_linear: NDArray[np.float32], top: int) -> NDArray[Any]:
        shown = encode_srgb(np.clip(rgb_linear, 0, 1)).astype(np.float32)
        return quantised(shown, dtype, dither=dtype is np.uint8, corner=(0, top))

    if side:
        yield 0, coded_(small_of(view, side).prepared(order), 0)
        return
    whole = small_of(view, WHOLE_SIDE) if order.asks_whole() else None
    for top, strip in _strips(view, order, whole, progress):
        yield top, coded_(strip.prepared(order), top)


def _printed(
    view: Picture,
    order: Order,
    dtype: Any,
    side: int | None,
    progress: Progress,
    between: Between,
    around: int,
) -> Iterator[tuple[int, NDArray[Any]]]:
    """Rows of the finished picture, with the first one's place."""
    whole = small_of(view, WHOLE_SIDE) if order.asks_whole() else None

    def asked(name: str) -> Any:
        return whole.get(name, order) if whole is not None else None

    size = fitted(view.width, view.height, side) if side else (view.width, view.height)
    printing = Printing(*size, view, order.recipe, between, around, asked)
    strips = _strips(view, order, whole, progress)
    for encoded, kept in (
        _reduced(view, order, side, strips) if side else _as_they_are(order, strips)
    ):
        top, rows, kept = printing.take(encoded, kept)
        if dtype is not np.float32:
            finish = order.recipe.finish
            rows = coded(rows, finish, dtype, dither=dtype is np.uint8, corner=(0, top), kept=kept)
        yield top, rows


def _as_they_are(
    order: Order, strips: Iterator[tuple[int, Region]]
) -> Iterator[tuple[NDArray[np.float32], NDArray[np.float32] | None]]:
    """Encoded greys of each strip, and the colour that is kept, if any is."""
    for _, strip in strips:
        yield strip.sharpened(order), strip.kept_colour(order) if order.works(COLOUR) else None


def _reduced(
    view: Picture, order: Order, side: int, strips: Iterator[tuple[int, Region]]
) -> Iterator[tuple[NDArray[np.float32], NDArray[np.float32] | None]]:
    """The same of the whole picture, its light averaged over fewer pixels."""
    greys = Reduction(view.width, view.height, side)
    colours = Reduction(view.width, view.height, side, 3) if order.works(COLOUR) else None
    for top, strip in strips:
        greys.take(top, kernels.decoded(strip.sharpened(order)))
        if colours is not None:
            colours.take(top, strip.kept_colour(order))
    yield kernels.encoded(greys.result()), colours.result() if colours is not None else None


def _strips(
    view: Picture, order: Order, whole: Pipeline | None, progress: Progress
) -> Iterator[tuple[int, Region]]:
    """A picture's strips from its top down, each with its first row."""
    most = max(_LEAST_ROWS, min(STRIP_ROWS, _STRIP_PIXELS // view.width))
    for top in range(0, view.height, most):
        rows = min(most, view.height - top)
        yield top, Region(view, (0, top, view.width, rows), order, whole, once=True)
        progress((top + rows) / view.height)


def small_of(picture: Picture, long_side: int) -> Pipeline:
    """A pipeline on the whole of a picture, reduced to ``long_side``."""
    return Pipeline(quick_copy_of(picture, long_side), once=True)


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
