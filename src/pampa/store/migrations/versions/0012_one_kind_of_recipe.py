"""One kind of recipe for Mend and Balance; and what people sounded like in episodes that went out.

A sharp s that a recipe of Mend softened is softened by the voice in it from now on.
"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.rename_table("mend_recipes", "recipes")
    op.drop_index("ix_mend_recipes_show_id", "recipes")
    op.create_index("ix_recipes_show_id", "recipes", ["show_id"])
    op.add_column("recipes", sa.Column("voice", sa.JSON(), nullable=False, server_default="{}"))
    connection = op.get_bind()
    for number, told in connection.execute(sa.text("SELECT id, amounts FROM recipes")).all():
        amounts = json.loads(told)
        sibilance = amounts.pop("sibilance", 0)
        voice = {"sibilance": sibilance} if sibilance else {}
        connection.execute(
            sa.text("UPDATE recipes SET amounts = :amounts, voice = :voice WHERE id = :id"),
            {"amounts": json.dumps(amounts), "voice": json.dumps(voice), "id": number},
        )
    op.create_table(
        "likenesses",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.Integer(), nullable=False),
        sa.Column("episode_id", sa.Integer(), nullable=False),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("heard", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["show_id"], ["shows.id"]),
        sa.ForeignKeyConstraint(["episode_id"], ["episodes.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_likenesses_show_id", "likenesses", ["show_id"])
    op.create_index("ix_likenesses_episode_id", "likenesses", ["episode_id"])
