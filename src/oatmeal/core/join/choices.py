"""What a photographer chooses of a join, and the document that it is kept as."""

from __future__ import annotations

from typing import Annotated, Any, Final, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

Projection = Literal["auto", "plane", "cylinder", "sphere"]
Border = Literal["crop", "bend", "keep"]
PROJECTIONS: Final[tuple[str, ...]] = get_args(Projection)
BORDERS: Final[tuple[str, ...]] = get_args(Border)

#: Version of the document's format.
FORMAT: Final = 1

Degrees = Annotated[float, Field(ge=-90, le=90, allow_inf_nan=False)]


class Choices(BaseModel):
    """How frames are joined.

    Attributes
    ----------
    projection : str
        What the view is laid on: ``plane`` keeps straight lines straight, ``cylinder`` uprights
        alone, ``sphere`` holds any view; ``auto`` takes the first that holds it.
    border : str
        ``crop`` cuts to the largest rectangle, ``bend`` stretches the edges to one, ``keep`` leaves
        black where no frame was.
    even_light : bool
        Differences of exposure and falloff of the lens are evened out.
    lens : bool
        The lens's bend is found and taken out.
    yaw, pitch, roll : float
        Degrees that the levelled view is turned by: aside, up, and about its middle.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    projection: Projection = "auto"
    border: Border = "crop"
    even_light: bool = True
    lens: bool = True
    yaw: Degrees = 0.0
    pitch: Degrees = 0.0
    roll: Degrees = 0.0

    def document(self, frames: list[str]) -> dict[str, Any]:
        """The join document: with it and its frames a join can be made again.

        Parameters
        ----------
        frames : list of str
            SHA-256 of the originals.
        """
        return {"oatmeal_join": FORMAT, "frames": frames, **self.model_dump()}

    @classmethod
    def of_document(cls, document: dict[str, Any]) -> Choices:
        """The choices in a join document; raises ``ValidationError`` for what is none."""
        return cls.model_validate(
            {key: document[key] for key in document if key not in ("oatmeal_join", "frames")}
        )
