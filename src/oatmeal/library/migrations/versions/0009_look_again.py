"""Versions whose light acts otherwise, since it follows the picture's black and white."""

from __future__ import annotations

import json
from typing import Any, Final

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"

_LIGHT: Final = {"highlights", "shadows", "depth", "zones", "veil"}


def upgrade() -> None:
    op.add_column("version", sa.Column("again", sa.String(20), nullable=True))
    connection = op.get_bind()
    found = connection.execute(
        sa.text(
            "SELECT version.id, history_step.recipe FROM version"
            " JOIN history_step ON history_step.id = version.head_id"
        )
    )
    for number, recipe in found.all():
        if _moves_light(json.loads(recipe) if isinstance(recipe, str) else recipe):
            connection.execute(
                sa.text("UPDATE version SET again = 'light' WHERE id = :number"), {"number": number}
            )


def downgrade() -> None:
    op.drop_column("version", "again")


def _moves_light(recipe: dict[str, Any]) -> bool:
    """A recipe names what is not at rest."""
    parts = [recipe.get("tone", {}), recipe.get("prepare", {}).get("light", {})]
    parts += [area.get("values", {}) for area in recipe.get("areas", {}).get("list", [])]
    return any(_LIGHT & part.keys() for part in parts)
