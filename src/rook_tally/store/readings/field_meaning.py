"""What a field of a station means, settled by a person; its past follows.

Readings are kept in the base unit of their quantity. When a field turns out to have been another
quantity, or to have come in another unit, what the station sent is found again from each and
understood anew.
"""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings, checked_series_settings
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.series.screening import SCREENED_TAIL, screened, stuck_parts
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change, note_readings
from rook_tally.store.base.recompute_queue import note_past_changed, refuse_workings
from rook_tally.store.readings.append import write_rows
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.readings.page_writing import delete_pages, write_pages
from rook_tally.store.readings.pages import page_rows
from rook_tally.store.readings.quality_overrides import overruled
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.readings.thinned import thinned_days
from rook_tally.store.site.corrections import correction_entries
from rook_tally.store.site.site import Series
from rook_tally.store.site.site_reading import load_site

_FOREVER_US = 2**62
_PIECE_US = 32 * DAY_US
_DIGITS = 12
"""What a station sent has so many digits at most: those beyond them are a conversion's."""
_KEPT = "the field stays as it was"


@dataclass(frozen=True, slots=True)
class Meaning:
    """A quantity with its range and accuracy, and the unit in which it comes."""

    quantity: Quantity
    unit: Unit

    def sent(self, base: FloatArray) -> FloatArray:
        """Kept values as the station sent them, (N,)."""
        told = np.asarray(self.unit.from_base(base), np.float64)
        with np.errstate(divide="ignore", invalid="ignore"):
            size = np.floor(np.log10(np.abs(told)))
        places = np.where(np.isfinite(size), _DIGITS - 1 - size, 0.0)
        scale = 10.0 ** np.clip(places, -300, 300)
        return np.asarray(np.round(told * scale) / scale, np.float64)

    def kept(self, sent: FloatArray) -> FloatArray:
        """Values as sent in the base unit, (N,)."""
        return np.asarray(self.unit.to_base(sent), np.float64)


def meaning_of(series: Series) -> Meaning:
    """What a series means as it stands."""
    unit = series.quantity.unit(series.unit)
    return Meaning(series.quantity, unit or series.quantity.base)


def settle_field(
    connection: Connection,
    series: Series,
    settings: SeriesSettings,
    *,
    quantity: str | None = None,
    unit: str | None = None,
) -> None:
    """Settle what a series is called, what is believed of it and how it is shown; with another
    quantity or unit what it means. All that was kept of it follows.

    Raises
    ------
    UsageError
        When there is no such quantity or unit, it is a working's, or its past cannot follow.
    """
    before = meaning_of(series)
    values: dict[str, object] = {
        "document": msgspec.json.encode(checked_series_settings(settings)).decode()
    }
    if (quantity, unit) != (None, None):
        meant = _quantity_named(quantity or series.quantity.slug)
        changed = meant.slug != series.quantity.slug
        symbol = unit if unit is not None else (meant.base.symbol if changed else series.unit)
        told = meant.unit(symbol)
        if told is None:
            known = ", ".join(one.symbol or "no unit" for one in meant.units)
            raise UsageError(
                f"{symbol or 'no unit'} is no unit of {meant.name.lower()}",
                kept=_KEPT,
                remedy=f"known are {known}",
            )
        values |= {"quantity": meant.slug, "unit": told.symbol}
        if changed:
            # Limits and a range of the other quantity say nothing of this one.
            values["limits"] = None
        if (meant.slug, told) != (series.quantity.slug, before.unit):
            _check_can_follow(connection, series)
    table = schema.series
    connection.execute(sa.update(table).where(table.c.id == series.id).values(**values))
    for subject in (Subject.SITE, Subject.SERIES, Subject.WORKINGS, Subject.WATCHES):
        note_change(connection, subject)
    follow_meaning(connection, series.id, before)


def follow_meaning(connection: Connection, series_id: int, before: Meaning) -> None:
    """Let all that was kept of a series follow from what it meant to what it means now.

    Raises
    ------
    UsageError
        When something in it cannot be what it means now.
    """
    series = next((one for one in load_site(connection).series if one.id == series_id), None)
    if series is None or series.station.is_worked_out:
        return
    now = meaning_of(series)
    if _is_alike(before, now):
        return
    span = _span(connection, series_id)
    if span is None:
        return
    cadence_s = series.station.cadence_s
    gap_us = microseconds(max(max_gap_s(cadence_s), 2 * SCREENED_TAIL * cadence_s))
    sealed = sorted(day for _, day in sealed_days(connection, [series_id], *span))
    begin_us = span[0] // PAGE_US * PAGE_US
    for start_us in range(begin_us, span[1] + 1, _PIECE_US):
        end_us = start_us + _PIECE_US
        around = read_raw_range(connection, series_id, start_us - gap_us, end_us + gap_us)
        if not len(around):
            continue
        # What lies before was brought over already.
        old = around.time_us >= start_us
        value = around.value.copy()
        value[old] = now.kept(before.sent(value[old]))
        _check_values(now, value)
        days = [day for day in sealed if start_us <= day < end_us]
        readings = _judged(connection, series, Readings(around.time_us, value, around.quality))
        _write_anew(connection, series, readings, start_us, end_us, days)
    note_readings(connection, {series_id: span})
    note_past_changed(connection, series_id, span[0], span[1] + 1)


