"""The grey map's figures: what grey each range and each of the picture's own colours becomes.

All are taken from a small sample of the picture, after the mix and before tone, so that they cost
next to nothing while something is dragged.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import colour, mix
from oatmeal.core.colour import ranges
from oatmeal.core.picture import ArrayPicture, reduced
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.recipe import DECLARED, REST, Mix, Picked, Plain, Recipe
from oatmeal.core.seeing.balance import Found, Sample, separate
from oatmeal.core.seeing.clusters import Clusters, find_clusters
from oatmeal.core.seeing.torn import Torn, find_torn

#: Longer side of the sample, in pixels.
SAMPLE_SIDE: Final = 160

#: Two colours merge when they differ by at least this (OKLab distance) ...
MERGING_COLOUR_DISTANCE: Final = 0.10
#: ... and their greys by less than this (L*).
MERGING_LIGHTNESS: Final = 4.0
#: ... and are not both darker than this (L*): nobody tells colours apart in black.
MERGING_DARKEST: Final = 8.0

#: Pixels of each colour that a separation looks at, at the most.
SAMPLED: Final = 150

#: What counts as parted further, and as no change, in L*.
LEAST_PARTED: Final = 0.5
NOT_SEEN: Final = 0.1

#: Below this share of the picture a range counts as hardly there.
RARE_SHARE: Final = 0.001

#: The colour that stands in for a range the picture lacks: OKLab lightness and chroma.
STAND_IN: Final = (0.62, 0.11)

_PLAIN: Final = Plain(kind="plain")

#: Stands for no pixels in a division.
_NOTHING: Final = 1e-9

#: Parts of the hue circle that a picture's hues are counted in.
HUE_BINS: Final = 36

#: Pixels that a trace looks at.
TRACE_PIXELS: Final = 1500

#: Lifts at which :meth:`GreyMap.trace` reads a range, in stops.
TRACE_STOPS: Final = tuple(
    float(stops) for stops in np.linspace(*DECLARED.limits("mix.lifts.red"), 33)
)


@dataclass(frozen=True)
class _Reach:
    """How much of each sample pixel each range reaches, ``(n, 8)``, and what follows from it.

    Attributes
    ----------
    totals : float64 (8,)
        Pixels that a range reaches.
    plain : float64 (8,)
        Mean lightness of the plain conversion over each.
    """

    weights: NDArray[np.float64]
    totals: NDArray[np.float64]
    plain: NDArray[np.float64]

    @staticmethod
    def of(weights: NDArray[np.float64], plain: NDArray[np.float64]) -> _Reach:
        totals = weights.sum(axis=0)
        return _Reach(weights, totals, weights.T @ plain / np.maximum(totals, _NOTHING))

    def means(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Mean of a value of every sample pixel over each range, ``(8,)``."""
        return np.asarray(self.weights.T @ values / np.maximum(self.totals, _NOTHING))


