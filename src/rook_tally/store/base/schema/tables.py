"""The registry of all tables, the number of their layout, and the tables that describe a store."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Integer, MetaData, String, Table

FORMAT = 28

"""Number of the layout below; a store with a higher one is refused."""

NEWEST_MIGRATION = f"{FORMAT:04}"

metadata = MetaData()

# SQLite gives an INTEGER PRIMARY KEY its row number; BIGINT would not be one.
Sequence = BigInteger().with_variant(Integer, "sqlite")

meta = Table(
    "meta",
    metadata,
    Column("key", String, primary_key=True),
    Column("value", String, nullable=False),
)

# Kept by the migrations; it names the newest that has run.
alembic_version = Table(
    "alembic_version", metadata, Column("version_num", String(32), primary_key=True)
)
