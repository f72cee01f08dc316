"""What requests may hold: one model for each kind of body.

A view names its model with :func:`oatmeal.web.parsing.takes`; whatever does not fit is refused
there, with a sentence, before the view begins.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Final, Literal, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, PlainValidator, create_model

from oatmeal.core.colour import ranges
from oatmeal.core.join import Choices
from oatmeal.core.reading import MOST_PAIRS
from oatmeal.core.recipe import Recipe, from_document
from oatmeal.core.recipe.areas import MOST_AREAS
from oatmeal.core.recipe.carry import STRONGEST, WEAKEST
from oatmeal.core.recipe.clean import LARGEST_SPOT, SMALLEST_SPOT
from oatmeal.core.recipe.frame import Line
from oatmeal.core.recipe.paths import Path
from oatmeal.core.seeing.points import BUDGET
from oatmeal.core.seeing.strip import MAX_BANDS
from oatmeal.exports.finished import USUAL_PATTERN
from oatmeal.exports.printingmap import FORMATS as MAP_FORMATS
from oatmeal.library.history import PAGE
from oatmeal.library.recipes import USUAL_GROUPS
from oatmeal.library.versions import LONGEST_LABEL, MAX_PINS
from oatmeal.photofile.output import CHOICES, FORM, Output, output_of
from oatmeal.rendering.applying import MOST_FRAMES
from oatmeal.rendering.requests import FRAMINGS, LAYERS

#: Ids and revisions are columns of 32 bits.
_MOST: Final = 2**31 - 1

Number = Annotated[int, Field(ge=0, le=_MOST)]
Numbers = Annotated[list[Number], Field(max_length=100_000)]
Share = Annotated[float, Field(ge=0, le=1)]
Place = tuple[Share, Share]
Colour = Annotated[str, Field(pattern=r"^#[0-9a-f]{6}$")]
AreaId = Annotated[str, Field(max_length=24)]


def _recipe(document: object) -> Recipe:
    return from_document(document)


#: A whole recipe; what is wrong inside is told as for a recipe file.
Wanted = Annotated[Recipe, PlainValidator(_recipe, json_schema_input_type=Recipe)]


class Body(BaseModel):
    """A JSON object with these keys and no others; numbers are numbers, texts are texts."""

    model_config = ConfigDict(strict=True, extra="forbid", frozen=True, allow_inf_nan=False)


class Nothing(Body):
    """An empty object, or no body at all."""


class Name(Body):
    """``{name}``."""

    name: str


class Title(Body):
    """``{title}``."""

    title: str


class Photographs(Body):
    """``{photographs}``, by their numbers."""

    photographs: Numbers


class Versions(Body):
    """``{versions}``, by their numbers."""

    versions: Numbers


class Revision(Body):
    """``{revision}`` that the page holds."""

    revision: Number


class Saving(Revision):
    """A recipe to be stored."""

    recipe: Wanted


class Pin(Body):
    """A fixed meter reading."""

    x: Share
    y: Share
    label: Annotated[str, Field(max_length=LONGEST_LABEL)] = ""


class Pins(Revision):
    """The pins of a version."""

    pins: Annotated[list[Pin], Field(max_length=MAX_PINS)]


class Going(Revision):
    """A step of the history that shall be in force."""

    step: Number


class Listing(Body):
    """How many of the newest entries of a list."""

    count: Annotated[int, Field(ge=1, le=_MOST)] = PAGE


class Keeping(Body):
    """A name under which a state is kept; an empty one lets it go."""

    kept: str


class Differing(Body):
    """Two recipes."""

    before: Wanted
    after: Wanted


class Band(Body):
    """A test strip: a setting and the value of each band."""

    path: Annotated[str, Field(max_length=200)]
    values: Annotated[list[Any], Field(max_length=MAX_BANDS)]
    upright: bool = True


class Wish(Body):
    """A frame."""

    recipe: Wanted
    side: int
    layers: Annotated[
        list[Literal[LAYERS]],  # type: ignore[valid-type]
        Field(max_length=len(LAYERS)),
    ] = ["grey"]
    region: tuple[int, int, int, int] | None = None
    trace: int | Literal[ranges.NAMES] | None = None  # type: ignore[valid-type]
    touched: Place | int | None = None
    strip: Band | None = None
    pins: Annotated[list[Place], Field(max_length=MAX_PINS)] = []
    framing: Literal[FRAMINGS] = "framed"  # type: ignore[valid-type]
    measured: bool = True
    area: AreaId | None = None
    contours: Annotated[
        list[Annotated[str, Field(max_length=24)]], Field(max_length=MOST_AREAS)
    ] = []


class Of(Body):
    """A recipe alone."""

    recipe: Wanted


class Spot(Of):
    """A place in the picture."""

    x: Share
    y: Share


class Healed(Body):
    """A spot, and its own place among the recipe's, if it stands there."""

    recipe: Wanted
    path: Path
    radius: Annotated[float, Field(ge=SMALLEST_SPOT, le=LARGEST_SPOT)]
    number: Number | None = None