class GreyMap:
    """Figures of the grey map for one picture under changing recipes.

    Parameters
    ----------
    rgb_linear : float32 (H, W, 3)
        The picture or a proxy of it.
    """

    def __init__(self, rgb_linear: NDArray[np.float32]) -> None:
        self._pixels = reduced(rgb_linear, SAMPLE_SIDE)
        self._pipeline = Pipeline(
            ArrayPicture(self._pixels, scale=0.0)
        )  # a sample has no blocks to guard
        self._colours: tuple[Any, NDArray[np.float64], Clusters] | None = None
        self._plain: NDArray[np.float64] = np.empty(0)
        self._reach: tuple[Any, _Reach] | None = None

    def _prepared(self, order: Order) -> tuple[NDArray[np.float64], Clusters]:
        key = order.key("prepared")
        if self._colours is None or self._colours[0] != key:
            lab = colour.oklab(self._pipeline.prepared(order))
            self._colours = (key, lab, find_clusters(lab))
            self._plain = _star(self._pipeline.mixed(order.recipe.plain()))
            self._reach = None
        return self._colours[1], self._colours[2]

    def _reached(self, order: Order) -> _Reach:
        """How much of each sample pixel each range reaches."""
        settings = order.recipe.mix
        lab, _ = self._prepared(order)
        key = (settings.centres, settings.pale)
        if self._reach is None or self._reach[0] != key:
            hue, chroma = colour.hue_and_chroma(lab.reshape(-1, 3))
            weights = ranges.weights(hue, settings.centres.model_dump())
            weights *= ranges.colourfulness(chroma, settings.pale)[:, None]
            self._reach = (key, _Reach.of(weights, self._plain))
        return self._reach[1]

    def figures(self, wanted: Recipe | Order) -> dict[str, Any]:
        """Everything the grey map draws.

        Returns
        -------
        dict
            ``ranges``: name, share of the picture, plain and present L*, and whether the range is
            hardly there; ``colours``: the clusters with hex colour, place on the hue circle in
            columns (0 to 8, none for neutrals), share, plain and present L*; ``merging``: pairs
            of clusters that became nearly the same grey, worst first; ``picked``: share, plain and
            present L* of what each picked colour reaches; ``torn``: neighbouring ranges whose
            lifts tear what lies between them, and its share.
        """
        order = Order.of(wanted)
        reach = self._reached(order)
        plain, now = self._plain, _star(self._pipeline.mixed(order))
        _, clusters = self._prepared(order)
        colours = self._colour_figures(order, clusters, plain, now)
        picked = order.given.mix.picked  # a step that is off still shows what was picked in it
        return {
            "ranges": self._range_figures(order, reach, now),
            "colours": colours,
            "merging": merging(clusters, np.array([c["now"] for c in colours])),
            "picked": [self._picked_figures(order, one, plain, now) for one in picked],
            "torn": [asdict(torn) for torn in self._torn(order, reach)],
        }

    def _torn(self, order: Order, reach: _Reach) -> list[Torn]:
        lifts = order.recipe.mix.lifts
        if lifts == REST.mix.lifts:
            return []
        light = colour.luminance(np.maximum(self._pipeline.prepared(order), 0))
        return find_torn(reach.weights, light, lifts.model_dump())

    def hues(self, wanted: Recipe | Order) -> list[float]:
        """Shares of the picture, as it was photographed, that lie at each hue; neutrals apart.

        Returns
        -------
        list of float
            For :data:`HUE_BINS` even parts of the circle from 0 degrees on.
        """
        lab = colour.oklab(self._pipeline.get("relit", wanted)).reshape(-1, 3)
        hue, chroma = colour.hue_and_chroma(lab)
        weights = ranges.colourfulness(chroma, 50)
        places = (hue / 360 * HUE_BINS).astype(int) % HUE_BINS
        shares = np.bincount(places, weights=weights, minlength=HUE_BINS) / len(lab)
        return [round(float(share), 5) for share in shares]

    def _nearness(self, order: Order, picked: Picked) -> NDArray[np.float64]:
        """How far a picked colour reaches each sample pixel, ``(n,)``, 0 to 1."""
        reached = mix.reach(self._pipeline.analysis(order), picked)
        return reached.reshape(-1).astype(np.float64)

    def _picked_figures(
        self,
        order: Order,
        picked: Picked,
        plain: NDArray[np.float64],
        now: NDArray[np.float64],
    ) -> dict[str, Any]:
        near = self._nearness(order, picked)
        total = max(float(near.sum()), _NOTHING)
        return {
            "share": float(near.mean()),
            "plain": float(near @ plain / total),
            "now": float(near @ now / total),
            "rare": bool(near.mean() < RARE_SHARE),
        }

    def _range_figures(
        self,
        order: Order,
        reach: _Reach,
        now: NDArray[np.float64],
    ) -> list[dict[str, Any]]:
        shares = reach.totals / len(reach.weights)
        before, after = reach.plain.tolist(), reach.means(now).tolist()
        figures = []
        for place, name in enumerate(ranges.NAMES):
            rare = bool(shares[place] < RARE_SHARE)
            both = before[place], after[place]
            plain_star, star = _stand_in(order.recipe.mix, place) if rare else both
            figures.append(
                {
                    "name": name,
                    "share": float(shares[place]),
                    "plain": plain_star,
                    "now": star,
                    "rare": rare,
                }
            )
        return figures

    def _colour_figures(
        self,
        order: Order,
        clusters: Clusters,
        plain: NDArray[np.float64],
        now: NDArray[np.float64],
    ) -> list[dict[str, Any]]:
        hue, chroma = colour.hue_and_chroma(clusters.centres)
        columns = _columns(hue, order.recipe.mix)
        plain_means, now_means = clusters.means(plain), clusters.means(now)
        figures = []
        for place, share in enumerate(clusters.shares):
            coloured = chroma[place] >= 4 * ranges.NEUTRAL_CHROMA
            figures.append(
                {
                    "colour": clusters.hexes[place],
                    "column": float(columns[place]) if coloured else None,
                    "share": float(share),
                    "plain": float(plain_means[place]),
                    "now": float(now_means[place]),
                }
            )
        return figures

    def separate(self, recipe: Recipe, pair: tuple[str, str]) -> Found | None:
        """Lifts that part two of the picture's colours, named by their hex colours.

        They let no other pair merge, and none that merges come nearer: of the way to lifts that
        part these two as much is gone as does not.

        Returns
        -------
        Found or None
            None where no lifts part them so.

        Raises
        ------
        KeyError
            When the picture has no such colour (any more).
        """
        _, clusters = self._prepared(Order(recipe))
        places = {name: place for place, name in enumerate(clusters.hexes)}
        chosen = (places[pair[0]], places[pair[1]])
        recipe = recipe.model_copy(update={"mix": recipe.mix.model_copy(update={"on": True})})
        before = self._greys(recipe, clusters)
        others = _told_apart(clusters, before)
        others[min(chosen), max(chosen)] = False
        sample = self._sample(Order(recipe), clusters)
        for found in separate(clusters, sample, recipe, chosen, others, MERGING_LIGHTNESS):
            lifts = recipe.mix.lifts.model_copy(update=found.lifts)
            there = recipe.model_copy(
                update={"mix": recipe.mix.model_copy(update={"lifts": lifts})}
            )
            if _better(clusters, chosen, before, self._greys(there, clusters)):
                return found
        return None

    def _sample(self, order: Order, clusters: Clusters) -> Sample:
        places = [np.flatnonzero(clusters.labels == one) for one in range(len(clusters.shares))]
        some = np.concatenate([one[:: len(one) // SAMPLED + 1] for one in places])
        luminance = self._pipeline.mixed(order).reshape(-1)[some].astype(np.float64)
        return Sample(clusters.labels[some], luminance, self._reached(order).weights[some])

    def _greys(self, recipe: Recipe, clusters: Clusters) -> NDArray[np.float64]:
        """Present L* of each of the picture's colours."""
        return clusters.means(_star(self._pipeline.mixed(Order(recipe))))

    def trace(self, wanted: Recipe | Order, name: str | int) -> list[tuple[float, float]]:
        """Where a range, or the picked colour of this number, would stand (L*) for all lifts.

        With it an editor can find the lift that brings a column to a chosen height. Only the lift
        is done again, on some pixels of the base and of the colours as the guard leaves them: what
        comes before it may look at neighbourhoods, and sees the whole sample.
        """
        order = Order.of(wanted)
        settings = order.recipe.mix
        if isinstance(name, int) and name >= len(settings.picked):
            return []  # Mix is off
        weights = self._trace_weights(order, name)
        if isinstance(name, str) and weights.mean() < RARE_SHARE:
            place = ranges.NAMES.index(name)
            moved = ((stops, _with_lift(settings, name, stops)) for stops in TRACE_STOPS)
            return [(stops, _stand_in(one, place)[1]) for stops, one in moved]
        members = np.flatnonzero(weights > 0.02)
        members = members[:: max(1, len(members) // TRACE_PIXELS)]
        if not len(members):
            return []
        base = self._pipeline.get("base", order).reshape(1, -1)[:, members]
        colours = mix.at_pixels(self._pipeline.analysis(order), members)
        heights = []
        for stops in TRACE_STOPS:
            now = _star(mix.lifted(base, colours, _with_lift(settings, name, stops)))
            heights.append((stops, float(np.average(now, weights=weights[members]))))
        return heights

    def _trace_weights(self, order: Order, name: str | int) -> NDArray[np.float64]:
        if isinstance(name, str):
            return self._reached(order).weights[:, ranges.NAMES.index(name)]
        return self._nearness(order, order.recipe.mix.picked[name])


def _with_lift(settings: Mix, name: str | int, stops: float) -> Mix:
    if isinstance(name, str):
        lifts = settings.lifts.model_copy(update={name: stops})
        return settings.model_copy(update={"lifts": lifts})
    picked = list(settings.picked)
    picked[name] = picked[name].model_copy(update={"lift": stops})
    return settings.model_copy(update={"picked": tuple(picked)})


def _better(
    clusters: Clusters,
    chosen: tuple[int, int],
    before: NDArray[np.float64],
    now: NDArray[np.float64],
) -> bool:
    """True if two colours part further and no other pair merges, or merges more."""
    apart, parted = (np.abs(star[:, None] - star[None]) for star in (before, now))
    merged = (_told_apart(clusters, star) for star in (before, now))
    did, do = (
        told & (one < MERGING_LIGHTNESS) for told, one in zip(merged, (apart, parted), strict=True)
    )
    worse = do & (~did | (parted < apart - NOT_SEEN))
    worse[min(chosen), max(chosen)] = False
    return bool(parted[chosen] >= apart[chosen] + LEAST_PARTED and not worse.any())


def merging(clusters: Clusters, lightness_now: NDArray[np.float64]) -> list[dict[str, Any]]:
    """Pairs of clearly different colours whose greys nearly coincide, worst first.

    Ranked by the product of their shares, raised where the two touch in the picture.
    """
    shares, distance, rank = clusters.shares, clusters.apart, clusters.weight
    apart = np.abs(lightness_now[:, None] - lightness_now[None])
    merged = _told_apart(clusters, lightness_now) & (apart < MERGING_LIGHTNESS)
    pairs = sorted(np.argwhere(merged), key=lambda pair: -rank[tuple(pair)])
    return [
        {
            "colours": [clusters.hexes[i], clusters.hexes[j]],
            "shares": [float(shares[i]), float(shares[j])],
            "apart": float(apart[i, j]),
            "colour_distance": float(distance[i, j]),
        }
        for i, j in pairs
    ]


def _told_apart(clusters: Clusters, lightness_now: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Pairs, the first before the second, that anybody would tell apart by their colours."""
    black = np.maximum(lightness_now[:, None], lightness_now[None]) < MERGING_DARKEST
    edges = clusters.on_edges[:, None] | clusters.on_edges[None]
    return np.triu(clusters.apart >= MERGING_COLOUR_DISTANCE, 1) & ~black & ~edges


def _stand_in(settings: Mix, place: int) -> tuple[float, float]:
    """Plain and present L* of a nominal colour in the middle of a range, as the mix gets it."""
    centre = np.radians(getattr(settings.centres, ranges.NAMES[place]))
    light, chroma = STAND_IN
    lab = np.array([[[light, chroma * np.cos(centre), chroma * np.sin(centre)]]])
    pixel = colour.oklab_to_linear(lab).astype(np.float32)
    now = mix.lifted(mix.base_grey(pixel, settings.base), mix.analyse(pixel), settings)
    return float(_star(mix.base_grey(pixel, _PLAIN))[0]), float(_star(now)[0])


def _columns(hue_degrees: NDArray[np.float64], settings: Mix) -> NDArray[np.float64]:
    """Place of hues among the eight columns: ``i`` at centre i, going on evenly between."""
    index, part = ranges.between_centres(hue_degrees, settings.centres.model_dump())
    place = index + part
    return np.where(place > len(ranges.NAMES) - 0.5, place - len(ranges.NAMES), place)


def _star(grey: NDArray[np.float32]) -> NDArray[np.float64]:
    return colour.lightness(np.minimum(grey, 1.0)).reshape(-1)
