"""A recording's drift moves from its conformed file into the document: the edit that brought it in tells of it."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    connection = op.get_bind()
    drifting = connection.execute(sa.text("SELECT id, drift_ppm FROM recordings WHERE drift_ppm != 0"))
    drifts = {row.id: row.drift_ppm for row in drifting}
    entries = connection.execute(
        sa.text("SELECT episode_id, position, parameters FROM journal WHERE name = 'bring_in'")
    )
    for episode_id, position, parameters in entries.all():
        told = json.loads(parameters)
        if told["recording"] in drifts:
            told["drift_ppm"] = drifts[told["recording"]]
            connection.execute(
                sa.text("UPDATE journal SET parameters = :told WHERE episode_id = :episode AND position = :position"),
                {"told": json.dumps(told), "episode": episode_id, "position": position},
            )
    # Snapshots are made again from the journal.
    connection.execute(sa.text("DELETE FROM snapshots"))
