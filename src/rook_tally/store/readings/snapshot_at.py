"""The site as it stood at a moment of the archive: newest readings, the day before, last reports.

Asked for again and again while somebody drags the time rail over years, so it is read in one sweep:
the two days' pages of every series in one statement, each unpacked once. Where rows lie before the
moment, a late reading or one not sealed yet, the general queries answer instead.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from operator import itemgetter

import msgspec
import numpy as np
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.corrections import corrected, corrected_envelope
from rook_tally.core.series.envelope import ColumnSums, Envelope, envelope_of_readings
from rook_tally.core.series.page_codec import decode_groups
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.store.base.raw_sql import Row, fetched
from rook_tally.store.readings.envelopes import envelopes
from rook_tally.store.readings.fortnights import fortnight_of
from rook_tally.store.readings.query import Latest, latest, read_range
from rook_tally.store.readings.summaries import BUCKET_US, BUCKETS_A_PAGE, PAGE_US, unpacked_steps
from rook_tally.store.site.corrections import corrections_of
from rook_tally.store.site.site import Series

_HAS_ROWS = (
    "SELECT 1 FROM series s WHERE EXISTS "
    "(SELECT 1 FROM reading r WHERE r.series_id = s.id AND r.time_us <= ?) LIMIT 1"
)
# Of the day before, five-minute buckets are enough for a ribbon where a page has them.
DAYS_OF_MOMENT = (
    "SELECT d.series_id, d.start_us, "
    "CASE WHEN d.start_us < ? AND d.buckets IS NOT NULL THEN d.buckets END, "
    "CASE WHEN d.start_us < ? AND d.buckets IS NOT NULL THEN NULL ELSE d.payload END "
    "FROM page p JOIN page_data d ON d.series_id = p.series_id AND d.start_us = p.start_us "
    "WHERE p.start_us IN (?, ?)"
)
# Looked up series by series: an index by moment would take more room than it is worth.
FORTNIGHTS_OF_MOMENT = (
    "SELECT w.series_id, w.start_us, NULL, w.payload FROM series s "
    "JOIN page_fortnight w ON w.series_id = s.id AND w.start_us IN (?, ?)"
)


class Moment(msgspec.Struct, frozen=True):
    """Newest readings and ribbons by series id, moments of last reports by station id."""

    latest: dict[int, Latest]
    ribbons: dict[int, Envelope]
    reports: dict[int, TimeArray]


def moment_of(
    connection: Connection,
    series: Sequence[Series],
    at_us: int,
    *,
    window: tuple[int, int],
    columns: int,
    reports_us: dict[int, int],
) -> Moment:
    """The site at a moment; later readings are not known yet.

    Parameters
    ----------
    series : sequence of Series
        All of the site.
    window : (start_us, end_us)
        Of the ribbons: at most a day, holding the moment.
    columns : int
        Of the ribbons.
    reports_us : dict of int to int
        How far back reports are wanted, by station id.

    Raises
    ------
    DamagedPageError
        When a page of those days is not what was written.
    """
    if fetched(connection, _HAS_ROWS, (at_us,)):
        return _generally(connection, series, at_us, window, columns, reports_us)
    day_us = at_us // PAGE_US * PAGE_US
    payloads: dict[int, list[bytes]] = {}
    buckets: dict[int, bytes] = {}
    for series_id, _, blob, payload in pages_of_moment(connection, day_us):
        if blob is not None:
            buckets[series_id] = blob
        else:
            payloads.setdefault(series_id, []).append(payload)
    known = {
        series_id: one[: int(np.searchsorted(one.time_us, at_us, side="right"))]
        for series_id, one in zip(payloads, decode_groups([*payloads.values()]), strict=True)
    }
    corrections = corrections_of(connection, [one.id for one in series])
    newest = {
        series_id: _newest(series_id, corrected(one[-1:], corrections.get(series_id, ())))
        for series_id, one in known.items()
        if len(one)
    }
    # Whatever was silent for longer than that is looked for by itself.
    silent = [one.id for one in series if one.id not in newest]
    if silent:
        newest |= latest(connection, silent, until_us=at_us)
    before = _Buckets(buckets, day_us - PAGE_US)
    ribbons: dict[int, Envelope] = {}
    for averaging in Averaging:
        ids = [one.id for one in series if one.quantity.averaging is averaging]
        if ids:
            ribbons |= _ribbons(known, before, ids, window, columns, averaging)
    for series_id, told in corrections.items():
        if series_id in ribbons:
            readings_of = partial(_known_then, connection, series_id, at_us)
            ribbons[series_id] = corrected_envelope(
                ribbons[series_id], told, readings_of, BUCKET_US
            )
    return Moment(newest, ribbons, _reports(connection, series, known, at_us, reports_us))


def pages_of_moment(connection: Connection, day_us: int) -> list[Row]:
    """Series, begin, buckets and payload of every page, or fortnight, that holds readings of a day
    or of the day before, in order: of the day before buckets instead of a payload, where it has
    them.
    """
    before_us = day_us - PAGE_US
    days = fetched(connection, DAYS_OF_MOMENT, (day_us, day_us, before_us, day_us))
    fortnights = fetched(
        connection, FORTNIGHTS_OF_MOMENT, (fortnight_of(before_us), fortnight_of(day_us))
    )
    return sorted(days + fortnights, key=itemgetter(0, 1))


def _known_then(
    connection: Connection, series_id: int, at_us: int, start_us: int, end_us: int
) -> Readings:
    """The corrected readings of a stretch that were known at a moment."""
    if min(end_us, at_us + 1) <= start_us:
        return Readings(np.empty(0, np.int64), np.empty(0), np.empty(0, np.uint8))
    return read_range(connection, series_id, start_us, min(end_us, at_us + 1))


def _joined(told: list[Readings]) -> Readings:
    if len(told) == 1:
        return told[0]
    return Readings(
        np.concatenate([one.time_us for one in told]),
        np.concatenate([one.value for one in told]),
        np.concatenate([one.quality for one in told]),
    )


def _between(readings: Readings, start_us: int, end_us: int) -> Readings:
    return readings[slice(*np.searchsorted(readings.time_us, (start_us, end_us)).tolist())]


def _newest(series_id: int, one: Readings) -> Latest:
    return Latest(series_id, int(one.time_us[0]), float(one.value[0]), Quality(int(one.quality[0])))


class _Buckets(msgspec.Struct, frozen=True):
    """The buckets of one day, packed, by series id."""

    packed: dict[int, bytes]
    day_us: int


def _ribbons(
    known: dict[int, Readings],
    before: _Buckets,
    ids: Sequence[int],
    window: tuple[int, int],
    columns: int,
    averaging: Averaging,
) -> dict[int, Envelope]:
    """The envelopes of series that average alike: their windows laid one after the other, so that
    whole arrays are counted in and not fifty small ones."""
    start_us, end_us = window
    width_us = -(-(end_us - start_us) // columns)
    span_us = width_us * columns
    told = [one for one in ids if one in known or one in before.packed]
    place = {one: at for at, one in enumerate(told)}
    bucketed = [one for one in told if one in before.packed]
    sums = ColumnSums(
        0, width_us, columns * max(1, len(told)), span_us * max(1, len(told)), averaging
    )
    if bucketed:
        cells = unpacked_steps([before.packed[one] for one in bucketed])
        within = before.day_us - start_us + np.arange(BUCKETS_A_PAGE, dtype=np.int64) * BUCKET_US
        offsets = np.array([place[one] * span_us for one in bucketed], dtype=np.int64)
        # What lies before the window would else fall into the window of the series before.
        inside = np.tile(within >= 0, len(bucketed))
        time_us = (offsets[:, None] + within).ravel()[inside]
        cells = cells[inside]
        sums.add(
            time_us,
            cells["low"].astype(np.float64),
            cells["mean"].astype(np.float64),
            cells["high"].astype(np.float64),
            cells["count"].astype(np.int64),
            cells["suspect"].astype(np.int64),
        )
    exact = [one for one in told if one in known]
    if exact:
        parts = [_between(known[one], start_us, end_us) for one in exact]
        shifts = np.array([place[one] * span_us - start_us for one in exact], dtype=np.int64)
        whole = _joined(parts)
        shift = np.repeat(shifts, [len(one) for one in parts])
        sums.add_readings(Readings(whole.time_us + shift, whole.value, whole.quality))
    whole_ribbon = sums.envelope()
    nothing = ColumnSums(start_us, width_us, columns, end_us, averaging).envelope()
    ribbons = dict.fromkeys(ids, nothing)
    for at, series_id in enumerate(told):
        part = slice(at * columns, (at + 1) * columns)
        ribbons[series_id] = Envelope(
            start_us,
            start_us + span_us,
            whole_ribbon.low[part],
            whole_ribbon.mean[part],
            whole_ribbon.high[part],
            whole_ribbon.count[part],
            whole_ribbon.suspect[part],
            averaging=averaging,
        )
    return ribbons


def _reports(
    connection: Connection,
    series: Sequence[Series],
    known: dict[int, Readings],
    at_us: int,
    reports_us: dict[int, int],
) -> dict[int, TimeArray]:
    """When each station reported lately, by the first of its series."""
    day_us = at_us // PAGE_US * PAGE_US
    reports: dict[int, TimeArray] = {}
    for one in series:
        station_id = one.station.id
        if station_id in reports or station_id not in reports_us:
            continue
        from_us = at_us - reports_us[station_id]
        if from_us < day_us:
            reports[station_id] = read_range(connection, one.id, from_us, at_us + 1).time_us
        elif one.id in known:
            reports[station_id] = _between(known[one.id], from_us, at_us + 1).time_us
        else:
            reports[station_id] = np.empty(0, dtype=np.int64)
    return reports


def _generally(
    connection: Connection,
    series: Sequence[Series],
    at_us: int,
    window: tuple[int, int],
    columns: int,
    reports_us: dict[int, int],
) -> Moment:
    """The same from rows and pages alike."""
    reports: dict[int, TimeArray] = {}
    for one in series:
        back_us = reports_us.get(one.station.id)
        if back_us is not None and one.station.id not in reports:
            reports[one.station.id] = read_range(
                connection, one.id, at_us - back_us, at_us + 1
            ).time_us
    start_us, end_us = window
    width_us = -(-(end_us - start_us) // columns)
    at = max(0, (at_us + 1 - start_us) // width_us)
    ribbons = envelopes(connection, list(series), *window, columns)
    return Moment(
        latest(connection, until_us=at_us),
        {one.id: _as_known(connection, one.id, ribbons[one.id], at, at_us) for one in series},
        reports,
    )


def _as_known(
    connection: Connection, series_id: int, ribbon: Envelope, at: int, at_us: int
) -> Envelope:
    """A ribbon without what came after a moment, which lies in column `at`."""
    if at >= len(ribbon):
        return ribbon
    width_us = (ribbon.end_us - ribbon.start_us) // len(ribbon)
    begin_us = ribbon.start_us + at * width_us
    inside = envelope_of_readings(
        _known_then(connection, series_id, at_us, begin_us, begin_us + width_us),
        begin_us,
        width_us,
        1,
        max_gap_s=0.0,
        averaging=ribbon.averaging,
    )
    cut = {}
    for name in ("low", "mean", "high", "count", "suspect"):
        column = getattr(ribbon, name).copy()
        column[at:] = 0 if name in ("count", "suspect") else np.nan
        column[at] = getattr(inside, name)[0]
        cut[name] = column
    return replace(ribbon, **cut)
