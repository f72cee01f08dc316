"""The settings of Mix: from colour to grey."""

from typing import Annotated, Any, Final, Literal, Self, get_args

from pydantic import Field, model_validator

from oatmeal.core.colour.ranges import CENTRES, MIN_DISTANCE_DEGREES, NAMES
from oatmeal.core.recipe import formula as formulas
from oatmeal.core.recipe.parts import VISIBLE_NM, Nanometres, Part, Step, Stops
from oatmeal.core.recipe.settings import setting

#: The edges of a film or filter stay this far apart.
MIN_BAND_NM: Final = 10

#: So many colours may be picked.
MOST_PICKED: Final = 6

Weighing = Literal[
    "luminance", "luma-601", "luma-709", "average", "lightest", "darkest", "middle"
]  # fmt: skip
WEIGHINGS: Final[tuple[str, ...]] = get_args(Weighing)

Share = Annotated[float, Field(description="percent")]
Degrees = Annotated[float, Field(ge=0, lt=360, description="OKLCh hue in degrees")]


class Plain(Part):
    """A conversion without choices."""

    kind: Literal["plain"]
    weighing: Weighing = setting(
        "plain", rest="luminance", scale="stays", meaning="how the channels are weighed"
    )


def _share(words: str, rest: float) -> Any:
    return setting(words, -300, 300, rest, unit="%", trial=20)


class Channels(Part):
    """Three channels weighted; ``hold_total`` asks editors to keep the sum at 100 %."""

    kind: Literal["channels"]
    red: Share = _share("red", 30.0)
    green: Share = _share("green", 59.0)
    blue: Share = _share("blue", 11.0)
    offset: Share = setting("offset", -100, 100, unit="%", trial=5, meaning="100 adds white")
    hold_total: bool = setting("hold 100 %", rest=True, scale="stays", silent=True)
    light: Literal["encoded", "linear"] = setting(
        "channels weighed", rest="encoded", scale="stays", meaning="which values are weighed"
    )


class Six(Part):
    """Six colours, each given a percentage of grey; at rest exactly the luma of BT.601."""

    kind: Literal["six"]
    red: Share = _share("red", 30.0)
    yellow: Share = _share("yellow", 89.0)
    green: Share = _share("green", 59.0)
    cyan: Share = _share("cyan", 70.0)
    blue: Share = _share("blue", 11.0)
    magenta: Share = _share("magenta", 41.0)


Filter = Literal[
    "none", "light-yellow", "yellow", "deep-yellow", "orange", "red", "deep-red",
    "yellow-green", "green", "blue", "purple",
]  # fmt: skip


class Film(Part):
    """One or two lens filters over a black and white film."""

    kind: Literal["film"]
    film: Literal["panchromatic", "orthochromatic", "long-red"] = setting(
        "film", rest="panchromatic", trial=1, scale="stays"
    )
    filter: Filter = setting("filter", rest="none", trial=1, scale="stays")
    second: Filter = setting(
        "second filter", rest="none", trial=1, scale="stays", meaning="stacked on the first"
    )
    strength: float = setting(
        "filter strength", 0, 3, 1.0, step=0.05, trial=0.4, origin=0.0,
        meaning="2 is two such filters stacked",
    )  # fmt: skip
    film_edges: tuple[Nanometres, Nanometres] | None = setting(
        "film edges", *VISIBLE_NM, None, unit="nm", scale="stays", trial=15, bound=False,
        meaning="own edges, low and high",
    )  # fmt: skip
    filter_edges: tuple[Nanometres, Nanometres] | None = setting(
        "filter edges", *VISIBLE_NM, None, unit="nm", scale="stays", trial=15, bound=False,
        meaning="own edges, low and high",
    )  # fmt: skip

    @model_validator(mode="after")
    def _edges_in_order(self) -> Self:
        for name in ("film_edges", "filter_edges"):
            edges = getattr(self, name)
            if edges is not None and edges[1] - edges[0] < MIN_BAND_NM:
                raise ValueError(f"the high edge of {name} must be {MIN_BAND_NM} nm above the low")
        return self


class Parameter(Part):
    """A named number of a formula, with the range of its slider."""

    value: Annotated[float, Field(ge=-1e6, le=1e6)] = setting(
        "{} of the formula", rest=..., trial=0.1, scale="stays", meaning="the number itself"
    )
    low: Annotated[float, Field(ge=-1e6, le=1e6)] = setting(
        "lowest {}", scale="stays", silent=True, meaning="where its slider begins"
    )
    high: Annotated[float, Field(ge=-1e6, le=1e6)] = setting(
        "highest {}", rest=1.0, scale="stays", silent=True, meaning="where its slider ends"
    )

    @model_validator(mode="after")
    def _in_range(self) -> Self:
        if not self.low < self.high:
            raise ValueError("high must be above low")
        if not self.low <= self.value <= self.high:
            raise ValueError(f"value must be from {self.low:g} to {self.high:g}")
        return self


