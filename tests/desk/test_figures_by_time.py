"""Figures of a window go by time and by what is measured, not by how many readings came."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rook_tally.core.series.readings import readings_from
from rook_tally.core.series.spans import SpanStatistics
from rook_tally.core.timestamps import DAY_US, time_us_from_text
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.ledger.series_summary import SeriesSummaryQuery, SummaryLine
from rook_tally.desk.strip.queries import LanesQuery
from rook_tally.store.base import Store
from rook_tally.store.readings import append_history, latest
from rook_tally.store.site import Series, set_site
from tests.builders import MINUTE_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS
from tests.ways_in import WayIn

DAY = time_us_from_text("2026-11-10T00:00:00Z")
S = 1_000_000


def totals(store: Store, series: Series) -> SpanStatistics:
    with store.read() as connection:
        answer = LanesQuery((series,), DAY, DAY + DAY_US, 600).run(connection)
    return answer[series.id].totals


def write(store: Store, series: Series, time_us: object, value: object) -> None:
    with store.write() as connection:
        append_history(connection, series.id, readings_from(time_us, value))


@pytest.mark.parametrize("sealed", [False, True])
def test_ten_minutes_told_each_second_weigh_ten_minutes(store: Store, sealed: bool) -> None:
    way = WayIn(store)
    series = way.begin("temperature")
    seconds = np.concatenate(
        (np.arange(720) * 60, 43_200 + np.arange(600), np.arange(730, 1441) * 60)
    ).astype(np.int64)
    hot = (seconds >= 43_200) & (seconds < 43_800)
    write(store, series, DAY + seconds * S, np.where(hot, 80.0, 20.0))
    if sealed:
        way.seal(DAY + 5 * DAY_US)
    assert totals(store, series).mean == pytest.approx(20.43, abs=0.03)


@pytest.mark.parametrize("sealed", [False, True])
def test_a_contact_open_ten_seconds_a_minute_is_open_a_sixth(store: Store, sealed: bool) -> None:
    way = WayIn(store)
    series = way.begin("contact")
    seconds = np.sort(np.concatenate((np.arange(1441) * 60, np.arange(1440) * 60 + 10)))
    write(store, series, DAY + seconds.astype(np.int64) * S, (seconds % 60 < 10).astype(float))
    if sealed:
        way.seal(DAY + 5 * DAY_US)
    assert totals(store, series).mean == pytest.approx(1 / 6, abs=1e-4)


@pytest.mark.parametrize("sealed", [False, True])
def test_wind_about_north_is_north_and_its_arc_twenty_degrees(store: Store, sealed: bool) -> None:
    way = WayIn(store)
    series = way.begin("wind_direction")
    minutes = np.arange(1441, dtype=np.int64)
    write(store, series, DAY + minutes * MINUTE_US, np.where(minutes % 2, 350.0, 10.0))
    if sealed:
        way.seal(DAY + 5 * DAY_US)
    told = totals(store, series)
    assert min(told.mean, 360 - told.mean) == pytest.approx(0, abs=1e-6)
    assert (told.low, told.high) == pytest.approx((350.0, 370.0))
    assert told.std == pytest.approx(10, rel=0.02)


def _facts(store: Store, series: Series, now_us: int, zone: str) -> dict[str, SummaryLine]:
    with store.read() as connection:
        newest = latest(connection)[series.id]
        account = SeriesSummaryQuery(series, newest, now_us, ZoneInfo(zone)).run(connection)
    return {one.name: one for one in account.facts}


def test_a_pump_that_ran_144_times_for_ten_seconds_ran_24_minutes(store: Store) -> None:
    way = WayIn(store)
    series = way.begin("switch")
    chance = np.random.default_rng(2)
    beats = {minute * 60: 0.0 for minute in range(1440)}
    for number in range(144):
        begin = number * 600 + int(chance.integers(1, 500))
        begin += begin % 60 == 0 or (begin + 10) % 60 == 0
        beats[begin], beats[begin + 10] = 1.0, 0.0
        beats |= {at: 1.0 for at in range(begin, begin + 10) if at % 60 == 0}
    seconds = np.array(sorted(beats), dtype=np.int64)
    write(store, series, DAY + seconds * S, [beats[one] for one in seconds.tolist()])
    assert _facts(store, series, DAY + DAY_US - 1, "UTC")["On today"].value == "24 min"


def test_the_highest_of_a_day_of_25_hours_is_that_of_all_of_them(store: Store) -> None:
    way = WayIn(store)
    series = way.begin("temperature")
    midnight, now = (time_us_from_text(f"2026-10-2{one}Z") for one in ("4T23:00", "5T23:50"))
    minutes = np.arange(midnight, now + 1, MINUTE_US)
    value = 20 + 0.01 * (np.arange(len(minutes)) % 5)
    value[10:13], value[5] = 35.0, 5.0
    write(store, series, minutes, value)
    facts = _facts(store, series, now, "Europe/London")
    assert (facts["Highest today"].value, facts["Highest today"].remark) == ("35.0", "00:10")
    assert (facts["Lowest today"].value, facts["Lowest today"].remark) == ("5.0", "00:05")


def test_a_wind_about_north_is_told_by_its_arc_and_turns_the_shorter_way(store: Store) -> None:
    way = WayIn(store)
    series = way.begin("wind_direction")
    minutes = np.arange(0, 12 * 60, dtype=np.int64)
    # Ten degrees an hour, over north.
    write(store, series, DAY + minutes * MINUTE_US, (300 + minutes / 6) % 360)
    with store.read() as connection:
        newest = latest(connection)[series.id]
        told = SeriesSummaryQuery(series, newest, DAY + 719 * MINUTE_US, ZoneInfo("UTC")).run(
            connection
        )
    facts = {one.name: one.value for one in told.facts}
    assert facts["Between, today"] == "300 to 60"
    assert facts["Mean today"] in ("0", "360")
    assert told.outlook.startswith("rising 10")


def test_an_open_window_follows_the_sites_zone(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk(held_clock(DAY))
    with store.write() as connection:
        set_site(connection, name="Shed", zone="Pacific/Auckland")
    qtbot.waitUntil(lambda: str(window.state.zone) == "Pacific/Auckland", timeout=PATIENCE_MS)
    assert window.state.site.name == "Shed"
