"""Tables of collectors: messages as they came, doors, duties, firmware."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Table,
    UniqueConstraint,
)

from rook_tally.store.base.schema.tables import Sequence, metadata

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

stray = Table(
    "stray",
    metadata,
    Column("id", Sequence, primary_key=True, autoincrement=True),
    Column("arrived_us", BigInteger, nullable=False),
    Column("door", String, nullable=False),
    Column("address", String, nullable=False),
    Column("station", String),
    Column("form", String),
    Column("body", LargeBinary, nullable=False),
    Column("why", String, nullable=False),
    Index("stray_by_arrival", "arrived_us"),
)

tape = Table(
    "tape",
    metadata,
    Column("id", Sequence, primary_key=True, autoincrement=True),
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
    Column("id", Sequence, primary_key=True, autoincrement=True),
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
