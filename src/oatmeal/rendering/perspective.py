"""How a photograph stands: its lens, and setting it level and upright."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from pydantic import ValidationError

from oatmeal.core.picture import ArrayPicture
from oatmeal.core.prepare import lines
from oatmeal.core.recipe import DECLARED, Frame, Known, Recipe
from oatmeal.core.recipe.frame import Line
from oatmeal.core.seeing.uprights import FoundFrame, find_level, find_uprights
from oatmeal.library.errors import Invalid
from oatmeal.photofile import lenses
from oatmeal.photofile.lenses import Optics


class Standing:
    """Finds values of a photograph's frame and lens.

    Parameters
    ----------
    copy : ArrayPicture
        The photograph, reduced.
    size : (width, height)
        Of the original, upright.
    exif : callable
        Gives what the original says of itself.
    """

    def __init__(
        self, copy: ArrayPicture, size: tuple[int, int], exif: Callable[[], bytes]
    ) -> None:
        self._copy = copy
        self._size = size
        self._exif = exif
        self._optics: Optics | None = None

    def _told(self) -> Optics:
        if self._optics is None:
            self._optics = lenses.optics(self._exif())
        return self._optics

    def lens(self) -> tuple[Optics, Known | None]:
        """What the file tells of its lens, and what is known of that."""
        told = self._told()
        return told, lenses.known(told)

    def _with_focal(self, recipe: Recipe) -> Frame:
        """The recipe's frame; its focal length is the file's where nobody said another."""
        frame = recipe.prepare.frame
        if frame.focal != Frame().focal:
            return frame
        focal = lenses.focal_35(self._told())
        low, high = DECLARED.limits("prepare.frame.focal")
        return frame.model_copy(update={"focal": min(max(focal, low), high)}) if focal else frame

    def level(self, recipe: Recipe, line: Line) -> dict[str, Any]:
        """The frame's angle at which a line lies level or stands upright."""
        try:
            prepared = recipe.prepare
            return {"angle": lines.level(self._size, prepared.frame, prepared.lens, line)}
        except lines.NotSolved as error:
            raise Invalid(str(error)) from error

    def set_right(self, recipe: Recipe) -> dict[str, Any]:
        """Values of the frame at which its plumb lines stand upright and level ones lie level."""
        try:
            frame = self._with_focal(recipe)
            found = asdict(lines.set_right(self._size, frame, recipe.prepare.lens))
            Frame(**frame.model_dump() | found)
        except ValidationError as error:
            raise Invalid(str(error.errors()[0]["ctx"]["error"]).capitalize() + ".") from error
        except lines.NotSolved as error:
            raise Invalid(str(error)) from error
        return found

    def find_level(self, recipe: Recipe) -> FoundFrame:
        """The angle that most straight edges ask for, if they agree."""
        prepared = recipe.prepare
        return find_level(self._copy.rgb_linear, self._size, prepared.frame, prepared.lens)

    def find_uprights(self, recipe: Recipe) -> FoundFrame:
        """Plumb lines along edges that agree on what is upright, if enough do."""
        frame = self._with_focal(recipe)
        found = find_uprights(self._copy.rgb_linear, self._size, frame, recipe.prepare.lens)
        if not found.frame:
            return found
        return FoundFrame({**found.frame, "focal": frame.focal}, found.words)
