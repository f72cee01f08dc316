"""The workbench: photographs being worked on, held ready so that a frame costs only its change."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import curve as curves
from oatmeal.core import film, kernels, local, measure, strip, tone
from oatmeal.core.balance import Balance, Found
from oatmeal.core.greymap import GreyMap
from oatmeal.core.pipeline import WHOLE_SIDE, Pipeline, Region, reduced
from oatmeal.core.points import find_points
from oatmeal.core.recipe import REST, Film, Levels, Recipe, Tone, require_built
from oatmeal.core.spot import Spot, read_pin, read_spot, touched, touched_by_picked
from oatmeal.core.starts import Start, starts
from oatmeal.library.errors import Invalid
from oatmeal.library.models import Photograph
from oatmeal.library.proxies import BENCH_SIDE, Proxies
from oatmeal.photofile.decode import SourcePicture

#: Photographs held ready, and sizes held for each.
DESKS: Final = 3
SIZES: Final = 4

#: Side of the frame that figures are taken from while a region at 100 % is shown.
FIGURES_SIDE: Final = 1024

#: A region may ask for this many pixels at the most.
MAX_REGION_PIXELS: Final = 16_000_000

#: Points at which the drawn curve is sampled.
CURVE_SAMPLES: Final = 129

LAYERS: Final = ("grey", "plain", "colour", "touched")


@dataclass(frozen=True)
class Request:
    """What a page asks of a photograph.

    Attributes
    ----------
    recipe : Recipe
    side : int
        Longer side of the whole frame in pixels.
    layers : sequence of str
        Which of grey, plain (the plain conversion) and colour (the original) to send.
    region : (x, y, width, height), optional
        A rectangle of the file's own pixels instead of the whole frame.
    trace : str or int, optional
        Name of a range, or number of a picked colour, whose height is wanted for every lift.
    touched : (x, y) or int, optional
        What the layer ``touched`` shows: the pixels that move with a spot (shares of width and
        height), or those that a picked colour (its number) reaches.
    pins : sequence of (x, y)
        Places to read, in shares of width and height.
    strip : Strip, optional
        Cut the whole frame into bands with other values of one setting.
    """

    recipe: Recipe
    side: int = 1600
    layers: Sequence[str] = ("grey",)
    region: tuple[int, int, int, int] | None = None
    trace: str | int | None = None
    touched: tuple[float, float] | int | None = None
    strip: Strip | None = None
    pins: Sequence[tuple[float, float]] = ()


@dataclass(frozen=True)
class Strip:
    """A test strip: the setting, the recipe of each band, and how the bands stand."""

    recipes: Sequence[Recipe]
    upright: bool = True


@dataclass(frozen=True)
class Frame:
    """Rendered layers of one size, and what was measured."""

    width: int
    height: int
    region: tuple[int, int, int, int] | None
    layers: list[tuple[str, NDArray[np.uint8]]]
    figures: dict[str, Any]


class Desk:
    """One photograph being worked on."""

    def __init__(self, sha256: str, suffix: str, long_side: int, proxies: Proxies) -> None:
        self._file = (sha256, suffix)
        self._long_side = long_side
        self._proxies = proxies
        self._lock = threading.Lock()
        self._decoding = threading.Lock()
        self._large = proxies.read(sha256, suffix, BENCH_SIDE)
        self._auto_guard = proxies.auto_guard(sha256, suffix)
        self._pipelines: OrderedDict[int, Pipeline] = OrderedDict()
        self._greymap = GreyMap(self._large)
        self._source: SourcePicture | None = None
        self._region: tuple[tuple[int, int, int, int], Region] | None = None
        self._figures_kept: dict[str, tuple[Any, Any]] = {}

    def frame(self, request: Request) -> Frame:
        """Render what was asked for."""
        require_built(request.recipe)
        with self._lock:
            whole = self._pipeline(request.side)
            region = None
            if request.region is not None:
                region = self._clipped(request.region)
                whole = self._pipeline(min(request.side, FIGURES_SIDE))
            codes = whole.codes(request.recipe)
            layers = [(name, self._layer(name, whole, region, request)) for name in request.layers]
            figures = self._figures(whole, codes, request)
        if region is not None:
            width, height = region[2:]
        else:
            height, width = whole.source.shape[:2]
        return Frame(width, height, region, layers, figures)

    def _layer(
        self,
        name: str,
        whole: Pipeline,
        region: tuple[int, int, int, int] | None,
        request: Request,
    ) -> NDArray[np.uint8]:
        if request.strip is not None and name == "grey":
            return self._strip(whole, request.strip)
        if region is None:
            return self._rendered(name, whole, request)
        part = self._region_of(region)
        return part.cut(self._rendered(name, part.pipeline, request))

    def _strip(self, whole: Pipeline, wanted: Strip) -> NDArray[np.uint8]:
        for recipe in wanted.recipes:
            require_built(recipe)
        return strip.render(
            whole.source,
            wanted.recipes,
            upright=wanted.upright,
            auto_guard=self._auto_guard,
            scale=max(whole.source.shape[:2]) / self._long_side,
        )

    def _rendered(self, name: str, pipeline: Pipeline, request: Request) -> NDArray[np.uint8]:
        recipe = request.recipe
        if name == "touched":
            return self._touched(pipeline, request)
        return _layer(name, pipeline, recipe)

    def _touched(self, pipeline: Pipeline, request: Request) -> NDArray[np.uint8]:
        recipe, wanted = request.recipe, request.touched
        if isinstance(wanted, int):
            if not 0 <= wanted < len(recipe.mix.picked):
                raise Invalid("There is no such picked colour.")
            return touched_by_picked(pipeline.analysis(recipe), recipe.mix.picked[wanted])
        if wanted is None:
            raise Invalid("Say what should be shown as touched.")
        spot = read_spot(self._spot_pipeline(), recipe, *wanted)
        return touched(pipeline.analysis(recipe), recipe.mix, spot)

    def _spot_pipeline(self) -> Pipeline:
        return self._pipeline(BENCH_SIDE)

    def spot(self, recipe: Recipe, x: float, y: float) -> Spot:
        """What lies at a place, given in shares of width and height."""
        with self._lock:
            return read_spot(self._spot_pipeline(), recipe, x, y)

    def balance(self, recipe: Recipe, strength: float) -> Found:
        """Lifts that part the picture's colours."""
        with self._lock:
            return Balance(self._large, recipe).find(strength)

    def points(self, recipe: Recipe, budget: float) -> Levels:
        """Black and white of the scale from the picture; ``budget`` is the share that may clip."""
        with self._lock:
            return find_points(self._pipeline(WHOLE_SIDE), recipe, budget)

    def separate(self, recipe: Recipe, pair: tuple[str, str]) -> Found:
        """Lifts that part two of the picture's colours."""
        with self._lock:
            try:
                found = self._greymap.separate(recipe, pair)
            except KeyError as error:
                raise Invalid("The picture has no such colour.") from error
        if found is None:
            raise Invalid(
                "These two lie in the same range, so that lifts cannot part them: "
                "pick one of them as a colour of its own."
            )
        return found

    def starts(self, recipe: Recipe) -> list[Start]:
        """Twelve starting points."""
        with self._lock:
            return starts(self._large, recipe)

    def source(self) -> SourcePicture:
        """The file's own pixels, decoded once; frames of the proxies go on meanwhile."""
        with self._decoding:
            if self._source is None:
                self._source = self._proxies.decode(*self._file)
            return self._source

    def prepare_source(self) -> None:
        """Decode the file ahead of the first look at 100 %."""
        self.source()

    def _pipeline(self, side: int) -> Pipeline:
        side = max(64, min(side, BENCH_SIDE))
        if side not in self._pipelines:
            small = reduced(self._large, side)
            scale = max(small.shape[:2]) / self._long_side
            self._pipelines[side] = Pipeline(small, auto_guard=self._auto_guard, scale=scale)
        self._pipelines.move_to_end(side)
        while len(self._pipelines) > SIZES:
            self._pipelines.popitem(last=False)
        return self._pipelines[side]

    def _clipped(self, region: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
        source = self.source()
        x, y = max(0, region[0]), max(0, region[1])
        width = min(region[2], source.width - x)
        height = min(region[3], source.height - y)
        if width < 1 or height < 1 or width * height > MAX_REGION_PIXELS:
            raise Invalid("The region lies outside the photograph or is too large.")
        return x, y, width, height

    def _region_of(self, region: tuple[int, int, int, int]) -> Region:
        if self._region is None or self._region[0] != region:
            self._region = (region, Region(self.source(), region, whole=self._pipeline(WHOLE_SIDE)))
        return self._region[1]

    def _figures(
        self, whole: Pipeline, codes: NDArray[np.uint8], request: Request
    ) -> dict[str, Any]:
        recipe = request.recipe
        scale = whole.scale(recipe)
        figures = measure.tones(codes, scale.end_codes)
        figures |= self._figures_of_mix(whole, recipe)
        figures["curve"] = _samples(recipe.tone)
        figures["transfer"] = _transfer(recipe.effective().tone)
        figures["pins"] = [asdict(read_pin(whole, recipe, *place)) for place in request.pins]
        figures["auto_guard"] = self._auto_guard
        if isinstance(recipe.mix.base, Film):
            figures["film"] = _film_figures(recipe.mix.base)
        if isinstance(request.trace, int) and not 0 <= request.trace < len(recipe.mix.picked):
            raise Invalid("There is no such picked colour.")
        if request.trace is not None:
            figures["trace"] = self._greymap.trace(recipe, request.trace)
        return figures

    def _figures_of_mix(self, whole: Pipeline, recipe: Recipe) -> dict[str, Any]:
        """What does not depend on the scale, kept while only Tone changes."""
        effective = recipe.effective()
        prepared, shape = effective.prepare, whole.source.shape
        mixed = (prepared, effective.mix)
        return {
            "plain_zones": self._kept(
                "plain_zones", (prepared, shape), lambda: _plain_zones(whole, recipe)
            ),
            "grey_map": self._kept("grey_map", mixed, lambda: self._greymap.figures(recipe)),
            "before": self._kept(
                "before",
                (*mixed, local.settings_of(effective.tone), shape),
                lambda: _histogram_before(whole, recipe),
            ),
        }

    def _kept(self, name: str, key: Any, make: Callable[[], Any]) -> Any:
        if name not in self._figures_kept or self._figures_kept[name][0] != key:
            self._figures_kept[name] = (key, make())
        return self._figures_kept[name][1]


def _layer(name: str, pipeline: Pipeline, recipe: Recipe) -> NDArray[np.uint8]:
    if name == "grey":
        return np.asarray(pipeline.codes(recipe))
    if name == "plain":
        return np.asarray(Pipeline(pipeline.prepared(recipe)).codes(REST))
    return kernels.display(pipeline.source)


def _plain_zones(pipeline: Pipeline, recipe: Recipe) -> list[float]:
    return measure.zone_shares(measure.histogram(_layer("plain", pipeline, recipe)))


def _histogram_before(pipeline: Pipeline, recipe: Recipe) -> list[int]:
    """Histogram of what the scale's table gets, every ninth pixel."""
    settings = recipe.effective().tone
    if local.at_rest(settings):  # the exposure alone is cheaper on the sample
        grey, exposure = pipeline.mixed(recipe), settings.exposure
    else:
        grey, exposure = pipeline.toned(recipe), 0.0
    sample = np.ascontiguousarray(grey[::3, ::3])
    codes = tone.apply(sample, tone.exposed(exposure), np.uint8)
    return [int(count) for count in measure.histogram(np.asarray(codes, dtype=np.uint8))]


def _samples(settings: Tone) -> list[float]:
    grid = np.linspace(0, 1, CURVE_SAMPLES)
    return [round(float(y), 5) for y in curves.evaluate(settings.curve, grid)]


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


def _transfer(settings: Tone) -> list[float]:
    """Levels, contrast, curve and output limits together, at the places of the drawn curve."""
    grid = np.linspace(0, 1, CURVE_SAMPLES)
    return [round(float(y), 5) for y in tone.transfer(grid, settings)]


class Workbench:
    """The desks of all photographs in use; the longest unused makes room."""

    def __init__(self, proxies: Proxies) -> None:
        self._proxies = proxies
        self._lock = threading.Lock()
        self._desks: OrderedDict[str, Desk] = OrderedDict()

    def desk(self, photograph: Photograph) -> Desk:
        """The desk of a photograph, set up now if it is not in use."""
        with self._lock:
            desk = self._desks.get(photograph.sha256)
        if desk is None:
            # outside the lock: the desks in use go on meanwhile
            long_side = max(photograph.width, photograph.height)
            desk = Desk(photograph.sha256, photograph.suffix, long_side, self._proxies)
        with self._lock:
            desk = self._desks.setdefault(photograph.sha256, desk)
            self._desks.move_to_end(photograph.sha256)
            while len(self._desks) > DESKS:
                self._desks.popitem(last=False)
            return desk
