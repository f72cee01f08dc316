"""Mix: the grey that each colour becomes, from a base, eight lifts and picked colours."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import LUMINANCE_WEIGHTS, decode_srgb, encode_srgb, lab_of_hex, ranges
from oatmeal.core.colour import kernels as colour_kernels
from oatmeal.core.guard import Analysis
from oatmeal.core.maps import FULL, Box, Masks, not_empty
from oatmeal.core.mix import formula_kernel, kernels, one_pass
from oatmeal.core.mix.film import expose
from oatmeal.core.picture import Coded, Pixels
from oatmeal.core.recipe import (
    Base,
    Centres,
    Channels,
    Film,
    Formula,
    Lifts,
    Mix,
    Picked,
    Plain,
    Recipe,
    Six,
)

#: Weights of encoded red, green and blue for luma (ITU-R BT.601-7 and BT.709-6), and the average.
_ENCODED_WEIGHTS = {
    "luma-601": (0.299, 0.587, 0.114),
    "luma-709": (0.2126, 0.7152, 0.0722),
    "average": (1 / 3, 1 / 3, 1 / 3),
}

#: Where between the lowest and the highest channel a weighing stands.
_SHARE_OF_MAX = {"lightest": 1.0, "darkest": 0.0, "middle": 0.5}


def base_grey(rgb_linear: NDArray[np.float32], base: Base) -> NDArray[np.float32]:
    """Weigh the light to a first grey.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        Linear colour.
    base : Plain, Channels, Six, Film or Formula
        How to weigh.

    Returns
    -------
    float32 (H, W)
        Linear luminance, not negative.
    """
    if isinstance(base, Plain):
        if base.weighing == "luminance":
            return colour_kernels.luminance(rgb_linear)
        if base.weighing in _SHARE_OF_MAX:
            return kernels.extremes(rgb_linear, _SHARE_OF_MAX[base.weighing])
        return kernels.weighted(rgb_linear, _ENCODED_WEIGHTS[base.weighing], 0.0, encoded=True)
    if isinstance(base, Channels):
        weights = (base.red / 100, base.green / 100, base.blue / 100)
        encoded = base.light == "encoded"
        return kernels.weighted(rgb_linear, weights, base.offset / 100, encoded=encoded)
    if isinstance(base, Film):
        return kernels.weighted(rgb_linear, expose(base).weights, 0.0, encoded=False)
    if isinstance(base, Formula):
        return formula_kernel.evaluate(rgb_linear, base.program())
    return one_pass.mixed(rgb_linear, _six(base))


def _six(base: Six) -> tuple[float, ...]:
    """What six colours become, in the order of the kernel."""
    six = (base.red, base.green, base.blue, base.cyan, base.magenta, base.yellow)
    return tuple(share / 100 for share in six)


def _parts(base: Base) -> tuple[float, ...] | None:
    """Weights of linear channels, or the six colours' shares; None for what is more than that."""
    if isinstance(base, Plain) and base.weighing == "luminance":
        return tuple(LUMINANCE_WEIGHTS)
    if isinstance(base, Film):
        return expose(base).weights
    return _six(base) if isinstance(base, Six) else None


def moves(mix: Mix) -> bool:
    """True if any lift is not at rest."""
    return any(mix.lifts.model_dump().values()) or any(
        colour.on and colour.lift for colour in mix.picked
    )


