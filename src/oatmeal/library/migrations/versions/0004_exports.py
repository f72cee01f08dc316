"""Export batches and their jobs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "export_batch",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("output", sa.JSON, nullable=False),
        sa.Column("created_at", DATETIME(fsp=6), nullable=False),
    )
    op.create_table(
        "export_job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("batch_id", sa.Integer, sa.ForeignKey("export_batch.id"), nullable=False),
        sa.Column("photograph_id", sa.Integer, sa.ForeignKey("photograph.id"), nullable=False),
        sa.Column("recipe", sa.JSON, nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("mark", sa.String(64), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("error", sa.Text, nullable=False),
        sa.Column("bytes", sa.BigInteger, nullable=True),
        sa.Column("finished_at", DATETIME(fsp=6), nullable=True),
    )
    op.create_index("ix_export_job_batch_id", "export_job", ["batch_id"])
    op.create_index("ix_export_job_state", "export_job", ["state"])
    op.create_index("ix_export_job_mark", "export_job", ["mark"])


def downgrade() -> None:
    for table in ("export_job", "export_batch"):
        op.drop_table(table)
