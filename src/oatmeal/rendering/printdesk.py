"""Prints being read: in the background, step by step."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core.colour import decode_srgb, encode_srgb, kernels, lightness
from oatmeal.core.picture import ArrayPicture
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.reading import Pair, Reading, ReadingError, look_of, matched, read
from oatmeal.core.recipe import REST, Recipe
from oatmeal.core.recipe.carry import carried
from oatmeal.core.recipe.words import changes
from oatmeal.library.errors import Missing
from oatmeal.library.models import Photograph
from oatmeal.photofile.errors import PhotoFileError
from oatmeal.rendering.jobs import Job, Jobs, Tell
from oatmeal.rendering.proxies import BENCH_SIDE, Proxies
from oatmeal.rendering.thumbnails import Small

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


@dataclass(frozen=True)
class Found:
    """What came of reading: what a page shows, and its pictures as JPEGs by their names."""

    told: dict[str, Any]
    pictures: dict[str, bytes]


class PrintDesk:
    """Reads prints."""

    def __init__(self, small: Small, proxies: Proxies) -> None:
        self._small = small
        self._proxies = proxies
        self._jobs: Jobs[Found] = Jobs(
            _KEPT,
            (ReadingError, PhotoFileError, Missing),
            "This print could not be read",
            "This reading is not held any more: read the print again.",
        )

    def look(self, wished: Sequence[Wished], strength: float | None) -> Job[Found]:
        """Begin, or go on with, reading prints; only a look where a strength is given."""
        wanted = list(wished)

        def make(told: Tell) -> Found:
            told("opening")
            if strength is None:
                return self._read(wanted, told)
            return self._match(wanted[0], strength)

        return self._jobs.ask(_token(wanted, strength), make)

    def picture(self, token: str, name: str) -> bytes:
        """A JPEG of a reading; raises :class:`Missing` where there is none."""
        found = self._jobs.result(token).pictures.get(name)
        if found is None:
            raise Missing("There is no such picture of this reading.")
        return found

    def _read(self, wished: list[Wished], told: Tell) -> Found:
        pipelines = [self._colour(one) for one in wished]
        pairs = [
            Pair(
                pipeline.prepared(_prepared(one.recipe)),
                self._grey(one),
                pipeline.place.picture.trust(),
            )
            for one, pipeline in zip(wished, pipelines, strict=True)
        ]
        found = read(pairs, told)
        pictures = {}
        for number, (print_, made, there) in enumerate(
            zip(found.prints, found.made, found.there, strict=True)
        ):
            pictures[f"{number}-print"] = _jpeg(print_)
            pictures[f"{number}-read"] = _jpeg(made)
            pictures[f"{number}-apart"] = _jpeg(_apart(print_, made, there))
        recipe = carried(found.recipe, wished[0].recipe, _READ)
        return Found(_told(found, recipe, wished[0].recipe), pictures)

    def _match(self, wished: Wished, strength: float) -> Found:
        pipeline = self._colour(wished)
        rgb = pipeline.prepared(_prepared(wished.recipe))
        about = pipeline.place.picture
        own = Pipeline(ArrayPicture(rgb, scale=about.scale, trust_of_file=about.trust))
        grey = self._grey(wished)
        found = matched(own, look_of(grey), strength, wished.recipe.effective().mix)
        recipe = carried(found, wished.recipe, _LOOK)
        told = {
            "recipe": recipe.full_document(),
            "words": changes(wished.recipe, recipe),
            "notes": [],
        }
        return Found(told, {"0-print": _jpeg(grey), "0-read": _jpeg(own.encoded(found))})

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
