"""What Alembic runs: the steps, in the transaction of whoever asked for them."""

from alembic import context

context.configure(connection=context.config.attributes["connection"])
context.run_migrations()
