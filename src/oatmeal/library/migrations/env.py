"""Alembic's entry: runs migrations on the connection that the application hands over."""

from alembic import context

from oatmeal.library.models import Base

context.configure(connection=context.config.attributes["connection"], target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
