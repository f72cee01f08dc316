"""The stages of Mix."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour.kernels import colours as colours_of
from oatmeal.core.guard import Analysis, analyse
from oatmeal.core.maps import Masks
from oatmeal.core.mix import lifting, transitions
from oatmeal.core.mix.transitions import Transitions, find_transitions
from oatmeal.core.picture import Coded, Pixels, light_of
from oatmeal.core.recipe import REST, Recipe
from oatmeal.core.stages import Place, stage

Plane = NDArray[np.float32]


@stage("analysis", needs=("prepared",))
def analysis(recipe: Recipe, place: Place, rgb_linear: Plane) -> Analysis:
    """The colours that lifts are computed from."""
    return analyse(rgb_linear)


def _edges(recipe: Recipe) -> bool:
    """True where edges are to be lifted as mixtures."""
    return transitions.looked_for(recipe.mix, bool(recipe.areas.lifted))


def at_once(recipe: Recipe, place: Place, source: Pixels) -> Plane | None:
    """The lifted grey straight from the prepared colour, where no area has a say."""
    if recipe.areas.lifted:
        return None
    return lifting.at_once(source, recipe.mix)


def base_at_once(recipe: Recipe, place: Place, source: Pixels) -> Plane | None:
    """The first grey of a file's codes; light has its own way to it."""
    resting = recipe.mix.model_copy(update={"lifts": REST.mix.lifts, "picked": ()})
    return lifting.at_once(source, resting) if isinstance(source, Coded) else None


@stage("base", reads=("mix.base",), needs=("prepared",), at_once=("prepared", base_at_once))
def base(recipe: Recipe, place: Place, rgb_linear: Plane) -> Plane:
    """The first grey: linear luminance, float32 ``(H, W)``."""
    return lifting.base_grey(rgb_linear, recipe.mix.base)


_LIFTS = ("mix.lifts", "mix.picked")


@stage(
    "area_lifts",
    reads=("areas.lifted", "mix.centres"),
    needs=("analysis", "masks"),
    when=lambda recipe: bool(recipe.areas.lifted),
)
def area_lifts(recipe: Recipe, place: Place, colours: Analysis, found: Masks) -> Plane | None:
    """Stops that areas add to those of the ranges."""
    return lifting.area_lifts(recipe, found, colours)


@stage(
    "lifted",
    reads=(*_LIFTS, "mix.centres", "mix.pale"),
    needs=("base", "analysis", "area_lifts"),
    moved_by=(*_LIFTS, "areas.lifted"),
    at_once=("prepared", at_once),
)
def lifted(
    recipe: Recipe, place: Place, grey: Plane, colours: Analysis, more: Plane | None
) -> Plane:
    """Linear grey with lifts of ranges and of picked colours, float32 ``(H, W)``."""
    return lifting.lifted(grey, colours, recipe.mix, more)


def _found(place: Place, planes: tuple[Plane, Plane, Plane]) -> Transitions | None:
    scale = place.picture.scale
    return find_transitions(planes, transitions.step_of(scale)) if scale else None


def transitions_at_once(recipe: Recipe, place: Place, source: Pixels) -> Transitions | None:
    """The same where nobody asks for hues, from the prepared colour."""
    return _found(place, colours_of(light_of(source)))


@stage(
    "transitions",
    needs=("analysis",),
    when=_edges,
    margin=lambda recipe, place: transitions.step_of(place.picture.scale) + 1,
    at_once=("prepared", transitions_at_once),
)
def found_transitions(recipe: Recipe, place: Place, colours: Analysis) -> Transitions | None:
    """The pixels that edges between two colours cross; none in a sample of colours."""
    return _found(place, (colours.lightness, colours.a_axis, colours.b_axis))


@stage(
    "mixed",
    needs=("lifted", "base", "transitions"),
    idle=lambda recipe: not _edges(recipe),
)
def mixed(
    recipe: Recipe, place: Place, grey: Plane, plain: Plane, found: Transitions | None
) -> Plane:
    """Linear grey after the Mix step, float32 ``(H, W)``."""
    return grey if found is None else transitions.evened(grey, plain, found)


@stage("mixed_peak", reads=("mix",), needs=("brightest",))
def mixed_peak(recipe: Recipe, place: Place, brightest: float) -> float:
    """The highest linear grey that the mix can give."""
    return lifting.peak(recipe.mix, brightest)


STAGES = (analysis, base, area_lifts, lifted, found_transitions, mixed, mixed_peak)
