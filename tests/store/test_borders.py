"""Statistics beside midnight, of readings alone, and of days that were thinned: what the readings
say, whatever was sealed, sealed anew, overruled or given up for space in between."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.series.gaps import max_gap_s, microseconds
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.series.spans import SpanStatistics, span_of_readings
from rook_tally.core.series.statistics import Window
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_text
from rook_tally.core.workings.definitions import Working
from rook_tally.store.base import Store
from rook_tally.store.maintenance.thinning import thin
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    damaged_pages,
    gaps_between,
    latest,
    overrule,
    read_range,
    span_statistics,
    withdraw_overruling,
)
from rook_tally.store.readings.snapshot_at import moment_of
from rook_tally.store.site import Series, load_site
from rook_tally.store.workings import (
    bind_workings,
    bound_workings,
    save_working,
    work_out_everything,
)
from tests.builders import MINUTE_US
from tests.ways_in import WayIn

DAY = time_us_from_text("2026-11-10T00:00:00Z")
NOW = DAY + 9 * DAY_US


def told(store: Store, series: Series, start_us: int, end_us: int) -> SpanStatistics:
    with store.read() as connection:
        return span_statistics(connection, series, start_us, end_us)


def from_readings(store: Store, series: Series, start_us: int, end_us: int) -> SpanStatistics:
    gap_s = max_gap_s(series.station.cadence_s)
    margin_us = microseconds(gap_s)
    with store.read() as connection:
        readings = read_range(connection, series.id, start_us - margin_us, end_us + margin_us)
    return span_of_readings(
        readings,
        max_gap_s=gap_s,
        cadence_s=series.station.cadence_s,
        window=Window(start_us, end_us),
        averaging=series.quantity.averaging,
    )


def same(store: Store, series: Series, start_us: int, end_us: int) -> bool:
    here, right = (one(store, series, start_us, end_us) for one in (told, from_readings))
    return (
        here.count == right.count
        and here.mean == pytest.approx(right.mean, nan_ok=True)
        and (here.covered_s == pytest.approx(right.covered_s))
    )


def write(store: Store, series: Series, time_us: object, value: object) -> None:
    with store.write() as connection:
        append_history(connection, series.id, readings_from(time_us, value))


def test_a_day_that_comes_late_changes_the_day_before_it(store: Store) -> None:
    way = WayIn(store, cadence_s=3600)
    series = way.begin("temperature")
    hours = np.arange(24, dtype=np.int64) * HOUR_US
    write(store, series, DAY + hours, [10.0] * 23 + [30.0])
    write(store, series, DAY + 2 * DAY_US + 3 * HOUR_US + hours, np.full(24, 10.0))
    way.seal(DAY + 4 * DAY_US)
    late = [NewReading(series.id, int(at), 30.0, Quality.GOOD) for at in DAY + DAY_US + hours]
    with store.write() as connection:
        append_readings(connection, late)
    assert same(store, series, DAY, DAY + DAY_US)
    way.seal(DAY + 6 * DAY_US)
    assert told(store, series, DAY, DAY + DAY_US).mean == pytest.approx(11.25)
    assert same(store, series, DAY, DAY + 3 * DAY_US)


def test_an_overruling_beside_midnight_changes_both_days(store: Store) -> None:
    way = WayIn(store, cadence_s=3600)
    series = way.begin("temperature")
    value = np.full(48, 10.0)
    value[24] = 100.0
    write(store, series, DAY + np.arange(48, dtype=np.int64) * HOUR_US, value)
    way.seal(DAY + 6 * DAY_US)
    first = DAY + DAY_US
    with store.write() as connection:
        number = overrule(connection, series, first, first + 1, Quality.SET_ASIDE, who="w", why="")
    assert told(store, series, DAY, DAY + DAY_US).mean == pytest.approx(10.0)
    assert same(store, series, DAY, DAY + 2 * DAY_US)
    with store.write() as connection:
        withdraw_overruling(connection, series, number)
    assert same(store, series, DAY, DAY + DAY_US)


@pytest.mark.parametrize("quantity", ["temperature", "wind_direction", "sound_level", "contact"])
def test_readings_alone_stand_for_a_cadence_sealed_or_not(store: Store, quantity: str) -> None:
    way = WayIn(store)
    series = way.begin(quantity)
    value = np.arange(24.0) % 2 if quantity == "contact" else np.arange(24.0) * 15 % 340 / 3 + 30
    write(store, series, DAY + np.arange(24, dtype=np.int64) * HOUR_US, value)
    fresh = told(store, series, DAY, DAY + DAY_US)
    assert fresh.covered_s == 24 * 60
    way.seal(NOW)
    sealed = told(store, series, DAY, DAY + DAY_US)
    assert (sealed.mean, sealed.covered_s) == pytest.approx((fresh.mean, fresh.covered_s))


@pytest.mark.parametrize("cadence_s", [10, 60])
def test_thinning_changes_no_figure(store: Store, cadence_s: int) -> None:
    way = WayIn(store, cadence_s=cadence_s)
    series = way.begin("temperature")
    count = 3 * 86_400 // cadence_s
    time_us = DAY + np.arange(count, dtype=np.int64) * cadence_s * 1_000_000
    value = np.round(20 + np.random.default_rng(1).gamma(1, 1, count), 2)
    # Neither the first nor the last of a day is the lowest or highest of its five minutes.
    per_day = 86_400 // cadence_s
    value[per_day : per_day + 3] = value[2 * per_day - 3 : 2 * per_day] = 20.0, 19.0, 21.0
    value[2 * per_day - 1], value[2 * per_day - 3] = 20.0, 21.0
    write(store, series, time_us, value)
    way.seal(NOW)
    day = DAY + DAY_US
    stretches = [
        (day, day + DAY_US),
        (day + 6 * HOUR_US, day + 12 * HOUR_US),
        (DAY, DAY + 3 * DAY_US),
        (day - 3 * HOUR_US, day + 2 * HOUR_US),
    ]
    before = [told(store, series, *one) for one in stretches]
    with store.read() as connection:
        gaps = gaps_between(connection, series, DAY, DAY + 3 * DAY_US).tolist()
        at = latest(connection, until_us=day + DAY_US - 1)[series.id]
        just = latest(connection, until_us=day + 5_000_000)[series.id]
    (thinned,) = thin(store, [series], day + DAY_US, remove=True)
    assert thinned.days == 2
    for one, right in zip(stretches, before, strict=True):
        now = told(store, series, *one)
        assert now.count == right.count
        assert now.mean == pytest.approx(right.mean, rel=1e-6)
        assert now.covered_s == pytest.approx(right.covered_s, rel=1e-6)
        assert (now.low, now.high) == pytest.approx((right.low, right.high), rel=1e-6)
        assert now.std == pytest.approx(right.std, rel=1e-3)
    with store.read() as connection:
        assert gaps_between(connection, series, DAY, DAY + 3 * DAY_US).tolist() == gaps
        assert latest(connection, until_us=day + DAY_US - 1)[series.id] == at
        assert latest(connection, until_us=day + 5_000_000)[series.id] == just
        moment = moment_of(
            connection,
            [series],
            day + DAY_US - 1,
            window=(day, day + DAY_US),
            columns=288,
            reports_us={},
        )
        assert moment.latest[series.id] == at
        assert damaged_pages(connection) == []


def _work_out(store: Store) -> None:
    with store.write() as connection:
        bind_workings(connection)
    with store.read() as connection:
        several = bound_workings(connection, load_site(connection))
    work_out_everything(store, {one.id: (one, bound.program) for one, bound in several}, now_us=NOW)


def test_a_word_on_a_thinned_day_changes_what_it_is_about_and_no_more(store: Store) -> None:
    way = WayIn(store, cadence_s=10)
    series = way.begin("temperature")
    time_us = DAY + np.arange(8640, dtype=np.int64) * 10_000_000
    value = np.round(20 + np.random.default_rng(1).gamma(1, 1, 8640), 2)
    write(store, series, time_us, value)
    with store.write() as connection:
        save_working(connection, Working(slug="w", name="W", formula="temperature@kiln + 1 K"))
    _work_out(store)
    way.seal(NOW)
    with store.read() as connection:
        worked = next(one for one in load_site(connection).series if one.station.is_worked_out)
    before = [told(store, one, DAY, DAY + DAY_US) for one in (series, worked)]
    thin(store, [series], NOW, remove=True)
    spoken = DAY + HOUR_US
    with store.write() as connection:
        number = overrule(
            connection, series, spoken, spoken + 1, Quality.SET_ASIDE, who="w", why=""
        )
    _work_out(store)
    after = [told(store, one, DAY, DAY + DAY_US) for one in (series, worked)]
    was_left = before[0].count - after[0].count
    assert was_left in (0, 1)
    assert after[0].suspect == was_left
    for one, right in zip(after, before, strict=True):
        assert one.mean == pytest.approx(right.mean, abs=0.002)
        assert one.covered_s == pytest.approx(right.covered_s, abs=21)
        # A working loses the moments in reach of what was spoken of.
        assert one.count >= right.count - 4
    with store.write() as connection:
        withdraw_overruling(connection, series, number)
    again = told(store, series, DAY, DAY + DAY_US)
    assert again.count == before[0].count
    assert again.mean == pytest.approx(before[0].mean, rel=1e-6)


def test_a_late_reading_in_a_thinned_day_is_added_to_what_is_known(store: Store) -> None:
    way = WayIn(store)
    series = way.begin("temperature")
    value = np.round(20 + np.random.default_rng(3).normal(0, 1, 1440), 2)
    write(store, series, DAY + np.arange(1440, dtype=np.int64) * MINUTE_US, value)
    way.seal(NOW)
    before = told(store, series, DAY, DAY + DAY_US)
    thin(store, [series], NOW, remove=True)
    with store.write() as connection:
        late = NewReading(series.id, DAY + MINUTE_US // 2, 20.0, Quality.GOOD)
        append_readings(connection, [late])
    way.seal(NOW)
    after = told(store, series, DAY, DAY + DAY_US)
    assert after.count == before.count + 1
    assert after.mean == pytest.approx(before.mean, abs=0.002)
    with store.read() as connection:
        assert damaged_pages(connection) == []
