"""What a file tells of its lens, and what the open database of lenses knows about that.

lensfunpy carries the database. What is found there is read into the coefficients that a recipe
holds, so that a recipe keeps its look when the database changes.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags
from pydantic import ValidationError

from oatmeal.core.recipe import Known, Lens
from oatmeal.photofile import metadata

_BASE: Final = ExifTags.Base

#: The picture that a lens is looked up on; only its proportions matter.
_ACROSS: Final = (1500, 1000)

#: Shorter lenses are those of small sensors.
_SHORTEST_MM: Final = 14.0

#: Where nothing is said: as far as most photographs are focused, in metres.
_DISTANCE_M: Final = 10.0


@dataclass(frozen=True)
class Optics:
    """What a photograph was taken with; 0 and empty where the file does not say."""

    make: str = ""
    model: str = ""
    lens: str = ""
    focal_mm: float = 0.0
    focal_35_mm: float = 0.0
    aperture: float = 0.0


def optics(exif: bytes) -> Optics:
    """Read an EXIF block (EXIF 2.32, tags 271, 272, 42036, 37386, 41989, 33437)."""
    try:
        main = metadata.load(exif)
        details: Any = main.get_ifd(ExifTags.IFD.Exif)
    except Exception:  # metadata of any brokenness must not stop anything
        return Optics()
    return Optics(
        _text(main.get(_BASE.Make)),
        _text(main.get(_BASE.Model)),
        _text(details.get(_BASE.LensModel)),
        _number(details.get(_BASE.FocalLength)),
        _number(details.get(_BASE.FocalLengthIn35mmFilm)),
        _number(details.get(_BASE.FNumber)),
    )


def _text(value: object) -> str:
    return value.strip("\0 ") if isinstance(value, str) else ""


def _number(value: Any) -> float:
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError):
        return 0.0
    return number if 0 < number < 1e5 else 0.0


def focal_35(told: Optics) -> float | None:
    """Focal length for a frame of 24 x 36 mm, if the file or its camera tells it.

    A lens of a camera that nothing is known of is taken to draw on 24 x 36 mm, unless it is too
    short for that.
    """
    if told.focal_35_mm or not told.focal_mm:
        return told.focal_35_mm or None
    camera = _camera(told)
    if camera is not None:
        return float(told.focal_mm * camera.crop_factor)
    return told.focal_mm if told.focal_mm >= _SHORTEST_MM else None


def known(told: Optics) -> Known | None:
    """What the database knows of the lens at this focal length and aperture; None for nothing."""
    camera = _camera(told)
    if camera is None or not told.focal_mm:
        return None
    lenses = _database().find_lenses(camera, None, told.lens or None)
    if not lenses or (not told.lens and len(lenses) > 1):
        return None
    return _fitted(lenses[0], camera, told)


@cache
def _database() -> Any:
    import lensfunpy

    return lensfunpy.Database()


def _camera(told: Optics) -> Any:
    if not told.make or not told.model:
        return None
    found = _database().find_cameras(told.make, told.model)
    return found[0] if found else None


def _fitted(lens: Any, camera: Any, told: Optics) -> Known | None:
    import lensfunpy

    width, height = _ACROSS
    modifier = lensfunpy.Modifier(lens, camera.crop_factor, width, height)
    aperture = told.aperture or lens.min_aperture or 8.0
    modifier.initialize(told.focal_mm, aperture, _DISTANCE_M, scale=1.0, pixel_format=np.float32)
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    half_diagonal = float(np.hypot(width, height)) / 2
    steps = np.linspace(0.02, 1, 120)[:, None]  # from the middle to a corner
    pixels = np.round(middle + steps * middle).astype(int)
    radius = np.linalg.norm(pixels - middle, axis=1) / half_diagonal
    red = green = blue = radius
    bent = modifier.apply_subpixel_geometry_distortion()
    if bent is not None:
        there = bent[pixels[:, 1], pixels[:, 0]].astype(np.float64) - middle
        red, green, blue = (np.linalg.norm(there[:, k], axis=1) / half_diagonal for k in range(3))
    light = np.ones((height, width, 3), dtype=np.float32)
    modifier.apply_color_modification(light)
    gain = light[pixels[:, 1], pixels[:, 0], 1].astype(np.float64)
    bend = _terms(radius, green / radius)
    falloff = _terms(radius, gain)
    outer = radius > 0.3
    fringes = [float(100 * np.median(one[outer] / green[outer] - 1)) for one in (red, blue)]
    if not (any(bend) or any(falloff) or any(fringes)):
        return None
    stop = f", f/{told.aperture:g}" if told.aperture else ""
    try:
        found = Known(
            name=f"{lens.model} at {told.focal_mm:g} mm{stop}"[:200], bend=bend, falloff=falloff,
            red=round(fringes[0], 4), blue=round(fringes[1], 4),
        )  # fmt: skip
        return Lens(known=found).known
    except ValidationError:
        return None  # a fisheye: what is bent like this stays as it is


def _terms(radius: NDArray[np.float64], values: NDArray[np.float64]) -> tuple[float, float, float]:
    """Coefficients of r², r⁴ and r⁶ beside a constant that is 1."""
    powers = np.stack([np.ones_like(radius), radius**2, radius**4, radius**6], axis=1)
    constant, *terms = np.linalg.lstsq(powers, values, rcond=None)[0]
    one, two, three = (round(float(term / constant), 6) for term in terms)
    if max(abs(one), abs(two), abs(three)) < 2e-5:
        return 0.0, 0.0, 0.0
    return one, two, three
