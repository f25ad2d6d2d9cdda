"""Presets: processors to recall."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "presets",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        # Version 1 was left half-way to version 2 where a program was killed.
        if_not_exists=True,
    )


def downgrade() -> None:
    op.drop_table("presets")
