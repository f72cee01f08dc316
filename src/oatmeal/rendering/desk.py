"""A desk: one photograph being worked on, held ready so that a frame costs only its change."""

from __future__ import annotations

import base64
import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oatmeal.core import prepare
from oatmeal.core.kernels import NotReady
from oatmeal.core.opencv import cv2
from oatmeal.core.picture import (
    ArrayPicture,
    Geometry,
    Layout,
    Picture,
    Rectangle,
    copy_of,
    framed,
    seed_of,
)
from oatmeal.core.pipeline import WHOLE_SIDE, Order, Pipeline, Region
from oatmeal.core.prepare.white import NoLight
from oatmeal.core.recipe import WEIGHINGS, Levels, Mix, Plain, Recipe
from oatmeal.core.seeing import strip
from oatmeal.core.seeing.areas import SIDE, masks_of, seen
from oatmeal.core.seeing.balance import Balance, Found
from oatmeal.core.seeing.begin import Beginning, FoundLight, begin, find_light, neutral
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.points import find_points
from oatmeal.core.seeing.spot import (
    Spot,
    fitting_reach,
    reached_by_kept,
    read_spot,
    touched,
    touched_by_picked,
    touched_zones,
)
from oatmeal.core.seeing.starts import Start, starts
from oatmeal.library.errors import Invalid
from oatmeal.library.store import Original
from oatmeal.photofile.decode import SourcePicture
from oatmeal.rendering.cleaning import Cleaning
from oatmeal.rendering.perspective import Standing
from oatmeal.rendering.pixels import Pixels
from oatmeal.rendering.proxies import BENCH_SIDE, Proxies
from oatmeal.rendering.requests import MAX_REGION_PIXELS, Frame, Request, Strip
from oatmeal.rendering.statistics import Figures, layer

#: Sizes held ready of each view, unless said otherwise, and views of each photograph.
SIZES: Final = 5
VIEWS: Final = 3

#: Side of the frame that figures are taken from while a region at 100 % is shown.
FIGURES_SIDE: Final = 1024

#: A frame with fewer pixels of the reduced copy than this is made from the file itself.
FINE_SIDE: Final = 1400

#: The smallest frame that is made.
SMALLEST_SIDE: Final = 64

#: Pairs that merge which are tried to be parted where the worst cannot be.
_OTHER_PAIRS: Final = 5

#: Side of the small pictures of the plain conversions.
WEIGHED_SIDE: Final = 120


class View:
    """The photograph as one geometry frames it: its sizes, its colours, its figures.

    Parameters
    ----------
    picture : Picture
        The reduced copy, as it is framed.
    layout : Layout
        How the photograph is framed.
    sizes : int
        Held ready.
    """

    def __init__(self, picture: Picture, layout: Layout, sizes: int = SIZES) -> None:
        self.size = (layout.width, layout.height)
        self.layout = layout
        self._sizes = sizes
        self.copy = copy_of(picture, BENCH_SIDE)
        self.figures = Figures(GreyMap(self.large))
        self.drawn: tuple[Any, dict[str, Any]] = ((), {})
        self._pipelines: OrderedDict[int, Pipeline] = OrderedDict()
        self._region: tuple[Rectangle, Region] | None = None

    @property
    def large(self) -> NDArray[np.float32]:
        """Linear colour of the copy."""
        return self.copy.rgb_linear

    def pipeline(self, side: int) -> Pipeline:
        """The pipeline on the whole picture at a size; the longest unused makes room."""
        side = max(SMALLEST_SIDE, min(side, BENCH_SIDE))
        if side not in self._pipelines:
            self._pipelines[side] = Pipeline(copy_of(self.copy, side))
        self._pipelines.move_to_end(side)
        while len(self._pipelines) > self._sizes:
            self._pipelines.popitem(last=False)
        return self._pipelines[side]

    def region(self, picture: Picture, rectangle: Rectangle, order: Order) -> Region:
        """A part of the file's own pixels; the same one while the rectangle stays."""
        kept = self._region
        if kept is None or kept[0] != rectangle or not kept[1].holds(order):
            made = Region(picture, rectangle, order, self.pipeline(WHOLE_SIDE))
            kept = self._region = (rectangle, made)
        return kept[1]

    def clipped(self, rectangle: Rectangle) -> Rectangle:
        """A rectangle, as far as it lies inside the framed photograph."""
        x, y = max(0, rectangle[0]), max(0, rectangle[1])
        width = min(rectangle[2], self.size[0] - x)
        height = min(rectangle[3], self.size[1] - y)
        if width < 1 or height < 1 or width * height > MAX_REGION_PIXELS:
            raise Invalid("The region lies outside the photograph or is too large.")
        return x, y, width, height


