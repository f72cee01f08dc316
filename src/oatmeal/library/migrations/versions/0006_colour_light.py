"""The group of the colour's exposure became that of its whole light."""

from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    _rename("colour exposure", "colour light")


def downgrade() -> None:
    _rename("colour light", "colour exposure")


def _rename(old: str, new: str) -> None:
    op.execute(f"""UPDATE saved_recipe SET `groups` = REPLACE(`groups`, '"{old}"', '"{new}"')""")
