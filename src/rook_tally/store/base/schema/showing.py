"""Tables of what is shown and handed on: the Bench, sheets, reports, keys to read with."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Index, Integer, String, Table

from rook_tally.store.base.schema.tables import metadata

# What people keep on the Bench; `document` is JSON (`core.comparing.bench_items.BenchItem`).
bench_item = Table(
    "bench_item",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("document", String, nullable=False),
)

# Sheets of the Wall; `document` is JSON (`core.wall.definitions`).
sheet = Table(
    "sheet",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
    Column("position", Integer, nullable=False),
)

# Reports as documents (`core.reports.definitions.Report`), in the order they are listed.
report = Table(
    "report",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
)

# What was written of reports: the digest tells whether the same would be written today. `sent` and
# `trouble` say in words what became of it.
written_report = Table(
    "written_report",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False),
    Column("period", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
    Column("digest", String, nullable=False),
    Column("pages", Integer, nullable=False),
    Column("files", String, nullable=False),
    Column("sent", String, nullable=False),
    Column("trouble", String, nullable=False),
    Column("tried_us", BigInteger, nullable=False),
    Index("written_report_by_slug", "slug", "period"),
)

# Keys with which others' programs may read. Kept as hashes only; `document` says what they may.
read_key = Table(
    "read_key",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False, unique=True),
    Column("key_hash", String, nullable=False),
    Column("document", String, nullable=False),
    Column("made_us", BigInteger, nullable=False),
    Column("who", String, nullable=False),
    Column("used_us", BigInteger),
    Column("requests", BigInteger, nullable=False, default=0),
    Column("sent_bytes", BigInteger, nullable=False, default=0),
)

# Forwards (`core.forwards.definitions.Forward`), and how far each has come (`ForwardState`).
forward = Table(
    "forward",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
    Column("state", String, nullable=False, default="{}"),
)

# Where sheets are served as pages: one row, or none while they never were.
page_setting = Table(
    "page_setting",
    metadata,
    Column("id", Integer, primary_key=True, autoincrement=False),
    Column("document", String, nullable=False),
)

# Devices that may look at the pages. Keys are kept as hashes only.
page_device = Table(
    "page_device",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False, unique=True),
    Column("key_hash", String, nullable=False, unique=True),
    Column("made_us", BigInteger, nullable=False),
    Column("seen_us", BigInteger),
)
