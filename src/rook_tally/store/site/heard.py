"""When each station was last heard, by arrival: what silence is judged by.

Written in the transaction of what arrived, so that it needs no reading to be there: sealing,
thinning, imports and clocks that are wrong do not touch it.
"""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy.engine import Connection

from rook_tally.store.base.raw_sql import executed_many, fetched

_LISTENED, _SINCE = "listened_us", "listening_since_us"
LONGEST_RESTART_US = 60_000_000
"""A collector that was away for longer has heard nothing of what was said meanwhile."""

_UPSERT = (
    "INSERT INTO heard (station_id, heard_us) VALUES (?, ?) "
    "ON CONFLICT (station_id) DO UPDATE SET heard_us = excluded.heard_us"
)
_META = (
    "INSERT INTO meta (key, value) VALUES (?, ?) "
    "ON CONFLICT (key) DO UPDATE SET value = excluded.value"
)


def note_heard(connection: Connection, arrived_us: Mapping[int, int]) -> None:
    """Stations, by id, were heard at these moments of the collector's clock."""
    if arrived_us:
        executed_many(connection, _UPSERT, list(arrived_us.items()))


def last_heard(connection: Connection) -> dict[int, int]:
    """When each station was last heard, by id; those never heard are left out."""
    return {
        int(station_id): int(heard_us)
        for station_id, heard_us in fetched(connection, "SELECT station_id, heard_us FROM heard")
    }


def note_listening(connection: Connection, *, now_us: int) -> None:
    """Some collector listens now."""
    executed_many(connection, _META, [(_LISTENED, str(now_us))])


def listening_since(connection: Connection, *, now_us: int) -> int:
    """Since when collectors have listened without a longer break; begins anew after one.

    Whoever was not listened to cannot be called silent.
    """
    known: dict[str, str] = dict(
        fetched(connection, "SELECT key, value FROM meta WHERE key IN (?, ?)", (_LISTENED, _SINCE))
    )
    listened_us, since_us = (int(known.get(key, -1)) for key in (_LISTENED, _SINCE))
    if since_us < 0 or not 0 <= now_us - listened_us <= LONGEST_RESTART_US:
        since_us = now_us
    executed_many(connection, _META, [(_SINCE, str(since_us)), (_LISTENED, str(now_us))])
    return since_us


def listened_since(connection: Connection) -> int | None:
    """The same as it was written down last; None where nobody ever listened."""
    rows = fetched(connection, "SELECT value FROM meta WHERE key = ?", (_SINCE,))
    return int(rows[0][0]) if rows else None
