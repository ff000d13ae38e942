"""The dated list of corrections of each series."""

from __future__ import annotations

from collections.abc import Collection

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.series.corrections import Calibrations, Correction, CorrectionUncertainty
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.base.recompute_queue import note_past_changed, refuse_workings


class CorrectionEntry(msgspec.Struct, frozen=True):
    """A line of the list: the correction, who made it, when and why."""

    id: int
    series_id: int
    correction: Correction
    who: str
    why: str
    made_us: int
    uncertainty: CorrectionUncertainty | None = None


def add_correction(
    connection: Connection,
    series_id: int,
    correction: Correction,
    *,
    who: str,
    why: str,
    now_us: int,
    uncertainty: CorrectionUncertainty | None = None,
) -> int:
    """Enter a correction; one that begins at the same moment is replaced. Returns its id."""
    table = schema.correction
    refuse_workings(connection, series_id, "corrected")
    connection.execute(
        sa.delete(table).where(
            table.c.series_id == series_id, table.c.from_us == correction.from_us
        )
    )
    inserted = connection.execute(
        sa.insert(table).values(
            series_id=series_id,
            from_us=correction.from_us,
            gain=correction.gain,
            offset=correction.offset,
            who=who,
            why=why,
            made_us=now_us,
            se_gain=None if uncertainty is None else uncertainty.se_gain,
            se_offset=None if uncertainty is None else uncertainty.se_offset,
            cov=None if uncertainty is None else uncertainty.cov,
        )
    )
    # What is shown of the past changes with it: everybody reads anew.
    note_past_changed(connection, series_id, correction.from_us)
    note_change(connection, Subject.SITE)
    key = inserted.inserted_primary_key
    assert key is not None
    return int(key[0])


def withdraw_correction(connection: Connection, correction_id: int) -> None:
    """Take a correction out of the list: readings are shown as they were before it."""
    table = schema.correction
    found = connection.execute(
        sa.select(table.c.series_id, table.c.from_us).where(table.c.id == correction_id)
    ).first()
    if found is None:
        raise UsageError(f"there is no correction {correction_id}", remedy="see the list again")
    connection.execute(sa.delete(table).where(table.c.id == correction_id))
    note_past_changed(connection, found.series_id, found.from_us)
    note_change(connection, Subject.SITE)


def correction_entries(connection: Connection, series_id: int) -> list[CorrectionEntry]:
    """The corrections of a series with who and why, by the moment they begin."""
    table = schema.correction
    rows = connection.execute(
        sa.select(table).where(table.c.series_id == series_id).order_by(table.c.from_us)
    )
    return [
        CorrectionEntry(
            row.id,
            row.series_id,
            Correction(row.from_us, row.gain, row.offset),
            row.who,
            row.why,
            row.made_us,
            _uncertainty(row.se_gain, row.se_offset, row.cov),
        )
        for row in rows
    ]


def _uncertainty(
    se_gain: float | None, se_offset: float | None, cov: float | None
) -> CorrectionUncertainty | None:
    if se_gain is None or se_offset is None:
        return None
    return CorrectionUncertainty(se_gain, se_offset, cov or 0.0)


def calibrations(connection: Connection) -> dict[int, Calibrations]:
    """The corrections of those series of which one at least tells its uncertainty, by series id."""
    table = schema.correction
    told = sa.select(table.c.series_id).where(table.c.se_gain.is_not(None))
    rows = connection.execute(
        sa.select(table).where(table.c.series_id.in_(told)).order_by(table.c.from_us)
    )
    found: dict[int, Calibrations] = {}
    for row in rows:
        one = Correction(row.from_us, row.gain, row.offset)
        sure = _uncertainty(row.se_gain, row.se_offset, row.cov)
        found[row.series_id] = (*found.get(row.series_id, ()), (one, sure))
    return found


def corrected_series(connection: Connection) -> set[int]:
    """The ids of the series that have a correction."""
    return set(connection.execute(sa.select(schema.correction.c.series_id).distinct()).scalars())


_SOME = 200
_CORRECTIONS = 'SELECT series_id, from_us, gain, "offset" FROM correction'


def corrections_of(
    connection: Connection, series_ids: Collection[int]
) -> dict[int, list[Correction]]:
    """Corrections by series id, by moment; series without one are left out."""
    # Of all where there are many: a site has few corrections.
    some = sorted(series_ids) if len(series_ids) <= _SOME else []
    which = f"WHERE series_id IN ({', '.join(['?'] * len(some))}) " if some else ""
    rows = fetched(connection, f"{_CORRECTIONS} {which}ORDER BY series_id, from_us", some)
    wanted = set(series_ids)
    found: dict[int, list[Correction]] = {}
    for series_id, from_us, gain, offset in rows:
        if series_id in wanted:
            found.setdefault(series_id, []).append(Correction(from_us, gain, offset))
    return found