def lifted(
    base: NDArray[np.float32],
    analysis: Analysis,
    mix: Mix,
    more: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Move ranges and picked colours: ``Y * 2 ** (s(C) * sum(lift_i * w_i(h)) + sum(picked))``.

    Returns the same array where all lifts are at rest. Lifts of ranges never move neutral colours.

    Parameters
    ----------
    base : float32 (H, W)
        Linear luminance.
    analysis : Analysis
        Of the same picture.
    mix : Mix
    more : float32 (H, W), optional
        Stops that areas add to the ranges' lifts, before neutral colours are left out.
    """
    grey = base
    if any(mix.lifts.model_dump().values()) or more is not None:
        grey = kernels.lift(grey, analysis.hue, analysis.chroma, *_lifts(mix), more)
    picked = picked_table(_lifting(mix.picked))
    if len(picked):
        planes = analysis.lightness, analysis.a_axis, analysis.b_axis
        grey = kernels.lift_picked(grey, planes, picked)
    return grey


def _lifts(mix: Mix) -> tuple[NDArray[np.float32], float, float]:
    """Stops over hue, and the chroma from which on and at which they count."""
    return _table(mix.lifts, mix.centres), ranges.NEUTRAL_CHROMA, ranges.full_chroma(mix.pale)


@lru_cache(4)
def _table(lifts: Lifts, centres: Centres) -> NDArray[np.float32]:
    """Stops over hue; a frame asks for them twice, for itself and for the grey map's sample."""
    return ranges.lift_table(lifts.model_dump(), centres.model_dump())


def _lifting(picked: Sequence[Picked]) -> list[Picked]:
    return [colour for colour in picked if colour.on and colour.lift]


def at_once(source: Pixels, mix: Mix) -> NDArray[np.float32] | None:
    """What :func:`base_grey` and :func:`lifted` make of colour, in one pass.

    None where the mix has more than linear or six weights and lifts of ranges.
    """
    parts = _parts(mix.base)
    if parts is None or _lifting(mix.picked):
        return None
    lifts = _lifts(mix) if any(mix.lifts.model_dump().values()) else None
    if isinstance(source, Coded):
        return one_pass.mixed(source.codes, parts, source.table, lifts)
    return one_pass.mixed(source, parts, None, lifts)


def area_lifts(recipe: Recipe, masks: Masks, colours: Analysis) -> NDArray[np.float32] | None:
    """Stops that the areas' own lifts add to those of the ranges, float32 ``(H, W)``."""
    wanted = [one for one in recipe.areas.lifted if not_empty(masks, one[0])]
    if not wanted:
        return None
    out = np.zeros_like(colours.hue)
    whole = Box(0, 0, out.shape[1], out.shape[0])
    for name, amount, own in wanted:
        table = ranges.lift_table(own.model_dump(), recipe.mix.centres.model_dump())
        mask = masks[name]
        here = mask.box.inside(whole)
        kernels.add_over_hue(mask.plane, colours.hue[here], table, amount / FULL, out[here])
    return out


def picked_table(picked: Sequence[Picked]) -> NDArray[np.float32]:
    """Picked colours for the kernel, ``(n, 5)``: OKLab, 1 / (2 reach^2), lift in stops."""
    rows = [(*lab_of_hex(colour.colour), 0.5 / colour.reach**2, colour.lift) for colour in picked]
    return np.array(rows, dtype=np.float32).reshape(-1, 5)


def at_pixels(analysis: Analysis, places: NDArray[np.int64]) -> Analysis:
    """The analysis of some pixels alone, numbered in reading order, as planes ``(1, n)``."""
    planes = (analysis.lightness, analysis.a_axis, analysis.b_axis, analysis.hue, analysis.chroma)
    return Analysis(*(plane.reshape(1, -1)[:, places] for plane in planes))


def reach(analysis: Analysis, colour: Picked) -> NDArray[np.float32]:
    """How far every pixel belongs to a picked colour, 0 to 1: ``exp(-(d / reach)^2 / 2)``."""
    planes = analysis.lightness, analysis.a_axis, analysis.b_axis
    return kernels.nearness(planes, picked_table([colour])[0])


def peak(mix: Mix, brightest: float = 1.0) -> float:
    """Upper bound of the linear grey that colours with channels up to ``brightest`` can become.

    Parameters
    ----------
    mix : Mix
        The settings.
    brightest : float
        Highest linear channel of the prepared picture, where white is 1.0.
    """
    base = mix.base
    bound = brightest
    if isinstance(base, Channels):
        positive = sum(max(0.0, share) for share in (base.red, base.green, base.blue)) / 100
        if base.light == "linear":
            positive = float(encode_srgb(positive * brightest))
        else:
            positive *= float(encode_srgb(brightest))
        bound = float(decode_srgb(max(0.0, positive + base.offset / 100)))
    elif isinstance(base, Formula):
        bound = float(decode_srgb(formula_kernel.TOP))
    elif isinstance(base, Six):
        shares = (base.red, base.yellow, base.green, base.cyan, base.blue, base.magenta)
        highest_share = max(100.0, *shares) / 100
        bound = float(decode_srgb(highest_share * float(encode_srgb(brightest))))
    highest_lift = max(0.0, *mix.lifts.model_dump().values())
    highest_lift += sum(max(0.0, colour.lift) for colour in mix.picked if colour.on)
    return float(bound * 2.0**highest_lift)
