"""Small stores for tests."""

from __future__ import annotations

import struct
import zlib

from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.store.base import Store
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.site import Series, add_series, add_station, load_site

NOON_US = time_us_from_text("2026-11-23T12:00:00Z")
MINUTE_US = 60_000_000
DUST = Watch(
    slug="dust",
    name="Dust",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="pm25", place="Booth"),
    limit=25,
    unit="µg/m³",
    for_s=120,
    tell=("this desktop",),
)
"""A plain watch, for series begun at the Booth."""


def add_room_air(store: Store, key: str = "wall", place: str = "Throwing room") -> None:
    with store.write() as connection:
        add_station(connection, key, place=place, kind=KINDS["room-air"], cadence_s=60)


def begin_series(
    store: Store,
    quantity: str = "temperature",
    *,
    key: str = "wall",
    place: str = "Throwing room",
    limits: Limits | None = None,
) -> Series:
    """A series of a station that is made when it is new."""
    with store.read() as connection:
        known = load_site(connection).station(key)
    if known is None:
        add_room_air(store, key, place)
    with store.write() as connection:
        station = load_site(connection).station(key)
        assert station is not None
        return add_series(
            connection,
            station,
            field=quantity,
            quantity=QUANTITIES[quantity],
            unit=QUANTITIES[quantity].base.symbol,
            limits=limits,
        )


def append(store: Store, series: Series, *rows: tuple[int, float]) -> None:
    """Append good readings given as (moment, value)."""
    with store.write() as connection:
        append_readings(
            connection, [NewReading(series.id, at, value, Quality.GOOD) for at, value in rows]
        )


def picture(width: int, height: int) -> bytes:
    """A white PNG of that size (RFC 2083)."""

    def chunk(name: bytes, body: bytes) -> bytes:
        return (
            struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))
        )

    rows = (b"\0" + b"\xff" * width) * height
    head = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(rows))
        + chunk(b"IEND", b"")
    )
