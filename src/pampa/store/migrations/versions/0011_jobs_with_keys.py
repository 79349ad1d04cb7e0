"""Jobs have keys, wait for others, and remember that they are to stop."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("jobs", sa.Column("key", sa.String(), nullable=True))
    op.add_column("jobs", sa.Column("after", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("jobs", sa.Column("stopping", sa.Boolean(), nullable=False, server_default=sa.false()))
    open_ones = sa.text("state IN ('waiting', 'running')")
    op.create_index("one_open_job_for_a_key", "jobs", ["key"], unique=True, sqlite_where=open_ones)
