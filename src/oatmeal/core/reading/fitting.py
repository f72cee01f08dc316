"""The fit: tones of the print as a monotone curve of moved light, over everything at once.

``L*(print) = T(log2(base) + lifts . ranges + strengths . columns)``; T is a monotone cubic through
knots at the tones of the picture.

References
----------
F. N. Fritsch, R. E. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM Journal on Numerical
Analysis 17 (1980); R. E. Barlow et al., "Statistical Inference under Order Restrictions" (1972) for
the isotonic start.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import ArrayLike, NDArray

from oatmeal.core.colour import encode_srgb, luminance_of_lightness
from oatmeal.core.reading.bases import Candidate
from oatmeal.core.reading.kernels import (
    Pieces,
    Weighed,
    codes_of,
    curved,
    slopes_of,
    tones_of_codes,
)
from oatmeal.core.recipe.curves import inclines

Values = NDArray[np.float64]

#: Knots of the curve between its ends, and how near two may be.
_KNOTS: Final = 9
_NEAREST: Final = 0.025

#: L* at which an error counts less, and how hard numbers are held at rest.
_ODD_L: Final = 1.5
_RIDGE: Final = 0.25
_HELD_LIFTS: Final = 0.25
_HELD_STRENGTHS: Final = 0.3
_HELD_WEIGHTS: Final = 0.6
_HELD_SLOPES: Final = 0.02

#: A fit ends where a step lowers its errors by less than this share of them.
STANDS: Final = 1e-6

#: The curve's slope below which it counts as level.
_FLATTEST: Final = 0.05


@dataclass(frozen=True, eq=False)
class Points:
    """What the fit is told of some points.

    Attributes
    ----------
    rgb : float64 (n, 3)
        Linear colour.
    ranges : float64 (n, 8)
        How far each range's lift moves them.
    columns : float64 (n, m)
        Stops that each other setting moves them by at its full strength.
    target : float64 (n,)
        L* of the print.
    """

    rgb: Values
    ranges: Values
    columns: Values
    target: Values

    def some(self, count: int, seed: int = 1) -> Points:
        """Fewer of them."""
        if count >= len(self.target):
            return self
        kept = np.random.default_rng(seed).choice(len(self.target), count, replace=False)
        return Points(self.rgb[kept], self.ranges[kept], self.columns[kept], self.target[kept])


@dataclass(frozen=True, eq=False)
class Fitted:
    """What a fit found: weights of the base, lifts, strengths of the columns, the curve."""

    candidate: Candidate
    weights: Values
    lifts: Values
    strengths: Values
    knots: Values
    heights: Values

    def tones(self, points: Points) -> Values:
        """L* of points."""
        weighed = _weighed(self.candidate, points, np.ones(8, np.bool_))
        amounts = np.concatenate([self.lifts, self.strengths])
        return curved(codes_of(weighed, self.weights, amounts), _pieces(self.knots, self.heights))

    def error(self, points: Points) -> float:
        """Root mean square error in L*; what is far off counts as 8."""
        off = np.minimum(np.abs(self.tones(points) - points.target), 8)
        return float(np.sqrt((off**2).mean()))


def tones_of(encoded: ArrayLike) -> Values:
    """L* of encoded values of any shape, to 1e-4: read off a table sooner than powers are taken."""
    values = np.asarray(encoded, dtype=np.float64)
    return tones_of_codes(np.ravel(values)).reshape(values.shape)


def _weighed(candidate: Candidate, points: Points, known: NDArray[np.bool_]) -> Weighed:
    rest, columns = (np.ascontiguousarray(one) for one in candidate.columns(points.rgb))
    moves = np.concatenate([points.ranges[:, known], points.columns], axis=1)
    return Weighed(rest, columns, candidate.encoded, moves)


def _pieces(knots: Values, heights: Values) -> Pieces:
    return Pieces(knots, heights, inclines(knots, heights))


def fit(
    candidate: Candidate, points: Points, known: NDArray[np.bool_], begin: Fitted | None = None,
    rounds: int = 40,
) -> Fitted:  # fmt: skip
    """Fit everything of one kind of base.

    Parameters
    ----------
    known : bool (8,)
        Ranges that are seen at all; the others stay at rest.
    begin : Fitted, optional
        Where to begin, of the same kind of base.
    """
    fitter = _Fitter(candidate, points, known, begin)
    return fitter.solved(rounds)


class _Fitter:
    """One least-squares problem: residuals, its derivatives, its start."""

    def __init__(
        self, candidate: Candidate, points: Points, known: NDArray[np.bool_], begin: Fitted | None
    ) -> None:
        self.candidate, self.points, self.known = candidate, points, known
        self.weighed = _weighed(candidate, points, known)
        weights = candidate.start if begin is None else begin.weights
        lifts = np.zeros(int(known.sum())) if begin is None else begin.lifts[known]
        strengths = np.zeros(points.columns.shape[1])
        if begin is not None and len(begin.strengths) == len(strengths):
            strengths = begin.strengths
        self.ends = np.cumsum([len(weights), len(lifts), len(strengths)])
        encoded = codes_of(self.weighed, weights, np.concatenate([lifts, strengths]))
        self.knots = _knots(encoded)
        wanted = encode_srgb(luminance_of_lightness(points.target))
        order = np.argsort(encoded)
        rising = scipy.optimize.isotonic_regression(wanted[order]).x
        heights = np.clip(np.interp(self.knots, encoded[order], rising), 0, 1)
        steps = np.maximum(np.diff(heights, prepend=0), 1e-3)
        self.start = np.concatenate([weights, lifts, strengths, np.minimum(steps, 0.999)])
        self.hold = _RIDGE * 0.12 * np.sqrt(len(points.target))

    def _parts(self, x: Values) -> tuple[Values, Values, Values, Values]:
        one, two, three = self.ends
        return x[:one], x[one:two], x[two:three], x[three:]

    def _curve(self, steps: Values) -> Pieces:
        """The curve of steps ``(q,)``; of several, ``(q, k)``, their heights side by side."""
        rising = np.arange(len(steps)) * 1e-7
        heights = np.minimum(np.cumsum(steps, axis=0), 1.0)
        return _pieces(self.knots, heights + (rising if steps.ndim == 1 else rising[:, None]))

    def _held(self, x: Values) -> Values:
        """Numbers are held near rest, and the curve's slopes near each other."""
        weights, lifts, strengths, steps = self._parts(x)
        slopes = np.log(np.maximum(steps[1:] / np.diff(self.knots), _FLATTEST))
        parts = (
            _HELD_LIFTS * lifts,
            _HELD_STRENGTHS * strengths,
            _HELD_WEIGHTS * (weights - self.candidate.start),
            _HELD_SLOPES * np.diff(slopes),
        )
        return np.asarray(self.hold * np.concatenate(parts))

    def _held_slopes(self, x: Values) -> Values:
        """Derivatives of :meth:`_held`."""
        weights, lifts, strengths, steps = self._parts(x)
        one, two, three = self.ends
        curve = np.zeros((len(steps) - 2, len(steps)))
        rest = np.where(
            steps[1:] > _FLATTEST * np.diff(self.knots), 1 / np.maximum(steps[1:], 1e-12), 0
        )
        at = np.arange(len(steps) - 2)
        curve[at, at + 1], curve[at, at + 2] = -rest[:-1], rest[1:]
        out = np.zeros((len(x) - 2, len(x)))
        row = 0
        for held, first, count in (
            (_HELD_LIFTS, one, len(lifts)),
            (_HELD_STRENGTHS, two, len(strengths)),
            (_HELD_WEIGHTS, 0, len(weights)),
        ):
            out[row + np.arange(count), first + np.arange(count)] = held
            row += count
        out[row:, three:] = _HELD_SLOPES * curve
        return np.asarray(self.hold * out)

    def errors(self, x: Values) -> Values:
        one, three = self.ends[0], self.ends[2]
        codes = codes_of(self.weighed, x[:one], x[one:three])
        found = curved(codes, self._curve(x[three:]))
        return np.concatenate([found - self.points.target, self._held(x)])

    def slopes(self, x: Values) -> Values:
        one, three = self.ends[0], self.ends[2]
        steps, held = x[three:], self._held_slopes(x)
        curve = self._curve(steps)
        by = np.where(np.cumsum(steps) < 0.999, 1e-4, -1e-4)
        moved = self._curve(steps[:, None] + np.diag(by))
        by_height = (moved.heights - curve.heights[:, None]) / by
        by_incline = (moved.inclines - curve.inclines[:, None]) / by
        count = len(self.points.target)
        out = np.empty((count + len(held), len(x)))
        slopes_of(self.weighed, x[:one], x[one:three], curve, by_height, by_incline, out[:count])
        out[count:] = held
        return out

    def solved(self, rounds: int) -> Fitted:
        counts = np.diff(self.ends, prepend=0)
        knots = len(self.knots)
        limits = [(-2.0, 3.0, 0.2), (-4.0, 4.0, 1.0), (-3.0, 3.0, 1.0), (0.0, 1.0, 0.1)]
        low, high, size = (
            np.concatenate(
                [np.full(n, one[at]) for n, one in zip([*counts, knots], limits, strict=True)]
            )
            for at in range(3)
        )
        begin = np.clip(self.start, low + 1e-6, high - 1e-6)
        found = scipy.optimize.least_squares(
            self.errors, begin, jac=self.slopes, bounds=(low, high), loss="soft_l1",
            f_scale=_ODD_L, x_scale=size, max_nfev=rounds, ftol=STANDS, tr_solver="exact",
        )  # fmt: skip
        weights, lifts, strengths, steps = self._parts(found.x)
        every = np.zeros(8)
        every[self.known] = lifts
        heights = np.clip(np.cumsum(steps), 0, 1)
        return Fitted(self.candidate, weights, every, strengths, self.knots, heights)


def _knots(encoded: Values) -> Values:
    """Knots at the picture's own tones, and at the ends."""
    quantiles = np.quantile(encoded, np.linspace(0.005, 0.995, _KNOTS))
    quantiles[0] = min(quantiles[0], 0.04)
    kept = [0.0]
    for value in [*quantiles, 1.0]:
        if value - kept[-1] > _NEAREST:
            kept.append(float(min(value, 1.0)))
    kept[-1] = 1.0
    return np.array(kept)
