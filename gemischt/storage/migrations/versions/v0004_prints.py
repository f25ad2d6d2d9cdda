"""Runs of prints, and the files they made."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    # Version 3 was left half-way to version 4 where a program was killed.
    op.create_table(
        "print_runs",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("session_id", sa.String(32), sa.ForeignKey("sessions.id", ondelete="CASCADE"), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("edit", sa.Integer, nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        if_not_exists=True,
    )
    op.create_index("ix_print_runs_session_id", "print_runs", ["session_id"], if_not_exists=True)
    op.create_table(
        "printed_files",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("run_id", sa.String(32), sa.ForeignKey("print_runs.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("order", sa.Text, nullable=False),
        sa.Column("part", sa.String(400), nullable=False),
        sa.Column("stem", sa.String(300), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("file_name", sa.String(300), nullable=True),
        sa.Column("result", sa.Text, nullable=True),
        sa.Column("error", sa.Text, nullable=True),
        if_not_exists=True,
    )
    op.create_index("ix_printed_files_run_id", "printed_files", ["run_id"], if_not_exists=True)


def downgrade() -> None:
    op.drop_table("printed_files")
    op.drop_table("print_runs")
