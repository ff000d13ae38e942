"""The site at a moment of the archive: the one sweep says what the general queries say."""

from __future__ import annotations

import numpy as np
import pytest

from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.timestamps import DAY_US, HOUR_US, MINUTE_US, SECOND_US
from rook_tally.desk.data.store_feed import RIBBON_COLUMNS, ribbon_window
from rook_tally.store.base import Store
from rook_tally.store.readings import (
    Moment,
    append_history,
    append_sealed,
    envelopes,
    history_of,
    latest,
    moment_of,
    read_range,
    seal_all,
)
from rook_tally.store.site import Series, add_correction, load_site
from tests.builders import NOON_US, append, begin_series

BACK_US = 26 * MINUTE_US
START_US = (NOON_US // DAY_US - 6) * DAY_US


@pytest.fixture
def archive(store: Store) -> dict[str, Series]:
    """Four sealed days: one series every 10 s (with buckets), one a minute, one that fell silent
    after a day, one never heard."""
    made = {
        name: begin_series(store, name) for name in ("co2", "temperature", "humidity", "pressure")
    }
    chance = np.random.default_rng(5)

    def sealed(name: str, step_s: int, days: int) -> None:
        time_us = START_US + np.arange(days * DAY_US // (step_s * SECOND_US)) * step_s * SECOND_US
        value = np.round(500 + 20 * chance.normal(size=len(time_us)), 1)
        readings = readings_from(time_us, value)
        quality = readings.quality.copy()
        quality[chance.random(len(time_us)) < 0.002] = Quality.LONE_SPIKE
        whole = Readings(readings.time_us, readings.value, quality)
        with store.write() as connection:
            append_sealed(connection, history_of(made[name], whole, before_us=NOON_US))

    sealed("co2", 10, 4)
    sealed("temperature", 60, 4)
    sealed("humidity", 60, 1)
    return made


def asked(store: Store, at_us: int) -> tuple[Moment, list[Series]]:
    with store.read() as connection:
        site = load_site(connection)
        told = moment_of(
            connection,
            site.series,
            at_us,
            window=ribbon_window(at_us),
            columns=RIBBON_COLUMNS,
            reports_us={one.id: BACK_US for one in site.stations},
        )
        return told, list(site.series)


@pytest.mark.parametrize("hours", [25.3, 30.0, 47.99, 60.5, 72.01, 95.9])
def test_one_sweep_says_what_the_general_queries_say(
    store: Store, archive: dict[str, Series], hours: float
) -> None:
    at_us = START_US + round(hours * HOUR_US)
    told, series = asked(store, at_us)
    with store.read() as connection:
        assert told.latest == latest(connection, until_us=at_us)
        station = series[0].station
        wanted = read_range(connection, series[0].id, at_us - BACK_US, at_us + 1).time_us
        assert told.reports[station.id].tolist() == wanted.tolist()
        start_us, end_us = ribbon_window(at_us)
        general = envelopes(connection, series, start_us, end_us, RIBBON_COLUMNS)
    # The quarter of an hour the moment lies in: what came later in it is not known yet.
    past = slice(0, RIBBON_COLUMNS - 1)
    for one in series:
        ours, theirs = told.ribbons[one.id], general[one.id]
        assert (ours.start_us, ours.end_us) == (theirs.start_us, theirs.end_us)
        # A mean of readings here may be a time-weighted one of summaries there.
        for name, exactly in (("low", 1e-6), ("mean", 2e-3), ("high", 1e-6)):
            assert getattr(ours, name)[past] == pytest.approx(
                getattr(theirs, name)[past], rel=exactly, nan_ok=True
            )
        assert ours.count[past].tolist() == theirs.count[past].tolist()
        assert ours.suspect[past].tolist() == theirs.suspect[past].tolist()


def test_what_came_later_is_not_known_yet(store: Store, archive: dict[str, Series]) -> None:
    at_us = START_US + 30 * HOUR_US + 17 * SECOND_US
    told, _ = asked(store, at_us)
    assert all(one.time_us <= at_us for one in told.latest.values())
    ribbon = told.ribbons[archive["co2"].id]
    # 17 s after the quarter began: two readings of it.
    assert ribbon.count[-1] + ribbon.suspect[-1] == 2
    assert told.latest[archive["humidity"].id].time_us == START_US + DAY_US - MINUTE_US
    assert archive["pressure"].id not in told.latest
    assert told.ribbons[archive["pressure"].id].is_empty


def test_a_late_reading_counts(store: Store, archive: dict[str, Series]) -> None:
    at_us = START_US + 50 * HOUR_US
    append(store, archive["pressure"], (at_us - MINUTE_US, 1013.0))
    told, _ = asked(store, at_us)
    assert told.latest[archive["pressure"].id].value == 1013.0
    assert told.ribbons[archive["pressure"].id].count.sum() == 1


def test_corrections_hold_in_the_past_as_well(store: Store, archive: dict[str, Series]) -> None:
    at_us = START_US + 50 * HOUR_US
    before, _ = asked(store, at_us)
    one = archive["co2"].id
    with store.write() as connection:
        # In the middle of a column: that one is made from its readings.
        begins = Correction(at_us - 5 * HOUR_US - 7 * MINUTE_US, 1.0, 100.0)
        add_correction(connection, one, begins, who="potter", why="test", now_us=NOON_US)
    after, _ = asked(store, at_us)
    assert after.latest[one].value == pytest.approx(before.latest[one].value + 100)
    moved = after.ribbons[one].mean - before.ribbons[one].mean
    assert moved[-15:] == pytest.approx(np.full(15, 100.0))
    assert moved[: 96 - 26] == pytest.approx(np.zeros(70))
    assert 0 < moved[-22:-20].max() < 100


def test_ribbons_of_a_past_moment_are_corrected_and_know_nothing_to_come(store: Store) -> None:
    """Silent since midnight, corrected by 5; and a minute before something jumped."""
    series = begin_series(store)
    day = NOON_US // DAY_US * DAY_US
    time_us = day + np.arange(8640, dtype=np.int64) * 10_000_000
    value = 20.0 + 0.01 * (np.arange(8640) % 3)
    with store.write() as connection:
        append_history(connection, series.id, readings_from(time_us, value))
        for begin in (day - DAY_US, day + 23 * HOUR_US + 1_800_000_000):
            correction = Correction(begin, 1.0, 5.0 if begin < day else 7.0)
            add_correction(connection, series.id, correction, who="w", why="", now_us=day)
    seal_all(store, {series.id: series}, now_us=day + 5 * DAY_US)
    at = day + DAY_US + 2 * HOUR_US
    window = (at - 22 * HOUR_US, at + 2 * HOUR_US)
    with store.read() as connection:
        told = moment_of(
            connection, [series], at, window=window, columns=24, reports_us={}
        ).ribbons[series.id]
        right = envelopes(connection, [series], *window, 24)[series.id]
    for here, there in ((told.low, right.low), (told.mean, right.mean), (told.high, right.high)):
        assert here == pytest.approx(there, nan_ok=True, abs=1e-4)
    assert float(np.nanmin(told.low)) == pytest.approx(25.0, abs=1e-4)


def test_a_ribbon_of_half_past_does_not_know_what_came_at_the_full_hour(store: Store) -> None:
    series = begin_series(store)
    rows = [(NOON_US + at * MINUTE_US, 50.0 if at >= 35 else 20.0) for at in range(120)]
    append(store, series, *rows)
    window = (NOON_US, NOON_US + 2 * HOUR_US)
    with store.read() as connection:
        told = moment_of(
            connection, [series], NOON_US + 30 * MINUTE_US, window=window, columns=8, reports_us={}
        ).ribbons[series.id]
    assert float(np.nanmax(told.high)) == 20.0
    assert told.count.tolist() == [15, 15, 1, 0, 0, 0, 0, 0]
