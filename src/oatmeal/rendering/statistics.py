"""Figures of a frame: what the instruments of the bench draw."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import tone
from oatmeal.core.colour import kernels
from oatmeal.core.finish import palette
from oatmeal.core.finish.sharpness import LEAST_RADIUS, edge_mask
from oatmeal.core.mix import film
from oatmeal.core.pipeline import Order, Pipeline
from oatmeal.core.recipe import REST, Film, Tone
from oatmeal.core.seeing import measure
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.spot import read_pin
from oatmeal.core.tone import curve as curves
from oatmeal.core.tone.stages import gain_left

#: Points at which the drawn curve is sampled.
CURVE_SAMPLES: Final = 129


class Figures:
    """Figures of one photograph as it is framed; what does not change is kept."""

    def __init__(self, greymap: GreyMap) -> None:
        self.greymap = greymap
        self._kept: dict[str, tuple[Any, Any]] = {}

    def of(
        self, whole: Pipeline, order: Order, pins: Sequence[Sequence[float]] = ()
    ) -> dict[str, Any]:
        """All figures of a frame of the whole picture; a pin outside it has no reading."""
        given = order.given
        found = measure.tones(whole.codes(order), whole.scale(order).end_codes)
        found |= self._before_the_scale(whole, order)
        found["curve"] = self._same("curve", given.tone.curve, lambda: _samples(given.tone))
        acting = order.recipe.tone
        scale = order.key("scale")
        found["transfer"] = self._same("transfer", scale, lambda: _transfer(acting))
        found["pins"] = [
            asdict(read_pin(whole, order, x, y)) if 0 <= x <= 1 and 0 <= y <= 1 else None
            for x, y in pins
        ]
        trust = whole.place.picture.trust()
        found["trust"] = {"words": trust.words(), "coarse": trust.coarse}
        found["coloured"] = order.recipe.coloured
        if not order.recipe.finish.toning.rests:
            found["palette"] = palette(order.recipe.finish.toning).tolist()
        if isinstance(given.mix.base, Film):
            found["film"] = _film_figures(given.mix.base)
        return found

    def _before_the_scale(self, whole: Pipeline, order: Order) -> dict[str, Any]:
        """What does not depend on the scale, kept while only that changes."""
        shape = whole.source.shape
        prepared, toned = (order.key("prepared"), shape), (order.key("toned"), shape)
        return {
            "plain_zones": self._same("plain_zones", prepared, lambda: _plain_zones(whole, order)),
            "grey_map": self._same(
                "grey_map",
                (order.key("mixed"), order.given.mix),
                lambda: self.greymap.figures(order),
            ),
            "hues": self._same("hues", order.key("relit"), lambda: self.greymap.hues(order)),
            "before": self._same("before", toned, lambda: _histogram_before(whole, order)),
        }

    def _same(self, name: str, key: Any, make: Callable[[], Any]) -> Any:
        if name not in self._kept or self._kept[name][0] != key:
            self._kept[name] = (key, make())
        return self._kept[name][1]


def layer(name: str, pipeline: Pipeline, order: Order) -> NDArray[np.uint8]:
    """The finished grey, the print, the plain conversion, or a colour picture as 8-bit codes."""
    if name == "grey":
        return np.asarray(pipeline.codes(order))
    if name == "print":
        return np.asarray(pipeline.coloured(order))
    if name == "plain":
        return np.asarray(Pipeline(pipeline.prepared(order)).codes(REST))
    if name == "edges":
        return _edges(pipeline, order)
    if name == "prepared":
        return kernels.display(pipeline.prepared(order))
    return kernels.display(pipeline.source)


def _edges(pipeline: Pipeline, order: Order) -> NDArray[np.uint8]:
    """Where sharpness acts, 0 to 255; in a copy that is too small for it as it would look there."""
    settings = order.given.finish.sharpness
    radius = max(settings.radius * pipeline.place.picture.scale, LEAST_RADIUS)
    encoded = pipeline.get("encoded", order)
    mask = edge_mask(encoded, radius, settings.edges) if settings.edges else np.ones_like(encoded)
    return np.asarray(mask * 255 + 0.5, dtype=np.uint8)


def _plain_zones(pipeline: Pipeline, order: Order) -> list[float]:
    return measure.zone_shares(measure.histogram(layer("plain", pipeline, order)))


def _histogram_before(whole: Pipeline, order: Order) -> list[int]:
    """Histogram of what the scale's table gets, every ninth pixel."""
    gain = gain_left(order.recipe)
    counts = measure.light_histogram(whole.get("moved", order), 3, tone.AT_REST, gain)
    return [int(count) for count in counts]


def _samples(settings: Tone) -> list[float]:
    grid = np.linspace(0, 1, CURVE_SAMPLES)
    return [round(float(y), 5) for y in curves.evaluate(settings.curve, grid)]


def _transfer(settings: Tone) -> list[float]:
    """Levels, contrast, curve and output limits together, at the places of the drawn curve."""
    grid = np.linspace(0, 1, CURVE_SAMPLES)
    return [round(float(y), 5) for y in tone.transfer(grid, settings)]


def _film_figures(settings: Film) -> dict[str, Any]:
    """What the spectrum strip draws."""
    exposure = film.expose(settings)
    film_edges, filter_edges = film.edges(settings)
    return {
        "nm": film.wavelengths().tolist(),
        "sensitivity": exposure.sensitivity.round(4).tolist(),
        "passed": exposure.passed.round(4).tolist(),
        "cost": exposure.cost_stops,
        "channels": [round(100 * weight, 1) for weight in exposure.weights],
        "film_edges": film_edges,
        "filter_edges": filter_edges,
    }
