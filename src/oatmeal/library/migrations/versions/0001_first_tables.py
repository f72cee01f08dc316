"""Series, photographs, versions and their history."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0001"
down_revision = None


def _moment(name: str, *, nullable: bool = False) -> sa.Column:
    return sa.Column(name, DATETIME(fsp=6), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "series",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        _moment("created_at"),
        _moment("deleted_at", nullable=True),
    )
    op.create_table(
        "photograph",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("series_id", sa.Integer, sa.ForeignKey("series.id"), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("caption", sa.Text, nullable=False),
        sa.Column("file_name", sa.String(255), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("suffix", sa.String(8), nullable=False),
        sa.Column("file_bytes", sa.BigInteger, nullable=False),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
        sa.Column("bits", sa.Integer, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        _moment("taken_at", nullable=True),
        _moment("created_at"),
        _moment("deleted_at", nullable=True),
    )
    op.create_index("ix_photograph_series_id", "photograph", ["series_id"])
    op.create_index("ix_photograph_sha256", "photograph", ["sha256"])
    op.create_table(
        "version",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("photograph_id", sa.Integer, sa.ForeignKey("photograph.id"), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("head_id", sa.Integer, nullable=True),
        _moment("created_at"),
    )
    op.create_index("ix_version_photograph_id", "version", ["photograph_id"])
    op.create_table(
        "history_step",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("version_id", sa.Integer, sa.ForeignKey("version.id"), nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("history_step.id"), nullable=True),
        sa.Column("recipe", sa.JSON, nullable=False),
        sa.Column("words", sa.String(500), nullable=False),
        _moment("created_at"),
    )
    op.create_index("ix_history_step_version_id", "history_step", ["version_id"])
    op.create_index("ix_history_step_parent_id", "history_step", ["parent_id"])
    op.create_foreign_key("fk_version_head", "version", "history_step", ["head_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint("fk_version_head", "version", type_="foreignkey")
    for table in ("history_step", "version", "photograph", "series"):
        op.drop_table(table)
