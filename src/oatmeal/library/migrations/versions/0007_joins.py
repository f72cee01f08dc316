"""Joins of frames to wide photographs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "join_job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False, index=True),
        sa.Column(
            "photograph_id", sa.Integer, sa.ForeignKey("photograph.id"), nullable=True, index=True
        ),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("state", sa.String(12), nullable=False, index=True),
        sa.Column("error", sa.Text, nullable=False),
        sa.Column("created_at", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "join_frame",
        sa.Column("join_id", sa.Integer, sa.ForeignKey("join_job.id"), primary_key=True),
        sa.Column("place", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column(
            "photograph_id", sa.Integer, sa.ForeignKey("photograph.id"), nullable=False, index=True
        ),
    )


def downgrade() -> None:
    op.drop_table("join_frame")
    op.drop_table("join_job")
