"""Readings: written, sealed, summarised, read back over any window, marked and overruled.

May import `store.site` and `store.base`.
"""

from rook_tally.store.readings.append import (
    Appended,
    NewReading,
    append_history,
    append_readings,
    remove_readings,
)
from rook_tally.store.readings.envelopes import envelopes
from rook_tally.store.readings.latest_changes import ReadingNews, reading_news
from rook_tally.store.readings.latest_rows import LatestRow, latest_rows
from rook_tally.store.readings.older_pages import bring_over, pages_to_bring_over
from rook_tally.store.readings.page_damage import damaged_pages
from rook_tally.store.readings.partitions import keep_partitions
from rook_tally.store.readings.quality_overrides import (
    Overruling,
    overrule,
    overrulings,
    overrulings_by_series,
    withdraw_overruling,
)
from rook_tally.store.readings.query import (
    Latest,
    gaps_between,
    latest,
    latest_written,
    newest_row_us,
    newest_times,
    read_range,
    read_raw_range,
    span_of,
)
from rook_tally.store.readings.recent_values import RecentReadings
from rook_tally.store.readings.rescreening import rescreen_around
from rook_tally.store.readings.sealing import (
    SEALED_AFTER_US,
    History,
    Stretch,
    append_sealed,
    history_of,
    seal,
    seal_all,
    stretches_due,
)
from rook_tally.store.readings.snapshot_at import Moment, moment_of
from rook_tally.store.readings.spans import span_statistics
from rook_tally.store.readings.summaries import PAGE_US

__all__ = [
    "PAGE_US",
    "SEALED_AFTER_US",
    "Appended",
    "History",
    "Latest",
    "LatestRow",
    "Moment",
    "NewReading",
    "Overruling",
    "ReadingNews",
    "RecentReadings",
    "Stretch",
    "append_history",
    "append_readings",
    "append_sealed",
    "bring_over",
    "damaged_pages",
    "envelopes",
    "gaps_between",
    "history_of",
    "keep_partitions",
    "latest",
    "latest_rows",
    "latest_written",
    "moment_of",
    "newest_row_us",
    "newest_times",
    "overrule",
    "overrulings",
    "overrulings_by_series",
    "pages_to_bring_over",
    "read_range",
    "read_raw_range",
    "reading_news",
    "remove_readings",
    "rescreen_around",
    "seal",
    "seal_all",
    "span_of",
    "span_statistics",
    "stretches_due",
    "withdraw_overruling",
]
