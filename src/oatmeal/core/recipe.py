"""The recipe: the complete settings of a version, as a readable JSON document.

Every key is optional and does nothing at rest. :func:`read` refuses unknown keys and values out of
range with their path; :func:`require_built` refuses values whose stage does not exist yet.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, Any, Final, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from oatmeal.core import curve as curves
from oatmeal.core import formula as formulas
from oatmeal.core.ranges import CENTRES, MIN_DISTANCE_DEGREES, NAMES

FORMAT: Final = 1

#: The edges of a film or filter stay this far apart.
MIN_BAND_NM: Final = 10

#: A recipe document larger than this is refused unread.
MAX_BYTES: Final = 1_000_000


@dataclass(frozen=True)
class Problem:
    """One thing wrong with a recipe: where, and what is allowed there.

    ``column`` counts the characters of a formula from 1, where the problem is inside one.
    """

    path: str
    message: str
    column: int | None = None

    def __str__(self) -> str:
        return f"{self.path}: {self.message}" if self.path else self.message


class RecipeError(ValueError):
    """A recipe that cannot be used; :attr:`problems` says where and why."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = problems
        super().__init__("; ".join(str(problem) for problem in problems))


class Part(BaseModel):
    """Base of all parts: closed, strict about types, unchangeable once read."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class Step(Part):
    """A step of the work, with the switch that takes it out to judge it alone."""

    on: Annotated[bool, Field(description="Off is as if all settings of the step were at rest.")]


Percent = Annotated[float, Field(ge=-100, le=100)]
Amount = Annotated[float, Field(ge=0, le=100)]
Stops = Annotated[float, Field(ge=-5, le=5, description="stops")]
LiftStops = Annotated[float, Field(ge=-4, le=4, description="stops")]
ZoneStops = Annotated[float, Field(ge=-2, le=2, description="stops")]
Share = Annotated[float, Field(ge=-300, le=300, description="percent")]
Degrees = Annotated[float, Field(ge=0, lt=360, description="OKLCh hue in degrees")]
Code = Annotated[float, Field(ge=0, le=255, description="code, 0 to 255; decimals allowed")]
Unit = Annotated[float, Field(ge=0, le=1)]
Nanometres = Annotated[float, Field(ge=380, le=780, description="nm")]


class Prepare(Step):
    """What happens to the colour picture before it is mixed to grey."""

    on: bool = True
    exposure: Stops = 0.0


Weighing = Literal[
    "luminance", "luma-601", "luma-709", "average", "lightest", "darkest", "middle"
]  # fmt: skip
WEIGHINGS: Final[tuple[str, ...]] = get_args(Weighing)


class Plain(Part):
    """A conversion without choices."""

    kind: Literal["plain"]
    weighing: Weighing = "luminance"


class Channels(Part):
    """Three channels weighted; ``hold_total`` asks editors to keep the sum at 100 %."""

    kind: Literal["channels"]
    red: Share = 30.0
    green: Share = 59.0
    blue: Share = 11.0
    offset: Percent = 0.0
    hold_total: bool = True
    light: Literal["encoded", "linear"] = "encoded"


class Six(Part):
    """Six colours, each given a percentage of grey; at rest exactly the luma of BT.601."""

    kind: Literal["six"]
    red: Share = 30.0
    yellow: Share = 89.0
    green: Share = 59.0
    cyan: Share = 70.0
    blue: Share = 11.0
    magenta: Share = 41.0


class Film(Part):
    """A lens filter over a black and white film."""

    kind: Literal["film"]
    film: Literal["panchromatic", "orthochromatic", "long-red"] = "panchromatic"
    filter: Literal[
        "none", "light-yellow", "yellow", "deep-yellow", "orange", "red", "deep-red",
        "yellow-green", "green", "blue",
    ] = "none"  # fmt: skip
    strength: Annotated[float, Field(ge=0, le=3)] = 1.0
    film_edges: tuple[Nanometres, Nanometres] | None = None
    filter_edges: tuple[Nanometres, Nanometres] | None = None

    @model_validator(mode="after")
    def _edges_in_order(self) -> Film:
        for name in ("film_edges", "filter_edges"):
            edges = getattr(self, name)
            if edges is not None and edges[1] - edges[0] < MIN_BAND_NM:
                raise ValueError(f"the high edge of {name} must be {MIN_BAND_NM} nm above the low")
        return self


class Parameter(Part):
    """A named number of a formula, with the range of its slider."""

    value: Annotated[float, Field(ge=-1e6, le=1e6)]
    low: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0
    high: Annotated[float, Field(ge=-1e6, le=1e6)] = 1.0

    @model_validator(mode="after")
    def _in_range(self) -> Parameter:
        if not self.low < self.high:
            raise ValueError("high must be above low")
        if not self.low <= self.value <= self.high:
            raise ValueError(f"value must be from {self.low:g} to {self.high:g}")
        return self


class Formula(Part):
    """An expression in the channel values, with up to six named parameters."""

    kind: Literal["formula"]
    text: Annotated[str, Field(min_length=1, max_length=formulas.MAX_TEXT)]
    parameters: Annotated[dict[str, Parameter], Field(max_length=6)] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _can_be_compiled(self) -> Formula:
        self.program()
        return self

    def program(self) -> formulas.Program:
        """The formula compiled with the present values of its parameters."""
        values = {name: parameter.value for name, parameter in self.parameters.items()}
        return formulas.compile_formula(self.text, values)


Base = Annotated[Plain | Channels | Six | Film | Formula, Field(discriminator="kind")]
BASE_KINDS: Final = ("plain", "channels", "six", "film", "formula")


class Lifts(Part):
    """How far each of the eight ranges is moved, in stops."""

    red: LiftStops = 0.0
    orange: LiftStops = 0.0
    yellow: LiftStops = 0.0
    green: LiftStops = 0.0
    cyan: LiftStops = 0.0
    blue: LiftStops = 0.0
    purple: LiftStops = 0.0
    magenta: LiftStops = 0.0


class Centres(Part):
    """The hue at the middle of each range; neighbours stay at least 10 degrees apart."""

    red: Degrees = CENTRES["red"]
    orange: Degrees = CENTRES["orange"]
    yellow: Degrees = CENTRES["yellow"]
    green: Degrees = CENTRES["green"]
    cyan: Degrees = CENTRES["cyan"]
    blue: Degrees = CENTRES["blue"]
    purple: Degrees = CENTRES["purple"]
    magenta: Degrees = CENTRES["magenta"]

    @model_validator(mode="after")
    def _in_hue_order(self) -> Centres:
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

    colour: Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]
    reach: Annotated[float, Field(ge=0.01, le=0.3, description="OKLab distance")] = 0.06
    lift: LiftStops = 0.0
    name: Annotated[str, Field(max_length=80)] = ""
    on: Annotated[bool, Field(description="Off takes this colour out, to judge it alone.")] = True


class Mix(Step):
    """From colour to grey."""

    on: bool = True
    base: Base = Plain(kind="plain")
    lifts: Lifts = Lifts()
    centres: Centres = Centres()
    pale: Amount = 50.0
    picked: Annotated[tuple[Picked, ...], Field(max_length=6)] = ()
    guard: Amount | Literal["auto"] = "auto"


class Levels(Part):
    """Black, middle and white of the scale, and the limits of what comes out."""

    black: Code = 0.0
    middle: Annotated[float, Field(ge=0.1, le=9.99)] = 1.0
    white: Code = 255.0
    out_black: Code = 0.0
    out_white: Code = 255.0

    @model_validator(mode="after")
    def _in_order(self) -> Levels:
        if self.white - self.black < 1:
            raise ValueError("white must be at least 1 above black")
        if self.out_white - self.out_black < 1:
            raise ValueError("out_white must be at least 1 above out_black")
        return self


CurvePoint = tuple[Unit, Unit]


class Tone(Step):
    """The scale from black to white."""

    on: bool = True
    exposure: Stops = 0.0
    highlights: Percent = 0.0
    shadows: Percent = 0.0
    zones: tuple[
        ZoneStops, ZoneStops, ZoneStops, ZoneStops, ZoneStops,
        ZoneStops, ZoneStops, ZoneStops, ZoneStops,
    ] = (0.0,) * 9  # fmt: skip
    sparkle: Amount = 0.0
    depth: Amount = 0.0
    clarity: Percent = 0.0
    character: Literal["soft", "crisp", "deep"] = "soft"
    detail: Percent = 0.0
    veil: Percent = 0.0
    levels: Levels = Levels()
    contrast: Percent = 0.0
    curve: Annotated[tuple[CurvePoint, ...], Field(min_length=2, max_length=16)] = curves.STRAIGHT
    hold_ends: bool = False

    @model_validator(mode="after")
    def _curve_rises_in_x(self) -> Tone:
        xs = [x for x, _ in self.curve]
        if any(b - a < 1e-4 for a, b in pairwise(xs)):
            raise ValueError("the points of curve must follow each other from left to right")
        return self


class Finish(Step):
    """Sharpening, grain, toning and borders; nothing is built yet."""

    on: bool = True


class Recipe(Part):
    """The complete settings of a version."""

    oatmeal: Literal[1] = FORMAT
    name: Annotated[str, Field(max_length=200)] = ""
    prepare: Prepare = Prepare()
    mix: Mix = Mix()
    tone: Tone = Tone()
    areas: tuple[dict[str, Any], ...] = ()
    finish: Finish = Finish()

    def effective(self) -> Recipe:
        """This recipe with every step that is switched off put to rest."""
        return self.model_copy(
            update={
                "prepare": self.prepare if self.prepare.on else Prepare(on=False),
                "mix": self.mix if self.mix.on else Mix(on=False),
                "tone": self.tone if self.tone.on else Tone(on=False),
            }
        )

    def document(self) -> dict[str, Any]:
        """The JSON document: only what is not at rest, and the format's number."""
        changed = self.model_dump(mode="json", exclude_defaults=True, exclude_none=True)
        return {"oatmeal": FORMAT, **changed}

    def full_document(self) -> dict[str, Any]:
        """The JSON document with every value, those at rest too."""
        return self.model_dump(mode="json", exclude_none=True)


