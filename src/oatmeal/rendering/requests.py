"""What a page asks of a photograph, and what it gets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.picture import Rectangle
from oatmeal.core.recipe import Recipe

#: What can be sent: the finished grey, the plain conversion, the colour original, the colour
#: picture as it is prepared, what is touched, what moves with a place's tone, what a kept
#: colour reaches, an area's mask, where sharpness acts.
LAYERS: Final = (
    "grey", "plain", "colour", "prepared", "touched", "zoned", "kept", "mask", "edges", "opacity",
)  # fmt: skip

#: Through which frame: the recipe's; the whole picture, set right by the lens alone, that a frame
#: is laid on; or as it was taken.
FRAMINGS: Final = ("framed", "open", "taken")

#: A region may ask for this many pixels at the most.
MAX_REGION_PIXELS: Final = 16_000_000


@dataclass(frozen=True)
class Strip:
    """A test strip: the recipe of each band, and how the bands stand."""

    recipes: Sequence[Recipe]
    upright: bool = True


@dataclass(frozen=True)
class Request:
    """What a page asks of a photograph.

    Attributes
    ----------
    recipe : Recipe
    side : int
        Longer side of the whole frame in pixels.
    layers : sequence of str
        Which of :data:`LAYERS` to send.
    region : (x, y, width, height), optional
        A rectangle of the framed picture's own pixels instead of the whole frame.
    trace : str or int, optional
        Name of a range, or number of a picked colour, whose height is wanted for every lift.
    touched : (x, y) or int, optional
        What the layer ``touched`` shows: the pixels that move with a spot (shares of width and
        height), or those that a picked colour (its number) reaches; of ``kept`` the number of the
        kept colour.
    strip : Strip, optional
        Cut the whole frame into bands with other values of one setting.
    pins : sequence of (x, y)
        Places to read, in shares of width and height of the picture as it was taken.
    framing : str
        Of :data:`FRAMINGS`; what is shown, while figures are of what the recipe frames.
    measured : bool
        False if no figures are wanted.
    area : str, optional
        Id of the area whose mask is wanted as a layer.
    contours : sequence of str
        Ids of the areas whose contours are wanted.
    """

    recipe: Recipe
    side: int = 1600
    layers: Sequence[str] = ("grey",)
    region: Rectangle | None = None
    trace: str | int | None = None
    touched: tuple[float, float] | int | None = None
    strip: Strip | None = None
    pins: Sequence[tuple[float, float]] = ()
    framing: str = "framed"
    measured: bool = True
    area: str | None = None
    contours: Sequence[str] = ()


@dataclass(frozen=True)
class Frame:
    """Rendered layers of one size, and what was measured.

    Attributes
    ----------
    width, height : int
        Of the layers.
    size : (width, height)
        Of what is shown of the photograph, in the file's pixels.
    region : (x, y, width, height) or None
        Which part of that the layers are; None for the whole.
    layers : list of (name, uint8 array)
    figures : dict
        Of the whole picture as the recipe frames it; none where none were wanted.
    """

    width: int
    height: int
    size: tuple[int, int]
    region: Rectangle | None
    layers: list[tuple[str, NDArray[np.uint8]]]
    figures: dict[str, Any]
