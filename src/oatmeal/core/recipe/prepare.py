"""The settings of Prepare: the colour picture is set right before it becomes grey."""

from __future__ import annotations

from oatmeal.core.recipe.parts import Step, Stops
from oatmeal.core.recipe.settings import setting


class Prepare(Step):
    """What happens to the colour picture before it is mixed to grey."""

    title, hint, colour = "Prepare", "the colour", True

    on: bool = True
    exposure: Stops = setting(
        "colour exposure", -5, 5, unit="stops", group="colour exposure", step=0.05, trial=0.4,
        meaning="of the linear colour",
    )  # fmt: skip
