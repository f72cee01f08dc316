"""Balance: lifts that part the colours which plain luminance merges, and still look natural.

Maximises the colour contrast preserving ratio of pairs of the picture's pixels, made smooth, minus
penalties for what looks artificial. Everything is fixed (points, pairs, starts), so that the same
picture gets the same lifts every time.

References
----------
C. Lu, L. Xu and J. Jia, "Contrast Preserving Decolorization", ICCP 2012 (the ratio is defined in
their section 4: of all pairs whose colours differ by more than a threshold, the share whose greys
do).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import scipy  # its parts are loaded when they are first asked for
from numpy.typing import NDArray

from oatmeal.core import colour
from oatmeal.core.colour import ranges
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Lifts, Recipe
from oatmeal.core.seeing.clusters import Clusters

Array = NDArray[np.float64]
Places = NDArray[np.int64]

SIDE: Final = 110
POINTS: Final = 1400
PAIRS: Final = 3500

#: Thresholds of the ratio, in CIELAB units, and the softness of each step.
THRESHOLDS: Final = np.arange(1.0, 16.0)
SOFTNESS: Final = 1.2

#: Every third threshold stands for its neighbours while lifts are sought.
_STEPS: Final = THRESHOLDS[1::3]
_RISE: Final = np.exp(_STEPS / SOFTNESS)

#: Each range's neighbours on the circle of hues.
_BEFORE: Final = np.roll(np.arange(8), 1)
_AFTER: Final = np.roll(np.arange(8), -1)

#: Mean change of L* that is free of a penalty.
FREE_CHANGE: Final = 3.0

#: No lift found here goes further than this, in stops.
LIMIT_STOPS: Final = 2.5

#: Distance that Separate brings a pair to, in L*.
SEPARATE_LIGHTNESS: Final = 10.0

_LN2: Final = float(np.log(2))


@dataclass(frozen=True)
class Found:
    """Lifts that were found, and a sentence on what they do."""

    lifts: dict[str, float]
    words: str


def contrast_ratio(lab: Array, lightness: Array, first: Places, second: Places) -> float:
    """Colour contrast preserving ratio, 0 to 1, over pairs of points.

    Parameters
    ----------
    lab : float64 (n, 3)
        CIELAB of the colours.
    lightness : float64 (n,)
        L* of the greys.
    first, second : int (m,)
        The pairs.

    Returns
    -------
    float
        Mean over thresholds 1 to 15 of the share of pairs whose colours differ by at least the
        threshold and whose greys do too.
    """
    apart = np.linalg.norm(lab[first] - lab[second], axis=1)
    greys = np.abs(lightness[first] - lightness[second])
    kept = [np.mean(greys[apart >= step] >= step) for step in THRESHOLDS if (apart >= step).any()]
    return float(np.mean(kept)) if kept else 1.0


def cielab(rgb_linear: NDArray[np.floating]) -> Array:
    """CIELAB (CIE 015:2018, D65) of linear sRGB ``(..., 3)``."""
    white = colour.SRGB_TO_XYZ.sum(axis=1)
    ratio = np.maximum(np.asarray(rgb_linear, dtype=np.float64) @ colour.SRGB_TO_XYZ.T / white, 0)
    root = np.where(ratio > (6 / 29) ** 3, np.cbrt(ratio), ratio * 841 / 108 + 4 / 29)
    x, y, z = root[..., 0], root[..., 1], root[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


@dataclass(frozen=True)
class Sought:
    """The points that the search looks at: luminance, weights, plain L*.

    Of ``first`` and ``second``, ``pairs`` entries are pairs of colours, the rest are neighbours.
    """

    base: Array
    weights: Array
    plain: Array
    first: Places
    second: Places
    pairs: int

    def differences(self, values: Array) -> tuple[Array, Array]:
        """How far the points of each pair, and those of neighbours, are apart."""
        apart = values[self.first] - values[self.second]
        return apart[: self.pairs], apart[self.pairs :]

    def spread(self, of_pairs: Array, of_neighbours: Array) -> Array:
        """What pairs and neighbours pull at their points, in opposite directions."""
        pulls = np.concatenate([of_pairs, of_neighbours])
        up = np.bincount(self.first, pulls, len(self.base))
        return np.asarray(up - np.bincount(self.second, pulls, len(self.base)), np.float64)


class Balance:
    """Finds lifts for one picture.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The picture or a proxy of it.
    recipe : Recipe
        What stands: its base, centres and pale stay, its lifts are replaced.
    """

    def __init__(self, rgb_linear: NDArray[np.float32], recipe: Recipe) -> None:
        small = reduced(rgb_linear, SIDE)
        rest = {"on": True, "lifts": Lifts(), "picked": ()}
        bare = recipe.model_copy(update={"mix": recipe.mix.model_copy(update=rest)})
        work = Pipeline(ArrayPicture(small, scale=0.0))
        prepared = work.prepared(bare)
        self.base = np.asarray(work.mixed(bare), dtype=np.float64).reshape(-1)
        lab = colour.oklab(prepared)
        hue, chroma = colour.hue_and_chroma(lab.reshape(-1, 3))
        weights = ranges.weights(hue, bare.mix.centres.model_dump())
        self.weights = weights * ranges.colourfulness(chroma, bare.mix.pale)[:, None]
        self.lab = cielab(prepared).reshape(-1, 3)
        self._choose(small.shape[:2])

    def _choose(self, shape: tuple[int, ...]) -> None:
        generator = np.random.default_rng(20)
        count = len(self.base)
        points = np.sort(generator.permutation(count)[:POINTS])
        rows = np.arange(count).reshape(shape)
        beside = rows[:, 1:].reshape(-1), rows[:, :-1].reshape(-1)
        flat = np.linalg.norm(self.lab[beside[0]] - self.lab[beside[1]], axis=1) < 6
        chosen = generator.permutation(int(flat.sum()))[: POINTS // 2]
        even = np.flatnonzero(flat)[chosen]
        self._beside = beside[0][even], beside[1][even]
        first = generator.integers(0, len(points), 3 * PAIRS)
        second = generator.integers(0, len(points), 3 * PAIRS)
        first, second = points[first], points[second]
        apart = np.linalg.norm(self.lab[first] - self.lab[second], axis=1)
        usable = np.flatnonzero(apart >= THRESHOLDS[0])[:PAIRS]
        self.first: Places = first[usable].astype(np.int64)
        self.second: Places = second[usable].astype(np.int64)
        self.plain = colour.lightness(np.minimum(self.base, 1.0))
        # each pair counts by the thresholds that its colours pass, as in the ratio's mean
        passed = apart[usable] >= _STEPS[:, None]
        self._share = passed / np.maximum(passed.sum(axis=1, keepdims=True), 1) / len(_STEPS)
        held = self.weights[points].mean(axis=0)
        self._free = held > 0.002
        self._sought = self._only_what_is_looked_at()
        before, self._rough = self._sought.differences(self._sought.plain)
        #: Which is the lighter one of a pair, where that was clear.
        self._order = np.sign(before) * (np.abs(before) > 12)
        self._below_white = self._sought.plain < 98.5

    def _only_what_is_looked_at(self) -> Sought:
        here, there = self._beside
        first, second = np.concatenate([self.first, here]), np.concatenate([self.second, there])
        used, place = np.unique(np.concatenate([first, second]), return_inverse=True)
        return Sought(
            self.base[used],
            self.weights[used],
            self.plain[used],
            place[: len(first)],
            place[len(first) :],
            len(self.first),
        )

    def lightness(self, lifts: Array) -> tuple[Array, Array]:
        """L* of all sample pixels under lifts (8,), and its slope per stop."""
        return self._lightness(self.base, self.weights, lifts)

    @staticmethod
    def _lightness(base: Array, weights: Array, lifts: Array) -> tuple[Array, Array]:
        y = base * np.exp2(weights @ lifts)
        star = colour.lightness(np.minimum(y, 1.0))
        root = np.cbrt(y)
        slope = np.where(y > (6 / 29) ** 3, 116 / 3 * root, 903.3 * y) * _LN2
        return star, np.where(y >= 1.0, 0.05 * slope, slope)

    def ratio(self, lifts: Array) -> float:
        """The contrast preserving ratio of the lifts over this picture's pairs."""
        return contrast_ratio(self.lab, self.lightness(lifts)[0], self.first, self.second)

    def _cost(self, lifts: Array) -> tuple[float, Array]:
        sought = self._sought
        star, slope = self._lightness(sought.base, sought.weights, lifts)
        count = len(star)
        difference, rough = sought.differences(star)
        size = np.sqrt(difference**2 + 0.25)
        # how far each pair is past each threshold: logistic steps, of one exponential per pair
        passed = 1 / (1 + _RISE[:, None] * np.exp(size / -SOFTNESS))
        held = self._share * passed
        cost = -float(held.sum())
        pull = np.einsum("tp,tp->p", held, passed - 1) / SOFTNESS * difference / size

        # the order of light and dark is kept where it was clear
        turned = np.maximum(0, 4 * np.abs(self._order) - difference * self._order)
        cost += 0.0006 * _mean_square(turned)
        pull -= 0.0012 / max(len(turned), 1) * turned * self._order

        # noise of even areas does not grow
        rougher = np.abs(rough) > np.abs(self._rough)
        more = (rough**2 - self._rough**2) * rougher
        cost += 0.0006 * float(more.sum()) / max(len(more), 1)
        noise = 0.0012 / max(len(more), 1) * rough * rougher
        gradient = sought.spread(pull, noise)

        change = star - sought.plain
        softened = np.sqrt(change**2 + 1)
        mean = float(softened.mean())
        if mean > FREE_CHANGE:
            cost += 0.02 * (mean - FREE_CHANGE) ** 2
            gradient += 0.04 * (mean - FREE_CHANGE) / count * change / softened
        drift = float(change.mean())
        cost += 0.001 * drift**2
        gradient += 0.002 * drift / count
        over = np.maximum(0, star - 98.5) * self._below_white
        cost += 0.004 * _mean_square(over)
        gradient += 0.008 / count * over

        slope_of_lifts = sought.weights.T @ (gradient * slope)
        jump = lifts - lifts[_BEFORE]
        cost += 0.001 * float(lifts @ lifts) + 0.0008 * float(jump @ jump)
        slope_of_lifts += 0.002 * lifts + 0.0016 * (jump - jump[_AFTER])
        return cost, slope_of_lifts

    def find(self, strength: float = 70.0) -> Found:
        """Lifts at a strength from 0 to 100."""
        if not len(self._sought.base):  # one pixel has no two colours that could be parted
            rest = dict.fromkeys(ranges.NAMES, 0.0)
            return Found(rest, said(rest))
        bounds = [(-LIMIT_STOPS, LIMIT_STOPS) if free else (0.0, 0.0) for free in self._free]
        best: Any = None
        for start in _STARTS:
            result = scipy.optimize.minimize(
                self._cost,
                np.where(self._free, start, 0.0),
                jac=True,
                method="L-BFGS-B",
                bounds=bounds,
                options={"maxiter": 20},
            )
            if best is None or result.fun < best.fun - 1e-9:
                best = result
        lifts = np.round(best.x * strength / 100, 2)
        found = {name: float(stops) + 0.0 for name, stops in zip(ranges.NAMES, lifts, strict=True)}
        return Found(found, said(found))


