"""Two sensors in the same air: what is told of them is what was put in, or why nothing is."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest

from rook_tally.bench.correct import corrections_of_proposal
from rook_tally.bench.find import find
from rook_tally.bench.pair import PairAnswer, compare
from rook_tally.bench.stray_watch import watch_stray
from rook_tally.core.errors import UsageError
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms import all_targets, watches
from rook_tally.store.base import Store
from rook_tally.store.exchange.station_moves import replace_station
from rook_tally.store.readings import NewReading, append_readings
from rook_tally.store.readings.query import read_raw_range
from rook_tally.store.site import Series, add_correction, load_site
from tests.bench.air_of_rooms import (
    END_US,
    MONTH_US,
    START_US,
    keep,
    keep_shop,
    moments,
    noise,
    shop_air,
)


def compared(store: Store, first: Series, second: Series, end_us: int = END_US) -> PairAnswer:
    with store.read() as connection:
        return compare(connection, load_site(connection), first, second, START_US, end_us)


def test_readings_late_twice_and_backwards_say_the_same(store: Store) -> None:
    counter, tidy = keep_shop(store, days=12)
    until_us = START_US + 12 * DAY_US
    with store.read() as connection:
        told = read_raw_range(connection, tidy.id, START_US, until_us)
    untidy = keep(store, "untidy", told.time_us[:1], told.value[:1])
    order = np.random.default_rng(5).permutation(len(told))
    # The newest first, then all in any order, and a third of them once more.
    for part in (np.arange(len(told))[: -len(told) // 3 : -1], order, order[::3]):
        pairs = zip(told.time_us[part].tolist(), told.value[part].tolist(), strict=True)
        with store.write() as connection:
            append_readings(
                connection, [NewReading(untidy.id, at, value, Quality.GOOD) for at, value in pairs]
            )
    figures = [compared(store, counter, one, until_us).figures.difference for one in (tidy, untidy)]
    assert figures[0] == figures[1]
    assert figures[0].mean == pytest.approx(38, abs=1)


def test_an_offset_is_found_and_a_correction_takes_it_away(store: Store) -> None:
    counter, shelf = keep_shop(store)
    told = compared(store, counter, shelf)
    assert abs(told.figures.difference.mean - 38) <= told.figures.difference.within < 1
    assert told.proposal is not None
    assert told.proposal.gain == 1
    assert told.proposal.offsets == pytest.approx([-told.figures.difference.mean])
    assert told.sentence.text.startswith("shelf reads 38")
    assert "ppm above counter" in told.sentence.text

    with store.write() as connection:
        for correction, uncertainty in corrections_of_proposal(connection, told):
            assert uncertainty is not None
            assert uncertainty.se_offset == pytest.approx(told.figures.difference.within / 1.96)
            add_correction(
                connection,
                shelf.id,
                correction,
                who="us",
                why="",
                now_us=END_US,
                uncertainty=uncertainty,
            )
    after = compared(store, counter, shelf)
    assert abs(after.figures.difference.mean) < 0.5
    assert after.proposal is None
    assert "more than chance" in after.refused
    assert any("corrected already" in one for one in after.notes)


def test_a_gain_is_proposed_only_where_it_differs_from_one(store: Store) -> None:
    counter, shelf = keep_shop(store, offset=0.0, gain=1.08)
    told = compared(store, counter, shelf)
    assert abs(told.figures.line.gain - 1.08) <= told.figures.line.gain_within
    assert told.proposal is not None
    assert told.proposal.gain == pytest.approx(1 / 1.08, abs=0.01)
    assert told.corrected_trace is not None
    assert abs(float(np.nanmean(told.corrected_trace.mean))) < 1


def test_a_drift_becomes_dated_steps(store: Store) -> None:
    counter, shelf = keep_shop(store, offset=10.0, drift=30.0)
    told = compared(store, counter, shelf)
    assert told.figures.drift.low <= 30 <= told.figures.drift.high
    assert told.figures.drift.high - told.figures.drift.low < 6
    assert told.proposal is not None
    assert len(told.proposal.offsets) > 2
    assert np.all(np.diff(told.proposal.offsets) < 0)
    expected = -(10 + 30 * (told.proposal.starts_us - START_US) / MONTH_US)
    assert told.proposal.offsets == pytest.approx(expected, abs=8)
    assert "and has drifted" in told.sentence.text
    assert told.corrected_trace is not None
    assert float(np.nanstd(told.corrected_trace.mean)) < 8


def test_who_follows_whom(store: Store) -> None:
    time_us = moments(40)
    air = shop_air(time_us)
    first = keep(store, "near", time_us, air + 2 * noise(len(air), 2))
    second = keep(store, "far", time_us[3:], air[:-3] + 2 * noise(len(air) - 3, 3))
    told = compared(store, first, second)
    assert told.figures.lag.lag_s == pytest.approx(900, abs=60)
    assert "follows it by" in told.sentence.text
    turned = compared(store, second, first)
    assert turned.figures.lag.lag_s == pytest.approx(-900, abs=60)
    assert "leads it by" in turned.sentence.text


def test_autocorrelated_differences_are_worth_few(store: Store) -> None:
    time_us = moments(20)
    air = shop_air(time_us)
    slow = np.repeat(20 * noise(len(air) // 288 + 1, 9), 288)[: len(air)]
    first = keep(store, "counter", time_us, air)
    second = keep(store, "shelf", time_us, air + 5 + slow)
    told = compared(store, first, second, int(time_us[-1]))
    assert told.pairs == len(air) - 1
    assert told.figures.difference.independent < 60
    assert told.figures.difference.within > 5


def test_what_cannot_carry_a_correction_says_why(store: Store) -> None:
    time_us = moments(40)
    air = shop_air(time_us)
    counter = keep(store, "counter", time_us, air)
    flat = keep(store, "flat", time_us, np.full(len(air), 600.0))
    other = keep(store, "other", time_us, 700 + 100 * np.random.default_rng(5).random(len(air)))
    early = keep(store, "early", time_us - 100 * DAY_US, air)
    single = keep(store, "single", time_us[:1], air[:1])
    assert "never changes" in compared(store, counter, flat).refused
    assert "do not go together" in compared(store, counter, other).refused
    never = compared(store, counter, early)
    assert "never heard within" in never.refused
    assert never.sentence.text == "counter and early were never heard together."
    assert compared(store, counter, single).proposal is None


def test_two_quantities_and_one_series_twice_are_refused(store: Store) -> None:
    counter, _ = keep_shop(store, 2)
    time_us = moments(2)
    warm = keep(store, "counter", time_us, 20 + noise(len(time_us), 1), quantity="temperature")
    with pytest.raises(UsageError, match="not told in units of one another"):
        compared(store, counter, warm)
    with pytest.raises(UsageError, match="twice"):
        compared(store, counter, counter)


def test_a_sensor_replaced_in_between_is_said(store: Store) -> None:
    counter, shelf = keep_shop(store)
    with store.write() as connection:
        station = load_site(connection).station("shelf")
        assert station is not None
        replace_station(connection, station, "shelf2", who="us", now_us=START_US + 20 * DAY_US)
        renamed = next(one for one in load_site(connection).series if one.id == shelf.id)
    told = compared(store, counter, renamed)
    assert any("was replaced within this stretch" in one for one in told.notes)


def test_a_proposal_lies_on_top_of_what_holds_at_each_moment(store: Store) -> None:
    counter, shelf = keep_shop(store)
    halfway = START_US + 20 * DAY_US
    with store.write() as connection:
        add_correction(
            connection, shelf.id, Correction(halfway, 1.0, -38.0), who="us", why="", now_us=END_US
        )
        told = compared(store, counter, shelf)
        assert told.proposal is not None
        answer = msgspec.structs.replace(told)
        made = corrections_of_proposal(connection, answer)
    by_moment = {one.from_us: one for one, _ in made}
    assert halfway in by_moment
    first = min(by_moment)
    assert by_moment[halfway].offset == pytest.approx(by_moment[first].offset - 38, abs=40)


def test_a_stray_is_found_and_watched_against_its_group(store: Store) -> None:
    time_us = moments(40)
    air = shop_air(time_us)
    off = np.where(time_us > START_US + 30 * DAY_US, 150.0, 0.0)
    keys = ("counter", "door", "shelf", "till")
    for number, key in enumerate(keys):
        keep(
            store, key, time_us, air + 3 * noise(len(air), number) + (off if key == "shelf" else 0)
        )
    with store.write() as connection:
        site = load_site(connection)
        told = find(connection, site, START_US, END_US)
        (stray,) = told.strays
        assert stray.series.station.key == "shelf"
        assert abs(stray.since_us - (START_US + 30 * DAY_US)) <= 2 * DAY_US
        assert len(told.pairs) == 3
        made = watch_stray(connection, stray, now_us=END_US)
        with pytest.raises(UsageError, match="watched so already"):
            watch_stray(connection, stray, now_us=END_US)
    with store.read() as connection:
        site = load_site(connection)
        assert [one.slug for one in watches(connection)] == [made.watch.slug]
        targets, troubles = all_targets(connection, site, watches(connection))
        assert troubles == {}
        (target,) = targets
        assert target.watch.limit == pytest.approx(stray.usual + 50, abs=15)
