"""Pictures: read in pieces, seen through a frame, reduced.

A picture seen through a geometry is another picture with a size of its own. Whoever wants to know
how large something is asks the framed picture, never the file.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Final, Protocol

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels
from oatmeal.core.noise import Noise, measured_array
from oatmeal.core.opencv import cv2
from oatmeal.core.trust import FINE, Trust

#: Rows of a picture that are held in floating point at a time.
STRIP_ROWS: Final = 512

#: Longer side of the copy on which it is told what looks alike.
TAKEN_SIDE: Final = 400

Rectangle = tuple[int, int, int, int]


class Picture(Protocol):
    """A picture at its full size, read in pieces."""

    @property
    def width(self) -> int: ...

    @property
    def height(self) -> int: ...

    @property
    def alpha(self) -> NDArray[Any] | None:
        """How opaque each pixel is, uint8 or uint16 ``(H, W)``; None where all are."""

    @property
    def layout(self) -> Layout | None:
        """The frame that it is seen through; None where it is as it was taken."""

    @property
    def scale(self) -> float:
        """Its pixels for one of the file; less than 1 in a copy, 0 in a sample of colours."""

    def noise(self) -> Noise:
        """Of the file's own pixels."""

    def trust(self) -> Trust:
        """How far the file's colour can be trusted."""

    @property
    def seed(self) -> int:
        """A number of the photograph's own, for what is drawn by chance."""

    def taken(self) -> NDArray[np.float32]:
        """Linear colour of the whole as it was taken, reduced to :data:`TAKEN_SIDE`."""

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """Linear colour ``(height, width, 3)`` of the rectangle at ``x``, ``y``."""

    def averaged(self, width: int, height: int) -> NDArray[np.float32] | None:
        """Linear colour of the whole, averaged over fewer pixels.

        None where there is no quicker way than by :meth:`linear`.
        """

    def coded(self, x: int, y: int, width: int, height: int) -> Coded | None:
        """The rectangle as the file holds it; None where no one table makes light of it."""


@dataclass(frozen=True, eq=False)
class Coded:
    """Pixels as a file holds them, of which one table tells the light of all channels.

    Attributes
    ----------
    codes : uint8 or uint16 (H, W, 3)
    table : float32 (N,)
        From codes to linear light.
    """

    codes: NDArray[Any]
    table: NDArray[np.float32]

    @cached_property
    def linear(self) -> NDArray[np.float32]:
        """Linear colour ``(H, W, 3)``, made when it is asked for."""
        return kernels.look_up(self.codes, self.table)


#: Linear colour ``(H, W, 3)``, or what it can be made of.
Pixels = NDArray[np.float32] | Coded


def light_of(pixels: Pixels) -> NDArray[np.float32]:
    """Linear colour, made of codes where that is still to be done."""
    return pixels.linear if isinstance(pixels, Coded) else pixels


def seed_of(sha256: str) -> int:
    """The number of a photograph's own, from the sum of its file."""
    return int(sha256[:8], 16)


