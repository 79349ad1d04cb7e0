"""Beside the finds of an episode: whose words were not looked at, and why."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("finds", sa.Column("unheard", sa.JSON(), nullable=False, server_default="{}"))
