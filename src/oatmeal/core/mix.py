"""Mix: the grey that each colour becomes, from a base and eight lifts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import kernels, ranges
from oatmeal.core.colour import decode_srgb, encode_srgb
from oatmeal.core.recipe import Base, Channels, Mix, Plain, Six

#: Weights of encoded red, green and blue for luma (ITU-R BT.601-7 and BT.709-6), and the average.
_ENCODED_WEIGHTS = {
    "luma-601": (0.299, 0.587, 0.114),
    "luma-709": (0.2126, 0.7152, 0.0722),
    "average": (1 / 3, 1 / 3, 1 / 3),
}

#: Where between the lowest and the highest channel a weighing stands.
_SHARE_OF_MAX = {"lightest": 1.0, "darkest": 0.0, "middle": 0.5}


@dataclass(frozen=True)
class Analysis:
    """Hue and chroma of a picture; they depend on the picture alone, not on the mix.

    Attributes
    ----------
    hue : float32 (H, W)
        OKLCh hue in steps of ``360 / HUE_TABLE_SIZE`` degrees.
    chroma : float32 (H, W)
        OKLab chroma.
    """

    hue: NDArray[np.float32]
    chroma: NDArray[np.float32]


def analyse(rgb_linear: NDArray[np.float32]) -> Analysis:
    """Hue and chroma of linear colour ``(H, W, 3)`` (OKLab, Ottosson 2020)."""
    return Analysis(*kernels.analyse(rgb_linear))


def base_grey(rgb_linear: NDArray[np.float32], base: Base) -> NDArray[np.float32]:
    """Weigh the light to a first grey.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        Linear colour.
    base : Plain, Channels or Six
        How to weigh.

    Returns
    -------
    float32 (H, W)
        Linear luminance, not negative.

    Raises
    ------
    ValueError
        For a base that is not built yet.
    """
    if isinstance(base, Plain):
        if base.weighing == "luminance":
            return kernels.luminance(rgb_linear)
        if base.weighing in _SHARE_OF_MAX:
            return kernels.extremes(rgb_linear, _SHARE_OF_MAX[base.weighing])
        return kernels.weighted(rgb_linear, _ENCODED_WEIGHTS[base.weighing], 0.0, encoded=True)
    if isinstance(base, Channels):
        weights = (base.red / 100, base.green / 100, base.blue / 100)
        encoded = base.light == "encoded"
        return kernels.weighted(rgb_linear, weights, base.offset / 100, encoded=encoded)
    if isinstance(base, Six):
        return kernels.six(
            rgb_linear,
            (base.red / 100, base.green / 100, base.blue / 100),
            (base.cyan / 100, base.magenta / 100, base.yellow / 100),
        )
    raise ValueError(f"the {base.kind} base is not built yet")


def lifted(base: NDArray[np.float32], analysis: Analysis, mix: Mix) -> NDArray[np.float32]:
    """Move the eight ranges by their lifts: ``Y * 2 ** (s(C) * sum(lift_i * w_i(h)))``.

    Returns the same array where all lifts are at rest. Neutral colours never move.
    """
    lifts = mix.lifts.model_dump()
    if not any(lifts.values()):
        return base
    table = ranges.lift_table(lifts, mix.centres.model_dump())
    full = ranges.full_chroma(mix.pale)
    return kernels.lift(base, analysis.hue, analysis.chroma, table, ranges.NEUTRAL_CHROMA, full)


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
    elif isinstance(base, Six):
        shares = (base.red, base.yellow, base.green, base.cyan, base.blue, base.magenta)
        highest_share = max(100.0, *shares) / 100
        bound = float(decode_srgb(highest_share * float(encode_srgb(brightest))))
    highest_lift = max(0.0, *mix.lifts.model_dump().values())
    return float(bound * 2.0**highest_lift)
