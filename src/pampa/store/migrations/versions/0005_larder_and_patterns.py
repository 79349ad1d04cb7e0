"""The larder of each show, patterns, the order of recordings, and what is known of an upload."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("episodes", sa.Column("larder", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("recordings", sa.Column("rank", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("uploads", sa.Column("details", sa.JSON(), nullable=False, server_default="{}"))
    op.execute("UPDATE uploads SET details = json_object('after_track', after_track)")
    op.execute("ALTER TABLE uploads DROP COLUMN after_track")
    op.create_table(
        "pieces",
        sa.Column("recording_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("tags", sa.String(), nullable=False),
        sa.Column("sought", sa.String(), nullable=False),
        sa.Column("start", sa.Integer(), nullable=False),
        sa.Column("length", sa.Integer(), nullable=False),
        sa.Column("loudness_lufs", sa.Double(), nullable=True),
        sa.Column("bpm", sa.Double(), nullable=True),
        sa.Column("used", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["recording_id"], ["recordings.id"]),
        sa.PrimaryKeyConstraint("recording_id"),
    )
    op.create_table(
        "patterns",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_patterns_show_id", "patterns", ["show_id"])
