"""Set points: black and white of the scale from the picture itself."""

from __future__ import annotations

from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import tone
from oatmeal.core.colour import encode_srgb
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Levels, Recipe, Tone

#: Share of the picture that may clip at either end.
BUDGET: Final = 0.0005

#: The brightest meaningful tone: about 2 % ink (common practice, no source).
BRIGHTEST_CODE: Final = 250.0

#: Bright spots smaller than this share of the picture are reflections that may burn out.
ISLAND_SHARE: Final = 0.0002

#: From this share of the brightest pixels on, islands are looked for.
_BRIGHT_SHARE: Final = 0.005

#: Black and white stay this far apart, in codes.
_NEAREST: Final = 16.0


def find_points(pipeline: Pipeline, recipe: Recipe, budget: float = BUDGET) -> Levels:
    """Levels that let the scale reach from black to 2 % ink.

    Parameters
    ----------
    pipeline : Pipeline
        On the whole picture at any size.
    recipe : Recipe
        What stands; its middle stays, its black, white and output limits are found anew.
    budget : float
        Share of the picture that may clip at either end.
    """
    settings = recipe.tone
    shown = encode_srgb(np.clip(pipeline.toned(recipe), 0, 1)) * 255
    black = float(np.quantile(shown, budget))
    white = float(np.quantile(shown[~_islands(shown)], 1 - budget))
    black = min(black, white - _NEAREST) if white > _NEAREST else 0.0
    white = max(white, black + _NEAREST)
    levels = Levels(
        black=round(max(black, 0.0), 1),
        middle=settings.levels.middle,
        white=round(min(white, 255.0), 1),
    )
    return levels.model_copy(update={"out_white": _lightest(settings, levels)})


def _lightest(settings: Tone, levels: Levels) -> float:
    """The output limit that lets white come out at 2 % ink, through contrast and curve."""
    bare = settings.model_copy(update={"levels": levels, "hold_ends": False})
    end = float(tone.transfer(np.array(levels.white / 255), bare))
    return float(min(255.0, round(BRIGHTEST_CODE / max(end, 0.5), 1)))


def _islands(shown: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Small bright spots."""
    bright = shown >= np.quantile(shown, 1 - _BRIGHT_SHARE)
    _, labels, figures, _ = cv2.connectedComponentsWithStats(
        bright.astype(np.uint8), ltype=cv2.CV_32S
    )
    small = figures[:, cv2.CC_STAT_AREA] < max(4, ISLAND_SHARE * shown.size)
    small[0] = False
    found = np.asarray(small[labels])
    # a picture whose lights are all small keeps them: they are not reflections in something lighter
    return found if found.sum() < 0.8 * bright.sum() else np.zeros_like(found)