class Desk:
    """One photograph being worked on.

    Parameters
    ----------
    original : Original
        Its file in the store.
    size : (width, height)
        Of the original, upright.
    proxies : Proxies
        Where its reduced copies come from.
    sizes : int
        Held ready of each view.
    worked : callable
        Told whenever something was done, which may have left more to hold.
    """

    def __init__(
        self,
        original: Original,
        size: tuple[int, int],
        proxies: Proxies,
        sizes: int = SIZES,
        worked: Callable[[], None] = lambda: None,
    ) -> None:
        self._original = original
        self._sizes = sizes
        self._size = size
        self._proxies = proxies
        self._lock = _Telling(worked)
        self._worked = worked
        # by itself, or a desk that was put away would hold itself
        self._pixels = Pixels(original, proxies)
        rgb_linear = proxies.read(original, BENCH_SIDE)
        self._copy = ArrayPicture(
            rgb_linear,
            noise_of_file=self._pixels.noise,
            trust_of_file=self._pixels.trust,
            seed=seed_of(original.sha256),
            scale=max(rgb_linear.shape[:2]) / max(size),
        )
        self._views: OrderedDict[tuple[Geometry, bool], View] = OrderedDict()
        self._order: Order | None = None
        self.cleaning = Cleaning(self._copy, self._pixels.source, self._pixels.noise)
        self.standing = Standing(self._copy, size, lambda: proxies.exif(original))

    def _view(self, order: Order, framing: str = "framed") -> View:
        geometry = _geometry(order, framing)
        laid = geometry.on(*self._size)
        side = max(laid.size_on(self._copy))
        source = self._pixels.held
        fine = source is not None and side < min(FINE_SIDE, max(laid.width, laid.height))
        key = (geometry, fine)
        if key not in self._views:
            read = source if fine and source is not None else self._copy
            self._views[key] = View(framed(read, geometry, self._size), laid, self._sizes)
        self._views.move_to_end(key)
        while len(self._views) > VIEWS:
            self._views.popitem(last=False)
        return self._views[key]

    def frame(self, request: Request) -> Frame:
        """Render what was asked for."""
        order = self._order = Order(request.recipe, self._order)
        # whoever waits for the file's pixels holds up nobody else
        decoded = request.region is not None or "opacity" in request.layers
        source = self.source() if decoded else None
        with self._lock:
            view = self._view(order, request.framing)
            whole = view.pipeline(request.side)
            rectangle, part = None, None
            if request.region is not None and source is not None:
                rectangle = view.clipped(request.region)
                whole = view.pipeline(min(request.side, FIGURES_SIDE))
                picture = framed(source, _geometry(order, request.framing))
                part = view.region(picture, rectangle, order)
            size = view.size
            names = [*request.layers]
            if "grey" in names and request.strip is None and order.recipe.keeps_colour:
                names.append("print")  # its colours are no table of its greys
            layers = [
                (name, self._layer(name, view, whole, part, order, request))
                for name in names
                if name != "opacity"
            ]
            if "opacity" in names and source is not None:
                picture = framed(source, _geometry(order, request.framing))
                layers.append(("opacity", _opacity(picture, _extent(whole, rectangle), rectangle)))
            if not request.measured:
                return Frame(*_extent(whole, rectangle), size, rectangle, layers, {})
            measured = whole
            if request.framing != "framed":
                view = self._view(order)
                measured = view.pipeline(min(request.side, FIGURES_SIDE))
            figures = view.figures.of(measured, order, self._pins(order, request))
            if request.contours:
                figures["areas"] = _contours(view, order, request.contours)
            if request.trace is not None:
                figures["trace"] = _trace(view, order, request.trace)
        return Frame(*_extent(whole, rectangle), size, rectangle, layers, figures)

    def _pins(self, order: Order, request: Request) -> list[list[float]]:
        """Places to read, in shares of the frame's sides."""
        if not request.pins:
            return []
        laid = prepare.geometry(order.recipe).on(*self._size)
        places: list[list[float]] = laid.framed(np.array(request.pins, dtype=float)).tolist()
        return places

    def _layer(
        self,
        name: str,
        view: View,
        whole: Pipeline,
        part: Region | None,
        order: Order,
        request: Request,
    ) -> NDArray[np.uint8]:
        if request.strip is not None and name == "grey":
            return _strip(whole, request.strip)
        pipeline = part.pipeline if part is not None else whole
        if name in ("touched", "zoned", "kept"):
            shown = _touched(view, pipeline, order, request.touched, name)
        elif name == "mask":
            shown = _mask(pipeline, order, request.area)
        else:
            shown = layer(name, pipeline, order)
        return part.cut(shown) if part is not None else shown

    def spot(self, recipe: Recipe, x: float, y: float) -> Spot:
        """What lies at a place, given in shares of width and height."""
        with self._lock:
            order = Order(recipe)
            return read_spot(self._view(order).pipeline(BENCH_SIDE), order, x, y)

    def fitting_reach(self, recipe: Recipe, x: float, y: float) -> float:
        """How far a colour that is picked at a place should reach."""
        with self._lock:
            order = Order(recipe)
            return fitting_reach(self._view(order).pipeline(BENCH_SIDE), order, x, y)

    def balance(self, recipe: Recipe, strength: float) -> Found:
        """Lifts that part the picture's colours."""
        with self._lock:
            return Balance(self._view(Order(recipe)).large, recipe).find(strength)

    def neutral(self, recipe: Recipe, x: float, y: float) -> tuple[float, float]:
        """Warmth and tint of the light under which a place is grey; shares of width and height."""
        with self._lock:
            source = self._view(Order(recipe)).pipeline(BENCH_SIDE).source
            try:
                return neutral(source, x, y)
            except NoLight as error:
                raise Invalid(str(error)) from error

    def find_light(self, recipe: Recipe) -> FoundLight:
        """The colour of the light, where the picture tells it."""
        with self._lock:
            return find_light(self._view(Order(recipe)).large)

    def begin(self, recipe: Recipe) -> Beginning:
        """A first light, and a sentence on what was done."""
        with self._lock:
            return begin(self._view(Order(recipe)).large, recipe)

    def camera_look(self) -> list[tuple[float, float]] | None:
        """Of a raw file: the curve to the camera's own preview, if there is one."""
        return self._proxies.camera_look(self._original)

    def points(self, recipe: Recipe, budget: float) -> Levels:
        """Black and white of the scale from the picture; ``budget`` is the share that may clip."""
        with self._lock:
            return find_points(self._view(Order(recipe)).pipeline(WHOLE_SIDE), recipe, budget)

    def separate(self, recipe: Recipe, pair: tuple[str, str]) -> Found:
        """Lifts that part two of the picture's colours, or where none do the next that merge."""
        with self._lock:
            try:
                greymap = self._view(Order(recipe)).figures.greymap
                found = greymap.separate(recipe, pair)
            except KeyError as error:
                raise Invalid("The picture has no such colour.") from error
            others = [] if found else greymap.figures(recipe)["merging"][:_OTHER_PAIRS]
            for one in others:
                if found := greymap.separate(recipe, tuple(one["colours"])):
                    words = f"these two win no more, but others do: {found.words}"
                    found = Found(found.lifts, words)
                    break
        if found is None:
            raise Invalid(
                "There is no more to win by lifts: colours that merge lie in the same range, or "
                "others would merge for it. Pick one of them as a colour of its own."
            )
        return found

    def starts(self, recipe: Recipe) -> list[Start]:
        """Twelve starting points."""
        with self._lock:
            return starts(self._view(Order(recipe)).large, recipe)

    def weighings(self, recipe: Recipe) -> Frame:
        """The prepared picture in each plain conversion, small: a layer for each."""
        layers = []
        for name in WEIGHINGS:
            plain = Plain.model_validate({"kind": "plain", "weighing": name})
            order = Order(Recipe(prepare=recipe.prepare, mix=Mix(base=plain)))
            with self._lock:  # for each: a drag goes on between them
                view = self._view(order)
                whole = view.pipeline(WEIGHED_SIDE)
                layers.append((name, layer("grey", whole, order)))
        return Frame(*_extent(whole, None), view.size, None, layers, {})

    def source(self) -> SourcePicture:
        """The file's own pixels, decoded once; frames of the copies go on meanwhile."""
        source = self._pixels.source()
        self._worked()
        return source

    def prepare_source(self) -> None:
        """Decode the file ahead of the first look at 100 %, and measure what its colour carries."""
        self.source()
        with suppress(NotReady):  # another look ahead comes
            self._pixels.measure()

    @property
    def holds(self) -> dict[str, float]:
        """By ranges, the stops of lift that its colour carries; none as long as nobody measured."""
        return self._pixels.holds

    @property
    def transparent(self) -> bool | None:
        """Whether parts of it are transparent; None as long as it is not decoded."""
        held = self._pixels.held
        return None if held is None else held.alpha is not None


