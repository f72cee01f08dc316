"""The recipe that makes a print of a colour picture, read off one pair or several together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Final

import cv2
import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, ranges
from oatmeal.core.colour import kernels as colours
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading.aligning import aligned
from oatmeal.core.reading.bases import (
    PLAIN,
    Candidate,
    films_near,
    first_candidates,
    words_of,
)
from oatmeal.core.reading.fitting import Fitted, Points, fit, tones_of
from oatmeal.core.reading.samples import POINTS, QUICK, Subject, subject
from oatmeal.core.reading.scales import scale_of
from oatmeal.core.recipe import Recipe, from_document
from oatmeal.core.trust import FINE, Trust

Plane = NDArray[np.float32]
Values = NDArray[np.float64]

MOST_PAIRS: Final = 8

NOT_THE_SAME: Final = (
    "This grey picture does not show the same subject: use it for its look instead."
)

#: Longer side at which a print is read.
READ_SIDE: Final = 700

#: A range that holds less of all pictures is not seen.
_UNSEEN: Final = 0.002

#: L* of the held-out error from which two pictures are not of one subject.
_TOO_FAR: Final = 9.0

#: What else may move the tones: settings of Tone that work on neighbourhoods, and at what strength
#: their effect is measured.
_LOCAL: Final = ("clarity", "shadows", "highlights", "detail")
_MEASURED_AT: Final = 40

#: They must make the held-out error so much less, and it must be worth it.
_GAIN, _WORTH_L = 0.95, 0.25

_CHARACTERS: Final = ("soft", "crisp", "deep")

#: Stops of falloff in the corner that are worth saying.
_FALLOFF_STOPS: Final = 0.1


class ReadingError(ValueError):
    """A print that cannot be read; the text is one sentence for the user."""


@dataclass(frozen=True, eq=False)
class Pair:
    """A colour picture and its print.

    Attributes
    ----------
    colour : float32 (H, W, 3)
        Linear light, prepared as the print's was.
    grey : float32 (h, w)
        The print, encoded 0 to 1; it need not be of the same size or crop.
    trust : Trust
        In the colour of the file.
    """

    colour: Plane
    grey: Plane
    trust: Trust = FINE


@dataclass(frozen=True, eq=False)
class Reading:
    """What was read.

    Attributes
    ----------
    recipe : Recipe
        Mix, Tone and falloff as read; everything else at rest.
    base : str
        The base in words.
    error : float
        L* by which the recipe's own print differs (root mean square).
    plain : float
        The same for plain luminance with its own best curve.
    explains : float
        Share of what is not explained by tone alone, 0 to 1.
    low, middle, high : float
        What is left, in L*: over wide parts (local work), at texture, at grain.
    falloff : float
        Stops that the print's corners are lighter (or, below 0, darker) by before its curve.
    unsure : tuple of str
        Ranges that the pictures hold too little of.
    prints, made : list of float32 (h, w)
        Each print on its picture's pixels, and what the recipe makes of it; encoded.
    there : list of bool (h, w)
        Where the print covers the picture.
    """

    recipe: Recipe
    base: str
    error: float
    plain: float
    low: float
    middle: float
    high: float
    falloff: float
    unsure: tuple[str, ...]
    prints: list[Plane] = field(repr=False)
    made: list[Plane] = field(repr=False)
    there: list[NDArray[np.bool_]] = field(repr=False)

    @property
    def explains(self) -> float:
        return max(0.0, 1 - (self.error / max(self.plain, 1e-6)) ** 2) if self.plain else 1.0

    def notes(self) -> list[str]:
        """What the photographer should know."""
        found = []
        if self.unsure:
            names = " or ".join([", ".join(self.unsure[:-1]), self.unsure[-1]]).removeprefix(" or ")
            many = len(self.unsure) > 1
            found.append(
                f"No {names} in {'these pictures' if len(self.prints) > 1 else 'this picture'}: "
                f"{'their lifts' if many else 'its lift'} could not be read."
            )
        if abs(self.falloff) > _FALLOFF_STOPS:
            way = "darker" if self.falloff < 0 else "lighter"
            found.append(f"The corners are {abs(self.falloff):.1f} stops {way} in the print.")
        return found


def read(pairs: Sequence[Pair], told: Callable[[str], None] = lambda step: None) -> Reading:
    """Read the recipe that makes prints of pictures.

    Parameters
    ----------
    pairs : sequence of Pair
        One recipe for all; a range that one picture lacks is read in another.
    told : callable
        Told the step that begins: aligning, fitting, comparing.

    Raises
    ------
    ReadingError
        Where a print shows something else, or no recipe comes near it.
    """
    if not 1 <= len(pairs) <= MOST_PAIRS:
        raise ReadingError(f"Give 1 to {MOST_PAIRS} pictures with their prints.")
    told("aligning")
    subjects = [_subject(pair, POINTS // len(pairs)) for pair in pairs]
    told("fitting")
    shares = np.mean([one.share() for one in subjects], axis=0)
    known = shares >= _UNSEEN
    best, names, character = _search(subjects, known, shares)
    if best.error(_points(subjects, best.candidate, best, names, character, held=True)) > _TOO_FAR:
        raise ReadingError(NOT_THE_SAME)
    told("comparing")
    corners = _falloff(best, names)
    recipe = _recipe(subjects, best, names, character)
    if abs(corners) >= _FALLOFF_STOPS:
        first = _with_falloff(subjects, recipe, corners)
        if first is not recipe:  # what it does is taken out, and the rest is read once more
            even = [_without(one, first) for one in subjects]
            again, names, character = _search(even, known, shares, corners=False)
            second = _with_falloff(subjects, _recipe(even, again, names, character), corners)
            if _error(subjects, second) < _error(subjects, first):
                best, first = again, second
        recipe = first
    made = [one.pipeline.encoded(recipe) for one in subjects]
    unsure = tuple(name for name, seen in zip(ranges.NAMES, known, strict=True) if not seen)
    figures = [_left(one, two) for one, two in zip(subjects, made, strict=True)]
    error, low, middle, high = np.sqrt(np.mean(np.square(figures), axis=0))
    return Reading(
        recipe,
        words_of(best.candidate.base(best.weights)),
        float(error),
        _plain_error(subjects),
        float(low),
        float(middle),
        float(high),
        corners,
        unsure,
        [one.target for one in subjects],
        made,
        [one.there for one in subjects],
    )


def _subject(pair: Pair, points: int) -> Subject:
    height, width = pair.colour.shape[:2]
    scale = min(1.0, READ_SIDE / max(height, width))
    size = max(1, round(width * scale)), max(1, round(height * scale))
    small = np.asarray(cv2.resize(pair.colour, size, interpolation=cv2.INTER_AREA), np.float32)
    own = np.asarray(encode_srgb(np.maximum(colours.luminance(pair.colour), 0)), np.float32)
    laid = aligned(own, pair.grey)
    if laid is None:
        raise ReadingError(NOT_THE_SAME)
    weight = laid.there.astype(np.float32)
    grey = cv2.resize(laid.grey, size, interpolation=cv2.INTER_AREA)
    there = cv2.resize(weight, size, interpolation=cv2.INTER_AREA) > 0.99
    if there.mean() < 0.02:
        raise ReadingError(NOT_THE_SAME)
    return subject(small, np.asarray(grey, np.float32), there, pair.trust, scale, points)


def _points(
    subjects: Sequence[Subject],
    candidate: Candidate,
    mixed: Fitted | None,
    names: Sequence[str],
    character: str,
    *,
    held: bool = False,
) -> Points:
    """The chosen points of all pictures, with the columns that are wanted."""
    rgb, moved, columns, target = [], [], [], []
    for one in subjects:
        index = one.held if held else one.fit
        rgb.append(one.colour.reshape(-1, 3)[index].astype(np.float64))
        moved.append(one.weights[index].astype(np.float64))
        columns.append(_columns(one, index, candidate, mixed, names, character))
        target.append(one.tones.ravel()[index].astype(np.float64))
    return Points(*(np.concatenate(part) for part in (rgb, moved, columns, target)))


def _columns(
    one: Subject,
    index: NDArray[np.int64],
    candidate: Candidate,
    mixed: Fitted | None,
    names: Sequence[str],
    character: str,
) -> Values:
    """Stops by which each setting moves some pixels, at its full strength ``(n, m)``."""
    height, width = one.target.shape
    found = []
    if mixed is not None:
        mix = _mix(candidate, mixed)
        rest = _stops(one.pipeline, {"mix": mix, "tone": {"character": character}})
        for name in names:
            if name in _LOCAL:
                tone = {"character": character, name: _MEASURED_AT}
                moved = _stops(one.pipeline, {"mix": mix, "tone": tone}) - rest
                found.append(moved * (100 / _MEASURED_AT))
    if "falloff" in names:
        y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
        ring = ((x * width) ** 2 + (y * height) ** 2) / (width**2 + height**2)
        found += [ring, ring * ring]
    if not found:
        return np.empty((len(index), 0))
    return np.stack([part.ravel()[index] for part in found], axis=1)


def _stops(pipeline: Pipeline, document: dict[str, Any]) -> Values:
    toned = pipeline.toned(from_document(document))
    return np.log2(np.maximum(toned, 2.0**-14)).astype(np.float64)


def _mix(candidate: Candidate, found: Fitted) -> dict[str, Any]:
    lifts = {
        name: round(float(np.clip(lift, -4, 4)), 3)
        for name, lift in zip(ranges.NAMES, found.lifts, strict=True)
        if abs(lift) >= 0.02
    }
    return {"base": candidate.base(found.weights), "lifts": lifts}


def _search(
    subjects: Sequence[Subject],
    known: NDArray[np.bool_],
    shares: Values,
    *,
    corners: bool = True,
) -> tuple[Fitted, tuple[str, ...], str]:
    """The base and the settings that explain prints best, told on points that were held out."""
    names: tuple[str, ...] = ("falloff",) if corners else ()
    plain = first_candidates()[-len(PLAIN)]
    points = _points(subjects, plain, None, names, "soft")
    held = _points(subjects, plain, None, names, "soft", held=True)
    quick = points.some(QUICK)
    found = [fit(one, quick, known) for one in first_candidates()]
    linear = next(one for one in found if one.candidate.kind == "linear")
    found += [fit(one, quick, known) for one in films_near(linear.weights)]

    def cost(one: Fitted) -> float:
        # plain before film before free weights, and small lifts before large ones
        error = one.error(held)
        return error * (1 + one.candidate.handicap) + 0.05 * float(shares @ one.lifts**2)

    ordered = sorted(found, key=cost)
    best = min((fit(one.candidate, points, known, one) for one in ordered[:2]), key=cost)
    least, character = best.error(held), "soft"
    if least <= _WORTH_L:
        return best, names, character
    more = (*_LOCAL, *names)
    for one in ordered[:3]:
        for tried in _CHARACTERS if one is ordered[0] else ("soft",):
            begun = _widened(best if one.candidate is best.candidate else one, len(more) > 4)
            own = _points(subjects, one.candidate, begun, more, tried)
            again = fit(one.candidate, own.some(QUICK), known, begun)
            # what clarity works on is the mix as it is now
            own = _points(subjects, one.candidate, again, more, tried)
            judged = _points(subjects, one.candidate, again, more, tried, held=True)
            again = fit(one.candidate, own, known, again)
            error = again.error(judged) * (1 + one.candidate.handicap)
            if error < _GAIN * least * (1 + best.candidate.handicap):
                best, least, names, character = again, again.error(judged), more, tried
    return best, names, character


def _widened(one: Fitted, corners: bool) -> Fitted:
    """The same with strengths at rest for the settings that it did not have."""
    if len(one.strengths) == len(_LOCAL) + 2 * corners:
        return one
    strengths = np.concatenate([np.zeros(len(_LOCAL)), one.strengths])
    return Fitted(one.candidate, one.weights, one.lifts, strengths, one.knots, one.heights)


def _recipe(
    subjects: Sequence[Subject], found: Fitted, names: Sequence[str], character: str
) -> Recipe:
    """The recipe's document: mix, what is local, and the curve as few numbers as hold it."""
    tone: dict[str, Any] = {}
    local = [name for name in names if name in _LOCAL]
    for name, strength in zip(local, found.strengths, strict=False):
        amount = round(float(np.clip(100 * strength, -100, 100)), 1)
        if abs(amount) >= 1:
            tone[name] = amount
    if "clarity" in tone:
        tone["character"] = character
    document = {"mix": _mix(found.candidate, found), "tone": tone}
    before = from_document(document)
    encoded = np.concatenate(
        [encode_srgb(np.clip(one.pipeline.toned(before), 0, None))[one.there] for one in subjects]
    )
    share = np.histogram(np.clip(encoded, 0, 1), 64, (0, 1))[0] / len(encoded)
    tone.update(scale_of(found.knots, found.heights, share))
    return from_document(document)


