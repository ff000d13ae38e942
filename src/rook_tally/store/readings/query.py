"""Reading the store exactly: newest readings, ranges, gaps, from pages and rows alike."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import msgspec
import numpy as np
import sqlalchemy as sa
from msgspec.structs import replace
from numpy.typing import NDArray
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import TimeArray
from rook_tally.core.series.corrections import corrected, corrected_values
from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.readings.page_reading import page_readings, page_spans, sealed_days
from rook_tally.store.readings.pages import day_of
from rook_tally.store.readings.summaries import PAGE_US
from rook_tally.store.site.corrections import corrections_of
from rook_tally.store.site.site import Series

_FETCH = 50_000
_SHORT_US = 3 * PAGE_US
_ROWS = (
    "SELECT time_us, value, quality FROM reading WHERE series_id = ? AND time_us >= ? "
    "AND time_us < ? ORDER BY time_us"
)
# SQLite allows 32766 bound values a statement.
_LOOKUP_CHUNK = 5_000
_ROW = np.dtype([("time_us", np.int64), ("value", np.float64), ("quality", np.uint8)])


class Latest(msgspec.Struct, frozen=True):
    """The newest reading of a series, whatever its quality."""

    series_id: int
    time_us: int
    value: float
    quality: Quality


_ALWAYS_US = 1 << 60


def newest_times(
    connection: Connection,
    series_ids: Collection[int] | None = None,
    *,
    until_us: int | None = None,
) -> dict[int, int]:
    """Moment of the newest reading by series id; series without one are left out.

    Parameters
    ----------
    series_ids : collection of int, optional
        All series when left out.
    until_us : int, optional
        As it stood at that moment: readings after it are not seen.
    """
    # A sub-select a series ends at the primary key's last entry; GROUP BY would scan them all.
    newest = sa.select(sa.func.max(schema.reading.c.time_us)).where(
        schema.reading.c.series_id == schema.series.c.id
    )
    if until_us is not None:
        newest = newest.where(schema.reading.c.time_us <= until_us)
    page = schema.page
    in_pages = sa.select(page.c.last_us).where(page.c.series_id == schema.series.c.id)
    if until_us is not None:
        in_pages = in_pages.where(page.c.first_us <= until_us)
    in_pages = in_pages.order_by(page.c.start_us.desc()).limit(1)
    statement = sa.select(
        schema.series.c.id,
        newest.correlate(schema.series).scalar_subquery(),
        in_pages.correlate(schema.series).scalar_subquery(),
    )
    if series_ids is not None:
        statement = statement.where(schema.series.c.id.in_(series_ids))
    found: dict[int, int] = {}
    for series_id, row_us, page_us in connection.execute(statement).all():
        if until_us is not None and page_us is not None and page_us > until_us:
            (one,) = page_readings(connection, series_id, day_of(page_us), day_of(page_us) + 1)
            page_us = int(one.time_us[np.searchsorted(one.time_us, until_us, side="right") - 1])
        known = [time_us for time_us in (row_us, page_us) if time_us is not None]
        if known:
            found[series_id] = max(known)
    return found


def readings_at(
    connection: Connection, moments: Sequence[tuple[int, int]]
) -> dict[tuple[int, int], tuple[float, Quality]]:
    """Raw value and quality by (series id, moment), where there is a reading."""
    found: dict[tuple[int, int], tuple[float, Quality]] = {}
    for start in range(0, len(moments), _LOOKUP_CHUNK):
        part = moments[start : start + _LOOKUP_CHUNK]
        # A join, since SQLite scans the whole table for `(series_id, time_us) IN (VALUES …)`; by
        # hand, since each number of values is another statement to SQLAlchemy.
        rows = fetched(
            connection,
            f"WITH wanted (series_id, time_us) AS (VALUES {', '.join(['(?, ?)'] * len(part))}) "
            "SELECT r.series_id, r.time_us, r.value, r.quality FROM wanted "
            "JOIN reading AS r ON r.series_id = wanted.series_id AND r.time_us = wanted.time_us",
            [one for moment in part for one in moment],
        )
        found.update({(row[0], row[1]): (row[2], Quality(row[3])) for row in rows})
    missing = [moment for moment in moments if moment not in found]
    if missing:
        found.update(_sealed_readings_at(connection, missing))
    return found


def _sealed_readings_at(
    connection: Connection, moments: Sequence[tuple[int, int]]
) -> dict[tuple[int, int], tuple[float, Quality]]:
    times = [time_us for _, time_us in moments]
    sealed = sealed_days(
        connection, {series_id for series_id, _ in moments}, min(times), max(times) + 1
    )
    found: dict[tuple[int, int], tuple[float, Quality]] = {}
    by_day: dict[tuple[int, int], list[int]] = {}
    for series_id, time_us in moments:
        by_day.setdefault((series_id, day_of(time_us)), []).append(time_us)
    for series_id, start_us in sealed & by_day.keys():
        (page,) = page_readings(connection, series_id, start_us, start_us + 1)
        for time_us in by_day[series_id, start_us]:
            at = int(np.searchsorted(page.time_us, time_us))
            if at < len(page) and page.time_us[at] == time_us:
                found[series_id, time_us] = float(page.value[at]), Quality(int(page.quality[at]))
    return found


def latest(
    connection: Connection,
    series_ids: Collection[int] | None = None,
    *,
    until_us: int | None = None,
) -> dict[int, Latest]:
    """Newest readings by series id, corrected, with the parameters of `newest_times`."""
    found: dict[int, Latest] = {}
    if series_ids is None:
        found, rest = _newest_rows(connection, _ALWAYS_US if until_us is None else until_us)
    else:
        rest = list(series_ids)
    if rest:
        # Where rows tell of nobody, all are asked of at once rather than by thousands of names.
        some = rest if found else series_ids
        moments = list(newest_times(connection, some, until_us=until_us).items())
        found |= {
            series_id: Latest(series_id, time_us, value, quality)
            for (series_id, time_us), (value, quality) in readings_at(connection, moments).items()
        }
    for series_id, told in corrections_of(connection, list(found)).items():
        one = found[series_id]
        moment, raw = np.array([one.time_us]), np.array([one.value])
        found[series_id] = replace(one, value=float(corrected_values(moment, raw, told)[0]))
    return found


def _newest_rows(connection: Connection, until_us: int) -> tuple[dict[int, Latest], list[int]]:
    """Raw newest readings of all series, as far as their rows alone can tell, by series id; and the
    ids of the others. What is newer than every sealed day is newer than all pages."""
    ((sealed_us,),) = fetched(connection, "SELECT max(start_us) FROM page")
    open_us = -1 if sealed_us is None else sealed_us + PAGE_US
    found: dict[int, Latest] = {}
    rest: list[int] = []
    for series_id, time_us, value, quality in fetched(connection, _NEWEST_ROWS, (until_us,)):
        if time_us is None or time_us < open_us:
            rest.append(series_id)
        else:
            found[series_id] = Latest(series_id, time_us, value, Quality(quality))
    return found, rest


_NEWEST_ROWS = (
    "SELECT s.id, r.time_us, r.value, r.quality FROM (SELECT id, (SELECT max(time_us) FROM reading "
    "WHERE series_id = series.id AND time_us <= ?) AS newest_us FROM series) AS s "
    "LEFT JOIN reading AS r ON r.series_id = s.id AND r.time_us = s.newest_us"
)


def latest_written(connection: Connection, moments: Sequence[tuple[int, int]]) -> dict[int, Latest]:
    """Readings that were just written, by series id, corrected.

    For (series id, moment) a change notice tells of: straight from the rows, as this is asked with
    every reading that comes in. One that is gone again is left out.
    """
    found: dict[int, Latest] = {}
    for series_id, time_us in moments:
        for value, quality in fetched(connection, _WRITTEN, (series_id, time_us)):
            if series_id not in found or time_us > found[series_id].time_us:
                found[series_id] = Latest(series_id, time_us, value, Quality(quality))
    for series_id, from_us, gain, offset in fetched(connection, _CORRECTIONS) if found else ():
        one = found.get(series_id)
        if one is not None and from_us <= one.time_us:
            # By moment: the last that has begun holds.
            (raw,) = fetched(connection, _WRITTEN, (series_id, one.time_us))
            found[series_id] = replace(one, value=gain * raw[0] + offset)
    return found


_WRITTEN = "SELECT value, quality FROM reading WHERE series_id = ? AND time_us = ?"
_CORRECTIONS = (
    'SELECT series_id, from_us, gain, "offset" FROM correction ORDER BY series_id, from_us'
)


def newest_row_us(connection: Connection, series_id: int, before_us: int = _ALWAYS_US) -> int:
    """Moment of the newest fresh row of a series before a moment; −1 without one."""
    ((newest,),) = fetched(connection, _NEWEST_ROW, (series_id, before_us))
    return -1 if newest is None else int(newest)


def report_times(
    connection: Connection, spans: Sequence[tuple[int, int]], until_us: int
) -> dict[int, TimeArray]:
    """Moments of the readings of series by their ids, each since a moment of its own up to one:
    what a site looks at of each of its stations."""
    ((sealed_us,),) = fetched(connection, "SELECT max(start_us) FROM page")
    open_us = -1 if sealed_us is None else sealed_us + PAGE_US
    found: dict[int, TimeArray] = {}
    for series_id, since_us in spans:
        if since_us < open_us:
            found[series_id] = read_raw_range(connection, series_id, since_us, until_us).time_us
        else:
            rows = fetched(connection, _TIMES, (series_id, since_us, until_us))
            found[series_id] = np.array([row[0] for row in rows], dtype=np.int64)
    return found


_TIMES = (
    "SELECT time_us FROM reading WHERE series_id = ? AND time_us >= ? AND time_us < ? "
    "ORDER BY time_us"
)
_NEWEST_ROW = "SELECT max(time_us) FROM reading WHERE series_id = ? AND time_us < ?"


def read_range(connection: Connection, series_id: int, start_us: int, end_us: int) -> Readings:
    """The exact readings of a series in [start, end), corrected, ordered by time.

    As `read_raw_range`, with the corrections of the series applied.
    """
    raw = read_raw_range(connection, series_id, start_us, end_us)
    return corrected(raw, corrections_of(connection, [series_id]).get(series_id, ()))


def read_raw_range(connection: Connection, series_id: int, start_us: int, end_us: int) -> Readings:
    """Readings as sent in [start, end), from pages and rows, ordered by time.

    Returns
    -------
    Readings of shape (N,): int64 µs UTC, float64 in the base unit, uint8 `Quality`.

    Raises
    ------
    DamagedPageError
        When a page of that stretch is not what was written.
    """
    rows = _row_range(connection, series_id, start_us, end_us)
    pages = page_readings(connection, series_id, start_us, end_us)
    if not pages:
        return rows
    time_us = np.concatenate([page.time_us for page in pages])
    value = np.concatenate([page.value for page in pages])
    quality = np.concatenate([page.quality for page in pages])
    part = slice(*np.searchsorted(time_us, [start_us, end_us]).tolist())
    time_us, value, quality = time_us[part], value[part], quality[part]
    if not len(rows):
        return Readings(time_us, value, quality)
    # Rows that came late for a sealed day stand before the page's own of the same moment.
    time_us = np.concatenate((time_us, rows.time_us))
    value = np.concatenate((value, rows.value))
    quality = np.concatenate((quality, rows.quality))
    order = np.argsort(time_us, kind="stable")
    newest = np.append(np.diff(time_us[order]) > 0, True)
    order = order[newest]
    return Readings(time_us[order], value[order], quality[order])


def _row_range(connection: Connection, series_id: int, start_us: int, end_us: int) -> Readings:
    if end_us - start_us <= _SHORT_US:
        # As many as fit: what it takes to put the statement together would be most of it.
        few = np.array(fetched(connection, _ROWS, (series_id, start_us, end_us)), dtype=_ROW)
        return _readings_of(few)
    columns = schema.reading.c
    statement = (
        sa.select(columns.time_us, columns.value, columns.quality)
        .where(
            columns.series_id == series_id, columns.time_us >= start_us, columns.time_us < end_us
        )
        .order_by(columns.time_us)
        .execution_options(yield_per=_FETCH)
    )
    with connection.execute(statement) as result:
        parts = [np.array([tuple(row) for row in part], dtype=_ROW) for part in result.partitions()]
    return _readings_of(np.concatenate(parts) if parts else np.empty(0, dtype=_ROW))


def _readings_of(rows: NDArray[np.void]) -> Readings:
    return Readings(
        np.ascontiguousarray(rows["time_us"]),
        np.ascontiguousarray(rows["value"]),
        np.ascontiguousarray(rows["quality"]),
    )


def gaps_between(connection: Connection, series: Series, start_us: int, end_us: int) -> TimeArray:
    """Gaps between good readings that touch [start, end), clipped to it.

    Returns
    -------
    (G, 2) int64
        From, to. Neighbours outside the window count: a gap that begins before it or ends after it
        is found. Where the series itself begins or ends, the window's edge stands in for the
        neighbour that is missing.
    """
    gap_us = microseconds(max_gap_s(series.station.cadence_s))
    revised = _good_of_revised_days(connection, series.id)
    before, after = _good_neighbours(connection, series.id, start_us, end_us, revised)
    begin_us = start_us if before is None else before
    finish_us = end_us if after is None else after
    runs = _sealed_runs(connection, series, begin_us, finish_us + 1, revised)
    for good in revised.values():
        runs += _runs_of(good[(good >= begin_us) & (good <= finish_us)], gap_us)
    runs += _row_runs(connection, series.id, begin_us, finish_us + 1, gap_us)
    if not runs:
        return np.array([[start_us, end_us]], dtype=np.int64)
    pairs = np.array(sorted(runs), dtype=np.int64)
    # Late rows may lie inside a page's run: what counts is how far anything reached before.
    reached = np.maximum.accumulate(pairs[:, 1])
    starts = np.append(pairs[:, 0], finish_us)
    ends = np.insert(reached, 0, begin_us)
    wide = starts - ends > gap_us
    found = np.clip(np.stack((ends[wide], starts[wide]), axis=1), start_us, end_us)
    return np.asarray(found[found[:, 1] > found[:, 0]], np.int64)


def _good_of_revised_days(connection: Connection, series_id: int) -> dict[int, TimeArray]:
    """Moments of good readings, by day, of sealed days in which a later word took one back: what
    their pages say of runs and ends holds no more until they are sealed again."""
    rows = fetched(connection, _TAKEN_BACK, (series_id, series_id, PAGE_US))
    found: dict[int, TimeArray] = {}
    for day in {int(time_us) // PAGE_US * PAGE_US for (time_us,) in rows}:
        readings = read_range(connection, series_id, day, day + PAGE_US)
        found[day] = readings.time_us[readings.good]
    return found


_TAKEN_BACK = (
    f"SELECT time_us FROM reading WHERE series_id = ? AND quality <> {int(Quality.GOOD)} "
    "AND time_us < (SELECT max(start_us) FROM page WHERE series_id = ?) + ?"
)


def _good_neighbours(
    connection: Connection,
    series_id: int,
    start_us: int,
    end_us: int,
    revised: Mapping[int, TimeArray],
) -> tuple[int | None, int | None]:
    """The last good reading before a window and the first at or after its end."""
    reading, page = schema.reading.c, schema.page.c
    good = sa.and_(reading.series_id == series_id, reading.quality == int(Quality.GOOD))
    before = connection.execute(
        sa.select(sa.func.max(reading.time_us)).where(good, reading.time_us < start_us)
    ).scalar()
    after = connection.execute(
        sa.select(sa.func.min(reading.time_us)).where(good, reading.time_us >= end_us)
    ).scalar()
    mine = sa.and_(page.series_id == series_id, page.start_us.not_in(list(revised)))
    # A page that reaches into the window is looked at whole anyway.
    page_before = connection.execute(
        sa.select(sa.func.max(page.good_last_us)).where(mine, page.good_last_us < start_us)
    ).scalar()
    page_after = connection.execute(
        sa.select(sa.func.min(page.good_first_us)).where(mine, page.good_first_us >= end_us)
    ).scalar()
    befores, afters = [before, page_before], [after, page_after]
    for moments in revised.values():
        befores += moments[moments < start_us][-1:].tolist()
        afters += moments[moments >= end_us][:1].tolist()
    return (
        max((one for one in befores if one is not None), default=None),
        min((one for one in afters if one is not None), default=None),
    )


def _sealed_runs(
    connection: Connection, series: Series, start_us: int, end_us: int, revised: Collection[int]
) -> list[tuple[int, int]]:
    """First and last moment of every run in the pages that touch a window."""
    runs: list[tuple[int, int]] = []
    for span in page_spans(connection, series.id, start_us, end_us):
        if span.good_first_us is None or span.good_last_us is None:
            continue
        if span.good_first_us // PAGE_US * PAGE_US in revised:
            continue
        edges = [span.good_first_us, *span.gaps.ravel().tolist(), span.good_last_us]
        runs.extend(zip(edges[::2], edges[1::2], strict=True))
    return runs


def _row_runs(
    connection: Connection, series_id: int, start_us: int, end_us: int, gap_us: int
) -> list[tuple[int, int]]:
    """First and last moment of every run in the rows of a window."""
    rows = fetched(connection, _GOOD_TIMES, (series_id, start_us, end_us))
    # Compared here: the database's own window functions take ten times as long.
    return _runs_of(np.array(rows, dtype=np.int64).ravel(), gap_us)


def _runs_of(time_us: TimeArray, gap_us: int) -> list[tuple[int, int]]:
    """First and last moment of every stretch of moments without a gap."""
    if not len(time_us):
        return []
    wide = np.flatnonzero(np.diff(time_us) > gap_us)
    starts = time_us[np.concatenate(([0], wide + 1))]
    ends = time_us[np.concatenate((wide, [len(time_us) - 1]))]
    return list(zip(starts.tolist(), ends.tolist(), strict=True))


_GOOD_TIMES = (
    f"SELECT time_us FROM reading WHERE series_id = ? AND quality = {int(Quality.GOOD)} "
    "AND time_us >= ? AND time_us < ? ORDER BY time_us"
)


# Sub-selects that each end at the primary key's first or last entry.
_ENDS = """
SELECT min(low_us), max(high_us) FROM (
SELECT (SELECT min(time_us) FROM reading WHERE series_id = s.id) AS low_us,
(SELECT max(time_us) FROM reading WHERE series_id = s.id) AS high_us FROM series AS s {of}
UNION ALL
SELECT (SELECT first_us FROM page WHERE series_id = s.id ORDER BY start_us LIMIT 1),
(SELECT last_us FROM page WHERE series_id = s.id ORDER BY start_us DESC LIMIT 1)
FROM series AS s {of}) AS ends
"""


def span_of(
    connection: Connection, series_ids: Collection[int] | None = None
) -> tuple[int, int] | None:
    """First and last moment of any reading, of all series or some; None where there is none."""
    of, values = "", []
    if series_ids is not None:
        of, values = f"WHERE s.id IN ({', '.join(['?'] * len(series_ids))})", [*series_ids] * 2
    if series_ids is not None and not series_ids:
        return None
    ((low_us, high_us),) = fetched(connection, _ENDS.format(of=of), values)
    return None if low_us is None else (int(low_us), int(high_us))
