"""The settings of Areas: parts of the picture, where they lie and what is done there.

Lengths are shares of the longer side of the picture as it was taken, upright and uncropped; places
count from its upper left corner.
"""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Any, Final, Literal, Self

from pydantic import AfterValidator, Field, create_model, model_validator

from oatmeal.core.recipe.finish import Finish
from oatmeal.core.recipe.mix import Lifts
from oatmeal.core.recipe.parts import Part, Step
from oatmeal.core.recipe.paths import Path, places
from oatmeal.core.recipe.settings import Declared, Setting, setting, shared
from oatmeal.core.recipe.threads import Threads
from oatmeal.core.recipe.tone import OF_SCALE, Tone

MOST_AREAS: Final = 60
MOST_PARTS: Final = 40
MOST_STROKES: Final = 2000
MOST_GROUPS: Final = 20

#: Black and white of an area are added to those of the scale, up to so many codes.
MOST_CODES: Final = 64

Id = Annotated[str, Field(pattern=r"^[a-z0-9]{1,24}$")]
Name = Annotated[str, Field(max_length=80)]
Share = Annotated[float, Field(ge=-1, le=2)]
Place = tuple[Share, Share]
Away = Annotated[float, Field(ge=-1, le=1)]
Percent = Annotated[float, Field(ge=0, le=100)]
Radius = Annotated[float, Field(ge=0.002, le=0.5)]
Reach = Annotated[float, Field(ge=0.01, le=2)]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


def _pressures(text: str) -> str:
    numbers = text.split(" ") if text else []
    if not all(number.isdecimal() and int(number) <= 100 for number in numbers):
        raise ValueError("pressure is whole numbers from 0 to 100, one for each place of the path")
    return text


Pressure = Annotated[str, Field(max_length=8_000), AfterValidator(_pressures)]


class Stroke(Part):
    """One stroke of a brush: a coat of paint over what the mask holds so far."""

    path: Path
    radius: Radius = 0.03
    hardness: Annotated[float, Field(ge=0, le=95, description="% of the radius")] = 0.0
    flow: Annotated[float, Field(ge=1, le=100, description="% a coat")] = 5.0
    max: Percent = 100.0
    erase: bool = False
    hold: Percent = 0.0
    pressure: Pressure = ""

    @model_validator(mode="after")
    def _pressed_everywhere(self) -> Self:
        if self.pressure and self.pressure.count(" ") != self.path.count(" ") // 2:
            raise ValueError("pressure needs one number for each place of the path")
        return self


class MaskPart(Part):
    """What all parts of a mask have: how they join the parts before them."""

    how: Literal["add", "subtract", "intersect"] = "add"
    opposite: bool = False
    on: bool = True


class Strokes(MaskPart):
    """Painted with a brush."""

    kind: Literal["strokes"]
    strokes: Annotated[tuple[Stroke, ...], Field(max_length=MOST_STROKES)] = ()


class Fade(MaskPart):
    """A straight gradient: all at ``from``, nothing beyond ``to``."""

    kind: Literal["fade"]
    begin: Place = Field((0.5, 0.1), alias="from")
    end: Place = Field((0.5, 0.4), alias="to")


class Ellipse(MaskPart):
    """An ellipse; ``feather`` is the share of the radii over which it fades toward its edge."""

    kind: Literal["ellipse"]
    centre: Place = (0.5, 0.3)
    radii: tuple[
        Annotated[float, Field(ge=0.002, le=2)], Annotated[float, Field(ge=0.002, le=2)]
    ] = (0.2, 0.1)
    angle: Annotated[float, Field(ge=-180, le=180, description="degrees, clockwise")] = 0.0
    feather: Annotated[float, Field(ge=1, le=100, description="%")] = 50.0


class Outline(MaskPart):
    """What a drawn line encloses."""

    kind: Literal["outline"]
    path: Path
    feather: Annotated[float, Field(ge=0.0005, le=0.5)] = 0.01


class Alike(MaskPart):
    """Everything that looks like what the strokes lie over, within a reach of them."""

    kind: Literal["alike"]
    this: Annotated[tuple[Path, ...], Field(max_length=MOST_STROKES)] = ()
    others: Annotated[tuple[Path, ...], Field(max_length=MOST_STROKES)] = Field((), alias="not")
    reach: Reach = 0.35
    tolerance: Percent = 20.0
    softness: Percent = 50.0
    joined: bool = True


