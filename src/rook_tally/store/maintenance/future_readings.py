"""Readings of times to come that slipped in: found, and put among the strays."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa

from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import MINUTE_US, rfc3339
from rook_tally.store.alarms.clock_trust import forget_moments_ahead
from rook_tally.store.base import schema
from rook_tally.store.base.database import Store
from rook_tally.store.base.recompute_queue import note_past_changed
from rook_tally.store.readings.append import remove_readings
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.unassigned_messages import Stray, save_strays

MOST_AHEAD_US = 2 * MINUTE_US
_ALWAYS_US = 1 << 60


def readings_ahead(store: Store, *, now_us: int) -> int:
    """Number of readings more than two minutes ahead of now."""
    rows = schema.reading.c
    with store.read() as connection:
        return int(
            connection.execute(
                sa.select(sa.func.count()).where(rows.time_us > now_us + MOST_AHEAD_US)
            ).scalar_one()
        )


def set_aside_ahead(store: Store, *, now_us: int) -> int:
    """Take readings ahead of now out of their series; what was sent is kept whole as strays.

    Returns
    -------
    int
        How many.
    """
    from_us = now_us + MOST_AHEAD_US + 1
    gone = 0
    with store.write() as connection:
        for series in load_site(connection).series:
            # Nothing ahead is ever sealed.
            found = read_raw_range(connection, series.id, from_us, _ALWAYS_US)
            if not len(found):
                continue
            remove_readings(connection, series.id, found.time_us)
            note_past_changed(connection, series.id, from_us)
            gone += len(found)
            if not series.station.is_worked_out:
                body = msgspec.json.encode(_as_sent(series.field, found))
                save_strays(
                    connection,
                    [
                        Stray(
                            now_us,
                            "check",
                            "",
                            series.station.key,
                            "application/json",
                            body,
                            "of a time to come",
                        )
                    ],
                )
        forget_moments_ahead(connection, now_us=now_us)
    return gone


def _as_sent(field: str, readings: Readings) -> list[dict[str, object]]:
    rows = zip(readings.time_us.tolist(), readings.value.tolist(), strict=True)
    return [{field: value, "time": _told(time_us)} for time_us, value in rows]


def _told(time_us: int) -> str | float:
    try:
        return rfc3339(time_us)
    except OverflowError:
        return time_us / 1e6
