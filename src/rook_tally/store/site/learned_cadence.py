"""Stations whose cadence nobody told: it is learned from what they send."""

from __future__ import annotations

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.series.learned_cadence import LOOKED_AT, learned_cadence
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


def stations_that_learn(connection: Connection) -> list[int]:
    """Ids of stations whose cadence is still to be learned."""
    table = schema.station.c
    return list(connection.execute(sa.select(table.id).where(table.learns_cadence)).scalars())


def learn_cadence(connection: Connection, station_id: int) -> float | None:
    """Take what a station's newest messages say of its cadence.

    Returns
    -------
    float or None
        The cadence, s, when it is another one now.
    """
    station, reading = schema.station.c, schema.reading.c
    known_s = connection.execute(
        sa.select(station.cadence_s).where(station.id == station_id)
    ).scalar_one()
    newest: set[int] = set()
    for series_id in connection.execute(
        sa.select(schema.series.c.id).where(schema.series.c.station_id == station_id)
    ).scalars():
        # A message has several series; one field may come more rarely than others.
        newest.update(
            connection.execute(
                sa.select(reading.time_us)
                .where(reading.series_id == series_id)
                .order_by(reading.time_us.desc())
                .limit(LOOKED_AT)
            ).scalars()
        )
    times = np.array(sorted(newest)[-LOOKED_AT:], dtype=np.int64)
    told = learned_cadence(times, known_s)
    if told is None:
        return None
    connection.execute(
        sa.update(schema.station)
        .where(schema.station.c.id == station_id)
        .values(cadence_s=told.cadence_s, learns_cadence=not told.is_settled)
    )
    if told.cadence_s == known_s:
        return None
    note_change(connection, Subject.SITE)
    return told.cadence_s