class Tones(MaskPart):
    """A range of tones of the original, in L*."""

    kind: Literal["tones"]
    low: Percent = 0.0
    high: Percent = 35.0
    soft: tuple[Percent, Percent] = (10.0, 10.0)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low > self.high:
            raise ValueError("the range of tones must end above where it begins")
        return self


class Colours(MaskPart):
    """A range of hues of the original, or colours like a picked one."""

    kind: Literal["colours"]
    hue: Annotated[float, Field(ge=0, lt=360, description="degrees")] = 255.0
    width: Annotated[float, Field(ge=1, le=180, description="degrees")] = 20.0
    soft: Annotated[float, Field(ge=0, le=180, description="degrees")] = 15.0
    colour: Colour | None = None
    reach: Annotated[float, Field(ge=0.01, le=0.3, description="OKLab distance")] = 0.06


class OfArea(MaskPart):
    """The mask of another area, followed as it changes."""

    kind: Literal["area"]
    area: Id


AnyPart = Annotated[
    Strokes | Fade | Ellipse | Outline | Alike | Tones | Colours | OfArea,
    Field(discriminator="kind"),
]
PART_KINDS: Final = (
    "strokes", "fade", "ellipse", "outline", "alike", "tones", "colours", "area",
)  # fmt: skip


#: Numbers of a part that are typed: key, words, and the factor between what is shown and stored.
PART_NUMBERS: Final = {
    "ellipse": (
        ("feather", "feather %", 1), ("radii.0", "width %", 100), ("radii.1", "height %", 100),
        ("angle", "turned °", 1),
    ),
    "outline": (("feather", "feather %", 100),),
    "alike": (
        ("reach", "reach %", 100), ("tolerance", "tolerance", 1), ("softness", "softness", 1),
    ),
    "tones": (
        ("low", "from L*", 1), ("high", "to L*", 1), ("soft.0", "soft below", 1),
        ("soft.1", "soft above", 1),
    ),
    "colours": (
        ("hue", "hue °", 1), ("width", "width °", 1), ("soft", "soft °", 1),
        ("reach", "reach of the colour", 1),
    ),
}  # fmt: skip


class _Numbers(Part):
    tone: Tone
    finish: Finish


#: The settings of Tone and Finish that an area may have a value for, by the names of those.
ADDED: Final = {
    path.removesuffix(".amount").rpartition(".")[2]: one
    for path, one in Declared(_Numbers.model_json_schema()).items()
    if one.area
}
_OF_TONE: Final = tuple(name for name, one in ADDED.items() if one.path.startswith("tone."))
LIGHT: Final = tuple(name for name in _OF_TONE if ADDED[name].group not in OF_SCALE)
SCALE: Final = tuple(name for name in _OF_TONE if ADDED[name].group in OF_SCALE)
#: What is laid on the print.
LAID_ON: Final = tuple(name for name in ADDED if name not in _OF_TONE)

#: What an area's own clarity has where it says nothing: the character of everywhere.
SAME: Final = "same"


def _added(one: Setting) -> Any:
    """A value that is added to a setting: its limits, its unit and its step."""
    codes = one.path.startswith("tone.levels.")
    high = MOST_CODES if codes else one.high
    low = one.low if one.low else -(high or 0)
    return setting(
        one.words, low, high, unit=one.unit, step=one.step, trial=one.trial,
        meaning=f"{'codes, ' if codes else ''}added to `{one.path}` inside",
    )  # fmt: skip


class KeptHere(Part):
    """The picture's own colour inside an area."""

    amount: float = setting(
        "kept colour", 0, 100, step=5, trial=20, meaning="the picture's own colour, let through"
    )
    hue: float = setting(
        "kept colour turned", -180, 180, unit="°", step=5, trial=30, scale="stays",
        meaning="OKLCh hue",
    )  # fmt: skip
    strength: float = setting(
        "kept colour's strength", 0, 300, rest=100.0, unit="%", step=5, trial=30, scale="stays"
    )
    bright: float = setting(
        "kept colour's own brightness", 0, 100, unit="%", step=5, trial=25,
        meaning="share of the colour picture's luminance in the greys there",
    )  # fmt: skip


class Painted(Part):
    """A colour laid over the greys of an area, as a hand-coloured print has it."""

    amount: float = setting(
        "painted colour", 0, 100, step=5, trial=20, meaning="laid over the greys; their light stays"
    )
    colour: Colour = setting(
        "painted colour itself", rest="#b06a3c", kind="colour", scale="stays",
        meaning="`#rrggbb`, of which hue and OKLab chroma over lightness count",
    )  # fmt: skip