class _Telling:
    """A lock that tells when it was let go."""

    def __init__(self, told: Callable[[], None]) -> None:
        self._lock = threading.Lock()
        self._told = told

    def __enter__(self) -> None:
        self._lock.acquire()

    def __exit__(self, *problem: object) -> None:
        self._lock.release()
        self._told()


def _extent(whole: Pipeline, rectangle: Rectangle | None) -> tuple[int, int]:
    """Width and height of the layers."""
    height, width = whole.source.shape[:2]
    return (rectangle[2], rectangle[3]) if rectangle is not None else (width, height)


def _opacity(
    picture: Picture, size: tuple[int, int], rectangle: Rectangle | None
) -> NDArray[np.uint8]:
    """How opaque the pixels of a frame are, 0 to 255."""
    alpha = picture.alpha
    if alpha is None:
        return np.full(size[::-1], 255, np.uint8)
    if rectangle is not None:
        x, y, width, height = rectangle
        alpha = np.ascontiguousarray(alpha[y : y + height, x : x + width])
    codes = alpha if alpha.dtype == np.uint8 else np.right_shift(alpha, 8).astype(np.uint8)
    return np.asarray(cv2.resize(codes, size, interpolation=cv2.INTER_AREA))


def _geometry(order: Order, framing: str) -> Geometry:
    if framing == "taken":
        return prepare.AS_TAKEN
    return prepare.opened(order.recipe) if framing == "open" else prepare.geometry(order.recipe)