#: What parting two colours costs: for a stop that a lift moves, and for one between neighbours;
#: how far, in stops, a lift moves at once, and lies from rest at the most; and the share of the
#: colours that a range must hold to be moved at all.
_MOVED: Final = 4.0
_JUMP: Final = 3.0
_STEP: Final = 0.8
_FARTHEST: Final = 2.0
_THERE: Final = 0.01

#: Shares of the way to the lifts that part two colours.
_OF_THE_WAY: Final = (1.0, 0.8, 0.6, 0.45, 0.3, 0.2, 0.12)


def _mean_square(values: Array) -> float:
    return float(values @ values) / max(len(values), 1)


#: Red, orange, yellow, green, cyan, blue, purple, magenta: nothing; warm up; cool up; leaves up.
_STARTS: Final = (
    np.zeros(8),
    np.array([0.6, 0.4, 0.2, -0.3, -0.4, -0.6, -0.3, 0.3]),
    np.array([-0.6, -0.3, 0.1, 0.4, 0.5, 0.4, 0.0, -0.4]),
    np.array([-0.5, 0.2, 0.5, 0.6, 0.0, -0.6, -0.4, -0.3]),
)


def said(lifts: dict[str, float]) -> str:
    """What lifts do, the largest first, such as ``reds up 0.6, blues down 1.1``."""
    moved = [item for item in lifts.items() if abs(item[1]) >= 0.05]
    moved.sort(key=lambda item: -abs(item[1]))
    parts = [f"{name}s {'up' if stops > 0 else 'down'} {abs(stops):.1f}" for name, stops in moved]
    if not parts:
        return "nothing to part: the colours keep their distances as they are"
    return ", ".join(parts[:5])


