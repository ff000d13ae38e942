"""Statistics of a span: whole sealed days from their totals, the rest from readings."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.series.corrections import Correction, in_force
from rook_tally.core.series.gaps import check_window, max_gap_s, microseconds
from rook_tally.core.series.spans import (
    SpanStatistics,
    can_correct,
    corrected_span,
    joined_spans,
    span_of_readings,
)
from rook_tally.core.series.statistics import Window
from rook_tally.store.base import schema
from rook_tally.store.readings.query import read_range
from rook_tally.store.readings.summaries import BUCKET_US, DAY_ROW, PAGE_US
from rook_tally.store.readings.thinned import bucket_spans, thinned_days
from rook_tally.store.site.corrections import corrections_of
from rook_tally.store.site.site import Series


def span_statistics(
    connection: Connection, series: Series, start_us: int, end_us: int
) -> SpanStatistics:
    """Totals of a series over [start, end), corrected.

    Exact, but within days whose readings were thinned: there summaries of five minutes tell. Of
    levels with a correction's gain other than 1 the mean is then that of the summaries' corrected
    means, which is near and not exact; so is what is told of five minutes within which a correction
    begins.

    Raises
    ------
    ValueError
        Unless the end is after the start.
    DamagedPageError
        When a page at an edge is not what was written.
    """
    check_window(start_us, end_us)
    corrections = corrections_of(connection, [series.id]).get(series.id, [])
    days = _whole_days(connection, series, start_us, end_us, corrections)
    spans = list(days.values())
    # Days in a row leave one stretch before them, one after, one in each break.
    edges = [start_us]
    for day_us in days:
        edges += [day_us, day_us + PAGE_US]
    edges.append(end_us)
    for begin_us, stop_us in zip(edges[::2], edges[1::2], strict=True):
        if stop_us > begin_us:
            spans += _parts(connection, series, begin_us, stop_us, corrections)
    return joined_spans(spans)


def _whole_days(
    connection: Connection,
    series: Series,
    start_us: int,
    end_us: int,
    corrections: Sequence[Correction],
) -> dict[int, SpanStatistics]:
    """Totals of the days wholly inside, by day, but those that late rows in them or beside them
    have overtaken, or at or within whose readings a correction begins."""
    page, reading = schema.page.c, schema.reading.c
    # A piece between two readings reaches this far over midnight at most.
    margin_us = microseconds(max_gap_s(series.station.cadence_s))
    overtaken = (
        sa.select(reading.time_us)
        .where(
            reading.series_id == series.id,
            reading.time_us >= page.start_us - margin_us,
            reading.time_us < page.start_us + PAGE_US + margin_us,
        )
        .exists()
    )
    blobs = connection.execute(
        sa.select(page.totals)
        .where(
            page.series_id == series.id,
            page.start_us >= start_us,
            page.start_us <= end_us - PAGE_US,
            ~overtaken,
        )
        .order_by(page.start_us)
    ).scalars()
    days: dict[int, SpanStatistics] = {}
    for row in np.frombuffer(b"".join(blobs), dtype=DAY_ROW).tolist():
        day_us = row[0]
        span = replace(SpanStatistics(*row[1:]), averaging=series.quantity.averaging)
        begun = [one for one in corrections if one.from_us <= day_us + PAGE_US + margin_us]
        if begun and (
            begun[-1].from_us > day_us - margin_us
            or not can_correct(series.quantity.averaging, begun[-1])
        ):
            continue
        days[day_us] = corrected_span(span, begun[-1]) if begun else span
    return days


def _parts(
    connection: Connection,
    series: Series,
    start_us: int,
    end_us: int,
    corrections: Sequence[Correction],
) -> list[SpanStatistics]:
    """A stretch from its readings, but for thinned days in it."""
    spans: list[SpanStatistics] = []
    at_us = start_us
    for _, day_us in sorted(thinned_days(connection, [series.id], start_us, end_us)):
        begin_us, stop_us = max(at_us, day_us), min(end_us, day_us + PAGE_US)
        told = bucket_spans(connection, series, day_us, begin_us, stop_us)
        if not told:
            continue
        if begin_us > at_us:
            spans.append(_exact(connection, series, at_us, begin_us))
        for bucket_us, span in told:
            spans += _corrected_bucket(span, bucket_us, corrections)
        at_us = stop_us
    if at_us < end_us:
        spans.append(_exact(connection, series, at_us, end_us))
    return spans


def _corrected_bucket(
    span: SpanStatistics, bucket_us: int, corrections: Sequence[Correction]
) -> list[SpanStatistics]:
    """A bucket's statistics, corrected. Where a correction begins inside, nobody knows any more
    which of its readings came before: the mean is weighted by time, and the bounds hold both."""
    end_us = bucket_us + BUCKET_US
    begins = [one.from_us for one in corrections if bucket_us < one.from_us < end_us]
    cuts = [bucket_us, *sorted(begins), end_us]
    parts = []
    for begin_us, stop_us in pairwise(cuts):
        held = in_force(corrections, begin_us)
        part = span if held is None else corrected_span(span, held)
        share = (stop_us - begin_us) / BUCKET_US
        parts.append(replace(part, covered_s=part.covered_s * share))
    if not span.count:
        # Without a reading of its own it is covered by those around it, each part by itself.
        return [
            replace(parts[0], suspect=span.suspect),
            *(replace(p, suspect=0) for p in parts[1:]),
        ]
    if len(parts) == 1:
        return parts
    return [replace(joined_spans(parts), count=span.count, suspect=span.suspect)]


def _exact(connection: Connection, series: Series, start_us: int, end_us: int) -> SpanStatistics:
    gap_s = max_gap_s(series.station.cadence_s)
    margin_us = microseconds(gap_s)
    return span_of_readings(
        read_range(connection, series.id, start_us - margin_us, end_us + margin_us),
        max_gap_s=gap_s,
        cadence_s=series.station.cadence_s,
        window=Window(start_us, end_us),
        averaging=series.quantity.averaging,
    )
