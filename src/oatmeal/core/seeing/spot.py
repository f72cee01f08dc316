"""What lies under the pointer: its colour, and which lifts move it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import colour, mix
from oatmeal.core.bands import base_of
from oatmeal.core.bands.light import STOPS
from oatmeal.core.colour import kernels, ranges
from oatmeal.core.finish import keeping
from oatmeal.core.mix import Analysis
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.recipe import DECLARED, REST, Mix, Picked, Recipe
from oatmeal.core.recipe.finish import Kept, KeptColours
from oatmeal.core.seeing import measure
from oatmeal.core.tone.local import before_zones, zone_weights

#: Side of the square that is averaged, in pixels of the frame.
SIDE_PX: Final = 5

#: Side of the square over which what is touched is smoothed.
SMOOTH_PX: Final = 9

#: A spot whose colour counts for less than this is called neutral.
NEUTRAL: Final = 0.02

#: What lies within this share of the longer side is a spot's surroundings; where more than half of
#: that is of its colour (OKLab distance, lightness counting less), it belongs to something large.
ROUND: Final = 0.04
LIKE: Final = 0.04
SHADE: Final = 0.4

#: Share of the picture that the colour of something small is to reach at the most.
SMALL_SHARE: Final = 0.02

#: The least reach that is proposed.
LEAST_REACH: Final = 0.02

#: Pixels of a side from which the reach is told.
_SAMPLED_SIDE: Final = 400

#: Steps of the scale at which the zones' gains are read.
_STEPS: Final = 512

#: A spot hardly answers where a lift would have to move more stops than that for one at the spot:
#: whole ranges would go dark for a cloud.
MOST_PER_STOP: Final = 2.5


@dataclass(frozen=True)
class Spot:
    """A place in a picture.

    Attributes
    ----------
    colour : str
        Mean colour as ``#rrggbb``.
    per_stop : dict
        How far each range's lift must move for the spot to move by one stop; empty for neutrals,
        and for colours so pale that they hardly answer.
    code : float
        Where the spot stands on the scale before levels, 0 to 255.
    thread : str or None
        The range that it was photographed in; None for neutrals.
    zones : dict
        How far each zone's gain must move for the spot to move by one stop, by its place among the
        nine.
    lightness, hue : float
        L* of its plain conversion, and its hue in OKLCh degrees.
    """

    colour: str
    per_stop: dict[str, float]
    code: float
    thread: str | None = None
    zones: dict[int, float] = field(default_factory=dict)
    lightness: float = 0.0
    hue: float = 0.0


def read_spot(pipeline: Pipeline, wanted: Recipe | Order, x: float, y: float) -> Spot:
    """Read a place given in shares (0 to 1) of the picture's width and height.

    Each range moves by its weight at the spot over the sum of the squared weights, so that the spot
    itself moves by the stops that are asked for.
    """
    order = pipeline.order(wanted)
    rgb = pipeline.prepared(order)
    inside = _square(rgb, x, y)
    hexed = _hex(rgb[inside])
    toned = np.clip(pipeline.toned(order)[inside], 0, 1)
    code = round(float(colour.encode_srgb(toned).mean() * 255), 1)
    analysis = pipeline.analysis(order)
    lab = [float(plane[inside].mean()) for plane in (analysis.a_axis, analysis.b_axis)]
    thread = _thread(pipeline.get("relit", order)[inside])
    zones = _zones(float(tone_shares(pipeline, order)[inside].mean()))
    settings = order.given.mix
    hue, chroma = colour.hue_and_chroma(np.array([0.0, *lab]))
    weights = ranges.weights(hue, settings.centres.model_dump())
    weights = weights * ranges.colourfulness(chroma, settings.pale)
    squares = float((weights**2).sum())
    light = colour.luminance(np.maximum(rgb[inside].reshape(-1, 3).mean(axis=0), 0))
    measured = (round(float(colour.lightness(light)), 1), round(float(hue), 1))
    if squares < NEUTRAL**2:
        return Spot(hexed, {}, code, thread, zones, *measured)
    moves = weights / squares
    if moves.max() > MOST_PER_STOP:
        return Spot(hexed, {}, code, thread, zones, *measured)
    names = zip(ranges.NAMES, moves, strict=True)
    per_stop = {name: round(float(move), 4) for name, move in names if move > 0.005}
    return Spot(hexed, per_stop, code, thread, zones, *measured)


def fitting_reach(pipeline: Pipeline, wanted: Recipe | Order, x: float, y: float) -> float:
    """The reach with which a colour picked here takes its thing and leaves what lies round it.

    The usual one, of a sky; less where the thing is small, such as lips in a face: as far as that
    the colour reaches no more than :data:`SMALL_SHARE` of the picture. Where it reaches more even
    with :data:`LEAST_REACH`, there is more of it than one small thing.
    """
    path = "mix.picked.*.reach"
    usual = float(DECLARED[path].rest)
    analysis = pipeline.analysis(pipeline.order(wanted))
    planes = np.stack([analysis.lightness, analysis.a_axis, analysis.b_axis])
    height, width = planes.shape[1:]
    rows, columns = _square(planes[0], x, y)
    picked = planes[:, rows, columns].reshape(3, -1).mean(axis=1)
    every = max(1, max(height, width) // _SAMPLED_SIDE)
    sampled = planes[:, ::every, ::every]
    away = np.sqrt(((sampled - picked[:, None, None]) ** 2).sum(axis=0))
    down, across = np.ogrid[: away.shape[0], : away.shape[1]]
    side = max(away.shape)
    # a thing's own light and shade part less than its colour
    alike = sampled - picked[:, None, None]
    alike[0] *= SHADE
    like = np.sqrt((alike**2).sum(axis=0)) < LIKE
    far = (across - x * away.shape[1]) ** 2 + (down - y * away.shape[0]) ** 2
    if like[far <= max(1.0, ROUND * side) ** 2].mean() > 0.5:
        return usual
    for reach in np.arange(usual, LEAST_REACH - 1e-9, -DECLARED[path].step):
        if np.exp(-((away / reach) ** 2) / 2).mean() <= SMALL_SHARE:
            return round(float(reach), 4)
    return usual


def tone_shares(pipeline: Pipeline, order: Order) -> NDArray[np.float32]:
    """L* / 100 of the base under every pixel, which the zones' gains go by."""
    grey, tone = pipeline.mixed(order), order.recipe.tone
    base = base_of(grey, pipeline.get("wide", order), pipeline.place.window)
    base = base + np.float32(tone.exposure)
    base += np.interp(base, STOPS, before_zones(tone, pipeline.get("ends", order))[0])
    light = np.exp2(np.minimum(base, 0))
    return np.asarray(colour.lightness(light) / 100, dtype=np.float32)


