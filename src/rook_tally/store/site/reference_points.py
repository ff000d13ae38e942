"""Reference points: what a better meter said at a moment, beside what the sensor said then."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.recompute_queue import refuse_workings
from rook_tally.store.site.site import Site

MONTH_US = round(365.25 / 12 * DAY_US)


class ReferencePoint(msgspec.Struct, frozen=True):
    """A point, base unit: `reading` is the sensor's own mean, uncorrected, over a stretch around
    the moment, `reading_sd` its spread there. `u_reference` is None where nobody said it. `id` is 0
    until it is kept."""

    series_id: int
    time_us: int
    reading: float
    reading_sd: float
    reference: float
    u_reference: float | None
    meter: str
    note: str
    who: str
    made_us: int
    id: int = 0


def reference_points(connection: Connection, series_id: int) -> list[ReferencePoint]:
    """The points of a series, by their moment."""
    table = schema.reference_point
    rows = connection.execute(
        sa.select(table).where(table.c.series_id == series_id).order_by(table.c.time_us)
    )
    return [_point(row) for row in rows]


def points_by_series(connection: Connection) -> dict[int, list[ReferencePoint]]:
    """All points, by series id."""
    table = schema.reference_point
    found: dict[int, list[ReferencePoint]] = {}
    for row in connection.execute(sa.select(table).order_by(table.c.series_id, table.c.time_us)):
        found.setdefault(row.series_id, []).append(_point(row))
    return found


def _point(row: sa.Row[tuple[object, ...]]) -> ReferencePoint:
    return ReferencePoint(
        row.series_id,
        row.time_us,
        row.reading,
        row.reading_sd,
        row.reference,
        row.u_reference,
        row.meter,
        row.note,
        row.who,
        row.made_us,
        row.id,
    )


def add_reference_point(connection: Connection, point: ReferencePoint) -> int:
    """Keep a point; returns its id, which is its own if it was there before.

    Raises
    ------
    UsageError
        When the series has one at that moment already, or is worked out of others.
    """
    table = schema.reference_point
    refuse_workings(connection, point.series_id, "calibrated")
    there = connection.execute(
        sa.select(table.c.id).where(
            table.c.series_id == point.series_id, table.c.time_us == point.time_us
        )
    ).first()
    if there is not None:
        raise UsageError(
            "there is a reference point at that very moment",
            kept="nothing was changed",
            remedy="remove that one first, or give another moment",
        )
    values = {
        name: getattr(point, name)
        for name in ReferencePoint.__struct_fields__
        if name != "id" or point.id
    }
    inserted = connection.execute(sa.insert(table).values(**values))
    note_change(connection, Subject.SITE)
    key = inserted.inserted_primary_key
    assert key is not None
    return int(key[0])


def remove_reference_point(connection: Connection, point_id: int) -> ReferencePoint:
    """Take a point away; returns it, so that it can come back.

    Raises
    ------
    UsageError
        When it is not there.
    """
    table = schema.reference_point
    row = connection.execute(sa.select(table).where(table.c.id == point_id)).first()
    if row is None:
        raise UsageError(
            f"there is no reference point {point_id}", remedy="see the list as it is now"
        )
    connection.execute(sa.delete(table).where(table.c.id == point_id))
    note_change(connection, Subject.SITE)
    return _point(row)


def due_after(months: float | None, last_us: int | None) -> int | None:
    """When a calibration is due again; None where nobody said after how long, 0 (at once) for a
    sensor that never was calibrated."""
    if months is None:
        return None
    return 0 if last_us is None else last_us + round(months * MONTH_US)


def calibrations_due(connection: Connection, site: Site) -> dict[int, int]:
    """When the next calibration of each series is due, by its id, where somebody said how often."""
    asked = {
        one.id: one.settings.calibration_months
        for one in site.series_in_use
        if one.settings.calibration_months is not None
    }
    if not asked:
        return {}
    last: dict[int, int] = {}
    point, correction = schema.reference_point, schema.correction
    for column, series_id in (
        (point.c.time_us, point.c.series_id),
        (correction.c.made_us, correction.c.series_id),
    ):
        rows = connection.execute(
            sa.select(series_id, sa.func.max(column))
            .where(series_id.in_(asked))
            .group_by(series_id)
        )
        for number, moment in rows:
            last[number] = max(last.get(number, moment), moment)
    found = {}
    for number, months in asked.items():
        due_us = due_after(months, last.get(number))
        if due_us is not None:
            found[number] = due_us
    return found
