"""The core's constants that the pages draw with, so that no script repeats them."""

from __future__ import annotations

from dataclasses import asdict
from functools import cache
from typing import Any, get_args

from jinja2.utils import htmlsafe_json_dumps
from markupsafe import Markup

from oatmeal.core.colour import ranges
from oatmeal.core.mix import film
from oatmeal.core.recipe import (
    DECLARED,
    REST,
    STEPS,
    Area,
    Base,
    Channels,
    Film,
    Formula,
    Plain,
    Six,
    carry,
    formula,
    schema,
)
from oatmeal.core.recipe.areas import (
    MOST_AREAS,
    PART_NUMBERS,
    Alike,
    Colours,
    Ellipse,
    Fade,
    MaskPart,
    Outline,
    Strokes,
    Tones,
)
from oatmeal.core.recipe.clean import LARGEST_SPOT, MOST_SPOTS, SMALLEST_SPOT
from oatmeal.core.recipe.curves import SHIPPED as CURVES
from oatmeal.core.recipe.examples import CHANNEL_STARTS, FINISH_STARTS, FORMULA_EXAMPLES
from oatmeal.core.recipe.finish import MOST_KEPT
from oatmeal.core.recipe.frame import MOST_LINES, SHORTEST_LINE, WIDEST
from oatmeal.core.recipe.mix import MIN_BAND_NM, MOST_PICKED, Weighing
from oatmeal.core.recipe.threads import NEAREST_FEET
from oatmeal.core.recipe.tone import NEAREST_CODES
from oatmeal.core.recipe.words import BASE_NAMES
from oatmeal.core.seeing import measure
from oatmeal.core.seeing.charts import hex_of_hue, plain_chart, zone_codes
from oatmeal.exports.finished import USUAL_PATTERN
from oatmeal.photofile.output import CHOICES, DEEP, FORM, FORMATS, SINGLE, WITH_ALPHA


def step_words() -> list[dict[str, Any]]:
    """The steps of a recipe in the order of the work, as tabs and dialogs name them."""
    return [
        {
            "id": name, "title": step.title, "hint": step.hint, "screen": step.screen,
            "colour": step.colour, "key": step.key,
        }
        for name, step in STEPS.items()
    ]  # fmt: skip


def declared(key: str) -> dict[str, Any]:
    """A declared setting as a cell shows it; ``key`` names a base's kind.

    Returns
    -------
    dict
        ``path`` in a recipe, ``label``, ``low``, ``high``, ``step``, ``suffix``, ``choices`` and
        ``meaning``.
    """
    one = DECLARED[key]
    owner, _, inside = key.partition(":")
    path = f"{owner}.{inside.split('.', 1)[1]}" if inside else key
    step = int(one.step) if one.step == int(one.step) else one.step
    words = one.words.replace("{}", path.rsplit(".", 2)[-2])
    suffix = f" {one.unit}" if one.unit else ""
    return {
        "path": path, "label": words, "low": one.low, "high": one.high, "step": step,
        "suffix": suffix, "choices": one.choices, "meaning": one.meaning.replace("`", ""),
    }  # fmt: skip


@cache
def settings() -> dict[str, Any]:
    """Every declared setting by its path, as scripts and templates read it."""
    return {path: one.public() for path, one in DECLARED.items()}


def part_numbers(kind: str) -> list[dict[str, Any]]:
    """What of a part of a mask can be typed: its key, words, limits, and the factor shown."""
    definitions = schema()["$defs"]
    part = definitions[kind.capitalize()]["properties"]
    found = []
    for key, words, factor in PART_NUMBERS[kind]:
        name, _, place = key.partition(".")
        node = part[name]
        node = node["prefixItems"][int(place)] if place else node
        low, high = node["minimum"], node.get("maximum", node.get("exclusiveMaximum"))
        found.append(
            {"key": key, "words": words, "low": low * factor, "high": high * factor,
             "factor": factor}
        )  # fmt: skip
    return found