REST: Final = Recipe()


def read(text: str | bytes) -> Recipe:
    """Read a recipe from JSON text.

    Raises
    ------
    RecipeError
        With every problem's path and what is allowed there.

    Examples
    --------
    >>> read('{"oatmeal": 1, "tone": {"contrast": 20}}').tone.contrast
    20.0
    """
    if len(text) > MAX_BYTES:
        raise RecipeError([Problem("", "the recipe is larger than 1 MB, which no recipe is")])
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        at = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise RecipeError([Problem("", f"the recipe is not readable JSON{at}")]) from error
    return from_document(document)


def from_document(document: object) -> Recipe:
    """Read a recipe from a decoded JSON document; raises :class:`RecipeError`."""
    if not isinstance(document, Mapping):
        raise RecipeError([Problem("", "a recipe is a JSON object, { ... }")])
    nulls = [Problem(path, "null is not a value; leave the key out") for path in _nulls(document)]
    if nulls:
        raise RecipeError(nulls)
    version = document.get("oatmeal", FORMAT)
    if type(version) is int and version > FORMAT:
        raise RecipeError(
            [Problem("oatmeal", f"format {version} is newer than this program reads ({FORMAT})")]
        )
    try:
        return Recipe.model_validate_json(json.dumps(document))
    except (ValidationError, ValueError) as error:
        if not isinstance(error, ValidationError):
            raise RecipeError([Problem("", "the recipe holds a number that is none")]) from error
        raise RecipeError([_problem(dict(detail)) for detail in error.errors()]) from error


