"""A first light for the colour picture: exposure, highlights and shadows, and what light it was.

Modest on purpose: a picture that is well exposed stays as it is, one that is meant dark stays dark,
and the colour of the light is only proposed where two ways of finding it agree.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import colour
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.prepare import white
from oatmeal.core.prepare.white import NoLight
from oatmeal.core.recipe import DECLARED, Light, Recipe

#: Longer side of the picture that is looked at.
SIDE: Final = 400

#: L* between which the middle of a picture is left alone, and how much of the way is gone.
MIDDLE: Final = (45.0, 58.0)
PART: Final = 0.8

#: Least and most exposure that is set, and the step it is rounded to, in stops.
_STOPS: Final = (-1.0, 1.5)
_STEP: Final = 0.05
_LEAST_STOPS: Final = 0.1

#: Stops above white that the lightest hundredth may be moved to.
_ROOM: Final = 0.3

#: Shares of dark (below L* 15) and light (above 85) tones that a picture may have, the strength per
#: share beyond that, and the least and most that is set.
_DARK, _LIGHT = (15.0, 0.05), (85.0, 0.06)
_PER_SHARE: Final = 300
_LEAST, _MOST = 8, 80

#: The percentile that stands for a picture's whites, and the L* that they may lose.
_WHITES: Final = (98.0, 2.0)

#: A picture is meant dark when half of it is darker than this L* while its few lights stand out by
#: that much: one that was merely taken too dark has no lights.
_NIGHT: Final = (32.0, 55.0)

#: Angles in degrees within which two ways of finding the light must agree, and the plain mean with
#: what they found.
AGREED: Final = 4.0
BORNE_OUT: Final = 8.0

#: Exponent of the mean in shades of grey; smoothing and exponent of grey edge.
_SHADES_POWER: Final = 6
_EDGE_SIGMA: Final = 2.0

_UNSURE: Final = (
    "The picture does not tell its light for sure, so nothing was changed: take “neutral here” and "
    "press something that should be grey."
)

#: From this light on a channel counts as burnt out.
_CLIPPED: Final = 0.98

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Beginning:
    """A light to begin with, and a sentence on what was done and why."""

    light: Light
    words: str


def begin(rgb_linear: NDArray[np.float32], recipe: Recipe) -> Beginning:
    """Exposure, highlights and shadows from the picture; the colour of the light stays.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The picture or a proxy of it.
    recipe : Recipe
        Its light's warmth and tint are what the picture is looked at with.
    """
    kept = recipe.prepare.light
    bare = Light(warmth=kept.warmth, tint=kept.tint)
    seen = _luminance(rgb_linear, recipe, bare)
    tones = colour.lightness(np.minimum(seen, 1.0))
    if _meant_dark(tones):
        return Beginning(kept, "the picture is meant dark: its light stays as it is")
    stops = _exposure(seen, tones)
    moved = colour.lightness(np.minimum(seen * 2.0**stops, 1.0))
    shadows = _strength((moved < _DARK[0]).mean() - _DARK[1])
    highlights = -_strength((moved > _LIGHT[0]).mean() - _LIGHT[1])
    light = bare.model_copy(
        update={"exposure": stops, "highlights": float(highlights), "shadows": float(shadows)}
    )
    light = _with_whites(rgb_linear, recipe, light, float(np.percentile(moved, _WHITES[0])))
    if light == bare != kept:
        return Beginning(light, "well exposed as it was taken: what was set is back at rest")
    return Beginning(light, _words(tones, light))


def _with_whites(
    rgb_linear: NDArray[np.float32], recipe: Recipe, light: Light, whites: float
) -> Light:
    """Highlights held only as far as what is white stays white, such as a white sky."""
    for share in (1.0, 0.75, 0.5, 0.25):
        held = round(share * light.highlights)
        part = light.model_copy(update={"highlights": float(held) if held <= -_LEAST else 0.0})
        if part.highlights == 0:
            return part
        moved = colour.lightness(np.minimum(_luminance(rgb_linear, recipe, part), 1.0))
        if np.percentile(moved, _WHITES[0]) >= whites - _WHITES[1]:
            return part
    return light.model_copy(update={"highlights": 0.0})


def _luminance(rgb_linear: NDArray[np.float32], recipe: Recipe, light: Light) -> Array:
    small = reduced(rgb_linear, SIDE)
    prepare = recipe.prepare.model_copy(update={"on": True, "light": light})
    lit = Pipeline(ArrayPicture(small, scale=0.0)).prepared(
        recipe.model_copy(update={"prepare": prepare})
    )
    return np.maximum(np.asarray(lit, np.float64) @ colour.LUMINANCE_WEIGHTS, 0).reshape(-1)


def _meant_dark(tones: Array) -> bool:
    dark, apart = _NIGHT
    half, lights = np.percentile(tones, (50, 99.5))
    return bool(half < dark and lights - half > apart)


def _middle(tones: Array) -> float:
    low, half, high = np.percentile(tones, (25, 50, 75))
    return float(0.5 * half + 0.25 * (low + high))


def _exposure(seen: Array, tones: Array) -> float:
    middle = max(_middle(tones), 3.0)
    wanted = min(max(middle, MIDDLE[0]), MIDDLE[1])
    stops = PART * float(np.log2(_light_at(wanted) / _light_at(middle)))
    if stops > 0:
        room = float(np.log2(1 / max(np.percentile(seen, 99), 1e-4)))
        stops = min(stops, max(room, 0.0) + _ROOM)
    stops = round(round(min(max(stops, _STOPS[0]), _STOPS[1]) / _STEP) * _STEP, 2)
    return stops if abs(stops) >= _LEAST_STOPS else 0.0


def _light_at(tone: float) -> float:
    """Luminance at an L* above 8 (CIE 015)."""
    return float(((tone + 16) / 116) ** 3) if tone > 8 else tone / 903.3


def _strength(excess: float) -> int:
    wanted = min(round(excess * _PER_SHARE), _MOST)
    return wanted if wanted >= _LEAST else 0


def _words(tones: Array, light: Light) -> str:
    said = []
    if light.exposure:
        way = "dark" if light.exposure > 0 else "light"
        stops = f"{abs(light.exposure):g} stop{'' if abs(light.exposure) == 1 else 's'}"
        more = "more" if light.exposure > 0 else "less"
        said.append(f"{stops} {more}, since its middle is {way} (L* {_middle(tones):.0f})")
    if light.shadows:
        said.append(f"shadows opened by {light.shadows:.0f}")
    if light.highlights:
        said.append(f"highlights held by {-light.highlights:.0f}")
    return ", ".join(said) or "well exposed as it is: nothing was changed"


def neutral(rgb_linear: NDArray[np.float32], x: float, y: float) -> tuple[float, float]:
    """Warmth and tint of the light under which a place of the picture as taken is grey.

    Parameters
    ----------
    x, y : float
        Shares of width and height; a few pixels round it are averaged.

    Raises
    ------
    NoLight
        With a sentence, where it is too dark, burnt out, or of a colour that no light has.
    """
    height, width = rgb_linear.shape[:2]
    half = max(2, round(0.002 * max(height, width)))
    column, row = int(min(x * width, width - 1)), int(min(y * height, height - 1))
    patch = rgb_linear[
        max(0, row - half) : row + half + 1, max(0, column - half) : column + half + 1
    ]
    if (patch.max(axis=-1) >= _CLIPPED).mean() > 0.5:
        raise NoLight("This place is burnt out, so that its colour is gone: take a darker grey.")
    warmth, tint = white.light_of(patch.reshape(-1, 3).astype(np.float64).mean(axis=0))
    for value, path in ((warmth, "prepare.light.warmth"), (tint, "prepare.light.tint")):
        low, high = DECLARED.limits(path)
        if not low <= value <= high:
            raise NoLight(white.TOO_COLOURFUL)
    return round(warmth, 1), round(tint, 1)


@dataclass(frozen=True)
class FoundLight:
    """The light that was found, None where two ways differ; how far they do; a sentence."""

    light: tuple[float, float] | None
    apart: float
    words: str


def find_light(rgb_linear: NDArray[np.float32]) -> FoundLight:
    """The colour of the light, where shades of grey and grey edge agree and the mean bears it out.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The picture as it was taken, or a proxy of it.

    References
    ----------
    G. D. Finlayson and E. Trezzi, "Shades of gray and colour constancy", CIC 12 (2004).
    J. van de Weijer, T. Gevers and A. Gijsenij, "Edge-based color constancy", IEEE TIP 16 (2007).
    """
    small = np.clip(reduced(rgb_linear, SIDE), 0, None).astype(np.float64)
    whole = small.max(axis=-1) < _CLIPPED  # what clips has lost its colour
    if whole.mean() < 0.2 or small.mean() < 1e-3 or min(whole.shape) < 2:
        return FoundLight(
            None, 180.0, "Too little lies between black and white to tell the light by."
        )
    shades = _unit((small[whole] ** _SHADES_POWER).mean(axis=0) ** (1 / _SHADES_POWER))
    edges = _unit(_edges(small, whole))
    found = _unit(shades + edges)
    apart = _angle(shades, edges)
    if apart > AGREED or _angle(_unit(small[whole].mean(axis=0)), found) > BORNE_OUT:
        return FoundLight(None, apart, _UNSURE)
    try:
        warmth, tint = white.light_of(found)
    except NoLight:
        return FoundLight(None, apart, _UNSURE)
    low, high = DECLARED.limits("prepare.light.warmth")
    warmth = float(np.clip(round(warmth), low, high))
    low, high = DECLARED.limits("prepare.light.tint")
    tint = float(np.clip(round(tint), low, high))
    return FoundLight(
        (warmth, tint), apart, f"two ways of finding the light agree within {apart:.1f}°"
    )


def _angle(one: Array, other: Array) -> float:
    return float(np.degrees(np.arccos(np.clip(one @ other, -1, 1))))


def _edges(small: Array, whole: NDArray[np.bool_]) -> Array:
    soft = cv2.GaussianBlur(small, (0, 0), _EDGE_SIGMA)
    rows, columns = np.gradient(soft, axis=(0, 1))
    return np.asarray(np.hypot(rows, columns)[whole].mean(axis=0))


def _unit(rgb: Array) -> Array:
    return np.asarray(rgb / max(float(np.linalg.norm(rgb)), 1e-12))
