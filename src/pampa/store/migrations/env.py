"""What Alembic runs: the migrations on the connection that the application hands over, in its transaction."""

from alembic import context

from pampa.core.faults import fault_point
from pampa.store.models import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True,
    on_version_apply=lambda **step: fault_point("migration"),
)  # fmt: skip
with context.begin_transaction():
    context.run_migrations()