@dataclass(frozen=True)
class Sample:
    """Some pixels of each of the picture's colours.

    Attributes
    ----------
    labels : int64 (n,)
        Which colour each is.
    luminance : float64 (n,)
        Under the present lifts.
    weights : float64 (n, 8)
        How much each range reaches it.
    """

    labels: NDArray[np.int64]
    luminance: Array
    weights: Array

    def means(self, values: Array, count: int) -> Array:
        """Mean of each column of a value over each of so many colours, ``(count, m)``."""
        sums = np.stack([np.bincount(self.labels, column, count) for column in values.T], axis=1)
        counts = np.bincount(self.labels, minlength=count)
        return np.asarray(sums / np.maximum(counts, 1)[:, None])


def separate(
    clusters: Clusters,
    sample: Sample,
    recipe: Recipe,
    pair: tuple[int, int],
    others: NDArray[np.bool_],
    enough: float,
    target: float = SEPARATE_LIGHTNESS,
) -> Iterator[Found]:
    """Lifts that part two of the picture's colours with the least change elsewhere.

    Parameters
    ----------
    clusters : Clusters
        The picture's colours.
    sample : Sample
        Pixels of them.
    recipe : Recipe
        What stands; its lifts are where the search begins.
    pair : (int, int)
        The two clusters.
    others : bool (k, k)
        Pairs that shall stay as far apart as they are.
    enough : float
        Unless they are farther than that, in L*.
    target : float
        Distance to reach, in L*.

    Yields
    ------
    Found
        Lifts that part the two the one way or the other, then less and less of the way there.

    References
    ----------
    D. Kraft, "A software package for sequential quadratic programming", DFVLR-FB 88-28 (1988).
    """
    begun = np.array([getattr(recipe.mix.lifts, name) for name in ranges.NAMES])
    count = len(clusters.shares)
    unlifted = np.maximum(sample.luminance, 1e-6) * np.exp2(-(sample.weights @ begun))

    def lightness(lifts: Array) -> tuple[Array, Array]:
        """L* of each colour, and its slopes by the lifts."""
        y = unlifted * np.exp2(sample.weights @ lifts)
        slope = np.where(y > (6 / 29) ** 3, 116 / 3 * np.cbrt(y), 903.3 * y) * _LN2 * (y < 1)
        star = colour.lightness(np.minimum(y, 1.0))[:, None]
        both = sample.means(np.hstack([star, slope[:, None] * sample.weights]), count)
        return both[:, 0], both[:, 1:]

    present, _ = lightness(begun)
    one, other = pair
    left, right = np.nonzero(others)
    way = np.where(present[left] < present[right], -1.0, 1.0)
    kept = np.minimum(way * (present[left] - present[right]), enough)

    def spare(lifts: Array) -> Array:
        """How much farther apart each other pair is than it shall be."""
        star, _ = lightness(lifts)
        return np.asarray(way * (star[left] - star[right]) - kept)

    def spare_slopes(lifts: Array) -> Array:
        _, slopes = lightness(lifts)
        return np.asarray(way[:, None] * (slopes[left] - slopes[right]))

    # what is hardly there must not carry what is pale with it, nor a range leave its neighbours
    there = sample.weights.mean(axis=0) > _THERE
    bounds = [
        (max(now - _STEP, min(now, -_FARTHEST)), min(now + _STEP, max(now, _FARTHEST)))
        if free
        else (now, now)
        for now, free in zip(begun, there, strict=True)
    ]
    ends = []
    for sign in (1.0, -1.0):

        def cost(lifts: Array, sign: float = sign) -> tuple[float, Array]:
            star, slopes = lightness(lifts)
            elsewhere = clusters.shares.copy()
            elsewhere[[one, other]] *= 0.2
            change = star - present
            missing = max(0.0, target - sign * (star[one] - star[other]))
            value = float((elsewhere * change**2).sum()) + 4 * missing**2
            gradient = 2 * elsewhere * change
            gradient[one] -= 8 * missing * sign
            gradient[other] += 8 * missing * sign
            moved, jump = lifts - begun, lifts - lifts[_BEFORE]
            value += _MOVED * float(moved @ moved) + _JUMP * float(jump @ jump)
            return value, (
                slopes.T @ gradient + 2 * _MOVED * moved + 2 * _JUMP * (jump - jump[_AFTER])
            )

        ends.append(
            scipy.optimize.minimize(
                cost,
                begun,
                jac=True,
                method="SLSQP",
                bounds=bounds,
                constraints=[{"type": "ineq", "fun": spare, "jac": spare_slopes}],
            )
        )
    for share in _OF_THE_WAY:
        for end in sorted(ends, key=lambda end: float(end.fun)):
            lifts = np.round(begun + share * (end.x - begun), 2)
            found = {
                name: float(stops) + 0.0 for name, stops in zip(ranges.NAMES, lifts, strict=True)
            }
            moved = {
                name: found[name] - float(begun[place]) for place, name in enumerate(ranges.NAMES)
            }
            yield Found(found, said(moved))