if TYPE_CHECKING:
    _Added = Part
else:
    _fields = {name: (float, _added(one)) for name, one in ADDED.items()}
    _Added = create_model("_Added", __base__=Part, **_fields)


class Values(_Added):
    """What is done inside an area, on top of what is done everywhere.

    Of each setting of Tone and Finish that is declared with ``area`` there is one that is added.
    """

    character: Literal["same", "soft", "crisp", "deep"] = setting(
        "character", rest=SAME, scale="stays",
        meaning="of the clarity that is added; `same`: that of everywhere",
    )  # fmt: skip
    lifts: Lifts = Field(default=Lifts.at_rest())
    threads: Threads = Field(default=Threads.at_rest())
    kept: KeptHere = Field(default=KeptHere.at_rest())
    paint: Painted = Field(default=Painted.at_rest())


#: An area's values at rest.
UNTOUCHED: Final = Values.at_rest()


class Group(Part):
    """Areas that change together."""

    id: Id
    name: Name = setting("name of {}", rest="", scale="stays", silent=True)
    on: bool = setting("{}", rest=True, scale="stays")
    amount: float = setting(
        "strength", 0, 150, rest=100.0, unit="%", step=5, trial=20, scale="stays",
        meaning="of all values of its areas",
    )  # fmt: skip
    move: tuple[Away, Away] = setting(
        "place", rest=(0.0, 0.0), kind="mask", scale="stays", meaning="by how much it is moved"
    )


class Area(Part):
    """A part of the picture with settings of its own."""

    id: Id
    name: Name = setting("name of {}", rest="", scale="stays", silent=True)
    on: bool = setting("{}", rest=True, scale="stays")
    kind: Literal["area", "shield"] = setting(
        "used as", rest="area", scale="stays", meaning="a shield keeps all other areas out"
    )
    group: Annotated[str, Field(pattern=r"^[a-z0-9]{0,24}$")] = setting(
        "group", rest="", scale="stays", meaning="id of the group that it belongs to"
    )
    amount: float = setting(
        "strength", 0, 150, rest=100.0, unit="%", step=5, trial=20, scale="stays",
        meaning="of all its values",
    )  # fmt: skip
    move: tuple[Away, Away] = setting(
        "place", rest=(0.0, 0.0), kind="mask", scale="stays", meaning="by how much it is moved"
    )
    opposite: bool = setting(
        "opposite", rest=False, scale="stays", meaning="the inverse of its mask"
    )
    mask: Annotated[tuple[AnyPart, ...], Field(max_length=MOST_PARTS)] = setting(
        "mask", rest=(), kind="mask", scale="stays", meaning="its parts, see below"
    )
    values: Values = Field(default_factory=shared(Values))

    def moves(self) -> bool:
        """True where it could change the picture."""
        return self.on and self.values != UNTOUCHED and self.amount > 0

    def follows(self) -> Iterator[str]:
        """Ids of the areas whose masks it takes."""
        return (part.area for part in self.mask if isinstance(part, OfArea))


