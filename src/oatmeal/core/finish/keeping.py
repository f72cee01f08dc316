"""The picture's own colour, let through the greys: a trace everywhere, colours that are kept.

Colour over lightness is kept and brought to the luminance of the grey, as toning does
(:mod:`.toning`): hue and C / L stay, so that a lightened flower is as red as it was. Where a kept
colour is to be as bright as it was, the grey itself is led to the colour picture's luminance,
before anything of the print is made of it.
"""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels as colour
from oatmeal.core.colour import lab_of_hex
from oatmeal.core.finish import kernels
from oatmeal.core.guard import Analysis
from oatmeal.core.maps import FULL, Box, Masks, not_empty
from oatmeal.core.recipe import Recipe
from oatmeal.core.recipe.areas import KeptHere
from oatmeal.core.recipe.finish import Kept, KeptColours

#: A painted colour darker than this OKLab lightness counts as if it were as light.
_LEAST_LIGHT: Final = 0.1

Plane = NDArray[np.float32]
Lab = tuple[Plane, Plane, Plane]


def kept(lab: Lab, told: Analysis, recipe: Recipe, masks: Masks) -> Plane:
    """The share of each pixel that keeps its colour, and that colour; see :func:`.kernels.kept`.

    Parameters
    ----------
    lab : three float32 (H, W)
        OKLab of the prepared colour picture.
    told : Analysis
        The colours that kept ones are told by.
    recipe : Recipe
        As it acts: the colours that are kept, and the areas that keep theirs.
    masks : mapping
        Of the areas, by their ids.
    """
    settings = recipe.finish.kept
    near = told.lightness, told.a_axis, told.b_axis
    found = kernels.kept(lab, near, settings.trace / 100, _table(settings))
    whole = Box(0, 0, found.shape[1], found.shape[0])
    for name, amount, own, paint in recipe.areas.coloured:
        if not not_empty(masks, name):
            continue
        here = masks[name].box.inside(whole)
        mask, into = masks[name].plane, found[here]
        if own.amount:
            share = amount * own.amount / 100 / FULL
            planes = tuple(plane[here] for plane in lab)
            kernels.keep_inside(planes, mask, share, _turned(own), own.bright / 100, into)
        if paint.amount:
            light, a, b = lab_of_hex(paint.colour)
            tint = (a / max(light, _LEAST_LIGHT), b / max(light, _LEAST_LIGHT))
            kernels.paint_inside(mask, amount * paint.amount / 100 / FULL, tint, into)
    return found


def _table(settings: KeptColours) -> Plane:
    rows = []
    for one in settings.colours:
        if one.moves:
            steep = math.log2(math.e) / (2 * one.reach**2)
            own = one.amount / 100, *_turned(one), one.bright / 100
            rows.append((*lab_of_hex(one.colour), steep, *own))
    return np.array(rows, dtype=np.float32).reshape(-1, 8)


def _turned(one: Kept | KeptHere) -> tuple[float, float]:
    """Cosine and sine of the angle a colour is turned by, times its strength."""
    turn, strength = np.radians(one.hue), one.strength / 100
    return float(strength * np.cos(turn)), float(strength * np.sin(turn))


def brightened(encoded: Plane, found: Plane, rgb_linear: Plane) -> Plane:
    """Encoded greys that are as bright as the colour picture where that is kept.

    Parameters
    ----------
    encoded : float32 (H, W)
    found : float32 (H, W, 4)
        Of :func:`kept`.
    rgb_linear : float32 (H, W, 3)
        The prepared colour picture.
    """
    own = colour.encoded(colour.luminance(rgb_linear))
    return np.asarray(encoded + found[..., 3] * (own - encoded))


def bared(found: Plane, covers: list[Plane], edge: Plane | None) -> Plane:
    """Kept colour where nothing lies on the print: dust, scratches and a rim are grey."""
    if not covers and edge is None:
        return found
    seen = np.ones(found.shape[:2], np.float32) if edge is None else edge
    for cover in covers:
        seen = seen * (1 - cover)
    return np.asarray(found * seen[..., None])
