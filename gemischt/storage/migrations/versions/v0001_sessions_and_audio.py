"""Sessions with their edits, and audio files."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    moment = sa.DateTime(timezone=True)
    op.create_table(
        "sessions",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("applied_edits", sa.Integer, nullable=False),
        sa.Column("created_at", moment, nullable=False),
        sa.Column("changed_at", moment, nullable=False),
        sa.Column("deleted_at", moment),
    )
    op.create_table(
        "edits",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("session_id", sa.String(32), sa.ForeignKey("sessions.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("forward", sa.Text, nullable=False),
        sa.Column("backward", sa.Text, nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.UniqueConstraint("session_id", "position"),
    )
    op.create_index("ix_edits_session_id", "edits", ["session_id"])
    op.create_table(
        "audio",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("file_name", sa.String(100), nullable=False),
        sa.Column("sample_rate_hz", sa.Integer, nullable=False),
        sa.Column("channels", sa.Integer, nullable=False),
        sa.Column("frames", sa.Integer, nullable=False),
        sa.Column("added_at", moment, nullable=False),
    )


def downgrade() -> None:
    for table in ("audio", "edits", "sessions"):
        op.drop_table(table)