def _nulls(value: object, path: str = "") -> Iterator[str]:
    if value is None:
        yield path
    elif isinstance(value, Mapping):
        for key, inner in value.items():
            yield from _nulls(inner, f"{path}.{key}" if path else str(key))
    elif isinstance(value, list):
        for index, inner in enumerate(value):
            yield from _nulls(inner, f"{path}[{index}]")


def _problem(detail: dict[str, Any]) -> Problem:
    """Turn one of pydantic's findings into a path and a sentence of our own."""
    path = ""
    parts = list(detail["loc"])
    for place, part in enumerate(parts):
        if place == 2 and parts[:2] == ["mix", "base"] and part in BASE_KINDS:
            continue  # the union's tag is no key of the document
        if part in ("float", "literal['auto']", "constrained-float"):
            continue
        path += f"[{part}]" if isinstance(part, int) else f".{part}" if path else str(part)
    context, kind = detail.get("ctx", {}), detail["type"]
    if kind == "extra_forbidden":
        return Problem(path, "there is no such setting")
    if kind in ("greater_than_equal", "less_than_equal", "less_than"):
        return Problem(path, f"{_shown(detail['input'])} is not allowed; {_bounds(parts)}")
    if kind == "literal_error":
        return Problem(path, f"{_shown(detail['input'])} is not one of {context['expected']}")
    if kind == "union_tag_invalid":
        expected = context["expected_tags"]
        return Problem(f"{path}.kind", f"{context['tag']!r} is not one of {expected}")
    if kind == "value_error":
        error = context["error"]
        if isinstance(error, formulas.FormulaError):
            return Problem(f"{path}.text", str(error), error.column)
        return Problem(path, str(error))
    if kind.startswith("float_") or kind == "finite_number":
        return Problem(path, f"{_shown(detail['input'])} is not a number; {_bounds(parts)}")
    return Problem(path, detail["msg"][:1].lower() + detail["msg"][1:])


