"""Points of pictures and their prints, spread over colours and tones."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import encode_srgb, luminance, ranges
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading.fitting import tones_of
from oatmeal.core.recipe import REST
from oatmeal.core.trust import Trust

Plane = NDArray[np.float32]
Values = NDArray[np.float64]

#: Points of each kind: for fitting, for a quick fit, and held out.
POINTS: Final = 4000
QUICK: Final = 1500

#: Slope of the encoded picture at which a place counts half.
_STEEP: Final = 0.02


@dataclass(frozen=True, eq=False)
class Subject:
    """A picture, its print on the same pixels, and what is the same for all recipes.

    Attributes
    ----------
    pipeline : Pipeline
        Of the prepared colour.
    target : float32 (h, w)
        The print, encoded.
    there : bool (h, w)
    weights : float32 (h w, 8)
        How far each range's lift moves each pixel.
    fit, held : int (n,)
        Pixels to fit on and to judge by.
    """

    pipeline: Pipeline
    target: Plane
    there: NDArray[np.bool_]
    weights: Plane
    fit: NDArray[np.int64]
    held: NDArray[np.int64]

    @property
    def colour(self) -> Plane:
        """Linear colour ``(h, w, 3)``."""
        return self.pipeline.source

    @cached_property
    def tones(self) -> Plane:
        """L* of the print ``(h, w)``."""
        return tones_of(self.target).astype(np.float32)

    def share(self) -> Values:
        """Share of the picture that each of the eight ranges holds."""
        return np.asarray(self.weights[self.there.ravel()].mean(axis=0), dtype=np.float64)


def subject(
    rgb_linear: Plane, target: Plane, there: NDArray[np.bool_], trust: Trust, scale: float,
    points: int = POINTS, seed: int = 0,
) -> Subject:  # fmt: skip
    """Choose points of a picture and its print.

    Flat places are preferred, where a small displacement does not matter, and every kind of colour
    and tone gets its share, the rarer the more of it.
    """
    pipeline = Pipeline(ArrayPicture(rgb_linear, scale=scale, trust_of_file=lambda: trust))
    colours = pipeline.analysis(REST)
    hue = colours.hue * (360 / ranges.HUE_TABLE_SIZE)
    weights = ranges.weights(hue, ranges.CENTRES)
    weights *= ranges.colourfulness(colours.chroma, REST.mix.pale)[..., None]
    grey = encode_srgb(np.maximum(luminance(rgb_linear), 0)).astype(np.float32)
    steep = _slope(grey) + _slope(target)
    flat = 1 / (1 + (steep / _STEEP) ** 2)
    cell = (hue // 30).astype(int) * 20
    cell += np.clip(grey * 5, 0, 4).astype(int) * 4 + np.digitize(
        colours.chroma, [0.02, 0.06, 0.12]
    )
    open_ = there.ravel()
    count = np.bincount(cell.ravel()[open_], minlength=int(cell.max()) + 1)
    wanted = flat.ravel() / np.sqrt(np.maximum(count[cell.ravel()], 1)) * open_
    chance = np.random.default_rng(seed)
    number = min(points, int(open_.sum()) // 2)
    fit = chance.choice(len(wanted), number, replace=False, p=wanted / wanted.sum())
    held = chance.choice(np.flatnonzero(open_), number, replace=False)
    return Subject(pipeline, target, there, weights.reshape(-1, 8).astype(np.float32), fit, held)


def _slope(plane: Plane) -> Plane:
    across, down = (cv2.Sobel(plane, cv2.CV_32F, *way) for way in ((1, 0), (0, 1)))
    return np.asarray(np.hypot(across, down) / 8, dtype=np.float32)
