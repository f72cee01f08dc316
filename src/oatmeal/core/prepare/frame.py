"""The frame: what of the picture is kept, and how it stands."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.opencv import cv2
from oatmeal.core.picture import (
    Coded,
    Geometry,
    Picture,
    Rectangle,
    turned,
    turned_codes,
    turned_part,
)
from oatmeal.core.prepare import crop
from oatmeal.core.prepare.resampling import Way, resampled
from oatmeal.core.prepare.setright import QUARTERS, Points, SetRight
from oatmeal.core.recipe import Frame, Known, Lens, Recipe
from oatmeal.core.recipe.frame import BEND_REACH, ratio_of

#: The frame is made in squares of this many pixels: turned strips would read much around them.
TILE: Final = 1024

#: A frame has so many times the file's pixels at the most: one that is tipped far, or goes far
#: beyond the picture, becomes coarser instead of larger.
MOST_PIXELS: Final = 1.5

#: Pixels read round what a square shows.
_ROUND: Final = 3

#: Places along a square's sides at which it is looked up what it shows.
_SAMPLES: Final = np.linspace(0, 1, 17)

_GAINS: Final = 257

#: Shares of a pixel that a frame may be off the pixels of a copy and still take them as they are.
_ON_PIXELS: Final = 1e-6


@dataclass(frozen=True)
class Framing:
    """How a recipe frames any picture."""

    frame: Frame = Frame()
    lens: Lens = Lens()

    def on(self, width: int, height: int) -> Laid:
        """The frame on a file of this size."""
        return _laid(self, width, height)


#: The frame of a picture that is taken as it is.
AS_TAKEN: Final = Framing()


def geometry(recipe: Recipe) -> Geometry:
    """How a recipe frames a picture; what serves editors alone is left out."""
    return Framing(_acting(recipe.prepare.frame), _known(recipe.prepare.lens))


def opened(recipe: Recipe) -> Geometry:
    """The whole picture, set right by the lens alone: what a frame is laid on."""
    lens = _known(recipe.prepare.lens)
    return AS_TAKEN if lens == Lens() else Framing(Frame(inside=False), lens)


def _acting(frame: Frame) -> Frame:
    unseen: dict[str, Any] = {"plumb": (), "level": (), "free": False}
    if not (frame.tip * frame.uprights or frame.swing * frame.levels):
        rest = Frame()
        unseen |= {name: getattr(rest, name) for name in ("tip", "swing", "focal")}
        unseen |= {"uprights": rest.uprights, "levels": rest.levels}
    return frame.model_copy(update=unseen)


def _known(lens: Lens) -> Lens:
    known = lens.known.model_copy(update={"name": ""}) if lens.use_known else Known()
    return lens.model_copy(update={"known": known, "use_known": True, "developed": ""})


@lru_cache(maxsize=64)
def _laid(framing: Framing, width: int, height: int) -> Laid:
    return Laid(framing, width, height)


class Laid:
    """A frame on a file of a known size; see :class:`oatmeal.core.picture.Layout`.

    Parameters
    ----------
    framing : Framing
    width, height : int
        Of the file in pixels.
    """

    def __init__(self, framing: Framing, width: int, height: int) -> None:
        frame, lens = framing.frame, framing.lens
        self.file = (width, height)
        self._lens = lens
        self._quarters, self._mirrored = QUARTERS[frame.turned], frame.mirrored
        self._beyond = not frame.inside
        self._right = SetRight(width, height, frame, lens)
        self._gains = _gains(lens)
        around = self._rectangle(frame)
        exact = self._right.exact and len(self._gains) == 1 and lens.fringes() == (1.0, 1.0)
        area = 4 * around.half_width * around.half_height
        self.scale = min(1.0, math.sqrt(MOST_PIXELS * width * height / area))
        self.width = max(1, round(2 * around.half_width * self.scale))
        self.height = max(1, round(2 * around.half_height * self.scale))
        self._exact: Rectangle | None = None
        if exact and not self._beyond:
            across, down = self._turned_size
            self.width, self.height = min(self.width, across), min(self.height, down)
            left = round(across / 2 + around.x - self.width / 2)
            top = round(down / 2 + around.y - self.height / 2)
            left = min(max(left, 0), across - self.width)
            top = min(max(top, 0), down - self.height)
            self._exact = (left, top, self.width, self.height)
            around = crop.Rectangle(
                left + self.width / 2 - across / 2, top + self.height / 2 - down / 2,
                self.width / 2, self.height / 2,
            )  # fmt: skip
        self._around = around
        upright = self._quarters == 0 and not self._mirrored
        self.as_taken = self._exact == (0, 0, width, height) and upright

    @property
    def _turned_size(self) -> tuple[int, int]:
        width, height = self.file
        return (height, width) if self._quarters % 2 else (width, height)

    def _rectangle(self, frame: Frame) -> crop.Rectangle:
        across, down = self._turned_size
        ratio = ratio_of(frame.ratio, across / down)
        if frame == Frame(inside=False):
            return crop.Rectangle(0.0, 0.0, across / 2, down / 2)
        wanted = self._right.canvas(np.multiply(frame.centre, self.file))
        planes = crop.outline(self._right)
        middle = (float(wanted[0]), float(wanted[1]))
        return crop.rectangle(planes, ratio, frame.size / 100, middle, frame.inside)

    def size_on(self, picture: Picture) -> tuple[int, int]:
        """Width and height of the framed picture where ``picture`` is a reduced copy."""
        scale = max(picture.width, picture.height) / max(self.file)
        return max(1, round(self.width * scale)), max(1, round(self.height * scale))

    def framed(self, places: Points) -> Points:
        """Places from shares of the picture's sides to shares of the frame's."""
        canvas = self._right.canvas(np.asarray(places, dtype=float) * self.file)
        return (canvas - self._corner) / self._sides

    def taken(self, places: Points) -> Points:
        """Places from shares of the frame's sides to shares of the picture's."""
        canvas = np.asarray(places, dtype=float) * self._sides + self._corner
        return self._right.photograph(canvas) / self.file

    @property
    def _corner(self) -> Points:
        around = self._around
        return np.array([around.x - around.half_width, around.y - around.half_height])

    @property
    def _sides(self) -> Points:
        return np.array([2 * self._around.half_width, 2 * self._around.half_height])

    def _pixels_of(self, size: tuple[int, int]) -> Rectangle | None:
        """The frame in whole pixels of a turned copy of this size, if it lies on them."""
        if self._exact is None:
            return None
        turned_file, (across, down) = self._turned_size, size
        if self._quarters % 2:
            across, down = down, across
        left, top, width, height = self._exact
        scaled = (
            left * across / turned_file[0], top * down / turned_file[1],
            width * across / turned_file[0], height * down / turned_file[1],
        )  # fmt: skip
        whole = tuple(round(value) for value in scaled)
        if max(abs(one - other) for one, other in zip(scaled, whole, strict=True)) > _ON_PIXELS:
            return None
        return whole[0], whole[1], whole[2], whole[3]

    def linear(self, picture: Picture, rectangle: Rectangle) -> NDArray[np.float32]:
        """Linear colour of a rectangle ``(x, y, width, height)`` of the framed picture."""
        x, y, width, height = rectangle
        inside = self._inside(picture, rectangle)
        if inside is not None:
            return turned_part(picture, self._quarters, self._mirrored, inside)
        way = self._way(self.size_on(picture), (picture.width, picture.height))
        out = np.empty((height, width, 3), dtype=np.float32)
        for left, top, across, down in tiles(rectangle):
            part = self._tile(picture, way, (left, top, across, down))
            out[top - y : top - y + down, left - x : left - x + across] = part
        return out

    def coded(self, picture: Picture, rectangle: Rectangle) -> Coded | None:
        """The same as the file holds it; None where the frame does more than turn and crop."""
        inside = self._inside(picture, rectangle)
        if inside is None:
            return None
        return turned_codes(picture, self._quarters, self._mirrored, inside)

    def _inside(self, picture: Picture, rectangle: Rectangle) -> Rectangle | None:
        """Where a rectangle lies in the turned picture; None where that is resampled."""
        x, y, width, height = rectangle
        pixels = self._pixels_of((picture.width, picture.height))
        return None if pixels is None else (pixels[0] + x, pixels[1] + y, width, height)

    def _tile(self, picture: Picture, way: Way, rectangle: Rectangle) -> NDArray[np.float32]:
        size = (picture.width, picture.height)
        left, top, right, bottom = self._shown(way, rectangle, size)
        light = np.ascontiguousarray(picture.linear(left, top, right - left, bottom - top))
        return resampled(
            light, (left, top), size, way, rectangle,
            white=self._beyond, fringes=self._lens.fringes(),
        )  # fmt: skip

    def _way(self, framed_size: tuple[int, int], read: tuple[int, int]) -> Way:
        """From pixels of a frame of this size to those of the picture that is read."""
        (across, down), (x, y) = self._sides / framed_size, self._corner
        to_canvas = np.array([[across, 0, x], [0, down, y], [0, 0, 1]])
        k1, k2, k3 = self._right.bend.terms
        square = self._right.bend.half_diagonal**2
        terms = np.array([k1 / square, k2 / square**2, k3 / square**3, BEND_REACH**2 * square])
        scale = (read[0] / self.file[0], read[1] / self.file[1])
        steps = (len(self._gains) - 1) / square
        to_read = np.array([*scale, read[0] / 2 - 0.5, read[1] / 2 - 0.5, steps])
        return Way(self._right.inverse @ to_canvas, terms, to_read, self._gains)

    def _shown(
        self, way: Way, rectangle: Rectangle, size: tuple[int, int]
    ) -> tuple[int, int, int, int]:
        """Edges of the part of the picture that a square of the frame shows."""
        places = self._read_places(way, *_border(rectangle))
        low = np.floor(places.min(axis=(0, 1))).astype(int) - _ROUND
        high = np.ceil(places.max(axis=(0, 1))).astype(int) + _ROUND + 1
        left, top = (int(np.clip(low[i], 0, size[i] - 1)) for i in (0, 1))
        right, bottom = (int(np.clip(high[i], 1, size[i])) for i in (0, 1))
        return left, top, max(right, left + 1), max(bottom, top + 1)

    def _read_places(self, way: Way, x: Points, y: Points) -> NDArray[np.float64]:
        """Places of the frame's pixels in what is read, for each colour: ``(3, n, 2)``."""
        freed = np.stack([x, y, np.ones_like(x)], axis=-1) @ way.matrix.T
        drawn = self._right.bend.drawn(freed[..., :2] / freed[..., 2:])
        red, blue = self._lens.fringes()
        found = [drawn * scale * way.to_read[:2] + way.to_read[2:4] for scale in (red, 1.0, blue)]
        return np.stack(found)

    def plane(self, plane: NDArray[Any]) -> NDArray[Any]:
        """A plane ``(H, W)`` of the whole picture, such as its opacity, as it is framed."""
        down, across = plane.shape
        pixels = self._pixels_of((across, down))
        if pixels is not None:
            left, top, width, height = pixels
            whole = turned(plane, self._quarters, self._mirrored)
            return whole[top : top + height, left : left + width]
        scale = max(across, down) / max(self.file)
        width, height = max(1, round(self.width * scale)), max(1, round(self.height * scale))
        way = self._way((width, height), (across, down))
        out = np.empty((height, width), dtype=plane.dtype)
        edge = cv2.BORDER_CONSTANT if self._beyond else cv2.BORDER_REPLICATE
        for left, top, wide, high in tiles((0, 0, width, height)):
            x, y = np.meshgrid(left + np.arange(wide) + 0.5, top + np.arange(high) + 0.5)
            places = self._read_places(way, x, y)[1].astype(np.float32)
            from_x, from_y, to_x, to_y = self._shown(way, (left, top, wide, high), (across, down))
            part = np.ascontiguousarray(plane[from_y:to_y, from_x:to_x])
            there = cv2.remap(
                part, places[..., 0] - from_x, places[..., 1] - from_y, cv2.INTER_LINEAR,
                borderMode=edge,
            )  # fmt: skip
            out[top : top + high, left : left + wide] = there
        return out


def tiles(rectangle: Rectangle) -> Iterator[Rectangle]:
    """A rectangle of the frame in squares that do not depend on it."""
    x, y, width, height = rectangle
    tops = [y, *range((y // TILE + 1) * TILE, y + height, TILE), y + height]
    lefts = [x, *range((x // TILE + 1) * TILE, x + width, TILE), x + width]
    for top, bottom in pairwise(tops):
        for left, right in pairwise(lefts):
            yield left, top, right - left, bottom - top


def _border(rectangle: Rectangle) -> tuple[Points, Points]:
    left, top, width, height = rectangle
    x, y = left + _SAMPLES * width, top + _SAMPLES * height
    edges = np.ones_like(_SAMPLES)
    across = np.concatenate([x, x, left * edges, (left + width) * edges])
    down = np.concatenate([top * edges, (top + height) * edges, y, y])
    return across, down


def _gains(lens: Lens) -> NDArray[np.float32]:
    """Factors on light over the squared radius; one where there is no falloff."""
    gains = np.asarray(lens.gain(np.linspace(0, 1, _GAINS)), dtype=np.float32)
    return gains if (gains != 1).any() else np.ones(1, dtype=np.float32)
