"""Days of slow sensors stand together by the fortnight, and nobody who reads them can tell."""

from __future__ import annotations

import numpy as np
import pytest
import sqlalchemy as sa

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.store.base import Store, schema
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.maintenance.thinning import thin
from rook_tally.store.readings import (
    append_sealed,
    damaged_pages,
    envelopes,
    history_of,
    moment_of,
    read_raw_range,
    seal,
)
from rook_tally.store.readings.fortnights import fortnight_of
from rook_tally.store.readings.page_writing import delete_pages
from rook_tally.store.readings.summaries import FORTNIGHT_US
from rook_tally.store.site import Series
from tests.builders import NOON_US, append, begin_series
from tests.store.pages_apart import all_pages, write_apart

BEGIN_US = fortnight_of(NOON_US - 60 * DAY_US)
DAYS = 42


def course(cadence_s: float, days: int = DAYS, start_us: int = BEGIN_US) -> Readings:
    """A day's course in steps of 0.01 with some noise, every so often."""
    rng = np.random.default_rng(3)
    count = round(days * 86_400 / cadence_s)
    at = start_us + np.arange(count) * round(cadence_s * SECOND_US) + rng.integers(0, 99, count)
    day = np.sin(np.arange(count) * cadence_s / 86_400 * 2 * np.pi)
    return readings_from(at, np.round(20 + 3 * day + rng.normal(0, 0.1, count), 2))


def write(store: Store, series: Series, readings: Readings) -> None:
    after_us = int(readings.time_us[-1]) + 2 * DAY_US
    with store.write() as connection:
        append_sealed(connection, history_of(series, readings, before_us=after_us))


def held(store: Store) -> tuple[int, int]:
    """How many days have their readings for themselves, and how many fortnights there are."""
    with store.read() as connection:
        (days,) = fetched(connection, "SELECT count(*) FROM page_data")
        (fortnights,) = fetched(connection, "SELECT count(*) FROM page_fortnight")
        assert damaged_pages(connection) == []
    return days[0], fortnights[0]


def is_kept(store: Store, series: Series, readings: Readings) -> bool:
    with store.read() as connection:
        found = read_raw_range(connection, series.id, 0, NOON_US)
    return all(
        np.array_equal(getattr(found, one), getattr(readings, one))
        for one in ("time_us", "value", "quality")
    )


@pytest.fixture
def series(store: Store) -> Series:
    return begin_series(store)


@pytest.mark.parametrize(
    ("cadence_s", "days", "fortnights"), [(300, 0, 3), (60, DAYS, 0), (40, DAYS, 0)]
)
def test_slow_sensors_have_fortnights_and_fast_ones_days(
    store: Store, series: Series, cadence_s: float, days: int, fortnights: int
) -> None:
    readings = course(cadence_s)
    write(store, series, readings)
    assert held(store) == (days, fortnights)
    assert is_kept(store, series, readings)


def test_days_sealed_one_by_one_come_together(store: Store, series: Series) -> None:
    readings = course(300, days=17)
    append(store, series, *zip(readings.time_us.tolist(), readings.value.tolist(), strict=True))
    for day in (1, 0, 16, 3, 2, 4, 14, 5, 7, 13, 12, 6, 8, 9, 10, 11, 15):
        assert seal(store, series, BEGIN_US + day * DAY_US)
    assert held(store) == (0, 2)
    assert is_kept(store, series, readings)


@pytest.mark.parametrize("cadence_s", [300, 100])
@pytest.mark.parametrize("columns", [3, 20, DAYS * 24, 3_000])
@pytest.mark.parametrize("begin_h", [0, 48])
def test_a_window_tells_the_same_whether_days_stand_together(
    store: Store, series: Series, cadence_s: float, columns: int, begin_h: int
) -> None:
    write(store, series, course(cadence_s))
    # One that came late, which its sealed day does not know of yet.
    append(store, series, (BEGIN_US + 19 * DAY_US + HOUR_US + 1, 90.0))
    window = (BEGIN_US + begin_h * HOUR_US, BEGIN_US + DAYS * DAY_US)
    with store.write() as connection:
        together = envelopes(connection, [series], *window, columns)[series.id]
        write_apart(connection, all_pages(connection))
        apart = envelopes(connection, [series], *window, columns)[series.id]
    assert together.count.tolist() == apart.count.tolist()
    assert together.high.max() == 90.0
    for name in ("low", "mean", "high"):
        # Hours of single precision, or the readings themselves where the late one is.
        told, said = getattr(together, name), getattr(apart, name)
        assert told == pytest.approx(said, abs=0.02, nan_ok=True)


@pytest.mark.parametrize("hours", [14 * 24 + 2, 14 * 24 + 30, 19 * 24 + 1, 28 * 24 - 1])
def test_a_moment_is_the_same_whether_days_stand_together(
    store: Store, series: Series, hours: int
) -> None:
    write(store, series, course(300))
    at_us = BEGIN_US + hours * HOUR_US
    window = (at_us - DAY_US, at_us)
    reports = {series.station.id: 6 * HOUR_US}
    told = []
    with store.write() as connection:
        for _ in range(2):
            found = moment_of(
                connection, [series], at_us, window=window, columns=48, reports_us=reports
            )
            ribbon = found.ribbons[series.id]
            told.append(
                (
                    found.latest,
                    [one.tolist() for one in (ribbon.low, ribbon.mean, ribbon.high, ribbon.count)],
                    [one.tolist() for one in found.reports.values()],
                )
            )
            write_apart(connection, all_pages(connection))
    assert told[0][0][series.id].time_us <= at_us
    assert told[0] == told[1]


