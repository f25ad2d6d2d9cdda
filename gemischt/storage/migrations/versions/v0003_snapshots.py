"""Snapshots of sessions, and findings put aside."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    # Version 2 was left half-way to version 3 where a program was killed.
    op.create_table(
        "snapshots",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("session_id", sa.String(32), sa.ForeignKey("sessions.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        if_not_exists=True,
    )
    op.create_index("ix_snapshots_session_id", "snapshots", ["session_id"], if_not_exists=True)
    op.create_table(
        "put_aside",
        sa.Column("session_id", sa.String(32), sa.ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("finding", sa.String(300), primary_key=True),
        sa.Column("evidence_key", sa.String(300), nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        if_not_exists=True,
    )


def downgrade() -> None:
    op.drop_table("put_aside")
    op.drop_table("snapshots")