class Areas(Step):
    """Parts of the picture with settings of their own."""

    title, hint, key, screen = "Areas", "parts", "a", True

    on: bool = True
    groups: Annotated[tuple[Group, ...], Field(max_length=MOST_GROUPS)] = setting(
        "groups", rest=(), group="areas"
    )
    list: Annotated[tuple[Area, ...], Field(max_length=MOST_AREAS)] = setting(
        "areas", rest=(), group="areas"
    )

    @model_validator(mode="after")
    def _all_found(self) -> Self:
        known, groups = [one.id for one in self.list], [one.id for one in self.groups]
        for ids, what in ((known, "areas"), (groups, "groups")):
            if len(set(ids)) < len(ids):
                raise ValueError(f"two {what} have the same id")
        for one in self.list:
            if one.group and one.group not in groups:
                raise ValueError(f"{called(one)} belongs to the group {one.group}, which is none")
            for other in one.follows():
                if other not in known:
                    raise ValueError(f"{called(one)} takes the mask of {other}, which is no area")
        self._none_in_a_circle()
        return self

    def _none_in_a_circle(self) -> None:
        left = {one.id: set(one.follows()) for one in self.list}
        while left:
            free = [name for name, needs in left.items() if not needs & left.keys()]
            if not free:
                names = ", ".join(called(self.by_id(name)) for name in left)
                raise ValueError(f"masks follow each other in a circle: {names}")
            for name in free:
                del left[name]

    def by_id(self, name: str) -> Area:
        """The area with this id; StopIteration where there is none."""
        return next(one for one in self.list if one.id == name)

    def moving(self) -> tuple[Area, ...]:
        """The areas that could change the picture."""
        off = {one.id for one in self.groups if not one.on or not one.amount}
        return tuple(one for one in self.list if one.moves() and one.group not in off)

    def changing(self, *values: str) -> tuple[Any, ...]:
        """Areas that change one of these values: id, strength, and the values."""
        return tuple(
            (one.id, self.amount_of(one), *(getattr(one.values, name) for name in values))
            for one in self.moving()
            if any(getattr(one.values, name) != getattr(UNTOUCHED, name) for name in values)
        )

    # what stages read of the areas: of two that are equal their results are equal

    @property
    def outlines(self) -> tuple[Any, ...]:
        """Where all areas lie, and which of them keep others out."""
        laid = tuple((one.id, one.mask, one.opposite, self.move_of(one)) for one in self.list)
        return (laid, tuple(one.id for one in self.shields())) if laid else ()

    @property
    def shapes(self) -> tuple[Any, ...]:
        """The same, and which of them are in use."""
        return (*self.outlines, tuple(one.id for one in self.moving())) if self.list else ()

    @property
    def light(self) -> tuple[Any, ...]:
        """What they do to light and neighbourhoods."""
        return self.changing(*LIGHT, "character")

    @property
    def scale(self) -> tuple[Any, ...]:
        """What they do to the scale."""
        return self.changing(*SCALE)

    @property
    def lifted(self) -> tuple[Any, ...]:
        """What they do to the ranges' lifts."""
        return self.changing("lifts")

    @property
    def led(self) -> tuple[Any, ...]:
        """What they do to the threads."""
        return self.changing("threads")

    @property
    def coloured(self) -> tuple[Any, ...]:
        """Where they let the picture's own colour through, or lay one over."""
        found = self.changing("kept", "paint")
        return tuple(one for one in found if any(colour.amount for colour in one[2:]))

    @property
    def laid_on(self) -> tuple[Any, ...]:
        """What they add to what is laid on the print."""
        return self.changing(*LAID_ON)

    @property
    def grained(self) -> tuple[Any, ...]:
        """What they add to the grain."""
        return self.changing("grain")

    @property
    def papered(self) -> tuple[Any, ...]:
        """What they add to the paper."""
        return self.changing("paper")

    def shields(self) -> tuple[Area, ...]:
        """The areas that keep others out."""
        off = {one.id for one in self.groups if not one.on}
        return tuple(
            one for one in self.list if one.kind == "shield" and one.on and one.group not in off
        )

    def group_of(self, one: Area) -> Group | None:
        """The group of an area."""
        return next((group for group in self.groups if group.id == one.group), None)

    def amount_of(self, one: Area) -> float:
        """Strength of an area with that of its group, 0 to 2.25."""
        group = self.group_of(one)
        return one.amount / 100 * (group.amount / 100 if group else 1.0)

    def move_of(self, one: Area) -> tuple[float, float]:
        """By how much an area's places are moved, with its group."""
        group = self.group_of(one)
        x, y = group.move if group else (0.0, 0.0)
        return one.move[0] + x, one.move[1] + y


def called(one: Area | Group) -> str:
    """What an area is called where it has no name."""
    return one.name or one.id


def strokes_of(one: Area) -> int:
    """How many strokes a mask has."""
    total = 0
    for part in one.mask:
        if isinstance(part, Strokes):
            total += len(part.strokes)
        elif isinstance(part, Alike):
            total += len(part.this) + len(part.others)
    return total


__all__ = [
    "ADDED",
    "LIGHT",
    "MOST_AREAS",
    "MOST_CODES",
    "MOST_PARTS",
    "MOST_STROKES",
    "PART_KINDS",
    "SCALE",
    "Alike",
    "AnyPart",
    "Area",
    "Areas",
    "Colours",
    "Ellipse",
    "Fade",
    "Group",
    "MaskPart",
    "OfArea",
    "Outline",
    "Stroke",
    "Strokes",
    "Tones",
    "Values",
    "called",
    "places",
    "strokes_of",
]  # fmt: skip
