"""The settings of the frame and of the lens: what of the picture is kept, and how it stands.

Places are shares of width and height of the picture as it was taken: upright, uncropped.
"""

import math
import re
from functools import lru_cache
from typing import Annotated, Any, Final, Literal, Self

import numpy as np
from pydantic import AfterValidator, Field, model_validator

from oatmeal.core.recipe.parts import Part, Stops, Unit
from oatmeal.core.recipe.settings import setting, shared

#: The ratio of the picture itself, turned with it.
TAKEN: Final = "taken"

#: Width over height, and its inverse, at the most.
WIDEST: Final = 20.0

#: There are this many plumb lines, and as many level ones, at the most.
MOST_LINES: Final = 8

#: Half the diagonal of a frame of 24 x 36 mm, for focal lengths of that format.
HALF_DIAGONAL_MM: Final = math.hypot(36, 24) / 2

#: Nothing that is farther from the middle of the view than this can be set right.
_WIDEST_VIEW_DEGREES: Final = 85.0

#: A line's ends lie this far apart at the least, in shares of the picture's sides.
SHORTEST_LINE: Final = 0.01

#: A lens's bend is known up to this radius, in half diagonals of what it should have drawn.
BEND_REACH: Final = 1.6

Place = tuple[Unit, Unit]
Degrees = Annotated[float, Field(description="degrees")]
Coefficient = Annotated[float, Field(ge=-2, le=2)]
Coefficients = tuple[Coefficient, Coefficient, Coefficient]

_RATIO: Final = re.compile(r"(\d{1,5}(?:\.\d{1,4})?):(\d{1,5}(?:\.\d{1,4})?)")


def _long(line: tuple[Place, Place]) -> tuple[Place, Place]:
    (x, y), (other_x, other_y) = line
    if math.hypot(other_x - x, other_y - y) < SHORTEST_LINE:
        raise ValueError("a line needs two ends that lie apart: draw it longer")
    return line


Line = Annotated[tuple[Place, Place], AfterValidator(_long)]
Lines = Annotated[tuple[Line, ...], Field(max_length=MOST_LINES)]


def _known_ratio(text: str) -> str:
    ratio_of(text, 1.0)
    return text


def ratio_of(text: str, taken: float) -> float:
    """Width over height that a text such as ``4:5`` names; ``taken`` gives that of the picture.

    Raises
    ------
    ValueError
        For anything else, and for what is too narrow.

    Examples
    --------
    >>> ratio_of("4:5", 1.5)
    0.8
    """
    if text == TAKEN:
        return taken
    found = _RATIO.fullmatch(text)
    sides = [float(side) for side in found.groups()] if found else [0.0]
    if min(sides) <= 0:
        raise ValueError('a ratio is "taken" or two numbers above 0, such as "4:5"')
    ratio = sides[0] / sides[1]
    if not 1 / WIDEST <= ratio <= WIDEST:
        raise ValueError(f"a ratio is from 1:{WIDEST:g} to {WIDEST:g}:1")
    return ratio


class Frame(Part):
    """What of the picture is kept, and how it stands."""

    turned: Literal["none", "right", "over", "left"] = setting(
        "turned", rest="none", scale="stays",
        meaning="quarter turns, clockwise: one, two, three",
    )  # fmt: skip
    mirrored: bool = setting("mirrored", rest=False, scale="stays", meaning="left and right")
    angle: Degrees = setting(
        "level", -45, 45, unit="°", step=0.1, scale="stays",
        meaning="turns the picture clockwise",
    )  # fmt: skip
    tip: Degrees = setting(
        "tip", -40, 40, unit="°", step=0.1, scale="stays",
        meaning="how far the camera looked up; uprights are set right by it",
    )  # fmt: skip
    swing: Degrees = setting(
        "swing", -40, 40, unit="°", step=0.1, scale="stays",
        meaning="how far the camera looked aside; level lines are set right by it",
    )  # fmt: skip
    uprights: float = setting(
        "uprights set right", 0, 100, rest=100.0, unit="%", scale="stays",
        meaning="how much of the tip",
    )  # fmt: skip
    levels: float = setting(
        "level lines set right", 0, 100, rest=100.0, unit="%", scale="stays",
        meaning="how much of the swing",
    )  # fmt: skip
    focal: float = setting(
        "focal length", 10, 1200, rest=35.0, unit="mm", scale="stays",
        meaning="of a 24 x 36 mm frame; with it tip and swing become a perspective",
    )  # fmt: skip
    plumb: Lines = setting(
        "plumb lines", rest=(), kind="lines", silent=True, scale="stays",
        meaning="ends of lines that should be upright; tip and angle were found from them",
    )  # fmt: skip
    level: Lines = setting(
        "level lines", rest=(), kind="lines", silent=True, scale="stays",
        meaning="ends of lines that should be level",
    )  # fmt: skip
    ratio: Annotated[str, AfterValidator(_known_ratio)] = setting(
        "ratio", rest=TAKEN, scale="stays", meaning='width to height: "taken", or such as "4:5"',
    )  # fmt: skip
    free: bool = setting(
        "free ratio", rest=False, silent=True, scale="stays",
        meaning="dragging a side changes the ratio",
    )  # fmt: skip
    centre: Place = setting(
        "frame", 0, 1, rest=(0.5, 0.5), names=("frame across", "frame down"), bound=False,
        step=0.01, scale="stays", meaning="the place in the middle of the frame",
    )  # fmt: skip
    size: float = setting(
        "frame size", 2, 200, rest=100.0, unit="%", scale="stays",
        meaning="of the largest frame of this ratio that lies inside the picture",
    )  # fmt: skip
    inside: bool = setting(
        "kept inside the picture", rest=True, scale="stays",
        meaning="otherwise corners may be empty; they are white",
    )  # fmt: skip

    @model_validator(mode="after")
    def _can_be_seen(self) -> Self:
        away = math.degrees(
            math.acos(math.cos(math.radians(self.tip)) * math.cos(math.radians(self.swing)))
        )
        view = math.degrees(math.atan(HALF_DIAGONAL_MM / self.focal))
        if away + view > _WIDEST_VIEW_DEGREES:
            raise ValueError(
                "tip and swing turn part of the picture away: take less of them, or a longer "
                "focal length"
            )
        return self


