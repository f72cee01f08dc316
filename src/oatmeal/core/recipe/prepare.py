"""The settings of Prepare: the colour picture is set right before it becomes grey."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from oatmeal.core.recipe.frame import Frame, Lens
from oatmeal.core.recipe.parts import Part, Step, Stops
from oatmeal.core.recipe.settings import setting

Mired = Annotated[float, Field(description="mired")]


class Light(Part):
    """The light that the photograph was taken in, and how much of it there shall be."""

    warmth: Mired = setting(
        "light's warmth", -95, 350, unit="mired", step=2, trial=20, within=(-80, 220),
        meaning="how much warmer than daylight (6504 K) the light was; it is taken out",
    )  # fmt: skip
    tint: float = setting(
        "light's green", -200, 200, step=2, trial=15, within=(-100, 100),
        meaning="distance of the light from the daylight's line, 0.0005 Duv each; it is taken out",
    )  # fmt: skip
    exposure: Stops = setting(
        "colour exposure", -5, 5, unit="stops", step=0.05, trial=0.4,
        meaning="of the linear colour",
    )  # fmt: skip
    highlights: float = setting(
        "colour highlights", -100, 100, trial=20,
        meaning="2 stops at the light end of the scale at 100; hue is kept",
    )  # fmt: skip
    shadows: float = setting(
        "colour shadows", -100, 100, trial=20,
        meaning="2 stops at the dark end of the scale at 100; hue is kept",
    )  # fmt: skip


class Prepare(Step):
    """What happens to the colour picture before it is mixed to grey."""

    title, hint, key, screen, colour = "Prepare", "the colour", "r", True, True

    on: bool = True
    frame: Frame = setting("frame", rest=Frame, group="frame")
    lens: Lens = setting("lens", rest=Lens, group="lens")
    light: Light = setting("light", rest=Light, group="colour light")
