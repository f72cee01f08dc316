"""The recipe: the complete settings of a version, as a readable JSON document."""

import hashlib
import json
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Final, Literal, Self

from pydantic import VERSION, Field

from oatmeal.core.recipe.areas import Areas
from oatmeal.core.recipe.finish import Finish
from oatmeal.core.recipe.mix import Mix
from oatmeal.core.recipe.parts import Part, Step
from oatmeal.core.recipe.prepare import Prepare
from oatmeal.core.recipe.settings import Declared, shared
from oatmeal.core.recipe.tone import Tone

FORMAT: Final = 1

#: The schema as it was last written, with its mark.
SCHEMA_IN: Final = Path(__file__).with_name("schema.json")


class Recipe(Part):
    """The complete settings of a version; its steps stand in the order of the work."""

    oatmeal: Literal[1] = FORMAT
    name: Annotated[str, Field(max_length=200)] = ""
    prepare: Prepare = Field(default_factory=shared(Prepare))
    mix: Mix = Field(default_factory=shared(Mix))
    tone: Tone = Field(default_factory=shared(Tone))
    areas: Areas = Field(default_factory=shared(Areas))
    finish: Finish = Field(default_factory=shared(Finish))

    def steps(self) -> Iterator[tuple[str, Step]]:
        """The steps by name, in the order of the work."""
        for name in type(self).model_fields:
            step = getattr(self, name)
            if isinstance(step, Step):
                yield name, step

    def effective(self) -> Self:
        """This recipe with every step, and part of one, that is switched off put to rest."""
        acting = {name: step.acting() if step.on else step.resting() for name, step in self.steps()}
        changed = {name: step for name, step in acting.items() if step is not getattr(self, name)}
        return self.model_copy(update=changed) if changed else self

    @property
    def keeps_colour(self) -> bool:
        """True where the picture's own colour is let through somewhere; of a recipe as it acts."""
        return bool(not self.finish.kept.rests or self.areas.coloured)

    @property
    def keeps_brightness(self) -> bool:
        """True where a kept colour is as bright as it was; of a recipe as it acts."""
        return any(one.moves and one.bright for one in self.finish.kept.colours) or any(
            own.amount and own.bright for _, _, own, _ in self.areas.coloured
        )

    @property
    def coloured(self) -> bool:
        """True where the print is no pure grey: it is toned, or colour is kept."""
        return self.keeps_colour or not self.finish.toning.rests

    def plain(self) -> Self:
        """The plain conversion: the colour picture as it is prepared, and nothing else."""
        kept: dict[str, Any] = {name: step for name, step in self.steps() if step.colour}
        return type(self)(**kept)

    def document(self) -> dict[str, Any]:
        """The JSON document: only what is not at rest, and the format's number."""
        changed = self.model_dump(
            mode="json", exclude_defaults=True, exclude_none=True, by_alias=True
        )
        return {"oatmeal": FORMAT, **changed}

    def full_document(self) -> dict[str, Any]:
        """The JSON document with every value, those at rest too."""
        return self.model_dump(mode="json", exclude_none=True, by_alias=True)


REST: Final = Recipe.at_rest()

#: The steps of a recipe by name, in the order of the work.
STEPS: Final[dict[str, type[Step]]] = {name: type(step) for name, step in REST.steps()}


@cache
def schema() -> dict[str, Any]:
    """The JSON Schema of a recipe document (draft 2020-12).

    Every setting carries its declaration under the keyword ``about``. Every start needs it and
    making it takes long, so it is read from the file beside, if that was written from these very
    declarations.
    """
    kept = json.loads(SCHEMA_IN.read_bytes()) if SCHEMA_IN.is_file() else {}
    if kept.get("mark") == schema_mark():
        found: dict[str, Any] = kept["schema"]
        return found
    return made_schema()


def schema_mark() -> str:
    """A short text that changes with anything that the schema is made from."""
    seen = hashlib.sha256(VERSION.encode())
    for path in sorted(SCHEMA_IN.parent.glob("*.py")):
        seen.update(path.read_bytes())
    return seen.hexdigest()[:16]


def made_schema() -> dict[str, Any]:
    """The JSON Schema, made from the models."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **Recipe.model_json_schema(by_alias=True),
        "title": "Oatmeal recipe",
    }


#: Every setting, by its path.
DECLARED: Final = Declared(schema())
