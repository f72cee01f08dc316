"""The settings of cleaning: noise, coloured edges and spots, taken away before anything else."""

from typing import Annotated, Final

from pydantic import Field

from oatmeal.core.recipe.parts import Part
from oatmeal.core.recipe.paths import Path
from oatmeal.core.recipe.settings import setting

#: There are this many spots at the most.
MOST_SPOTS: Final = 500

#: Radius of a spot, in shares of the longer side.
SMALLEST_SPOT: Final = 0.0005
LARGEST_SPOT: Final = 0.03

Away = Annotated[float, Field(ge=-1, le=1)]


class NoiseTaken(Part):
    """How much of the noise is taken away, before anything amplifies it."""

    light: float = setting(
        "noise in light", 0, 100, step=5, trial=25,
        meaning="taken away of what is uneven in brightness; all at 100",
    )  # fmt: skip
    colour: float = setting(
        "noise in colour", 0, 100, step=5, trial=25,
        meaning="taken away of what is uneven in colour; all at 100",
    )  # fmt: skip
    level: float = setting(
        "counted as noise", 25, 400, rest=100.0, unit="%", step=5, trial=50, scale="stays",
        within=(50, 300), meaning="of the noise that is measured in the file",
    )  # fmt: skip


class EdgeColour(Part):
    """Coloured lines at edges of strong contrast, drawn to the colour of what is round them."""

    purple: float = setting(
        "purple edges", 0, 100, step=5, trial=25,
        meaning="taken away of thin purple and blue lines beside strong edges",
    )  # fmt: skip
    green: float = setting(
        "green edges", 0, 100, step=5, trial=25,
        meaning="taken away of thin green lines beside strong edges",
    )  # fmt: skip
    width: float = setting(
        "widest edge", 0.1, 1, rest=0.4, unit="%", step=0.05, trial=0.1, scale="stays",
        meaning="what is wider is no edge, of the longer side",
    )  # fmt: skip


class Spot(Part):
    """A small fault, painted over with what lies near it."""

    path: Path = Field("0 0")
    radius: Annotated[float, Field(ge=SMALLEST_SPOT, le=LARGEST_SPOT)] = 0.004
    source: tuple[Away, Away] = (0.0, 0.0)
    copied: bool = False
    on: bool = True