class Known(Part):
    """What the database of lenses tells of the lens, as it was when it was looked up."""

    name: Annotated[str, Field(max_length=200)] = setting(
        "lens data", rest="", scale="stays", silent=True, meaning="lens, focal length and aperture"
    )
    bend: Coefficients = setting(
        "known bend", rest=(0.0, 0.0, 0.0), kind="coefficients", scale="stays",
        meaning="k in 1 + k1 r² + k2 r⁴ + k3 r⁶, r in half diagonals",
    )  # fmt: skip
    falloff: Coefficients = setting(
        "known falloff", rest=(0.0, 0.0, 0.0), kind="coefficients", scale="stays",
        meaning="gain 1 + v1 r² + v2 r⁴ + v3 r⁶",
    )  # fmt: skip
    red: float = setting(
        "known red fringes", -1, 1, unit="%", step=0.01, scale="stays",
        meaning="how much larger the lens drew red than green",
    )  # fmt: skip
    blue: float = setting(
        "known blue fringes", -1, 1, unit="%", step=0.01, scale="stays",
        meaning="how much larger the lens drew blue than green",
    )  # fmt: skip


class Lens(Part):
    """What the lens did to the picture, to be undone."""

    bend: float = setting(
        "lens bend", -12, 20, unit="%", step=0.1, scale="stays",
        meaning="how far the corners were pushed outward, of half the diagonal",
    )  # fmt: skip
    falloff: Stops = setting(
        "lens corners", -2, 3, unit="stops", step=0.05, scale="stays",
        meaning="light given back at the corners",
    )  # fmt: skip
    red: float = setting(
        "red fringes", -0.4, 0.4, unit="%", step=0.01, scale="stays",
        meaning="how much larger red was drawn than green",
    )  # fmt: skip
    blue: float = setting(
        "blue fringes", -0.4, 0.4, unit="%", step=0.01, scale="stays",
        meaning="how much larger blue was drawn than green",
    )  # fmt: skip
    use_known: bool = setting(
        "lens data used",
        rest=True,
        scale="stays",
        meaning="what is known of the lens is undone too",
    )
    known: Known = Field(default_factory=shared(Known))
    developed: Annotated[str, Field(max_length=200)] = setting(
        "developed by", rest="", scale="stays", silent=True,
        meaning="what made colours of a raw file when this recipe was begun",
    )  # fmt: skip

    def bend_terms(self) -> tuple[float, float, float]:
        """By hand and known together: k1, k2, k3."""
        known = self.known.bend if self.use_known else (0.0, 0.0, 0.0)
        return known[0] + self.bend / 100, known[1], known[2]

    def fringes(self) -> tuple[float, float]:
        """How much larger red and blue were drawn than green, as factors."""
        red, blue = (self.known.red, self.known.blue) if self.use_known else (0.0, 0.0)
        return 1 + (self.red + red) / 100, 1 + (self.blue + blue) / 100

    def gain(self, radius_squared: Any) -> Any:
        """Factor on light at a squared radius in half diagonals of the picture as taken."""
        gain = 2.0 ** (self.falloff * radius_squared)
        if self.use_known:
            v1, v2, v3 = self.known.falloff
            gain = gain * (1 + radius_squared * (v1 + radius_squared * (v2 + radius_squared * v3)))
        return gain

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        k1, k2, k3 = self.bend_terms()
        if not (k1 or k2 or k3 or any(self.known.falloff)):
            return self  # as nearly every recipe, and all of them are checked often
        if _folds(k1, k2, k3):
            raise ValueError("a bend like this would fold the picture: take less of it")
        if (self.gain(np.linspace(0, 1, 17)) <= 0).any():
            raise ValueError("a falloff like this would leave no light")
        return self


@lru_cache(maxsize=16)
def _folds(k1: float, k2: float, k3: float) -> bool:
    """True where a bend lays two places of the picture on one."""
    radius = np.linspace(0, BEND_REACH, 65)
    square = radius**2
    drawn = radius * (1 + square * (k1 + square * (k2 + square * k3)))
    reached = np.flatnonzero(drawn >= 1)
    return not len(reached) or bool((np.diff(drawn[: reached[0] + 1]) <= 0).any())
