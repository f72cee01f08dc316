"""How far a file's colour can be trusted, measured on some squares of its pixels.

Local slopes tell chroma from light at one size; how much of the next finer octave of chroma they
foretell is really there is a share, for three octaves. What a coarser octave holds and a finer one
lacks was taken by compression. Tables of the file are not read: it may have been saved before.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import kernels, ranges
from oatmeal.core.colour.filters import cell_means
from oatmeal.core.guard.analysis import Analysis, analyse
from oatmeal.core.guard.settling import Settling
from oatmeal.core.noise import squares
from oatmeal.core.opencv import cv2
from oatmeal.core.recipe import REST
from oatmeal.core.trust import FINE, Trust

Plane = NDArray[np.float32]

#: Shares of the finest octave over the coarsest, and over the middle one, up to which colour is
#: half as fine as light, and from which on it is as fine.
_NARROW: Final = (0.40, 0.65)
_STEP: Final = (0.55, 0.75)

#: Share of the middle octave over the coarsest up to which trust is least, and from which it is
#: full.
_COARSE: Final = (0.40, 0.85)

#: Share of the coarsest octave below which light tells nothing of the colour, and the least that is
#: divided by.
_UNKNOWN: Final = 0.15
_LEAST_SHARE: Final = 0.3
_LEAST_MIDDLE: Final = 0.05

#: Codes squared: variance of a flat window of light, and of chroma.
_FLAT: Final = 16.0
_GOOD: Final = 1.0

#: Windows are so many means to either side; only slopes that explain half are used.
_RADIUS: Final = 3
_EXPLAINS: Final = 0.5

#: More than 8 bits are settled only from this coarseness on.
_DEEP: Final = 0.25

#: A range holds so many stops of lift that its faults reach one code in middle grey.
_SEEN_STOPS: Final = 0.03

#: Weight of a range from which a cell belongs to it, and share of the cells that tell.
_BELONGS: Final = 0.2
_FEWEST: Final = 0.005

#: A place is flat where the encoded channels vary less than this over a window of so many pixels.
_EVEN: Final = 0.015
_EVEN_WINDOW: Final = 15

#: More stops than any lift has.
_MOST_STOPS: Final = 4.0

#: Of red, green and blue (ITU-R BT.601).
_LUMA: Final = np.array([0.299, 0.587, 0.114], dtype=np.float32)

Read = Callable[[int, int, int, int], Plane]


def measured(read: Read, width: int, height: int, bits: int = 8) -> Trust:
    """What is known of the colour of a file.

    Parameters
    ----------
    read : callable
        ``read(x, y, width, height)``: linear colour ``(height, width, 3)``.
    width, height : int
    bits : int
        Of a channel.
    """
    parts = [np.asarray(read(*place), np.float32) for place in squares(width, height)]
    found = trust_of([255 * _encoded(part) for part in parts])
    if bits > 8 and found.coarse <= _DEEP:
        return FINE
    # what is settled least wins a twentieth of a decibel and costs more than all else of an export
    return FINE if found == Trust() else found


def held_stops(trust: Trust, read: Read, width: int, height: int) -> dict[str, float]:
    """:func:`holds` of a file; none where colour is fine: that would be guessed too high."""
    if not trust.settles or not trust.coarse:
        return {}
    return holds([np.asarray(read(*place), np.float32) for place in squares(width, height)], trust)


def _encoded(rgb_linear: Plane) -> Plane:
    """Encoded colour ``(h, w, 3)``, 0 to 1."""
    flat = np.ascontiguousarray(rgb_linear).reshape(rgb_linear.shape[0], -1)
    return kernels.encoded(flat).reshape(rgb_linear.shape)


def trust_of(coded: Sequence[NDArray[np.floating]]) -> Trust:
    """Trust in the colour of some squares of encoded colour, ``(h, w, 3)``, 0 to 255."""
    fine, middle, coarse = octaves(coded)
    if coarse < _UNKNOWN:
        return Trust(told=False)
    scale = max(coarse, _LEAST_SHARE)
    taken = _down(middle / scale, _COARSE)
    halved = _down(fine / max(middle, _LEAST_MIDDLE), _STEP)
    return Trust(coarse=taken, narrow=min(_down(fine / scale, _NARROW), max(taken, halved)))


def octaves(coded: Sequence[NDArray[np.floating]]) -> tuple[float, float, float]:
    """Of three octaves of chroma, the finest first: the share, foretold by light, that is there."""
    sums = np.zeros((3, 2))
    for rgb in coded:
        rgb = np.asarray(rgb, dtype=np.float32)
        luma: Plane = np.asarray(rgb @ _LUMA, dtype=np.float32)
        planes = [luma] + [
            np.ascontiguousarray((rgb[..., channel] - luma) / size, dtype=np.float32)
            for channel, size in ((2, 1.772), (0, 1.402))
        ]
        for octave in range(3):
            sums[octave] += _foretold(*planes)
            planes = [cell_means(plane, 2) for plane in planes]
    fine, middle, coarse = (float(there / all_) if all_ > 0 else 0.0 for there, all_ in sums)
    return fine, middle, coarse


def _foretold(luma: Plane, *chroma: Plane) -> tuple[float, float]:
    """Of one octave: what slopes foretell times what is there, and times itself."""
    height, width = luma.shape
    light = cell_means(luma, 2)
    mean = _box(light)
    spread = np.maximum(_box(light**2) - mean * mean, 0) + _FLAT
    high = luma - _low(luma)
    there = itself = 0.0
    for own in chroma:
        small = cell_means(own, 2)
        level = _box(small)
        both = _box(light * small) - mean * level
        around = np.maximum(_box(small**2) - level * level, 0) + _GOOD
        explains = both * both > _EXPLAINS * spread * around
        slope = np.where(explains, both / spread, 0).astype(np.float32)
        told = _doubled(slope, height, width) * high
        there += float((told * (own - _low(own))).sum())
        itself += float((told * told).sum())
    return there, itself


def _box(plane: Plane) -> Plane:
    side = 2 * _RADIUS + 1
    return np.asarray(cv2.boxFilter(plane, -1, (side, side), borderType=cv2.BORDER_REPLICATE))


def _low(plane: Plane) -> Plane:
    return _doubled(cell_means(plane, 2), *plane.shape)


def _doubled(plane: Plane, height: int, width: int) -> Plane:
    size = (2 * plane.shape[1], 2 * plane.shape[0])
    wide: Plane = np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR), np.float32)
    return wide[:height, :width]


def _down(value: float, ends: tuple[float, float]) -> float:
    return float(np.clip((ends[1] - value) / (ends[1] - ends[0]), 0, 1))


def holds(parts: Sequence[Plane], trust: Trust) -> dict[str, float]:
    """By the range's name, the stops of lift that some squares of linear colour hold.

    What settling takes in flat places foretells what is still wrong there. Ranges that hold any
    lift, or that the squares have too little of, are left out.
    """
    total = 0
    off: dict[str, list[NDArray[np.float64]]] = {name: [] for name in ranges.NAMES}
    for part in parts:
        settled = Settling(trust).colour(part)
        flat = _even(settled)
        total += flat.size
        before, after = analyse(part), analyse(settled)
        for name in ranges.NAMES:
            own, new = _weight(before, name), _weight(after, name)
            inside = flat & (new > _BELONGS)
            if inside.any():
                apart = (own - new) * inside
                around = _box(apart) / np.maximum(_box(inside.astype(np.float32)), 1e-6)
                off[name].append((apart - around)[inside].astype(np.float64))
    found = {}
    for name, values in off.items():
        every = np.concatenate(values) if values else np.empty(0)
        if len(every) > _FEWEST * total:
            stops = _SEEN_STOPS / max(float(np.sqrt((every**2).mean())), 1e-6)
            if stops < _MOST_STOPS:
                found[name] = round(stops, 1)
    return found


def _weight(colours: Analysis, name: str) -> Plane:
    """How far a range's lift moves each cell of 4 pixels."""
    table = ranges.lift_table({one: float(one == name) for one in ranges.NAMES}, ranges.CENTRES)
    weight = table[np.clip(colours.hue.astype(np.int32), 0, len(table) - 1)]
    return cell_means(
        (weight * ranges.colourfulness(colours.chroma, REST.mix.pale)).astype(np.float32), 4
    )


def _even(rgb_linear: Plane) -> NDArray[np.bool_]:
    """Cells of 4 pixels that lie in flat places."""
    coded = _encoded(rgb_linear)
    size = (_EVEN_WINDOW, _EVEN_WINDOW)
    mean, square = cv2.blur(coded, size), cv2.blur(coded * coded, size)
    flat = (square - mean * mean).sum(axis=-1) < 3 * _EVEN**2
    return np.asarray(cell_means(flat.astype(np.float32), 4) > 0.99)
