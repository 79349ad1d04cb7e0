"""Entries of the journal know the version of their parameters."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("journal", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