def test_a_fast_day_parts_its_fortnight_and_without_it_it_comes_together(
    store: Store, series: Series
) -> None:
    slow = course(300, days=14)
    write(store, series, slow)
    assert held(store) == (0, 1)
    fast = course(30, days=1, start_us=BEGIN_US + 3 * DAY_US)
    append(store, series, *zip(fast.time_us.tolist(), fast.value.tolist(), strict=True))
    assert seal(store, series, BEGIN_US + 3 * DAY_US)
    assert held(store) == (14, 0)
    with store.write() as connection:
        delete_pages(connection, series.id, BEGIN_US + 3 * DAY_US, BEGIN_US + 4 * DAY_US)
    # Whichever of its days is written next brings them together.
    day_us = BEGIN_US + 5 * DAY_US
    append(store, series, (day_us + 7, 21.0))
    assert seal(store, series, day_us)
    assert held(store) == (0, 1)


def test_a_day_that_is_no_decimals_stays_apart(store: Store, series: Series) -> None:
    """It would make every other of its fortnight as long as itself."""
    readings = course(300, days=14)
    value = readings.value.copy()
    value[300:310] = np.pi
    odd = Readings(readings.time_us, value, readings.quality)
    write(store, series, odd)
    assert held(store) == (14, 0)
    assert is_kept(store, series, odd)


def test_deleting_some_days_of_a_fortnight_leaves_the_others(store: Store, series: Series) -> None:
    readings = course(120, days=28)
    write(store, series, readings)
    with store.write() as connection:
        delete_pages(connection, series.id, BEGIN_US + 10 * DAY_US, BEGIN_US + 18 * DAY_US)
    left = (readings.time_us < BEGIN_US + 10 * DAY_US) | (
        readings.time_us >= BEGIN_US + 18 * DAY_US
    )
    assert is_kept(
        store,
        series,
        Readings(readings.time_us[left], readings.value[left], readings.quality[left]),
    )
    assert held(store) == (0, 2)


def test_thinned_days_leave_their_fortnight(store: Store, series: Series) -> None:
    readings = course(90, days=14)
    write(store, series, readings)
    before_us = BEGIN_US + 2 * DAY_US
    (told,) = thin(store, [series], before_us, remove=False)
    assert held(store) == (0, 1)
    (thinned,) = thin(store, [series], before_us, remove=True)
    assert (thinned.days, thinned.readings) == (2, told.readings)
    assert held(store) == (14, 0)
    with store.read() as connection:
        found = read_raw_range(connection, series.id, before_us, NOON_US)
        count = envelopes(connection, [series], BEGIN_US, before_us, 2)[series.id].count
    assert len(found) == 12 * 960
    assert count.tolist() == [960, 960]


def test_a_damaged_fortnight_is_named_and_not_made_whole_again(
    store: Store, series: Series
) -> None:
    write(store, series, course(300, days=28))
    days = (BEGIN_US + 3 * DAY_US, BEGIN_US + FORTNIGHT_US + 3 * DAY_US)
    append(store, series, *((day_us + 7, 1.0) for day_us in days))
    fortnight = schema.page_fortnight
    with store.write() as connection:
        (payload,) = fetched(
            connection, "SELECT payload FROM page_fortnight WHERE start_us = ?", (BEGIN_US,)
        )
        broken = bytearray(payload[0])
        broken[-1] ^= 1
        connection.execute(
            sa.update(fortnight)
            .where(fortnight.c.start_us == BEGIN_US)
            .values(payload=bytes(broken))
        )
    with pytest.raises(DamagedPageError, match=f"series {series.id} at .*rook-tally check"):
        seal(store, series, days[0])
    assert seal(store, series, days[1])
    with store.read() as connection:
        (told,) = damaged_pages(connection)
    assert told.startswith(f"fortnight of series {series.id} at ")
    assert told.endswith("its checksum is wrong")


def test_a_fortnight_that_is_gone_is_missed(store: Store, series: Series) -> None:
    write(store, series, course(300, days=14))
    with store.write() as connection:
        connection.execute(sa.delete(schema.page_fortnight))
        told = damaged_pages(connection)
        with pytest.raises(DamagedPageError, match="its readings are missing"):
            all_pages(connection)
    assert len(told) == 14
    assert all(one.endswith("its readings are missing") for one in told)


def test_a_fortnight_of_another_number_of_readings_is_damage(store: Store, series: Series) -> None:
    write(store, series, course(300, days=14))
    with store.write() as connection:
        connection.execute(
            sa.update(schema.page).where(schema.page.c.start_us == BEGIN_US).values(count=1)
        )
        told = damaged_pages(connection)
    assert [one.rpartition(": ")[2] for one in told] == [
        "its checksum is wrong",
        "it does not hold the readings that its days count",
    ]


def test_a_page_that_is_damaged_is_not_taken_into_a_fortnight(store: Store, series: Series) -> None:
    """It would get a checksum that is right, and nobody would ever know."""
    write(store, series, course(300, days=14))
    with store.write() as connection:
        write_apart(connection, all_pages(connection))
        damaged = sa.update(schema.page).where(schema.page.c.start_us == BEGIN_US)
        connection.execute(damaged.values(totals=b"\0" * 56))
    append(store, series, (BEGIN_US + 3 * DAY_US + 7, 21.0))
    assert seal(store, series, BEGIN_US + 3 * DAY_US)
    with store.read() as connection:
        (told,) = damaged_pages(connection)
        ((fortnights,),) = fetched(connection, "SELECT count(*) FROM page_fortnight")
    assert "its checksum is wrong" in told
    assert fortnights == 0
