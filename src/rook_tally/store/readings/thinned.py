"""Pages whose readings were thinned: their summaries know more than what is left of the readings.

A summary made of what is left would be that of lows and highs alone. So when such a day changes,
its five minutes are altered by what was added and what was deleted, and by nothing else.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.arrays import FloatArray, IntArray, StructuredArray
from rook_tally.core.quantities.averaging import Averaging, component_of, value_of
from rook_tally.core.series.buckets import Buckets, counted_by, extremes_of, joined_extremes, merged
from rook_tally.core.series.readings import Readings
from rook_tally.core.series.spans import SpanStatistics
from rook_tally.store.base import schema
from rook_tally.store.readings.page_reading import decoded
from rook_tally.store.readings.page_writing import whole_days
from rook_tally.store.readings.pages import checksum_of, page_rows
from rook_tally.store.readings.summaries import (
    BUCKET_US,
    BUCKETS_A_PAGE,
    DAY_ROW,
    PAGE_US,
    day_rows,
    packed_steps,
    step_rows,
    unpacked_steps,
)
from rook_tally.store.site.site import Series

_SUMMARIES = ("low", "high", "mean", "mean_square")


def is_thinned(count: int, totals: bytes) -> bool:
    """True if a page holds fewer readings than its totals tell of."""
    (told,) = np.frombuffer(totals, dtype=DAY_ROW)
    return count < int(told["count"]) + int(told["suspect"])


def thinned_days(
    connection: Connection, series_ids: Sequence[int], start_us: int, end_us: int
) -> set[tuple[int, int]]:
    """(series id, day) of every thinned page that touches [start, end)."""
    page = schema.page.c
    rows = connection.execute(
        sa.select(page.series_id, page.start_us, page.count, page.totals).where(
            page.series_id.in_(series_ids),
            page.start_us > start_us - PAGE_US,
            page.start_us < end_us,
        )
    )
    return {(row[0], row[1]) for row in rows if is_thinned(row[2], row[3])}


def pages_anew(
    connection: Connection, series: Series, readings: Readings, start_us: int, end_us: int
) -> list[dict[str, Any]]:
    """The pages of the days in [start, end) as `page_rows` makes them, thinned ones as they were
    but for what changed."""
    rows = page_rows(series, readings, start_us, end_us)
    thin = thinned_days(connection, [series.id], start_us, end_us)
    if not thin:
        return rows
    stored = {
        day_us: row
        for _, day_us in thin
        for row in whole_days(connection, series.id, day_us, day_us + PAGE_US)
    }
    return [
        _altered(row, stored[row["start_us"]], series) if row["start_us"] in stored else row
        for row in rows
    ]


def bucket_spans(
    connection: Connection, series: Series, day_us: int, start_us: int, end_us: int
) -> list[tuple[int, SpanStatistics]]:
    """Statistics of [start, end) within a thinned day, from its summaries, raw, each with the
    moment at which its bucket begins; a bucket that the window cuts counts for the share inside."""
    data = schema.page_data.c
    blob = connection.execute(
        sa.select(data.buckets).where(data.series_id == series.id, data.start_us == day_us)
    ).scalar_one()
    if blob is None:
        return []
    rows = unpacked_steps([blob])
    spans: list[tuple[int, SpanStatistics]] = []
    for at in range(max(0, (start_us - day_us) // BUCKET_US), BUCKETS_A_PAGE):
        begin_us = day_us + at * BUCKET_US
        inside_us = min(end_us, begin_us + BUCKET_US) - max(start_us, begin_us)
        if inside_us <= 0:
            break
        count, suspect, low, high, mean, square, covered_s = rows[at].tolist()
        share = inside_us / BUCKET_US
        span = SpanStatistics(
            round(count * share),
            round(suspect * share),
            low,
            high,
            mean,
            square,
            covered_s * share,
            series.quantity.averaging,
        )
        spans.append((begin_us, span))
    return spans


def _altered(made: dict[str, Any], stored: dict[str, Any], series: Series) -> dict[str, Any]:
    """A thinned page with other readings; `made` is what they alone would give."""
    averaging = series.quantity.averaging
    day_us = made["start_us"]
    before = decoded(stored["payload"], series.id, day_us)
    after = decoded(made["payload"], series.id, day_us)
    gone, come = _difference(before, after), _difference(after, before)
    fine = _buckets(unpacked_steps([stored["buckets"]]), day_us) if stored["buckets"] else None
    (row,) = np.frombuffer(stored["totals"], dtype=DAY_ROW)
    whole = Buckets(
        day_us,
        PAGE_US,
        *(np.array([row[name]]) for name in ("count", "suspect", *_SUMMARIES, "covered_s")),
    )
    whole = _changed(whole, gone, come, after, averaging)
    values = stored | {
        name: made[name]
        for name in ("count", "first_us", "last_us", "good_first_us", "good_last_us", "payload")
    }
    values["gaps"] = _parted(stored["gaps"], after)
    values["totals"] = day_rows(whole).tobytes()
    if fine is not None:
        fine = _changed(fine, gone, come, after, averaging)
        values["buckets"] = packed_steps(step_rows(fine))
        hours = merged(fine, BUCKETS_A_PAGE // 24, averaging)
        values["hours"] = step_rows(hours).tobytes()
    values["checksum"] = checksum_of(values)
    return values


def _buckets(rows: StructuredArray, day_us: int) -> Buckets:
    low, high, mean, square, covered_s = (
        rows[name].astype(np.float64) for name in (*_SUMMARIES, "covered_s")
    )
    count, suspect = (rows[name].astype(np.int64) for name in ("count", "suspect"))
    return Buckets(day_us, BUCKET_US, count, suspect, low, high, mean, square, covered_s)


def _difference(those: Readings, without: Readings) -> Readings:
    """Readings that are not just so among others."""
    at = np.clip(np.searchsorted(without.time_us, those.time_us), 0, max(len(without) - 1, 0))
    if not len(without):
        return those
    same = (
        (without.time_us[at] == those.time_us)
        & (without.value[at] == those.value)
        & (without.quality[at] == those.quality)
    )
    return Readings(those.time_us[~same], those.value[~same], those.quality[~same])


def _changed(
    told: Buckets, gone: Readings, come: Readings, left: Readings, averaging: Averaging
) -> Buckets:
    """Summaries without some readings and with others."""
    size = len(told)

    def places(readings: Readings) -> IntArray:
        return (readings.time_us - told.start_us) // told.width_us

    def counted(readings: Readings, *, good: bool) -> IntArray:
        chosen = readings.good if good else ~readings.good
        return np.bincount(places(readings)[chosen], minlength=size)

    def summed(readings: Readings, power: int) -> Any:
        good = readings.good
        weight = (
            component_of(averaging, readings.value[good])
            if power == 1
            else (readings.value[good] ** 2)
        )
        return counted_by(places(readings)[good], weight, size)

    count = told.count + counted(come, good=True) - counted(gone, good=True)
    suspect = told.suspect + counted(come, good=False) - counted(gone, good=False)
    touched = np.zeros(size, np.bool_)
    for one in (gone, come):
        touched[places(one)[one.good]] = True
    before = component_of(averaging, np.nan_to_num(told.mean))
    if averaging is Averaging.CIRCULAR:
        before = before * np.sqrt(np.nan_to_num(told.mean_square))
    with np.errstate(invalid="ignore", divide="ignore"):
        component = (before * told.count + summed(come, 1) - summed(gone, 1)) / count
        square = (
            np.nan_to_num(told.mean_square) * told.count + summed(come, 2) - summed(gone, 2)
        ) / count
    if averaging is Averaging.CIRCULAR:
        square = np.abs(component) ** 2
    low, high = _extremes(told, gone, left, averaging, size)
    nothing = count <= 0

    def chosen(anew: FloatArray, held: FloatArray) -> FloatArray:
        return np.where(touched, np.where(nothing, np.nan, anew), held)

    return replace(
        told,
        count=count,
        suspect=suspect,
        low=np.where(nothing, np.nan, low),
        high=np.where(nothing, np.nan, high),
        mean=chosen(value_of(averaging, component), told.mean),
        mean_square=chosen(square, told.mean_square),
        covered_s=np.where(nothing, 0.0, told.covered_s),
    )


def _extremes(
    told: Buckets, gone: Readings, left: Readings, averaging: Averaging, size: int
) -> tuple[FloatArray, FloatArray]:
    """Lowest and highest: what was known of, unless that very reading is gone."""
    good = left.good
    at, value = (left.time_us[good] - told.start_us) // told.width_us, left.value[good]
    low, high = told.low.copy(), told.high.copy()
    lost = (gone.time_us[gone.good] - told.start_us) // told.width_us
    low[lost] = high[lost] = np.nan
    if len(at):
        firsts = np.flatnonzero(np.diff(at, prepend=-1))
        lows, highs = extremes_of(averaging, value, value, firsts)
        where = at[firsts]
        low[where], high[where] = joined_extremes(
            averaging, (low[where], high[where]), (lows, highs)
        )
    return low, high


def _parted(gaps: bytes | None, readings: Readings) -> bytes | None:
    """The gaps of a day, each without the readings that now lie in it."""
    if gaps is None:
        return None
    good_us = readings.time_us[readings.good]
    parts = []
    for begin, end in np.frombuffer(gaps, dtype="<i8").reshape(-1, 2).tolist():
        inside = good_us[(good_us > begin) & (good_us < end)]
        moments = np.concatenate(([begin], inside, [end]))
        parts.append(np.stack((moments[:-1], moments[1:]), axis=1))
    return np.concatenate(parts).astype("<i8").tobytes()