def _shown(value: object) -> str:
    text = json.dumps(value, default=str)
    return text if len(text) <= 40 else text[:37] + "..."


def _bounds(parts: list[str | int]) -> str:
    """The allowed range of the number at ``parts``, looked up in the published schema."""
    root = Recipe.model_json_schema()
    node: Any = root
    for part in parts:
        node = _resolve(root, node)
        if isinstance(part, int):
            prefix = node.get("prefixItems")
            node = prefix[part] if prefix else node.get("items", {})
        elif "discriminator" in node and part in node["discriminator"]["mapping"]:
            node = {"$ref": node["discriminator"]["mapping"][part]}
        elif part in node.get("properties", {}):
            node = node["properties"][part]
        node = _resolve(root, node)
    if "anyOf" in node:
        node = next((option for option in node["anyOf"] if "minimum" in option), node)
    low = node.get("minimum")
    high = node.get("maximum", node.get("exclusiveMaximum"))
    if low is None and high is None:
        return "give a number"
    return f"give a number from {low:g} to {high:g}"


def _resolve(root: dict[str, Any], node: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in node:
        node = root["$defs"][node["$ref"].rsplit("/", 1)[1]]
    return node


def schema() -> dict[str, Any]:
    """The JSON Schema of a recipe document (draft 2020-12)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **Recipe.model_json_schema(),
        "title": "Oatmeal recipe",
    }


def unbuilt(recipe: Recipe) -> list[Problem]:
    """What the recipe asks for that this version of Oatmeal cannot do yet."""
    if recipe.areas:
        return [Problem("areas", "the Areas step is not built yet in this version of Oatmeal")]
    return []


def require_built(recipe: Recipe) -> Recipe:
    """Return the recipe if every stage it needs exists, else raise :class:`RecipeError`."""
    problems = unbuilt(recipe)
    if problems:
        raise RecipeError(problems)
    return recipe
