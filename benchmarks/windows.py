"""Envelopes of eight series over windows from an hour to five years, beside the bare reading of the
same pages: one statement a series, inflating, and the lowest of each column."""

from __future__ import annotations

import sqlite3
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks.archive import BEGIN_US, YEAR_DAYS, fill_years, spent_ms, store_with
from rook_tally.core.series import page_codec
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US
from rook_tally.store.readings import envelopes
from rook_tally.store.readings.summaries import DAY_ROW, FORTNIGHT_US

_SERIES, _COLUMNS, _YEARS, _ROUNDS = 8, 1_200, 5, 12
WINDOWS = {
    "1h": HOUR_US,
    "1d": DAY_US,
    "30d": 30 * DAY_US,
    "1y": 365 * DAY_US,
    "5y": _YEARS * 365 * DAY_US,
}
_PACKED_AT_S, _HOURS_AT_S, _BUCKETS_AT_S = 86.4, 43.2, 21.6
"""Cadences up to which a day's page has packed hours, hours, and buckets (1,000, 2,000 and 4,000
readings)."""


def window_ms(folder: Path, cadence_s: float) -> dict[str, tuple[list[float], list[float]]]:
    """Ours and the bare reading of each window that ends with the newest reading, ms, in turn."""
    name = f"window{cadence_s:g}"
    store, series = store_with(folder, name, cadence_s, _SERIES)
    fill_years(store, series, _YEARS, cadence_s)
    end_us = BEGIN_US + _YEARS * YEAR_DAYS * DAY_US
    found = {}
    bare = sqlite3.connect(folder / f"{name}.db")
    for window, span_us in WINDOWS.items():
        blobs = _bare_reader(bare, cadence_s, end_us - span_us, end_us)

        def read(span_us: int = span_us) -> None:
            with store.read() as connection:
                envelopes(connection, series, end_us - span_us, end_us, _COLUMNS)

        def read_bare(blobs: Callable[[int], int] = blobs) -> None:
            for one in series:
                values = np.arange(max(1, blobs(one.id)), dtype=np.float64)
                edges = np.linspace(0, len(values) - 1, _COLUMNS).astype(int)
                np.minimum.reduceat(values, edges)

        read()
        read_bare()
        times = [(spent_ms(read), spent_ms(read_bare)) for _ in range(_ROUNDS)]
        found[window] = ([ours for ours, _ in times], [limit for _, limit in times])
    bare.close()
    store.close()
    return found


def _bare_reader(
    bare: sqlite3.Connection, cadence_s: float, start_us: int, end_us: int
) -> Callable[[int], int]:
    """Reads what a picture of a window needs of one series, from the coarsest summaries that are
    fine enough; returns how many numbers that was."""
    column_us = (end_us - start_us) // _COLUMNS

    def rows(statement: str, series_id: int) -> list[bytes]:
        # Pages and fortnights that begin before the window reach into it.
        length_us = FORTNIGHT_US if "page_fortnight" in statement else DAY_US
        span = (series_id, start_us // length_us * length_us, end_us)
        return [row[0] for row in bare.execute(statement, span)]

    table = "page_fortnight" if cadence_s > _PACKED_AT_S else "page_data"
    where = "WHERE series_id = ? AND start_us >= ? AND start_us < ? ORDER BY start_us"

    def totals(series_id: int) -> int:
        joined = b"".join(rows(f"SELECT totals FROM page {where}", series_id))
        return len(np.frombuffer(joined, dtype=DAY_ROW))

    def hours(series_id: int) -> int:
        several = rows(f"SELECT hours FROM page_hours {where}", series_id)
        return sum(len(one) for one in several) // 28

    def packed(series_id: int) -> int:
        several = rows(f"SELECT packed_hours FROM page_data {where}", series_id)
        return sum(len(zlib.decompress(one)) for one in several) // 24

    def buckets(series_id: int) -> int:
        several = rows(f"SELECT buckets FROM page_data {where}", series_id)
        return sum(len(zlib.decompress(one)) for one in several) // 24

    def payloads(series_id: int) -> int:
        several = rows(f"SELECT payload FROM {table} {where}", series_id)
        pages = map(page_codec._taken_apart, several)
        return sum(page.count for page in pages)

    if column_us >= DAY_US:
        return totals
    if column_us >= HOUR_US and cadence_s <= _HOURS_AT_S:
        return hours
    if column_us >= HOUR_US and cadence_s <= _PACKED_AT_S:
        return packed
    if column_us >= 5 * MINUTE_US and cadence_s <= _BUCKETS_AT_S:
        return buckets
    return payloads
