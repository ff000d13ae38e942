"""The tables of a store, the same on SQLite and PostgreSQL.

`reading` is the narrow table of fresh rows, the `page` tables hold what is sealed. What is here is
the newest format; `migrations/` brings older stores to it.
"""

from __future__ import annotations

from sqlalchemy import (
    DDL,
    BigInteger,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    SmallInteger,
    String,
    Table,
    UniqueConstraint,
    event,
    false,
)
from sqlalchemy.engine import Connection

FORMAT = 28
"""Number of the layout below; a store with a higher one is refused."""

NEWEST_MIGRATION = f"{FORMAT:04}"

metadata = MetaData()

# SQLite gives an INTEGER PRIMARY KEY its row number; BIGINT would not be one.
_Sequence = BigInteger().with_variant(Integer, "sqlite")

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

site = Table(
    "site",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False),
    Column("zone", String, nullable=False),
    # The rest of what is settled for all of it, as JSON (`core.site_settings.SiteSettings`).
    Column("document", String, nullable=False, server_default="{}"),
)

place = Table(
    "place",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False, unique=True),
    Column("parent_id", Integer, ForeignKey("place.id")),
    Column("position", Integer, nullable=False),
    Column("indoors", Boolean, nullable=False),
)

station = Table(
    "station",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("key", String, nullable=False, unique=True),
    Column("place_id", Integer, ForeignKey("place.id"), nullable=False),
    Column("kind", String, nullable=False),
    Column("cadence_s", Float, nullable=False),
    Column("access_hash", String, unique=True),
    Column("position", Integer, nullable=False),
    # The access key again, as the broker's password file has it.
    Column("broker_hash", String),
    Column("notes", String, nullable=False, server_default=""),
    Column("latitude", Float),
    Column("longitude", Float),
    # Nobody told its cadence: it is learned from what it sends.
    Column("learns_cadence", Boolean, nullable=False, server_default=false()),
    # Since when nothing is expected of it any more; it keeps its past.
    Column("retired_us", BigInteger),
    # Of a station that stands for an earlier place: which one moved on; it holds the readings from
    # before `retired_us`.
    Column("past_of", Integer),
    # Between these nothing is expected of it and nothing is told, though it is kept.
    Column("maintenance_to_us", BigInteger),
    Column("maintenance_from_us", BigInteger),
    # Where it hangs, in words, and a photograph of that.
    Column("hangs", String, nullable=False, server_default=""),
    Column("photograph_id", Integer),
    # When it was removed; it goes for good a month later.
    Column("removed_us", BigInteger),
)

# Names that a station went by before; it is still known by them.
station_alias = Table(
    "station_alias",
    metadata,
    Column("name", String, primary_key=True),
    Column("station_id", Integer, ForeignKey("station.id"), nullable=False),
)

# When a station was last heard, by the collector's clock: what silence is judged by.
heard = Table(
    "heard",
    metadata,
    Column("station_id", Integer, ForeignKey("station.id"), primary_key=True),
    Column("heard_us", BigInteger, nullable=False),
)

# What a station says of itself rather than measures: firmware, status, how its controls stand.
station_word = Table(
    "station_word",
    metadata,
    Column("station_id", Integer, ForeignKey("station.id"), primary_key=True),
    Column("name", String, primary_key=True),
    Column("value", String, nullable=False),
    Column("since_us", BigInteger, nullable=False),
)

series = Table(
    "series",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("station_id", Integer, ForeignKey("station.id"), nullable=False),
    Column("field", String, nullable=False),
    Column("quantity", String, nullable=False),
    Column("unit", String, nullable=False),
    Column("limits", String),
    # What a person settled for it, as JSON (`core.quantities.series_settings.SeriesSettings`).
    Column("document", String, nullable=False, server_default="{}"),
    UniqueConstraint("station_id", "field"),
)

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

# PNG or JPEG, of plans and photographs; what nothing shows goes after a month.
picture = Table(
    "picture",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("body", LargeBinary, nullable=False),
    Column("kept_us", BigInteger, nullable=False),
)

# A picture of a floor or of the plot.
plan = Table(
    "plan",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False, unique=True),
    Column("position", Integer, nullable=False),
    Column("picture_id", Integer, nullable=False),
    Column("width", Integer, nullable=False),
    Column("height", Integer, nullable=False),
)

# Where a station hangs on a plan: shares of its width and height.
plan_mark = Table(
    "plan_mark",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("plan_id", Integer, ForeignKey("plan.id"), nullable=False),
    Column("station_id", Integer, ForeignKey("station.id"), nullable=False),
    Column("x", Float, nullable=False),
    Column("y", Float, nullable=False),
    UniqueConstraint("plan_id", "station_id"),
)

