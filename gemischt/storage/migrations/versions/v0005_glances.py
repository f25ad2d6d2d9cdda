"""What was measured last of each session, to be shown in a list."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    # Version 4 was left half-way to version 5 where a program was killed.
    op.create_table(
        "glances",
        sa.Column("session_id", sa.String(32), sa.ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("figures", sa.Text, nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    op.drop_table("glances")
