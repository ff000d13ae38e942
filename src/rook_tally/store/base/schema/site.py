"""Tables of the site: places, stations, series, and what people say of them."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Table,
    UniqueConstraint,
    false,
)

from rook_tally.store.base.schema.tables import metadata

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

# Named sets; `document` is JSON: places by name, series by id.
place_group = Table(
    "place_group",
    metadata,
    Column("name", String, primary_key=True),
    Column("document", String, nullable=False),
)

# Own guidelines beside those that come with the program (`core.quantities.guidelines.Guideline`).
guideline = Table(
    "guideline",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("slug", String, nullable=False, unique=True),
    Column("document", String, nullable=False),
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

# Stations that announce themselves on the network and may be asked for their readings.
announced = Table(
    "announced",
    metadata,
    Column("name", String, primary_key=True),
    Column("url", String, nullable=False),
    Column("heard_us", BigInteger, nullable=False),
)
