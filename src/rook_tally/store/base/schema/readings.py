"""Tables of readings, and of what was corrected, overruled, imported and worked out of them."""

from __future__ import annotations

from sqlalchemy import (
    DDL,
    BigInteger,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    String,
    Table,
    UniqueConstraint,
    event,
)
from sqlalchemy.engine import Connection

from rook_tally.store.base.schema.tables import Sequence, metadata

# Readings that a person deleted; for a month they can be had back.
deleted = Table(
    "deleted",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("from_us", BigInteger, nullable=False),
    Column("to_us", BigInteger, nullable=False),
    Column("count", Integer, nullable=False),
    Column("payload", LargeBinary, nullable=False),
    Column("who", String, nullable=False),
    Column("deleted_us", BigInteger, nullable=False),
)

reading = Table(
    "reading",
    metadata,
    # No foreign key: looking each reading's series up again would cost a third of the writing.
    Column("series_id", Integer, primary_key=True),
    Column("time_us", BigInteger, primary_key=True),
    Column("value", Float, nullable=False),
    Column("quality", SmallInteger, nullable=False),
    sqlite_with_rowid=False,
)


def _partition(target: Table, connection: Connection, **_: object) -> None:
    # Said here and not in the table: naming PostgreSQL there loads all of its dialect at every
    # start, a thirtieth of the time to the first picture.
    if connection.dialect.name == "postgresql":
        target.dialect_options["postgresql"]["partition_by"] = "RANGE (time_us)"


event.listen(reading, "before_create", _partition)

# Weeks get partitions of their own (`partitions.py`); whatever fits none of them is kept here.
event.listen(
    reading,
    "after_create",
    DDL(  # type: ignore[no-untyped-call]
        "CREATE TABLE reading_rest PARTITION OF reading DEFAULT"
    ).execute_if(dialect="postgresql"),
)

page = Table(
    "page",
    metadata,
    Column("series_id", Integer, ForeignKey("series.id"), primary_key=True),
    Column("start_us", BigInteger, primary_key=True),
    # Of the readings in its payload.
    Column("count", Integer, nullable=False),
    # First and last of all readings, and of the good ones.
    Column("first_us", BigInteger, nullable=False),
    Column("last_us", BigInteger, nullable=False),
    Column("good_first_us", BigInteger),
    Column("good_last_us", BigInteger),
    Column("totals", LargeBinary, nullable=False),
    Column("gaps", LargeBinary),
    Column("checksum", BigInteger, nullable=False),
    Index("page_by_day", "start_us"),
    sqlite_with_rowid=False,
)

# What a page holds besides its totals, apart from them so that years of totals are read quickly.
# Not WITHOUT ROWID: SQLite would move rows of this size to pages of their own, half empty.
page_hours = Table(
    "page_hours",
    metadata,
    Column("series_id", Integer, primary_key=True),
    Column("start_us", BigInteger, primary_key=True),
    Column("hours", LargeBinary, nullable=False),
)

page_data = Table(
    "page_data",
    metadata,
    Column("series_id", Integer, primary_key=True),
    Column("start_us", BigInteger, primary_key=True),
    Column("buckets", LargeBinary),
    Column("payload", LargeBinary, nullable=False),
    # The hours of a page that has none in `page_hours`.
    Column("packed_hours", LargeBinary),
)

# Readings of all days of a fortnight, where each holds few; then they are not in `page_data`.
page_fortnight = Table(
    "page_fortnight",
    metadata,
    Column("series_id", Integer, primary_key=True),
    Column("start_us", BigInteger, primary_key=True),
    Column("payload", LargeBinary, nullable=False),
    Column("checksum", BigInteger, nullable=False),
)

PAGES = (page, page_hours, page_data, page_fortnight)
"""All that sealed readings and their summaries stand in."""

correction = Table(
    "correction",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("from_us", BigInteger, nullable=False),
    Column("gain", Float, nullable=False),
    Column("offset", Float, nullable=False),
    Column("who", String, nullable=False),
    Column("why", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
    # Standard errors of gain and offset and their covariance, where the data told them.
    Column("se_gain", Float),
    Column("se_offset", Float),
    Column("cov", Float),
    UniqueConstraint("series_id", "from_us"),
)

# What a better meter said at a moment, and what the sensor said then, raw; base unit.
reference_point = Table(
    "reference_point",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("time_us", BigInteger, nullable=False),
    Column("reading", Float, nullable=False),
    Column("reading_sd", Float, nullable=False),
    Column("reference", Float, nullable=False),
    Column("u_reference", Float),
    Column("meter", String, nullable=False),
    Column("note", String, nullable=False),
    Column("who", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
    UniqueConstraint("series_id", "time_us"),
)

overruling = Table(
    "overruling",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("from_us", BigInteger, nullable=False),
    Column("to_us", BigInteger, nullable=False),
    Column("quality", SmallInteger, nullable=False),
    Column("who", String, nullable=False),
    Column("why", String, nullable=False),
)

# What is worked out of other series; `document` is JSON (`core.workings.definitions.Working`).
working = Table(
    "working",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
    Column("position", Integer, nullable=False),
)

# A series that a working gives: what it is kept as, and what it was last worked out from.
worked = Table(
    "worked",
    metadata,
    Column("series_id", Integer, ForeignKey("series.id"), primary_key=True),
    Column("working_id", Integer, ForeignKey("working.id"), nullable=False),
    Column("place", String, nullable=False),
    Column("result", String, nullable=False),
    Column("made_from", String, nullable=False),
)

# Which series each such series uses, and how far after a reading of them it can still change.
working_input = Table(
    "working_input",
    metadata,
    Column("series_id", Integer, ForeignKey("series.id"), primary_key=True),
    Column("input_id", Integer, primary_key=True),
    Column("reach_us", BigInteger, nullable=False),
    Index("working_input_by_input", "input_id"),
)

# Stretches [from, to) to be worked out again, and how far that has come.
due = Table(
    "due",
    metadata,
    Column("id", Sequence, primary_key=True, autoincrement=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("from_us", BigInteger, nullable=False),
    Column("to_us", BigInteger, nullable=False),
    Column("reached_us", BigInteger, nullable=False),
)

change = Table(
    "change",
    metadata,
    Column("seq", Sequence, primary_key=True, autoincrement=True),
    Column("subject", SmallInteger, nullable=False),
    Column("series_id", Integer),
    Column("from_us", BigInteger),
    Column("to_us", BigInteger),
)

import_ = Table(
    "import",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
)

# The readings an import brought that were not there before, packed as in a page.
imported = Table(
    "imported",
    metadata,
    Column("import_id", Integer, ForeignKey("import.id"), primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), primary_key=True),
    Column("payload", LargeBinary, nullable=False),
)
