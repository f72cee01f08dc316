"""Pins of a version."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("version", sa.Column("pins", sa.JSON, nullable=True))


def downgrade() -> None:
    op.drop_column("version", "pins")
