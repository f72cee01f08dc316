"""The settings of Tone: the scale from black to white."""

from itertools import pairwise
from typing import Annotated, Any, Final, Literal, Self

from pydantic import Field, model_validator

from oatmeal.core.recipe.curves import STRAIGHT
from oatmeal.core.recipe.parts import Part, Step, Stops, Unit
from oatmeal.core.recipe.settings import setting

#: Black and white of the scale stay this far apart, in codes.
NEAREST_CODES: Final = 1.0

_ZONE_NAMES: Final = tuple(
    f"zone {name}" for name in ("I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX")
)

Percent = float
Amount = float
Code = Annotated[float, Field(description="code, 0 to 255; decimals allowed")]
ZoneStops = Annotated[float, Field(ge=-2, le=2, description="stops")]
CurvePoint = tuple[Unit, Unit]

#: The groups of what works on light and on neighbourhoods, and of what becomes one table.
OF_LIGHT: Final = ("light", "local contrast")
OF_SCALE: Final = ("points", "contrast and curve")


class Levels(Part):
    """Black, middle and white of the scale, and the limits of what comes out."""

    black: Code = setting("black", 0, 255, trial=6, within=(0, 120), area=True)
    middle: float = setting(
        "middle", 0.1, 9.99, 1.0, step=0.01, trial=0.12, scale="power",
        meaning="gamma of the middle",
    )  # fmt: skip
    white: Code = setting("white", 0, 255, 255.0, trial=8, within=(140, 255), area=True)
    out_black: Code = setting("darkest printed", 0, 255, trial=4, within=(0, 120))
    out_white: Code = setting("lightest printed", 0, 255, 255.0, trial=4, within=(140, 255))

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.white - self.black < NEAREST_CODES - 1e-9:
            raise ValueError("white must be at least 1 above black")
        if self.out_white - self.out_black < NEAREST_CODES - 1e-9:
            raise ValueError("out_white must be at least 1 above out_black")
        return self

    @classmethod
    def settled(cls, values: dict[str, Any]) -> dict[str, Any]:
        """Black gives way at the end of the scale, and white gives way to black."""
        kept = dict(values)
        for low, high in (("black", "white"), ("out_black", "out_white")):
            kept[low] = min(kept[low], 255 - NEAREST_CODES)
            kept[high] = max(kept[high], kept[low] + NEAREST_CODES)
        return kept


class Tone(Step):
    """The scale from black to white."""

    title, hint, key, screen = "Tone", "contrast", "t", True

    on: bool = True
    exposure: Stops = setting(
        "exposure", -5, 5, unit="stops", group="exposure", step=0.05, trial=0.4, area=True,
        meaning="of the mixed grey",
    )  # fmt: skip
    highlights: Percent = setting(
        "highlights", -100, 100, group="light", trial=20, area=(-100, 100),
        meaning="-100 brings the picture's white to L* 92 and spreads what is near it; above 0 "
        "lights rise and white stays; below L* 58 nothing moves",
    )  # fmt: skip
    shadows: Percent = setting(
        "shadows", -100, 100, group="light", trial=20, area=(-100, 100),
        meaning="100 opens what is below L* 55 by up to 2 stops, black stays below L* 10; -100 "
        "deepens it by up to 1.5",
    )  # fmt: skip
    zones: tuple[
        ZoneStops, ZoneStops, ZoneStops, ZoneStops, ZoneStops,
        ZoneStops, ZoneStops, ZoneStops, ZoneStops,
    ] = setting(
        "zones", -2, 2, (0.0,) * 9, unit="stops", group="light", step=0.05, trial=0.3, signed=True,
        names=_ZONE_NAMES, bound=False, meaning="gains of zones I to IX",
    )  # fmt: skip
    sparkle: Amount = setting(
        "sparkle", 0, 100, group="local contrast", trial=20, signed=True, area=(0, 200),
        meaning="middle band of the low tones, twice at 100",
    )  # fmt: skip
    depth: Amount = setting(
        "depth", 0, 100, group="local contrast", trial=20, signed=True, area=(0, 100),
        meaning="darkens lights from L* 55 on, most between 70 and 90; white stays",
    )  # fmt: skip
    clarity: Percent = setting(
        "clarity", -100, 100, group="local contrast", trial=20, area=(-100, 200),
        meaning="middle band: 60 makes texture 1.6 times as strong, 100 about twice",
    )  # fmt: skip
    character: Literal["soft", "crisp", "deep"] = setting(
        "character",
        rest="soft",
        group="local contrast",
        trial=1,
        scale="stays",
        meaning="of clarity",
    )
    detail: Percent = setting(
        "detail", -100, 100, group="local contrast", trial=20, area=(-100, 200),
        meaning="fine band, 2.5 times at 100",
    )  # fmt: skip
    veil: Percent = setting(
        "veil", -100, 100, group="local contrast", trial=20, area=(-100, 100),
        meaning="100 removes the picture's veil wholly, negative values lay one over it",
    )  # fmt: skip
    levels: Levels = setting("levels", rest=Levels, group="points")
    contrast: Percent = setting(
        "contrast", -100, 100, group="contrast and curve", trial=15, area=True,
        meaning="slope at L* 50 is 2^(contrast/50); the ends stay",
    )  # fmt: skip
    curve: Annotated[tuple[CurvePoint, ...], Field(min_length=2, max_length=16)] = setting(
        "curve", rest=STRAIGHT, group="contrast and curve", trial=1, scale="curve", kind="curve",
        meaning="2 to 16 points `[x, y]`, 0 to 1: a monotone cubic on codes / 255",
    )  # fmt: skip
    hold_ends: bool = setting(
        "hold ends", rest=False, group="contrast and curve", trial=1, scale="stays",
        meaning="bend smoothly over the last 5 % of the scale instead of clipping",
    )  # fmt: skip

    @model_validator(mode="after")
    def _curve_rises_in_x(self) -> Self:
        xs = [x for x, _ in self.curve]
        if any(b - a < 1e-4 for a, b in pairwise(xs)):
            raise ValueError("the points of curve must follow each other from left to right")
        return self