@dataclass(frozen=True)
class Window:
    """Which part of a picture an array is: ``x, y`` of its corner, and the whole's size.

    ``layout`` is the frame that the whole is seen through; None: it is as it was taken. What looks
    at neighbourhoods has its size from the uncropped picture, so that a crop changes no look.
    """

    x: float
    y: float
    width: float
    height: float
    layout: Layout | None = None

    @property
    def place(self) -> tuple[float, float, float, float]:
        """Corner and size."""
        return self.x, self.y, self.width, self.height

    @property
    def long_side(self) -> float:
        """Of the uncropped picture."""
        longest = max(self.width, self.height)
        if self.layout is None:
            return longest
        return uncropped(self.layout) * longest / max(self.layout.width, self.layout.height)

    @property
    def enlarged(self) -> float:
        """How much longer that is than the whole; less than 1 where a frame goes beyond it."""
        return self.long_side / max(self.width, self.height)

    @property
    def uncropped(self) -> bool:
        """True where the frame holds all of the picture, and nothing else."""
        if self.layout is None:
            return True
        sides = zip(
            sorted((self.layout.width, self.layout.height)), sorted(self.layout.file), strict=True
        )
        return all(abs(here - there * self.layout.scale) <= 1 for here, there in sides)

    def places(self, taken: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where places of the picture as it was taken lie in the array, in its pixels.

        Parameters
        ----------
        taken : float64 (n, 2)
            In shares of the longer side of the picture as it was taken.
        """
        corner = np.array([self.x, self.y])
        if self.layout is None:
            return np.asarray(taken * max(self.width, self.height) - corner)
        sides = np.array(self.layout.file) / max(self.layout.file)
        return np.asarray(self.layout.framed(taken / sides) * [self.width, self.height] - corner)

    def taken(self, pixels: NDArray[np.float64]) -> NDArray[np.float64]:
        """The other way: places ``(n, 2)`` in the array's pixels to shares of the longer side."""
        whole = np.asarray(pixels + np.array([self.x, self.y]))
        if self.layout is None:
            return np.asarray(whole / max(self.width, self.height))
        sides = np.array(self.layout.file) / max(self.layout.file)
        return np.asarray(self.layout.taken(whole / [self.width, self.height]) * sides)


@dataclass(frozen=True, eq=False)
class ArrayPicture:
    """A picture that lies in memory already, such as a proxy.

    Attributes
    ----------
    rgb_linear : float32 (H, W, 3)
    layout : Layout, optional
        The frame that it is seen through.
    noise_of_file : callable, optional
        Gives the noise of the file that this is a copy of; otherwise it is told from the array.
    taken_of_file : callable, optional
        Gives the small copy of the picture as it was taken, where a frame lies on this one.
    scale : float
        Its pixels for one of the file.
    trust_of_file : callable, optional
        Tells how far the file's colour can be trusted; otherwise wholly.
    """

    rgb_linear: NDArray[np.float32]
    alpha: NDArray[Any] | None = field(default=None)
    layout: Layout | None = None
    noise_of_file: Callable[[], Noise] | None = None
    taken_of_file: Callable[[], NDArray[np.float32]] | None = None
    seed: int = 0
    scale: float = 1.0
    trust_of_file: Callable[[], Trust] = lambda: FINE

    @property
    def width(self) -> int:
        return int(self.rgb_linear.shape[1])

    @property
    def height(self) -> int:
        return int(self.rgb_linear.shape[0])

    def noise(self) -> Noise:
        """Of the file that it is a copy of."""
        return self.noise_of_file() if self.noise_of_file else self._own_noise

    @cached_property
    def _own_noise(self) -> Noise:
        return measured_array(self.rgb_linear).scaled(1 / self.scale)

    def trust(self) -> Trust:
        """In the colour of the file that it is a copy of."""
        return self._trust

    @cached_property
    def _trust(self) -> Trust:
        return self.trust_of_file()

    def taken(self) -> NDArray[np.float32]:
        """Linear colour of the whole as it was taken, reduced."""
        return self.taken_of_file() if self.taken_of_file else self._own_taken

    @cached_property
    def _own_taken(self) -> NDArray[np.float32]:
        return reduced(self.rgb_linear, TAKEN_SIDE)

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """The rectangle, a view of the array."""
        return self.rgb_linear[y : y + height, x : x + width]

    def averaged(self, width: int, height: int) -> None:
        """By its light."""

    def coded(self, x: int, y: int, width: int, height: int) -> None:
        """It is light."""


class Layout(Protocol):
    """A frame as it lies on a picture of a known size.

    Attributes
    ----------
    file : (int, int)
        Width and height of the picture as it was taken.
    width, height : int
        Of the framed picture, in the file's pixels.
    as_taken : bool
        True if the framed picture is the picture itself.
    scale : float
        Pixels of the frame for one of the file, in its middle.
    """

    file: tuple[int, int]
    width: int
    height: int
    as_taken: bool
    scale: float

    def size_on(self, picture: Picture) -> tuple[int, int]:
        """Width and height of the framed picture where ``picture`` is a reduced copy."""

    def linear(self, picture: Picture, rectangle: Rectangle) -> NDArray[np.float32]:
        """Linear colour of a rectangle ``(x, y, width, height)`` of the framed picture."""

    def coded(self, picture: Picture, rectangle: Rectangle) -> Coded | None:
        """The same as the file holds it; None where pixels are not taken over as they are."""

    def plane(self, plane: NDArray[Any]) -> NDArray[Any]:
        """A plane ``(H, W)`` of the whole picture, such as its opacity, as it is framed."""

    def framed(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places ``(n, 2)``: from shares of the picture's sides to shares of the frame's."""

    def taken(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places ``(n, 2)``: from shares of the frame's sides to shares of the picture's."""


def uncropped(layout: Layout) -> float:
    """Longer side of the picture as it was taken, in pixels of the frame."""
    return max(layout.file) * layout.scale


class Geometry(Protocol):
    """How a frame lies on any picture; two that are equal frame alike."""

    def on(self, width: int, height: int) -> Layout:
        """The frame on a file of this size."""


def turned(plane: NDArray[Any], quarters: int, mirrored: bool) -> NDArray[Any]:
    """A plane ``(H, W)``, or a picture ``(H, W, 3)``, in quarter turns, clockwise, and mirrored."""
    plane = np.rot90(plane, -quarters)
    return plane[:, ::-1] if mirrored else plane


def turned_part(
    picture: Picture, quarters: int, mirrored: bool, rectangle: Rectangle
) -> NDArray[np.float32]:
    """Linear colour of a rectangle of the turned picture, read where it lies in the file."""
    there = _before_turning(picture, quarters, mirrored, rectangle)
    return turned(picture.linear(*there), quarters, mirrored)


def turned_codes(
    picture: Picture, quarters: int, mirrored: bool, rectangle: Rectangle
) -> Coded | None:
    """The same as the file holds it, see :meth:`Picture.coded`."""
    coded = picture.coded(*_before_turning(picture, quarters, mirrored, rectangle))
    if coded is None:
        return None
    return Coded(np.ascontiguousarray(turned(coded.codes, quarters, mirrored)), coded.table)


def _before_turning(
    picture: Picture, quarters: int, mirrored: bool, rectangle: Rectangle
) -> Rectangle:
    """Where a rectangle of the turned picture lies in the file."""
    x, y, width, height = rectangle
    if mirrored:
        across = picture.height if quarters % 2 else picture.width
        x = across - x - width
    for _ in range(quarters % 4):  # each step back to the file is a quarter against it
        x, y, width, height = y, -x - width, height, width
    # the corner now counts from where turning has left the file's own corner
    x += picture.width if quarters % 4 in (2, 3) else 0
    y += picture.height if quarters % 4 in (1, 2) else 0
    return x, y, width, height


@dataclass(frozen=True, eq=False)
class Framed:
    """A picture, or a reduced copy of it, seen through a frame: a picture with its own size."""

    picture: Picture
    layout: Layout

    @property
    def width(self) -> int:
        return self.layout.size_on(self.picture)[0]

    @property
    def height(self) -> int:
        return self.layout.size_on(self.picture)[1]

    @property
    def scale(self) -> float:
        return max(self.width, self.height) / max(self.layout.width, self.layout.height)

    def trust(self) -> Trust:
        """In the file's colour."""
        return self.picture.trust()

    def noise(self) -> Noise:
        """Of the file's own pixels."""
        return self.picture.noise()

    @property
    def seed(self) -> int:
        return self.picture.seed

    def taken(self) -> NDArray[np.float32]:
        """Linear colour of the whole as it was taken, reduced."""
        return self.picture.taken()

    @property
    def alpha(self) -> NDArray[Any] | None:
        """The opacity follows the frame."""
        alpha = self.picture.alpha
        return None if alpha is None else self.layout.plane(alpha)

    def linear(self, x: int, y: int, width: int, height: int) -> NDArray[np.float32]:
        """Linear colour of a rectangle of the framed picture."""
        return self.layout.linear(self.picture, (x, y, width, height))

    def averaged(self, width: int, height: int) -> None:
        """By its light."""

    def coded(self, x: int, y: int, width: int, height: int) -> Coded | None:
        """Of a frame that turns, mirrors and crops alone, what the file holds."""
        return self.layout.coded(self.picture, (x, y, width, height))


def framed(picture: Picture, geometry: Geometry, size: tuple[int, int] | None = None) -> Picture:
    """A picture as it is framed; the picture itself where that is as it was taken.

    ``size`` is that of the file, where the picture is a reduced copy of it.
    """
    layout = geometry.on(*(size or (picture.width, picture.height)))
    return picture if layout.as_taken else Framed(picture, layout)


def proxy(picture: Picture, long_side: int) -> NDArray[np.float32]:
    """The picture's linear colour, reduced to ``long_side`` by averaging light; never enlarged."""
    width, height = fitted(picture.width, picture.height, long_side)
    if (width, height) == (picture.width, picture.height):
        return np.ascontiguousarray(picture.linear(0, 0, width, height))
    quickly = picture.averaged(width, height)
    if quickly is not None:
        return quickly
    reduction = Reduction(picture.width, picture.height, long_side, channels=3)
    for top in range(0, picture.height, STRIP_ROWS):
        rows = min(STRIP_ROWS, picture.height - top)
        reduction.take(top, np.ascontiguousarray(picture.linear(0, top, picture.width, rows)))
    return reduction.result()


def copy_of(picture: Picture, long_side: int) -> ArrayPicture:
    """:func:`proxy` as a picture that says of itself what this one does."""
    return _as_copy(picture, proxy(picture, long_side))


def quick_copy_of(picture: Picture, long_side: int) -> ArrayPicture:
    """About the same, for what looks at the whole: a frame is laid on a copy.

    It costs the reduction of the file, not a frame of all its pixels.
    """
    if not isinstance(picture, Framed):
        return copy_of(picture, long_side)
    file = picture.picture
    kept = max(picture.width, picture.height) / max(file.width, file.height)
    copy = ArrayPicture(proxy(file, math.ceil(long_side / kept)))
    return _as_copy(picture, proxy(Framed(copy, picture.layout), long_side))


def taken_of(picture: Picture) -> ArrayPicture:
    """The small copy of a picture without its frame, as a picture that says the same of itself."""
    rgb_linear = picture.taken()
    layout = picture.layout
    longest = max(layout.file) if layout else max(picture.width, picture.height) / picture.scale
    return ArrayPicture(
        rgb_linear,
        noise_of_file=picture.noise,
        seed=picture.seed,
        scale=max(rgb_linear.shape[:2]) / longest,
        trust_of_file=picture.trust,
    )


def _as_copy(picture: Picture, rgb_linear: NDArray[np.float32]) -> ArrayPicture:
    reduction = max(rgb_linear.shape[:2]) / max(picture.width, picture.height)
    return ArrayPicture(
        rgb_linear,
        layout=picture.layout,
        noise_of_file=picture.noise,
        taken_of_file=picture.taken,
        seed=picture.seed,
        scale=picture.scale * reduction,
        trust_of_file=picture.trust,
    )


class Reduction:
    """Reduces light that comes strip by strip, by averaging it over each new pixel's area.

    Parameters
    ----------
    width, height : int
        Of the whole.
    long_side : int
        Of the result; never enlarged.
    channels : int
        1 or 3.
    """

    def __init__(self, width: int, height: int, long_side: int, channels: int = 1) -> None:
        self._size = fitted(width, height, long_side)
        more = () if channels == 1 else (channels,)
        self._narrow = np.empty((height, self._size[0], *more), dtype=np.float32)

    def take(self, top: int, light: NDArray[np.float32]) -> None:
        """Add the rows from ``top`` on, ``(rows, width)`` or ``(rows, width, 3)``."""
        rows = light.shape[0]
        target = self._narrow[top : top + rows]
        cv2.resize(light, (self._size[0], rows), target, interpolation=cv2.INTER_AREA)

    def result(self) -> NDArray[np.float32]:
        """The reduced light, once every row was taken in."""
        small = cv2.resize(self._narrow, self._size, interpolation=cv2.INTER_AREA)
        return np.asarray(small, dtype=np.float32)


def reduced(rgb_linear: NDArray[np.float32], long_side: int) -> NDArray[np.float32]:
    """Linear colour ``(H, W, 3)`` reduced to ``long_side`` pixels; never enlarged."""
    height, width = rgb_linear.shape[:2]
    size = fitted(width, height, long_side)
    if size == (width, height):
        return rgb_linear
    return np.asarray(cv2.resize(rgb_linear, size, interpolation=cv2.INTER_AREA), dtype=np.float32)


def fitted(width: int, height: int, long_side: int) -> tuple[int, int]:
    """Width and height that fit ``long_side`` in the same proportion, at least 1 pixel each.

    Examples
    --------
    >>> fitted(6000, 4000, 1500)
    (1500, 1000)
    """
    longest = max(width, height)
    if long_side >= longest:
        return width, height
    scale = long_side / longest
    return max(1, round(width * scale)), max(1, round(height * scale))
