"""What a collector does beside its doors, on a real one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import sqlalchemy as sa

from rook_tally.core.series.readings import readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, damaged_pages, history_of
from rook_tally.store.readings.older_pages import are_brought_over
from rook_tally.store.readings.page_reading import sealed_days
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.processes import CollectorProcess, wait_until
from tests.store.pages_apart import all_pages, write_apart


def test_pages_of_an_older_program_are_brought_over_while_it_runs(store_path: Path) -> None:
    data = schema.page_data.c
    lacking = sa.select(sa.func.count()).where(data.packed_hours.is_(None))
    with open_store(store_path) as store:
        series = begin_series(store)
        midnight_us = NOON_US // DAY_US * DAY_US
        at = midnight_us + np.arange(2 * 1440, dtype=np.int64) * MINUTE_US
        days = readings_from(at, np.full(len(at), 20.0))
        with store.write() as connection:
            append_sealed(connection, history_of(series, days, before_us=midnight_us + 3 * DAY_US))
            write_apart(connection, all_pages(connection), packed_hours=None)
            assert connection.scalar(lacking) == 2

        def is_through() -> bool:
            with store.read() as connection:
                return connection.scalar(lacking) == 0

        with CollectorProcess(store_path) as collector:
            wait_until(is_through)
            wait_until(
                lambda: "event='pages_brought_over' fortnights=1" in collector.log.read_text()
            )
        with store.read() as connection:
            assert damaged_pages(connection) == []
            # The next start need not look at a page.
            assert are_brought_over(connection)


def test_a_damaged_page_keeps_no_other_series_from_being_sealed(store_path: Path) -> None:
    midnight_us = NOON_US // DAY_US * DAY_US
    with open_store(store_path) as store:
        damaged, other = (begin_series(store, key=key, place=key) for key in ("wall", "shelf"))
        at = midnight_us + np.arange(3 * 24, dtype=np.int64) * HOUR_US
        days = readings_from(at, np.full(len(at), 20.0))
        with store.write() as connection:
            append_sealed(connection, history_of(damaged, days, before_us=midnight_us + 4 * DAY_US))
        append(store, damaged, (midnight_us + DAY_US + 7, 21.0))
        append(store, other, (midnight_us + DAY_US + 7, 21.0))
        with store.write() as connection:
            connection.execute(sa.update(schema.page_fortnight).values(payload=b"rotten"))

        def is_sealed() -> bool:
            with store.read() as connection:
                return bool(sealed_days(connection, [other.id], midnight_us, NOON_US + DAY_US))

        with CollectorProcess(store_path) as collector:
            wait_until(is_sealed)
            wait_until(lambda: "event='not_sealed'" in collector.log.read_text())
        with store.read() as connection:
            rows = connection.execute(sa.select(schema.reading.c.series_id)).scalars().all()
        assert rows == [damaged.id]
