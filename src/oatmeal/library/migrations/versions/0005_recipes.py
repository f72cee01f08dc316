"""Saved recipes."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "saved_recipe",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("tags", sa.String(300), nullable=False),
        sa.Column("recipe", sa.JSON, nullable=False),
        sa.Column("groups", sa.JSON, nullable=False),
        sa.Column("at_import", sa.Boolean, nullable=False),
        sa.Column("created_at", DATETIME(fsp=6), nullable=False),
        sa.Column("deleted_at", DATETIME(fsp=6), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("saved_recipe")