def new_parts() -> dict[str, Any]:
    """A part of each kind that is drawn, with nothing drawn yet."""
    kinds: dict[str, type[MaskPart]] = {
        "strokes": Strokes, "fade": Fade, "ellipse": Ellipse, "outline": Outline, "alike": Alike,
        "tones": Tones, "colours": Colours,
    }  # fmt: skip
    needed = {"outline": {"path": "0 0"}}
    return {
        kind: model.model_validate({"kind": kind, **needed.get(kind, {})}).model_dump(
            mode="json", by_alias=True, exclude_none=True
        )
        for kind, model in kinds.items()
    }


def brush_limits() -> dict[str, tuple[float, float]]:
    """From and to of what a brush is set to."""
    stroke = schema()["$defs"]["Stroke"]["properties"]
    return {
        key: (stroke[key]["minimum"], stroke[key]["maximum"])
        for key in ("radius", "hardness", "flow", "max", "hold")
    }


def form_told() -> dict[str, Any]:
    """What the form of finished files begins with, and what it may be."""
    resolutions, qualities = (
        (CHOICES[key].low, CHOICES[key].high) for key in ("resolution", "quality")
    )
    return {
        "standard": {**FORM, "size": 0, "unit": "px", "pattern": USUAL_PATTERN},
        "deep": DEEP, "single": SINGLE,
        "smallest": CHOICES["long_side"].low, "resolutions": resolutions,
        "qualities": qualities,
    }  # fmt: skip


@cache
def vocabulary() -> dict[str, Any]:
    """Everything that the bench draws with and that does not depend on a photograph."""
    bases: list[Base] = [
        Film(kind="film"),
        Channels(kind="channels"),
        Six(kind="six"),
        Formula(kind="formula", text="0.3*r + 0.59*g + 0.11*b"),
        Plain(kind="plain"),
    ]
    return {
        "rest": REST.full_document(),
        "steps": step_words(),
        "settings": settings(),
        "base_names": BASE_NAMES,
        "bases": {base.kind: base.model_dump(mode="json", exclude_none=True) for base in bases},
        "weighings": {name: plain_chart(name) for name in get_args(Weighing)},
        "films": film.FILMS,
        "filters": film.FILTERS,
        "spectrum": film.spectral_colours(),
        "channel_starts": CHANNEL_STARTS,
        "formula_examples": FORMULA_EXAMPLES,
        "formula_names": [*formula.VARIABLES, *formula.FUNCTIONS],
        "centres": ranges.CENTRES,
        "centre_gap": ranges.MIN_DISTANCE_DEGREES,
        "band_gap": MIN_BAND_NM,
        "level_gap": NEAREST_CODES,
        "most_picked": MOST_PICKED,
        "most_kept": MOST_KEPT,
        "most_lines": MOST_LINES,
        "shortest_line": SHORTEST_LINE,
        "widest_ratio": WIDEST,
        "most_spots": MOST_SPOTS,
        "smallest_spot": SMALLEST_SPOT,
        "largest_spot": LARGEST_SPOT,
        "finish_starts": FINISH_STARTS,
        "most_areas": MOST_AREAS,
        "new_area": Area(id="a0").model_dump(mode="json", by_alias=True, exclude={"id"}),
        "new_parts": new_parts(),
        "brush": brush_limits(),
        "part_numbers": {kind: part_numbers(kind) for kind in PART_NUMBERS},
        "feet_apart": NEAREST_FEET,
        "hues": [hex_of_hue(hue) for hue in range(0, 360, 4)],
        "ranges": list(ranges.NAMES),
        "groups": [
            {"name": one.name, "step": one.step, "stays": one.stays} for one in carry.GROUPS
        ],
        "curves": {name: [list(point) for point in CURVES[name]] for name in CURVES},
        "zone_codes": zone_codes(),
        "codes": [asdict(reading) for reading in measure.code_readings()],
        "formats": list(FORMATS),
        "transparent_formats": sorted(WITH_ALPHA),
    }


@cache
def vocabulary_text() -> Markup:
    """The vocabulary as JSON for a page."""
    return htmlsafe_json_dumps(vocabulary(), separators=(",", ":"))
