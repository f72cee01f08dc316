"""The settings of Prepare: the colour picture is set right before it becomes grey."""

from itertools import pairwise
from typing import Annotated, Any, Self

from pydantic import Field, model_validator

from oatmeal.core.recipe.clean import MOST_SPOTS, EdgeColour, NoiseTaken, Spot
from oatmeal.core.recipe.curves import STRAIGHT
from oatmeal.core.recipe.frame import Frame, Lens
from oatmeal.core.recipe.parts import Part, Step, Stops, Unit
from oatmeal.core.recipe.settings import setting
from oatmeal.core.recipe.threads import Threads

CameraCurve = Annotated[tuple[tuple[Unit, Unit], ...], Field(min_length=2, max_length=24)]
Spots = Annotated[tuple[Spot, ...], Field(max_length=MOST_SPOTS)]
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
    colour: float = setting(
        "colour strength", 0, 200, rest=100.0, unit="%", step=5, trial=25,
        meaning="distance of every linear colour from the grey of its luminance",
    )  # fmt: skip
    highlights: float = setting(
        "colour highlights", -100, 100, trial=20,
        meaning="as `tone.highlights`, of the colour picture; hue is kept",
    )  # fmt: skip
    shadows: float = setting(
        "colour shadows", -100, 100, trial=20,
        meaning="as `tone.shadows`, of the colour picture; hue is kept",
    )  # fmt: skip
    camera: CameraCurve = setting(
        "camera's rendering", rest=STRAIGHT, scale="curve", kind="curve",
        meaning="of a raw file: the tones that the camera meant, on encoded luminance; hue is kept",
    )  # fmt: skip

    @model_validator(mode="after")
    def _camera_rises(self) -> Self:
        for one, other in pairwise(self.camera):
            if not (one[0] < other[0] and one[1] <= other[1]):
                raise ValueError("the points of the camera's rendering must rise")
        return self


def _on(words: str, group: str) -> Any:
    return setting(
        words, rest=True, scale="stays", group=group, meaning="off is as if it were at rest"
    )


class Prepare(Step):
    """What happens to the colour picture before it is mixed to grey."""

    title, hint, key, screen, colour = "Prepare", "the colour", "r", True, True

    on: bool = True
    frame: Frame = setting("frame", rest=Frame, group="frame")
    lens: Lens = setting("lens", rest=Lens, group="lens")
    noise: NoiseTaken = setting("noise", rest=NoiseTaken, group="noise")
    edge_colour: EdgeColour = setting("coloured edges", rest=EdgeColour, group="coloured edges")
    spots: Spots = setting(
        "spots", rest=(), kind="spots", group="spots", scale="stays",
        meaning="healed from a place nearby: path, radius and way to the source in shares of the "
        "longer side; copied as it is; on",
    )  # fmt: skip
    light: Light = setting("light", rest=Light, group="colour light")
    threads: Threads = setting("threads", rest=Threads, group="threads")
    light_on: bool = _on("group Light", "colour light")
    threads_on: bool = _on("group Threads", "threads")
    clean_on: bool = _on("group Clean", "noise")

    def acting(self) -> Self:
        """The same with every group that is switched off put to rest."""
        off: dict[str, Any] = {}
        if not self.light_on:
            off["light"] = Light()
        if not self.threads_on:
            off["threads"] = Threads()
        if not self.clean_on:
            off |= {"noise": NoiseTaken(), "edge_colour": EdgeColour(), "spots": ()}
        return self.model_copy(update=off) if off else self
