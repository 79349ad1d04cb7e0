"""What Alembic runs: the migrations on the connection that the application hands over."""

from alembic import context

from pampa.store.models import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
