"""What stands beside a page's readings: totals of its day, its hours, its five-minute buckets.

Rows of plain numbers in a fixed layout (docs/page-format.md), so that years of them become NumPy
arrays without a loop.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rook_tally.core.arrays import StructuredArray
from rook_tally.core.series.buckets import Buckets
from rook_tally.core.series.packed_tables import packed_columns, unpacked_tables
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US

PAGE_US = DAY_US
FORTNIGHT_US = 14 * PAGE_US
BUCKET_US = 5 * MINUTE_US
BUCKETS_A_PAGE = PAGE_US // BUCKET_US
HOURS_A_PAGE = PAGE_US // HOUR_US

DAY_ROW = np.dtype(
    [
        ("start_us", "<i8"),
        ("count", "<u4"),
        ("suspect", "<u4"),
        ("low", "<f8"),
        ("high", "<f8"),
        ("mean", "<f8"),
        ("mean_square", "<f8"),
        ("covered_s", "<f8"),
    ]
)
"""Totals of a day. `count` is that of good readings; no good reading: NaN from `low` on."""

STEP_ROW = np.dtype(
    [
        ("count", "<u4"),
        ("suspect", "<u4"),
        ("low", "<f4"),
        ("high", "<f4"),
        ("mean", "<f4"),
        ("mean_square", "<f4"),
        ("covered_s", "<f4"),
    ]
)
"""An hour or a bucket."""

_PACKED_TYPES = ("<u2", "<u2", "<f4", "<f4", "<f4", "<f4", "<f4")


def day_rows(days: Buckets) -> StructuredArray:
    """Totals of days, (D,) `DAY_ROW`."""
    rows = np.empty(len(days), dtype=DAY_ROW)
    rows["start_us"] = days.start_us + np.arange(len(days), dtype=np.int64) * days.width_us
    for name in STEP_ROW.names or ():
        rows[name] = getattr(days, name)
    return rows


def step_rows(steps: Buckets) -> StructuredArray:
    """Hours or buckets, (S,) `STEP_ROW`."""
    rows = np.empty(len(steps), dtype=STEP_ROW)
    for name in STEP_ROW.names or ():
        rows[name] = getattr(steps, name)
    return rows


def packed_steps(steps: StructuredArray) -> bytes:
    """The buckets or hours of one page, compressed; at most 65,535 readings in each."""
    names = STEP_ROW.names or ()
    return packed_columns(
        *(steps[name].astype(kind) for name, kind in zip(names, _PACKED_TYPES, strict=True))
    )


def unpacked_steps(blobs: Sequence[bytes], a_page: int = BUCKETS_A_PAGE) -> StructuredArray:
    """The steps of several pages one after the other, (`a_page` × pages,) `STEP_ROW`: buckets, or
    hours.

    Raises
    ------
    DamagedPageError
        When one of them is not whole.
    """
    columns = unpacked_tables(blobs, *_PACKED_TYPES, rows=a_page)
    rows = np.empty(a_page * len(blobs), dtype=STEP_ROW)
    for name, column in zip(STEP_ROW.names or (), columns, strict=True):
        rows[name] = column
    return rows
