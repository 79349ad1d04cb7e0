"""Beside what a person sounded like: the revision of the episode, and whether it had gone out."""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.add_column("likenesses", sa.Column("revision", sa.Integer(), nullable=True))
    op.add_column("likenesses", sa.Column("went_out", sa.Boolean(), nullable=False, server_default=sa.true()))
