"""What is written about shows and episodes, artwork, and the cut that each file was made of."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.add_column("shows", sa.Column("about", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("episodes", sa.Column("about", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("deliveries", sa.Column("document", sa.LargeBinary(), nullable=True))
    op.create_table(
        "artworks",
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("sha256"),
    )