def _zones(tone_share: float) -> dict[int, float]:
    weights = zone_weights(np.array([tone_share]))[0]
    squares = float((weights**2).sum())
    return {
        place: round(float(weight / squares), 4)
        for place, weight in enumerate(weights)
        if weight > 0.005
    }


def touched_zones(pipeline: Pipeline, order: Order, spot: Spot) -> NDArray[np.uint8]:
    """How far every pixel moves with the tone of a spot, 0 to 255."""
    moves = np.zeros(9)
    moves[list(spot.zones)] = list(spot.zones.values())
    shares = tone_shares(pipeline, order)
    table = zone_weights(np.linspace(0, 1, _STEPS)) @ moves
    moved = np.interp(shares, np.linspace(0, 1, _STEPS), table).astype(np.float32)
    return _soft(np.clip(moved, 0, 1))


def _thread(rgb_linear: NDArray[np.float32]) -> str | None:
    """The range that a patch was photographed in, before threads lead it; None for neutrals."""
    lab = colour.oklab(rgb_linear.reshape(-1, 3).mean(axis=0, dtype=np.float64))
    hue, chroma = colour.hue_and_chroma(lab)
    if float(ranges.colourfulness(chroma, 50)) < NEUTRAL:
        return None
    return ranges.NAMES[int(ranges.weights(hue, ranges.CENTRES).argmax())]


