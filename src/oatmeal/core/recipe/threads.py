"""The settings of the threads: where each colour range goes before it becomes grey."""

from typing import Annotated, Any, Final, Self

from pydantic import Field, model_validator

from oatmeal.core.colour.ranges import CENTRES, NAMES
from oatmeal.core.recipe.parts import Part, Stops
from oatmeal.core.recipe.settings import setting, shared

#: The feet of two threads come no nearer than this, in degrees of hue.
NEAREST_FEET: Final = 2.0

Degrees = Annotated[float, Field(description="degrees")]


class Thread(Part):
    """One range's way."""

    hue: Degrees = setting(
        "{} led", -90, 90, unit="°", trial=10, within=(-30, 30),
        meaning="OKLCh hue, toward a neighbour; threads never cross",
    )  # fmt: skip
    strength: float = setting(
        "{} strength", 0, 300, rest=100.0, unit="%", step=5, trial=40,
        meaning="distance from grey at the same light",
    )  # fmt: skip
    bright: Stops = setting(
        "{} brightness", -4, 4, unit="stops", step=0.05, trial=0.4,
        meaning="light of the colour, before it is mixed",
    )  # fmt: skip

    @property
    def rests(self) -> bool:
        """True where the thread leads nowhere else."""
        return self == Thread()


class Threads(Part):
    """The eight ranges' ways, from where each was photographed to where the mix shall see it."""

    red: Thread = Field(default_factory=shared(Thread))
    orange: Thread = Field(default_factory=shared(Thread))
    yellow: Thread = Field(default_factory=shared(Thread))
    green: Thread = Field(default_factory=shared(Thread))
    cyan: Thread = Field(default_factory=shared(Thread))
    blue: Thread = Field(default_factory=shared(Thread))
    purple: Thread = Field(default_factory=shared(Thread))
    magenta: Thread = Field(default_factory=shared(Thread))

    def hues(self) -> list[float]:
        """By how many degrees each range is led, in hue order."""
        return [getattr(self, name).hue for name in NAMES]

    @model_validator(mode="after")
    def _none_cross(self) -> Self:
        hues = self.hues()
        if not any(hues):
            return self
        for place, gap in enumerate(_gaps()):
            following = (place + 1) % len(NAMES)
            if gap + hues[following] - hues[place] < NEAREST_FEET - 1e-6:
                raise ValueError(
                    f"the threads of {NAMES[place]} and {NAMES[following]} would cross: "
                    f"{NEAREST_FEET:g} degrees must stay between them"
                )
        return self

    @classmethod
    def settled(cls, values: dict[str, Any]) -> dict[str, Any]:
        """Hues led less far together, so that no threads cross."""
        hues = [values[name]["hue"] for name in NAMES]
        share = 1.0
        for place, gap in enumerate(_gaps()):
            nearer = hues[place] - hues[(place + 1) % len(NAMES)]
            if nearer > gap - NEAREST_FEET:
                share = min(share, (gap - NEAREST_FEET) / nearer)
        if share == 1.0:
            return values
        return {
            name: {**values[name], "hue": round(share * values[name]["hue"] - 5e-5, 4)}
            for name in NAMES
        }


def _gaps() -> list[float]:
    """Degrees from each range to the next."""
    centres = [CENTRES[name] for name in NAMES]
    return [
        (other - one) % 360 for one, other in zip(centres, [*centres[1:], centres[0]], strict=True)
    ]
