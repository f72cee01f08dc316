"""Where a photograph was handed over from."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("photograph", sa.Column("came_from", sa.Text, nullable=True))


def downgrade() -> None:
    op.drop_column("photograph", "came_from")
