"""What is found in a photograph that should be cleaned: noise, specks, fringes, and its cures."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from oatmeal.core.noise import Noise
from oatmeal.core.picture import ArrayPicture, Window
from oatmeal.core.prepare import geometry
from oatmeal.core.prepare.noise import needed
from oatmeal.core.prepare.spots import Healing, Laid, laid
from oatmeal.core.recipe import NoiseTaken, Recipe, Spot
from oatmeal.core.recipe.paths import path, places
from oatmeal.core.seeing.sidefringes import SideFringes, find_side_fringes
from oatmeal.core.seeing.sources import find_source
from oatmeal.core.seeing.specks import find_specks
from oatmeal.library.errors import Invalid
from oatmeal.photofile.decode import SourcePicture


class Cleaning:
    """Finds what to clean in a photograph, on its file's own pixels.

    Parameters
    ----------
    copy : ArrayPicture
        The photograph, reduced.
    source : callable
        Gives the decoded original.
    noise : callable
        Gives the noise of its pixels.
    """

    def __init__(
        self,
        copy: ArrayPicture,
        source: Callable[[], SourcePicture],
        noise: Callable[[], Noise],
    ) -> None:
        self._copy = copy
        self._source = source
        self._noise = noise

    def needed(self) -> NoiseTaken:
        """How much of its noise the picture seems to need taken away."""
        return needed(self._noise())

    def heal(self, recipe: Recipe, spot: Spot, number: int | None) -> tuple[float, float]:
        """The way to where a spot is best healed from, in shares of the longer side.

        ``number`` is its own place among the recipe's spots, if it stands there already.
        """
        picture = self._source()
        window = Window(0, 0, picture.width, picture.height)
        others = [
            laid(one, window)
            for place, one in enumerate(recipe.prepare.spots)
            if one.on and place != number
        ]
        work = Healing(lambda rectangle: picture.linear(*rectangle), others, window)
        size, wanted = (picture.width, picture.height), laid(spot, window)
        kept = _inside_frame(recipe, wanted, size)
        found = find_source(work, wanted, size, kept) or find_source(work, wanted, size)
        if found is None:
            raise Invalid("There is no room beside this spot to heal it from: make it smaller.")
        longest = max(picture.width, picture.height)
        return found[0] / longest, found[1] / longest

    def specks(self, recipe: Recipe) -> list[dict[str, Any]]:
        """Likely dust that no spot covers yet, the surest first, as spots without a source."""
        covered = [(places(spot.path), spot.radius) for spot in recipe.prepare.spots]
        return [
            {"path": path([(one.x, one.y)]), "radius": round(one.radius, 5)}
            for one in find_specks(self._copy.rgb_linear)
            if not any(
                np.hypot(*(points - [one.x, one.y]).T).min() < radius + one.radius
                for points, radius in covered
            )
        ]

    def side_fringes(self) -> SideFringes:
        """How much larger the lens drew red and blue than green."""
        return find_side_fringes(self._source())


def _inside_frame(recipe: Recipe, spot: Laid, size: tuple[int, int]) -> Callable[[int, int], bool]:
    """Whether a spot, moved by pixels of the file, stays in the recipe's frame."""
    layout = geometry(recipe.effective()).on(*size)
    low, high = spot.points.min(axis=0) - spot.radius, spot.points.max(axis=0) + spot.radius
    corners = np.array([low, high, (low[0], high[1]), (high[0], low[1])])

    def inside(x: int, y: int) -> bool:
        shares = layout.framed((corners + np.array([x, y])) / size)
        return bool((shares >= 0).all() and (shares <= 1).all())

    return inside