# Limits that people set for a quantity: at a place, or with none on the whole site.
limit_rule = Table(
    "limit_rule",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("quantity", String, nullable=False),
    Column("place_id", Integer, ForeignKey("place.id")),
    Column("limits", String, nullable=False),
    UniqueConstraint("quantity", "place_id"),
)

# What people changed in the configuration, as rows that were and are.
configuration_change = Table(
    "configuration_change",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("time_us", BigInteger, nullable=False),
    Column("who", String, nullable=False),
    Column("document", String, nullable=False),
    Column("undone_by", Integer),
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

# What people keep on the Bench; `document` is JSON (`core.comparing.bench_items.BenchItem`).
bench_item = Table(
    "bench_item",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("document", String, nullable=False),
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

# What people wrote on the time axis. The place by name, so that a remark outlives it.
remark = Table(
    "remark",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("start_us", BigInteger, nullable=False),
    Column("end_us", BigInteger),
    Column("text", String, nullable=False),
    Column("shade", Integer, nullable=False),
    Column("place", String),
    Column("who", String, nullable=False),
    Index("remark_by_start", "start_us"),
)

# The unit a quantity is shown in, where somebody picked another than its base unit.
shown_unit = Table(
    "shown_unit",
    metadata,
    Column("quantity", String, primary_key=True),
    Column("unit", String, nullable=False),
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
    Column("id", _Sequence, primary_key=True, autoincrement=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
    Column("from_us", BigInteger, nullable=False),
    Column("to_us", BigInteger, nullable=False),
    Column("reached_us", BigInteger, nullable=False),
)

# Named sets; `document` is JSON: places by name, series by id.
place_group = Table(
    "place_group",
    metadata,
    Column("name", String, primary_key=True),
    Column("document", String, nullable=False),
)

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
    Column("id", _Sequence, primary_key=True, autoincrement=True),
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
    Column("id", _Sequence, primary_key=True, autoincrement=True),
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

# Own guidelines beside those that come with the program (`core.quantities.guidelines.Guideline`).
guideline = Table(
    "guideline",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
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

# Keys of gateways: each brings readings of several stations. Kept as hashes only.
gateway_key = Table(
    "gateway_key",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", String, nullable=False, unique=True),
    Column("key_hash", String, nullable=False, unique=True),
    Column("made_us", BigInteger, nullable=False),
    Column("who", String, nullable=False),
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

change = Table(
    "change",
    metadata,
    Column("seq", _Sequence, primary_key=True, autoincrement=True),
    Column("subject", SmallInteger, nullable=False),
    Column("series_id", Integer),
    Column("from_us", BigInteger),
    Column("to_us", BigInteger),
)

stray = Table(
    "stray",
    metadata,
    Column("id", _Sequence, primary_key=True, autoincrement=True),
    Column("arrived_us", BigInteger, nullable=False),
    Column("door", String, nullable=False),
    Column("address", String, nullable=False),
    Column("station", String),
    Column("form", String),
    Column("body", LargeBinary, nullable=False),
    Column("why", String, nullable=False),
    Index("stray_by_arrival", "arrived_us"),
)

field_name = Table(
    "field_name",
    metadata,
    Column("station_id", Integer, ForeignKey("station.id"), primary_key=True),
    Column("name", String, primary_key=True),
    Column("series_id", Integer, ForeignKey("series.id"), nullable=False),
)

kind = Table(
    "kind",
    metadata,
    Column("slug", String, primary_key=True),
    Column("document", String, nullable=False),
)

tape = Table(
    "tape",
    metadata,
    Column("id", _Sequence, primary_key=True, autoincrement=True),
    Column("arrived_us", BigInteger, nullable=False),
    # The key it goes by, taken in or not.
    Column("station", String),
    Column("door", String, nullable=False),
    Column("address", String, nullable=False),
    Column("body", LargeBinary, nullable=False),
    Column("size", Integer, nullable=False),
    Column("kept", Integer, nullable=False),
    Column("duplicate", Integer, nullable=False),
    Column("suspect", Integer, nullable=False),
    Column("stray", Integer, nullable=False),
    Column("refused", Integer, nullable=False),
    Column("why", String, nullable=False),
    # Why the message as a whole could not be taken; empty when it could.
    Column("problem", String, nullable=False, server_default=""),
    # What was read in it, as far as there is room.
    Column("decoded", String, nullable=False, server_default=""),
    Index("tape_by_station", "station", "id"),
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

tally = Table(
    "tally",
    metadata,
    # No foreign key: strays are counted under station 0.
    Column("station_id", Integer, primary_key=True),
    Column("kept", BigInteger, nullable=False),
    Column("duplicate", BigInteger, nullable=False),
    Column("revised", BigInteger, nullable=False),
    Column("suspect", BigInteger, nullable=False),
    Column("stray", BigInteger, nullable=False),
    Column("refused", BigInteger, nullable=False),
    Column("arrival_timed", BigInteger, nullable=False),
    Column("late", BigInteger, nullable=False, server_default="0"),
)

clock_fault = Table(
    "clock_fault",
    metadata,
    Column("station_id", Integer, ForeignKey("station.id"), primary_key=True),
    Column("ahead_s", Float, nullable=False),
    Column("since_us", BigInteger, nullable=False),
)

collector = Table(
    "collector",
    metadata,
    Column("id", String, primary_key=True),
    Column("host", String, nullable=False),
    Column("pid", Integer, nullable=False),
    Column("started_us", BigInteger, nullable=False),
    Column("heard_us", BigInteger, nullable=False),
)

request = Table(
    "request",
    metadata,
    Column("id", _Sequence, primary_key=True, autoincrement=True),
    Column("asked_us", BigInteger, nullable=False),
    Column("who", String, nullable=False),
    Column("sort", String, nullable=False),
    Column("station", String, nullable=False),
    Column("name", String, nullable=False),
    Column("value", String, nullable=False),
    Column("state", String, nullable=False),
    Column("tries", Integer, nullable=False),
    Column("tried_us", BigInteger),
    Column("answered_us", BigInteger),
    Column("answer", String, nullable=False),
    # For how long a control is set: its station goes back by itself after that.
    Column("for_s", Float),
    Index("request_by_station", "station", "id"),
    Index("request_by_state", "state"),
)

# Doors a person set up, opened by whatever collector runs; `document` is JSON (`door_settings.py`).
door_setting = Table(
    "door_setting",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("document", String, nullable=False),
)

# Images of firmware by kind; what is signed of one stands in `core.firmware.images`.
firmware_image = Table(
    "firmware_image",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", String, nullable=False),
    Column("version", String, nullable=False),
    Column("notes", String, nullable=False, server_default=""),
    Column("size", Integer, nullable=False),
    Column("sha256", String, nullable=False),
    Column("signature", String, nullable=False),
    Column("added_us", BigInteger, nullable=False),
    Column("who", String, nullable=False),
    UniqueConstraint("kind", "version"),
)

# In pieces of one size, so that a part of an image is read without the rest.
firmware_piece = Table(
    "firmware_piece",
    metadata,
    Column("image_id", Integer, ForeignKey("firmware_image.id"), primary_key=True),
    Column("number", Integer, primary_key=True),
    Column("body", LargeBinary, nullable=False),
)

# Which image a kind's stations are offered; `document` is JSON (`core.firmware.rollout.Rollout`).
firmware_rollout = Table(
    "firmware_rollout",
    metadata,
    Column("kind", String, primary_key=True),
    Column("document", String, nullable=False),
)

# When a station last asked for firmware, and when it had all of an image.
firmware_update = Table(
    "firmware_update",
    metadata,
    Column("station_id", Integer, ForeignKey("station.id"), primary_key=True),
    Column("asked_us", BigInteger, nullable=False),
    Column("image_id", Integer),
    Column("fetched_us", BigInteger),
)

# Stations that announce themselves on the network and may be asked for their readings.
announced = Table(
    "announced",
    metadata,
    Column("name", String, primary_key=True),
    Column("url", String, nullable=False),
    Column("heard_us", BigInteger, nullable=False),
)

door = Table(
    "door",
    metadata,
    Column("collector_id", String, ForeignKey("collector.id"), primary_key=True),
    Column("name", String, primary_key=True),
    Column("address", String, nullable=False),
    Column("state", String, nullable=False),
    Column("detail", String, nullable=False),
    Column("since_us", BigInteger, nullable=False),
)

# Who has what one collector at a time does (`duties.py`); `token` is another one at every taking.
duty = Table(
    "duty",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("slot", Integer, primary_key=True),
    Column("token", String, nullable=False),
    Column("holder", String, nullable=False),
    Column("host", String, nullable=False),
    Column("pid", Integer, nullable=False),
)

# Background duties that fail again and again.
failed_duty = Table(
    "failed_duty",
    metadata,
    Column("collector_id", String, ForeignKey("collector.id"), primary_key=True),
    Column("name", String, primary_key=True),
    Column("failures", Integer, nullable=False),
    Column("since_us", BigInteger, nullable=False),
    Column("why", String, nullable=False),
)
