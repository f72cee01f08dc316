"""Kept states, versions that can be deleted, and the version that the sheet shows."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("history_step", sa.Column("kept", sa.String(200), nullable=True))
    op.add_column("version", sa.Column("deleted_at", DATETIME(fsp=6), nullable=True))
    op.add_column("photograph", sa.Column("shown_id", sa.Integer, nullable=True))
    op.create_foreign_key("fk_photograph_shown", "photograph", "version", ["shown_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint("fk_photograph_shown", "photograph", type_="foreignkey")
    op.drop_column("photograph", "shown_id")
    op.drop_column("version", "deleted_at")
    op.drop_column("history_step", "kept")