def _quantity_named(slug: str) -> Quantity:
    found = QUANTITIES.get(slug)
    if found is None:
        raise UsageError(
            f"there is no quantity {slug!r}", kept=_KEPT, remedy="docs/quantities.md lists them"
        )
    return found


def _check_can_follow(connection: Connection, series: Series) -> None:
    refuse_workings(connection, series.id, "mapped anew")
    if correction_entries(connection, series.id):
        raise UsageError(
            f"{series.field} is corrected, as what it was taken for",
            kept=_KEPT,
            remedy="withdraw its corrections first",
        )
    if thinned_days(connection, [series.id], -_FOREVER_US, _FOREVER_US):
        raise UsageError(
            f"old readings of {series.field} were thinned: what was sent cannot be found again",
            kept=_KEPT,
            remedy="take the field in under another name from now on",
        )


def _check_values(meaning: Meaning, value: FloatArray) -> None:
    if meaning.quantity.scale is QuantityScale.STATE and not np.isin(value, (0.0, 1.0)).all():
        strange = value[~np.isin(value, (0.0, 1.0))][0]
        raise UsageError(
            f"{strange:g} is no state", kept=_KEPT, remedy="choose a quantity that is a number"
        )


def _is_alike(before: Meaning, now: Meaning) -> bool:
    """True if every reading is what it was, and as believable."""
    one, other = before.quantity, now.quantity
    return (
        before.unit == now.unit
        and one.slug == other.slug
        and one.believable == other.believable
        and one.accuracy == other.accuracy
    )


def _span(connection: Connection, series_id: int) -> tuple[int, int] | None:
    """First and last moment of what is kept of a series."""
    row, page = schema.reading.c, schema.page.c
    ends: list[int] = []
    for first, last, of in (
        (row.time_us, row.time_us, row.series_id),
        (page.first_us, page.last_us, page.series_id),
    ):
        found = connection.execute(
            sa.select(sa.func.min(first), sa.func.max(last)).where(of == series_id)
        ).one()
        ends += [one for one in found if one is not None]
    return (min(ends), max(ends)) if ends else None


def _judged(connection: Connection, series: Series, readings: Readings) -> Readings:
    """Readings with the qualities that they have now; what a person has said of some stays."""
    gap_s = max_gap_s(series.station.cadence_s)
    quality = screened(readings, series.quantity, max_gap_s=gap_s)
    if series.quantity.never_still:
        good = Readings(readings.time_us, readings.value, np.zeros(len(readings), np.uint8))
        stuck = stuck_parts(good, max_gap_s=gap_s)
        quality[stuck & (quality == Quality.GOOD)] = Quality.STUCK
    told = (readings.quality == Quality.SET_ASIDE) | overruled(connection, series.id, readings)
    quality[told] = readings.quality[told]
    return Readings(readings.time_us, readings.value, quality)


def _write_anew(
    connection: Connection,
    series: Series,
    readings: Readings,
    start_us: int,
    end_us: int,
    sealed: list[int],
) -> None:
    """Write the readings of [start, end), with neighbours around them: pages where there were
    pages, rows for the rest."""
    table = schema.reading
    inside = (readings.time_us >= start_us) & (readings.time_us < end_us)
    is_sealed = np.isin(readings.time_us // PAGE_US * PAGE_US, sealed)
    connection.execute(
        sa.delete(table).where(
            table.c.series_id == series.id, table.c.time_us >= start_us, table.c.time_us < end_us
        )
    )
    rows = inside & ~is_sealed
    write_rows(
        connection,
        series.id,
        Readings(readings.time_us[rows], readings.value[rows], readings.quality[rows]),
    )
    if not sealed:
        return
    # All there are between the first and the last.
    delete_pages(connection, series.id, sealed[0], sealed[-1] + PAGE_US)
    made = page_rows(series, readings, sealed[0], sealed[-1] + PAGE_US)
    wanted = set(sealed)
    write_pages(connection, [one for one in made if one["start_us"] in wanted])
