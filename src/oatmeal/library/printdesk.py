"""Prints being read: in the background, step by step."""

from __future__ import annotations

import hashlib
import json
import logging
import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, kernels, lightness
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading import Pair, Reading, ReadingError, look_of, matched, read
from oatmeal.core.recipe import REST, Recipe
from oatmeal.core.recipe.carry import carried
from oatmeal.core.recipe.words import changes
from oatmeal.library.errors import Missing
from oatmeal.library.models import Photograph
from oatmeal.library.proxies import BENCH_SIDE, Proxies
from oatmeal.library.small import Small
from oatmeal.photofile.errors import PhotoFileError

log = logging.getLogger("oatmeal")

#: Longer side at which pictures are read.
_SIDE: Final = 1200

#: Readings that are kept.
_KEPT: Final = 4

#: What of a recipe a print tells, by what is read of it.
_READ: Final = (
    "base", "lifts", "picked colours", "exposure", "light", "local contrast", "points",
    "contrast and curve", "falloff and burned edges",
)  # fmt: skip
_LOOK: Final = ("exposure", "light", "local contrast", "points", "contrast and curve")

#: How much the difference is strengthened to be seen: grey codes for one L*.
_CODES_A_TONE: Final = 6.0

_QUALITY: Final = 88


@dataclass(frozen=True)
class Wished:
    """A photograph under its recipe, and its print: another photograph, or a file sent for it."""

    photograph: Photograph
    recipe: Recipe
    print: Photograph | str
    print_recipe: Recipe = REST


@dataclass
class Look:
    """A print that is being read: the step under way, or what came of it."""

    token: str
    step: str = "waiting"
    told: dict[str, Any] | None = None
    problem: str = ""
    pictures: dict[str, bytes] = field(default_factory=dict)
    done: threading.Event = field(default_factory=threading.Event)


