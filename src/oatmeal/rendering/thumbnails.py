"""Photographs at the size of the sheet: pictures, figures, and settings found anew for a frame."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any, BinaryIO, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from oatmeal.core import prepare
from oatmeal.core.colour import kernels
from oatmeal.core.picture import ArrayPicture, copy_of, framed, seed_of
from oatmeal.core.pipeline import Pipeline
from oatmeal.core.recipe import Recipe
from oatmeal.core.seeing import measure
from oatmeal.core.seeing.greymap import GreyMap
from oatmeal.core.seeing.points import find_points
from oatmeal.host import fingerprint
from oatmeal.library.errors import Invalid
from oatmeal.library.models import Photograph
from oatmeal.library.store import FileStore
from oatmeal.rendering.proxies import BENCH_SIDE, SHEET_SIDE, Proxies

#: An exposure is found to this many stops.
_EXPOSURE_STEP: Final = 0.02

#: Shares of the picture below this do not move the ends of its scale.
_END_SHARE: Final = 0.001


class Small:
    """Works on the sheet's reduced copies; what it made is kept in the cache."""

    def __init__(self, store: FileStore, proxies: Proxies) -> None:
        self._store = store
        self._proxies = proxies

    def picture(self, photograph: Photograph, recipe: Recipe | None) -> Path:
        """A small JPEG: in grey under a recipe, or in colour without one."""

        def write(file: BinaryIO) -> None:
            if recipe is None:
                codes = kernels.display(self._read(photograph))[..., ::-1]
            else:
                codes = self._pipeline(photograph, recipe).coloured(recipe)
                codes = codes[..., ::-1] if codes.ndim == 3 else codes
            file.write(_jpeg(np.asarray(codes)))

        return self._store.cached(f"{photograph.sha256}-small-{_mark(recipe)}.jpg", write)

    def figures(self, photograph: Photograph, recipe: Recipe) -> dict[str, Any]:
        """What a check looks at.

        Returns
        -------
        dict
            ``black`` and ``white``, the L* that the picture's darkest and lightest tones reach;
            ``low`` and ``high``, shares that clip; ``mean`` L*; ``zones``, shares; ``merging``, the
            number of pairs.
        """

        def write(file: BinaryIO) -> None:
            pipeline = self._pipeline(photograph, recipe)
            codes = np.asarray(pipeline.codes(recipe))
            tones = measure.tones(codes, pipeline.scale(recipe).end_codes)
            merging = GreyMap(pipeline.source).figures(recipe)["merging"]
            shares = np.cumsum(tones["histogram"]) / codes.size
            readings = measure.code_readings()
            found = {
                "black": readings[int(np.searchsorted(shares, _END_SHARE))].lightness,
                "white": readings[int(np.searchsorted(shares, 1 - _END_SHARE))].lightness,
                "low": tones["clipping"]["low"],
                "high": tones["clipping"]["high"],
                "mean": tones["mean_lightness"],
                "zones": tones["zones"],
                "merging": len(merging),
            }
            file.write(json.dumps(found).encode())

        path = self._store.cached(f"{photograph.sha256}-check-{_mark(recipe)}.json", write)
        figures: dict[str, Any] = json.loads(path.read_text())
        return figures

    def with_own_exposure(self, photograph: Photograph, recipe: Recipe, mean: float) -> Recipe:
        """The recipe with the exposure at which this photograph has a mean L* of ``mean``."""
        pipeline = self._pipeline(photograph, recipe)

        def at(stops: float) -> Recipe:
            tone = recipe.tone.model_copy(update={"exposure": round(stops, 2)})
            return recipe.model_copy(update={"tone": tone})

        low, high = -5.0, 5.0
        while high - low > _EXPOSURE_STEP:
            middle = (low + high) / 2
            codes = np.asarray(pipeline.codes(at(middle)))
            found = measure.tones(codes, (0, 255))["mean_lightness"]
            low, high = (middle, high) if found < mean else (low, middle)
        return at((low + high) / 2)

    def with_own_points(self, photograph: Photograph, recipe: Recipe) -> Recipe:
        """The recipe with black and white found anew in this photograph."""
        levels = find_points(self._pipeline(photograph, recipe), recipe)
        tone = recipe.tone.model_copy(update={"levels": levels})
        return recipe.model_copy(update={"tone": tone})

    def _read(self, photograph: Photograph) -> NDArray[np.float32]:
        return self._proxies.read(photograph.original, SHEET_SIDE)

    def _pipeline(self, photograph: Photograph, recipe: Recipe) -> Pipeline:
        return self.pipeline(photograph, recipe, SHEET_SIDE)

    def pipeline(self, photograph: Photograph, recipe: Recipe, wanted: int) -> Pipeline:
        """On the photograph as the recipe frames it, its longer side so many pixels."""
        size = (photograph.width, photograph.height)
        geometry = prepare.geometry(recipe.effective())
        laid = geometry.on(*size)
        # what is cut out of a copy of the sheet's size would be too coarse
        small = wanted <= SHEET_SIDE and max(laid.width, laid.height) >= max(size)
        side = SHEET_SIDE if small else BENCH_SIDE
        original = photograph.original
        rgb_linear = self._proxies.read(original, side)
        copy = ArrayPicture(
            rgb_linear,
            noise_of_file=lambda: self._proxies.noise(original),
            trust_of_file=lambda: self._proxies.trust(original),
            seed=seed_of(original.sha256),
            scale=max(rgb_linear.shape[:2]) / max(size),
        )
        return Pipeline(copy_of(framed(copy, geometry, size), wanted))


def _mark(recipe: Recipe | None) -> str:
    """What a picture of a recipe is kept under; another engine makes its own."""
    document = json.dumps(recipe.document(), sort_keys=True) if recipe else "colour"
    return hashlib.sha256(f"{fingerprint.mark()} {document}".encode()).hexdigest()[:16]


def _jpeg(codes: NDArray[np.uint8]) -> bytes:
    done, data = cv2.imencode(".jpg", codes, [cv2.IMWRITE_JPEG_QUALITY, 88])
    if not done:
        raise Invalid("The small picture could not be made.")
    return bytes(data.tobytes())