@dataclass(frozen=True)
class PinReading:
    """A fixed meter reading: mean colour, L* of the plain conversion and now, and 8-bit code."""

    colour: str
    plain: float
    now: float
    zone: str
    code: float


def read_pin(pipeline: Pipeline, wanted: Recipe | Order, x: float, y: float) -> PinReading:
    """Read the finished grey at a place, averaged over :data:`SIDE_PX` pixels a side."""
    order = pipeline.order(wanted)
    prepared = pipeline.prepared(order)
    inside = _square(prepared, x, y)
    star = [reading.lightness for reading in measure.code_readings()]
    codes = pipeline.codes(order)[inside]
    now = float(np.take(star, codes).mean())
    patch = np.ascontiguousarray(prepared[inside])
    plain = float(colour.lightness(np.clip(colour.luminance(patch), 0, 1)).mean())
    zone = measure.zone_name(now)
    return PinReading(
        _hex(patch), round(plain, 2), round(now, 2), zone, round(float(codes.mean()), 1)
    )


def _square(plane: NDArray[np.float32], x: float, y: float) -> tuple[slice, slice]:
    height, width = plane.shape[:2]
    half = SIDE_PX // 2
    column = int(np.clip(x * width, 0, width - 1))
    row = int(np.clip(y * height, 0, height - 1))
    return (
        slice(max(0, row - half), row + half + 1),
        slice(max(0, column - half), column + half + 1),
    )


def _hex(rgb_linear: NDArray[np.float32]) -> str:
    mean = rgb_linear.reshape(-1, 3).mean(axis=0, dtype=np.float64)
    codes = np.floor(colour.encode_srgb(np.clip(mean, 0, 1)) * 255 + 0.5).astype(int)
    return "#" + "".join(f"{code:02x}" for code in codes)


def touched(analysis: Analysis, settings: Mix, spot: Spot) -> NDArray[np.uint8]:
    """How far every pixel moves with a spot, ``(H, W)``: 0 not at all, 255 as much or more."""
    lifts = dict.fromkeys(ranges.NAMES, 0.0) | spot.per_stop
    one_stop = Mix(
        lifts=Mix().lifts.model_copy(update=lifts), centres=settings.centres, pale=settings.pale
    )
    moved = mix.lifted(np.ones_like(analysis.hue), analysis, one_stop)
    return _soft(np.clip(np.log2(moved), 0, 1))


def touched_by_picked(analysis: Analysis, picked: Picked) -> NDArray[np.uint8]:
    """How far a picked colour reaches every pixel, 0 to 255."""
    return _soft(mix.reach(analysis, picked))


def reached_by_kept(pipeline: Pipeline, order: Order, one: Kept) -> NDArray[np.uint8]:
    """How far a kept colour reaches every pixel, 0 to 255, whatever of it is kept."""
    alone = KeptColours(colours=(one.model_copy(update={"amount": 100.0, "on": True}),))
    finish = REST.finish.model_copy(update={"kept": alone})
    lab = kernels.colours(np.ascontiguousarray(np.maximum(pipeline.prepared(order), 0)))
    recipe = REST.model_copy(update={"finish": finish})
    return _soft(keeping.kept(lab, pipeline.analysis(order), recipe, {})[..., 0])


def _soft(share: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Shares as 0 to 255, smoothed so that an outline round them does not speckle."""
    smooth = cv2.blur(share, (SMOOTH_PX, SMOOTH_PX))
    return np.asarray(smooth * 255 + 0.5, dtype=np.uint8)
