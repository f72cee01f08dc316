"""The recipe: its settings, its format, and what can be done with one as a whole."""

from oatmeal.core.recipe.areas import Area, Areas, Values
from oatmeal.core.recipe.clean import EdgeColour, NoiseTaken, Spot
from oatmeal.core.recipe.document import DECLARED, FORMAT, REST, STEPS, Recipe, schema
from oatmeal.core.recipe.finish import Finish
from oatmeal.core.recipe.frame import Frame, Known, Lens
from oatmeal.core.recipe.mix import (
    BASE_KINDS,
    WEIGHINGS,
    Base,
    Centres,
    Channels,
    Film,
    Formula,
    Lifts,
    Mix,
    Parameter,
    Picked,
    Plain,
    Six,
)
from oatmeal.core.recipe.parts import Part, Step
from oatmeal.core.recipe.prepare import Light, Prepare
from oatmeal.core.recipe.reading import (
    MAX_BYTES,
    Problem,
    RecipeError,
    from_document,
    read,
)
from oatmeal.core.recipe.settings import Setting
from oatmeal.core.recipe.threads import Thread, Threads
from oatmeal.core.recipe.tone import Levels, Tone

__all__ = [
    "BASE_KINDS",
    "DECLARED",
    "FORMAT",
    "MAX_BYTES",
    "REST",
    "STEPS",
    "WEIGHINGS",
    "Area",
    "Areas",
    "Base",
    "Centres",
    "Channels",
    "EdgeColour",
    "Film",
    "Finish",
    "Formula",
    "Frame",
    "Known",
    "Lens",
    "Levels",
    "Lifts",
    "Light",
    "Mix",
    "NoiseTaken",
    "Parameter",
    "Part",
    "Picked",
    "Plain",
    "Prepare",
    "Problem",
    "Recipe",
    "RecipeError",
    "Setting",
    "Six",
    "Spot",
    "Step",
    "Thread",
    "Threads",
    "Tone",
    "Values",
    "from_document",
    "read",
    "schema",
]  # fmt: skip
