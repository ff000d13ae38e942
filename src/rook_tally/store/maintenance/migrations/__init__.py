"""From every older format of a store to the newest, one step after the other (Alembic)."""
