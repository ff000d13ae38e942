"""Tables of watches: what they watch for, what came of it, whom to tell."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Index, Integer, SmallInteger, String, Table

from rook_tally.store.base.schema.tables import Sequence, metadata

watch = Table(
    "watch",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
    Column("position", Integer, nullable=False),
    Column("armed_us", BigInteger, nullable=False),
)

# How far a watch is with one series. No foreign keys: what either refers to may go first.
alarm = Table(
    "alarm",
    metadata,
    Column("watch", String, primary_key=True),
    Column("series_id", Integer, primary_key=True, autoincrement=False),
    Column("state", String, nullable=False),
    Column("document", String, nullable=False),
    Index("alarm_by_state", "state"),
)

journal = Table(
    "journal",
    metadata,
    Column("id", Sequence, primary_key=True, autoincrement=True),
    Column("time_us", BigInteger, nullable=False),
    Column("sort", String, nullable=False),
    Column("watch", String, nullable=False),
    Column("name", String, nullable=False),
    Column("place", String, nullable=False),
    Column("series_id", Integer),
    Column("level", SmallInteger, nullable=False),
    Column("words", String, nullable=False),
    Column("who", String, nullable=False),
    Index("journal_by_time", "time_us"),
    Index("journal_by_watch", "watch", "id"),
)

way = Table(
    "way",
    metadata,
    Column("name", String, primary_key=True),
    Column("document", String, nullable=False),
)

outbox = Table(
    "outbox",
    metadata,
    Column("id", Sequence, primary_key=True, autoincrement=True),
    Column("key", String, nullable=False, unique=True),
    Column("way", String, nullable=False),
    Column("watch", String, nullable=False),
    Column("series_id", Integer),
    Column("document", String, nullable=False),
    Column("state", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
    Column("due_us", BigInteger, nullable=False),
    Column("tries", Integer, nullable=False),
    Column("done_us", BigInteger),
    Column("answer", String, nullable=False),
    Index("outbox_by_state", "state", "due_us"),
)

# A control that a watch runs, or ran until somebody took it over.
run = Table(
    "run",
    metadata,
    Column("station", String, primary_key=True),
    Column("control", String, primary_key=True),
    Column("document", String, nullable=False),
)
