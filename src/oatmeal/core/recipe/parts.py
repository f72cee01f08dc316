"""What all parts of a recipe's model have in common, and the numbers that several of them use.

The modules with parts leave their annotations evaluated: from text, pydantic compiles each of them
at every start.
"""

from typing import Annotated, Any, ClassVar, Final, Self

from pydantic import BaseModel, ConfigDict, Field

#: Light that films and filters are described for.
VISIBLE_NM: Final = (380, 780)

Stops = Annotated[float, Field(description="stops")]
Unit = Annotated[float, Field(ge=0, le=1)]
Nanometres = Annotated[float, Field(ge=VISIBLE_NM[0], le=VISIBLE_NM[1], description="nm")]


class Part(BaseModel):
    """Base of all parts: closed, strict about types, unchangeable once read."""

    model_config = ConfigDict(
        extra="forbid", strict=True, frozen=True, allow_inf_nan=False, defer_build=True
    )

    @classmethod
    def at_rest(cls) -> Self:
        """The part with every setting at rest, which nothing has to check."""
        return cls.model_construct()

    @classmethod
    def settled(cls, values: dict[str, Any]) -> dict[str, Any]:
        """Values that may break a rule between them, moved as little as keeps it."""
        return values


class Step(Part):
    """A step of the work, with the switch that takes it out to judge it alone.

    Attributes
    ----------
    title, hint : str
        What its tab says.
    key : str
        The single key that opens its tab.
    screen : bool
        True if it has a screen; its template is named by the step.
    colour : bool
        True if it works on the colour picture, before it is mixed to grey.
    """

    title: ClassVar[str]
    hint: ClassVar[str] = ""
    key: ClassVar[str] = ""
    screen: ClassVar[bool] = False
    colour: ClassVar[bool] = False

    on: Annotated[bool, Field(description="Off is as if all settings of the step were at rest.")]

    def resting(self) -> Self:
        """This step switched off, with all its settings at rest."""
        return type(self)(on=False)

    def acting(self) -> Self:
        """This step with what is switched off in it put to rest."""
        return self
