"""How recordings lie against their reference."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "linings",
        sa.Column("episode_id", sa.Integer(), nullable=False),
        sa.Column("recording_id", sa.Integer(), nullable=False),
        sa.Column("reference_id", sa.Integer(), nullable=False),
        sa.Column("found", sa.JSON(), nullable=False),
        sa.Column("by_hand", sa.Boolean(), nullable=False),
        sa.Column("nudged_ms", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["episode_id"], ["episodes.id"]),
        sa.ForeignKeyConstraint(["recording_id"], ["recordings.id"]),
        sa.ForeignKeyConstraint(["reference_id"], ["recordings.id"]),
        sa.PrimaryKeyConstraint("episode_id", "recording_id"),
    )
