"""Delivery targets that sessions share."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    # Version 5 was left half-way to version 6 where a program was killed.
    op.create_table(
        "targets",
        sa.Column("name", sa.String(200), primary_key=True),
        sa.Column("document", sa.Text, nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    op.drop_table("targets")