class Formula(Part):
    """An expression in the channel values, with up to six named parameters."""

    kind: Literal["formula"]
    text: Annotated[str, Field(min_length=1, max_length=formulas.MAX_TEXT)] = setting(
        "formula", rest=..., scale="stays"
    )
    parameters: Annotated[dict[str, Parameter], Field(max_length=6)] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _can_be_compiled(self) -> Self:
        self.program()
        return self

    def program(self) -> formulas.Program:
        """The formula compiled with the present values of its parameters."""
        values = {name: parameter.value for name, parameter in self.parameters.items()}
        return formulas.compile_formula(self.text, values)


Base = Annotated[Plain | Channels | Six | Film | Formula, Field(discriminator="kind")]
BASE_KINDS: Final = ("plain", "channels", "six", "film", "formula")


def _lift(name: str) -> Any:
    return setting(f"{name} lift", -4, 4, unit="stops", step=0.1, trial=0.5, area=True)


class Lifts(Part):
    """How far each of the eight ranges is moved, in stops."""

    red: Stops = _lift("red")
    orange: Stops = _lift("orange")
    yellow: Stops = _lift("yellow")
    green: Stops = _lift("green")
    cyan: Stops = _lift("cyan")
    blue: Stops = _lift("blue")
    purple: Stops = _lift("purple")
    magenta: Stops = _lift("magenta")


def _centre(name: str) -> Any:
    return setting(
        f"{name} centre", rest=CENTRES[name], unit="°", trial=5, scale="stays", bound=False
    )


class Centres(Part):
    """The hue at the middle of each range; neighbours stay at least 10 degrees apart."""

    red: Degrees = _centre("red")
    orange: Degrees = _centre("orange")
    yellow: Degrees = _centre("yellow")
    green: Degrees = _centre("green")
    cyan: Degrees = _centre("cyan")
    blue: Degrees = _centre("blue")
    purple: Degrees = _centre("purple")
    magenta: Degrees = _centre("magenta")

    @model_validator(mode="after")
    def _in_hue_order(self) -> Self:
        turned = 0.0
        for name, following in zip(NAMES, (*NAMES[1:], NAMES[0]), strict=True):
            distance = (getattr(self, following) - getattr(self, name)) % 360
            turned += distance
            if distance < MIN_DISTANCE_DEGREES:
                raise ValueError(f"{name} and {following} must be at least 10 degrees apart")
        if turned > 360.5:
            raise ValueError("the centres must stay in hue order, red to magenta")
        return self


class Picked(Part):
    """A lift for colours like one taken from the picture."""

    colour: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")] = setting(
        "{} itself", rest=..., scale="stays", kind="colour", meaning="`#rrggbb`"
    )
    reach: Annotated[float, Field(description="OKLab distance")] = setting(
        "{} reach", 0.01, 0.3, 0.06, step=0.005, trial=0.02, scale="stays"
    )
    lift: Stops = setting("{} lift", -4, 4, unit="stops", step=0.1, trial=0.5)
    name: Annotated[str, Field(max_length=80)] = setting(
        "name of {}", rest="", scale="stays", silent=True, meaning="of the picked colour"
    )
    on: Annotated[bool, Field(description="Off takes this colour out, to judge it alone.")] = (
        setting("{}", rest=True, scale="stays")
    )


class Mix(Step):
    """From colour to grey."""

    title, hint, key, screen = "Mix", "to grey", "m", True

    on: bool = True
    base: Base = setting("base", rest=lambda: Plain(kind="plain"), group="base")
    lifts: Lifts = setting("lifts", rest=Lifts, group="lifts")
    centres: Centres = setting("centres", rest=Centres, group="lifts")
    pale: float = setting(
        "pale colours", 0, 100, 50.0, group="lifts", trial=20, scale="stays",
        meaning="how far lifts reach into pale colours",
    )  # fmt: skip
    picked: Annotated[tuple[Picked, ...], Field(max_length=MOST_PICKED)] = setting(
        "picked colours", rest=(), group="picked colours"
    )
    guard: Annotated[float, Field(ge=0, le=100)] | Literal["auto"] = setting(
        "guard", 0, 100, "auto", group="lifts", trial=25, scale="stays", bound=False,
        meaning="how coarse the file's colour is taken to be, and drawn anew from light; 0 is off",
    )  # fmt: skip