class PrintDesk:
    """Reads prints, one at a time."""

    def __init__(self, small: Small, proxies: Proxies) -> None:
        self._small = small
        self._proxies = proxies
        self._lock = threading.Lock()
        self._work = threading.Lock()
        self._looks: OrderedDict[str, Look] = OrderedDict()

    def look(self, wished: Sequence[Wished], strength: float | None, wait_s: float = 0.15) -> Look:
        """Begin, or go on with, reading prints; only a look where a strength is given."""
        token = _token(wished, strength)
        with self._lock:
            look = self._looks.get(token)
            if look is None:
                look = self._looks[token] = Look(token)
                while len(self._looks) > _KEPT:
                    self._looks.popitem(last=False)
                threading.Thread(
                    target=self._make, args=(look, list(wished), strength), daemon=True
                ).start()
        look.done.wait(wait_s)
        if look.problem:  # told once: what was wrong may be put right
            with self._lock:
                self._looks.pop(token, None)
        return look

    def picture(self, token: str, name: str) -> bytes:
        """A JPEG of a reading; raises :class:`Missing` once it is forgotten."""
        with self._lock:
            look = self._looks.get(token)
        if look is None or name not in look.pictures:
            raise Missing("This reading is not held any more: read the print again.")
        return look.pictures[name]

    def _make(self, look: Look, wished: list[Wished], strength: float | None) -> None:
        def told(step: str) -> None:
            look.step = step

        try:
            with self._work:
                told("opening")
                if strength is None:
                    self._read(look, wished, told)
                else:
                    self._match(look, wished[0], strength)
        except (ReadingError, PhotoFileError, Missing) as error:
            look.problem = str(error)
        except Exception:
            log.exception("a print could not be read")
            look.problem = "This print could not be read; the server's log says more."
        finally:
            look.done.set()

    def _read(self, look: Look, wished: list[Wished], told: Any) -> None:
        pipelines = [self._colour(one) for one in wished]
        pairs = [
            Pair(
                pipeline.prepared(_prepared(one.recipe)),
                self._grey(one),
                pipeline.place.auto_guard,
            )
            for one, pipeline in zip(wished, pipelines, strict=True)
        ]
        found = read(pairs, told)
        for number, (print_, made, there) in enumerate(
            zip(found.prints, found.made, found.there, strict=True)
        ):
            look.pictures[f"{number}-print"] = _jpeg(print_)
            look.pictures[f"{number}-read"] = _jpeg(made)
            look.pictures[f"{number}-apart"] = _jpeg(_apart(print_, made, there))
        recipe = carried(found.recipe, wished[0].recipe, _READ)
        look.told = _told(found, recipe, wished[0].recipe)

    def _match(self, look: Look, wished: Wished, strength: float) -> None:
        pipeline = self._colour(wished)
        rgb = pipeline.prepared(_prepared(wished.recipe))
        own = Pipeline(rgb, auto_guard=pipeline.place.auto_guard, scale=pipeline.place.scale)
        grey = self._grey(wished)
        found = matched(own, look_of(grey), strength, wished.recipe.effective().mix)
        recipe = carried(found, wished.recipe, _LOOK)
        look.pictures["0-print"] = _jpeg(grey)
        look.pictures["0-read"] = _jpeg(own.encoded(found))
        look.told = {
            "recipe": recipe.full_document(),
            "words": changes(wished.recipe, recipe),
            "notes": [],
        }

    def _colour(self, wished: Wished) -> Pipeline:
        return self._small.pipeline(wished.photograph, wished.recipe, _SIDE)

    def _grey(self, wished: Wished) -> NDArray[np.float32]:
        """The print, encoded: a photograph as it is finished, or a file's luminance."""
        if isinstance(wished.print, Photograph):
            pipeline = self._small.pipeline(wished.print, wished.print_recipe, _SIDE)
            return pipeline.encoded(wished.print_recipe)
        copy = self._proxies.held(wished.print, BENCH_SIDE)
        if copy is None:
            raise Missing("The print is not held any more: choose its file again.")
        light = np.maximum(kernels.luminance(copy), 0)
        return np.asarray(encode_srgb(light), dtype=np.float32)


def _prepared(recipe: Recipe) -> Recipe:
    """Prepare alone."""
    return REST.model_copy(update={"prepare": recipe.effective().prepare})


def _token(wished: Sequence[Wished], strength: float | None) -> str:
    parts: list[Any] = [strength]
    for one in wished:
        source = one.print if isinstance(one.print, str) else one.print.sha256
        parts.append(
            [one.photograph.sha256, one.recipe.document(), source, one.print_recipe.document()]
        )
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:32]


def _told(found: Reading, recipe: Recipe, before: Recipe) -> dict[str, Any]:
    return {
        "recipe": recipe.full_document(),
        "words": changes(before, recipe),
        "base": found.base,
        "error": round(found.error, 2),
        "plain": round(found.plain, 2),
        "explains": round(found.explains, 3),
        "low": round(found.low, 2),
        "middle": round(found.middle, 2),
        "high": round(found.high, 2),
        "unsure": list(found.unsure),
        "notes": found.notes(),
        "pairs": len(found.prints),
    }


def _apart(
    print_: NDArray[np.float32], made: NDArray[np.float32], there: NDArray[np.bool_]
) -> NDArray[np.float32]:
    """Where the read print is lighter or darker, strengthened, about middle grey; encoded."""
    one, other = (lightness(decode_srgb(np.clip(x, 0, 1))) for x in (made, print_))
    codes = 128 + np.where(there, one - other, 0) * _CODES_A_TONE
    return np.asarray(np.clip(codes, 0, 255) / 255, dtype=np.float32)


def _jpeg(encoded: NDArray[np.float32]) -> bytes:
    codes = (np.clip(encoded, 0, 1) * 255 + 0.5).astype(np.uint8)
    done, data = cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
    if not done:
        raise ValueError("the picture could not be encoded")
    return data.tobytes()