def _without(one: Subject, recipe: Recipe) -> Subject:
    """The same with the print's falloff taken out, as a recipe has it."""
    height, width = one.target.shape
    flat = Pipeline(np.full((height, width, 3), 0.2, dtype=np.float32))
    dark = from_document({"finish": {"falloff": recipe.finish.falloff.model_dump()}})
    gain = decode_srgb(flat.encoded(dark)) / decode_srgb(flat.encoded(from_document({})))
    light = decode_srgb(np.clip(one.target, 0, 1)) / np.maximum(gain, 1e-3)
    even = np.asarray(encode_srgb(np.clip(light, 0, 1)), dtype=np.float32)
    return replace(one, target=even)


def _with_falloff(subjects: Sequence[Subject], recipe: Recipe, corners: float) -> Recipe:
    """The falloff of Finish that stands for the print's, where it brings the recipe nearer."""
    document = recipe.document()

    best = _error(subjects, recipe), recipe
    begun = best[0]

    def error(amount: float, midpoint: float) -> float:
        nonlocal best
        falloff = {"amount": round(amount, 1), "midpoint": midpoint}
        tried = from_document(document | {"finish": {"falloff": falloff}})
        found = _error(subjects, tried)
        best = min(best, (found, tried), key=lambda entry: entry[0])
        return found

    limits = (0, 100) if corners > 0 else (-100, 0)
    for midpoint in (35.0, 60.0, 80.0):  # the error has one valley in each
        scipy.optimize.minimize_scalar(
            error, bounds=limits, args=(midpoint,), method="bounded", options={"xatol": 2}
        )
    return best[1] if best[0] < _GAIN * begun else recipe


