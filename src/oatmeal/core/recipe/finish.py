"""The settings of Finish: sharpening, grain, toning and borders; nothing is built yet."""

from __future__ import annotations

from oatmeal.core.recipe.parts import Step


class Finish(Step):
    """From a grey picture to a print."""

    title, hint = "Finish", "the print"

    on: bool = True