def _strip(whole: Pipeline, wanted: Strip) -> NDArray[np.uint8]:
    return strip.render(whole.place.picture, wanted.recipes, upright=wanted.upright)


def _touched(
    view: View,
    pipeline: Pipeline,
    order: Order,
    wanted: tuple[float, float] | int | None,
    name: str,
) -> NDArray[np.uint8]:
    if name == "kept":
        return _reached(pipeline, order, wanted)
    if isinstance(wanted, int):
        _require_picked(order, wanted)
        return touched_by_picked(pipeline.analysis(order), order.given.mix.picked[wanted])
    if wanted is None:
        raise Invalid("Say what should be shown as touched.")
    spot = read_spot(view.pipeline(BENCH_SIDE), order, *wanted)
    if name == "zoned":
        return touched_zones(pipeline, order, spot)
    return touched(pipeline.analysis(order), order.given.mix, spot)


def _reached(pipeline: Pipeline, order: Order, wanted: Any) -> NDArray[np.uint8]:
    """What a kept colour reaches."""
    colours = order.given.finish.kept.colours
    if not isinstance(wanted, int) or not 0 <= wanted < len(colours):
        raise Invalid("There is no such kept colour.")
    return reached_by_kept(pipeline, order, colours[wanted])


def _mask(pipeline: Pipeline, order: Order, name: str | None) -> NDArray[np.uint8]:
    found = masks_of(pipeline, order, [name or ""])
    if not found:
        raise Invalid("There is no such area.")
    return np.asarray(found[name or ""] * 255 + 0.5, dtype=np.uint8)


def _contours(view: View, order: Order, names: Sequence[str]) -> dict[str, Any]:
    """What is drawn of areas over the picture; a drag of their values finds it again."""
    shapes = order.given.areas.outlines
    if view.drawn[0] != shapes:
        view.drawn = (shapes, {})
    known = view.drawn[1]
    wanted = [name for name in names if name not in known]
    if wanted:
        for name, mask in masks_of(view.pipeline(SIDE), order, wanted).items():
            found = seen(mask)
            thumb = base64.b64encode(found.thumb.tobytes()).decode()
            known[name] = {
                "contours": found.contours,
                "tag": found.tag,
                "share": found.share,
                "thumb": [*found.thumb.shape[::-1], thumb],
            }
    return {name: known[name] for name in names if name in known}


def _trace(view: View, order: Order, wanted: str | int) -> Any:
    if isinstance(wanted, int):
        _require_picked(order, wanted)
    return view.figures.greymap.trace(order, wanted)


def _require_picked(order: Order, number: int) -> None:
    if not 0 <= number < len(order.given.mix.picked):
        raise Invalid("There is no such picked colour.")