class Drawn(Of):
    """A line drawn on the picture, in shares of its sides as it was taken."""

    line: Line


class Balance(Of):
    """How strongly colours are parted."""

    strength: Annotated[float, Field(ge=0, le=100)] = 70


class Points(Of):
    """How much may clip, in percent."""

    budget: Annotated[float, Field(ge=0, le=5)] = 100 * BUDGET


class Pair(Of):
    """Two of the picture's colours."""

    colours: tuple[Colour, Colour]


class Ready(Body):
    """What is prepared ahead."""

    side: int | None = None
    closeup: bool = True


class MapForm(Body):
    """What a printing map is written as."""

    format: Literal[MAP_FORMATS] = "pdf"  # type: ignore[valid-type]


if TYPE_CHECKING:
    _Form = Body
else:
    _kinds = get_type_hints(Output)
    _called = {one.flag or name: _kinds[name] for name, one in CHOICES.items()}
    _fields = {name: (kind, FORM[name]) for name, kind in _called.items()}
    _Form = create_model("_Form", __base__=Body, **_fields)


class Form(_Form):
    """How a finished file is written, of all that is declared for the command's output.

    A size of 0 keeps that of the photograph.
    """

    pattern: Annotated[str, Field(max_length=1000)] = USUAL_PATTERN

    @property
    def output(self) -> Output:
        """The form; raises PhotoFileError for what no file can be."""
        given = self.model_dump()
        return output_of({**given, "size": given["size"] or None})


class Look(Form):
    """A part of a finished file; ``x`` and ``y`` are where its middle lies."""

    x: Share = 0.5
    y: Share = 0.5
    width: int
    height: int


class Batch(Form):
    """Finished files of several photographs."""

    photographs: Numbers


class Planning(Body):
    """What shall travel from a recipe to photographs."""

    source: Annotated[str, Field(alias="from", max_length=300)]
    photographs: Numbers
    groups: list[str]
    strength: Annotated[float, Field(ge=0, le=STRONGEST)] = 1
    own: list[Literal["exposure", "points"]] = []


class Planned(Saving, extra="ignore"):
    """The planned recipe of one version, as the plan told it."""

    version: Number


class Applying(Body):
    """Planned recipes to be stored."""

    frames: Annotated[list[Planned], Field(max_length=MOST_FRAMES)]
    words: Annotated[str, Field(max_length=500)]


class Applied(Body):
    """One step that was applied."""

    version: Number
    step: Number


class Undoing(Body):
    """What was applied."""

    done: Annotated[list[Applied], Field(max_length=MOST_FRAMES)]


class Joining(Body):
    """Frames to be joined, and how."""

    photographs: Annotated[list[Number], Field(max_length=100)]
    choices: Choices = Choices()


class PrintSource(Body):
    """A print: a photograph of the library, or a file that was sent to be looked at."""

    photograph: Number | None = None
    file: Annotated[str, Field(pattern="^[0-9a-f]{64}$")] | None = None


class PrintPair(Body):
    """A photograph and its print."""

    photograph: Number
    print: PrintSource


class Prints(Body):
    """Prints to be read, of the photograph at hand first; or only a look, with its strength."""

    recipe: Wanted
    pairs: Annotated[list[PrintPair], Field(min_length=1, max_length=MOST_PAIRS)]
    look: bool = False
    strength: Annotated[float, Field(ge=0, le=100)] = 70


class Levelling(Body):
    """A line drawn on a join that is looked at: ``x, y, x, y`` in shares."""

    token: Annotated[str, Field(pattern="^[0-9a-f]{32}$")]
    line: tuple[Share, Share, Share, Share]


class Keep(Body):
    """A recipe to be kept by name."""

    name: str
    recipe: Wanted
    groups: list[str] = list(USUAL_GROUPS)


class File(Body):
    """A recipe file: its name and its text."""

    file: str
    text: str


class Describing(Body):
    """What is said of a recipe."""

    name: str | None = None
    note: str | None = None
    tags: str | None = None


class AtImport(Body):
    """The recipe that new photographs begin with; none without."""

    id: Number | None = None


_Source = Annotated[str, Field(max_length=300)]


class Onto(Body):
    """A photograph's recipe, and what shall be carried onto it: all that is kept unless named."""

    recipe: Wanted
    sources: list[_Source] | None = None
    strength: Annotated[float, Field(ge=WEAKEST, le=STRONGEST)] = 1


class Using(Revision):
    """A recipe by its source."""

    source: _Source