def _error(subjects: Sequence[Subject], recipe: Recipe) -> float:
    """L* by which a recipe's prints differ (root mean square)."""
    squares = [
        np.square(_off(one, one.pipeline.encoded(recipe))[one.there]).mean() for one in subjects
    ]
    return float(np.sqrt(np.mean(squares)))


def _off(one: Subject, made: Plane) -> Plane:
    """L* that a print differs by, nothing where there is no print."""
    off = tones_of(made) - one.tones
    return np.where(one.there, off, 0).astype(np.float32)


def _left(one: Subject, made: Plane) -> tuple[float, float, float, float]:
    """What is left in L*: all of it, over wide parts, at texture, at grain."""
    there, off = one.there, _off(one, made)
    wide = max(off.shape) * 0.03
    share = np.maximum(cv2.GaussianBlur(there.astype(np.float32), (0, 0), wide), 0.05)
    low = cv2.GaussianBlur(off, (0, 0), wide) / share
    middle = cv2.GaussianBlur(off, (0, 0), 1.5) - low
    high = off - low - middle
    rms = [float(np.sqrt((part[there] ** 2).mean())) for part in (off, low, middle, high)]
    return rms[0], rms[1], rms[2], rms[3]


def _plain_error(subjects: Sequence[Subject]) -> float:
    """L* by which plain luminance differs with the curve that suits it best."""
    plain = first_candidates()[-len(PLAIN)]
    points = _points(subjects, plain, None, (), "soft").some(QUICK)
    held = _points(subjects, plain, None, (), "soft", held=True)
    return fit(plain, points, np.zeros(8, np.bool_)).error(held)


def _falloff(found: Fitted, names: Sequence[str]) -> float:
    """Stops in the corner."""
    return float(found.strengths[-2:].sum()) if "falloff" in names else 0.0
