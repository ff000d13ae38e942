"""Watches ring with the readings that cause it, and a collector that was killed goes on."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_detector import NEVER
from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.backtest import judged, rings
from rook_tally.core.alarms.channels import NoticeReason
from rook_tally.core.alarms.definitions import Guard, Scope, Watch, WatchKind
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.remarks import Remark
from rook_tally.core.series.corrections import Correction
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import (
    alarms,
    all_targets,
    journal,
    newest_letters,
    remove_watch,
    watches,
)
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import read_range
from rook_tally.store.site import add_correction, load_site, remarks, save_remark
from rook_tally.store.workings import save_working
from tests.alarming.conftest import DUST, RUN, Booth, at
from tests.examples import examples

RANG, CLEARED = JournalKind.RANG, JournalKind.CLEARED


def test_it_rings_after_its_delay_and_clears_after_another(booth: Booth) -> None:
    booth.keep(DUST)
    booth.told_each_minute(0, [30, 30])
    assert booth.lines() == []
    booth.told_each_minute(2, [33, 40, 20, 17, 17, 17])
    assert booth.lines() == [(RANG, 2), (CLEARED, 7)]
    assert booth.letters() == ["Glaze dust: high", "Glaze dust: over"]
    assert booth.alarm().state is AlarmState.RETURNED_UNACKNOWLEDGED
    with booth.store.read() as connection:
        first = newest_letters(connection)[-1].notice
    assert first.text == (
        "PM2.5 33 µg/m³ at Glaze booth, PM2.5 over 25 µg/m³ at Glaze booth, since 12:02"
    )
    assert (first.value, first.unit, first.place) == (33.0, "µg/m³", "Glaze booth")


def test_a_collector_that_was_killed_neither_repeats_nor_forgets(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=600.0))
    booth.told_each_minute(0, [30] * 6)
    booth.restart()  # in the middle of the delay, long after its beginning was written down
    booth.told_each_minute(6, [30] * 5)
    assert booth.lines() == [(RANG, 10)]
    booth.restart()
    booth.told_each_minute(11, [30, 30, 17])
    booth.restart()
    booth.told_each_minute(14, [17, 17, 17])
    assert booth.lines() == [(RANG, 10), (CLEARED, 15)]
    assert len(booth.letters()) == 2


def test_two_collectors_take_turns_with_one_series(booth: Booth) -> None:
    other = object.__new__(Booth)
    other.store = booth.store
    other.restart()
    booth.keep(DUST)
    for minute in range(3):
        (booth, other)[minute % 2].told(minute, 30)
    for minute in range(3, 8):
        (booth, other)[minute % 2].told(minute, 10)
    assert booth.lines() == [(RANG, 2), (CLEARED, 5)]


def test_what_comes_too_late_is_written_down_and_wakes_nobody(booth: Booth) -> None:
    booth.keep(DUST)
    booth.told(60, 5)
    for minute in (0, 1, 2, 3):
        booth.told(minute, 40, arrived=61)
    booth.told(4, 5, arrived=61)
    booth.told(6, 5, arrived=61)
    assert booth.lines() == [(JournalKind.RANG_LATE, 2), (JournalKind.CLEARED_LATE, 6)]
    assert booth.letters() == []
    with booth.store.read() as connection:
        assert alarms(connection, standing=True) == {}


def test_a_ring_found_out_late_is_told_once_a_fresh_reading_shows_that_it_stands(
    booth: Booth,
) -> None:
    booth.keep(DUST)
    # An hour without the network; then all of it at once, the last of it from just now.
    for minute in (0, 1, 2, 3):
        booth.told(minute, 40, arrived=60)
    assert booth.letters() == []
    booth.told(60, 40)
    assert booth.lines() == [(JournalKind.RANG_LATE, 2), (RANG, 2)]
    assert booth.letters() == ["Glaze dust: high"]
    assert booth.alarm().state is AlarmState.UNACKNOWLEDGED


@pytest.mark.parametrize(
    "order", [range(12), range(11, -1, -1), [0, 2, 1, 3, 5, 4, 6, 8, 7, 9, 11, 10]]
)
def test_the_order_of_arrival_decides_nothing(booth: Booth, order: Sequence[int]) -> None:
    """Twelve minutes above the limit ring once it has been so for two, however they come in."""
    booth.keep(DUST)
    for minute in order:
        booth.told(minute, 40.0, arrived=12)
    assert booth.lines()[0] == (RANG, 2) or booth.lines()[0][0] is RANG
    assert booth.alarm().step.rang_us == at(2)
    assert [sort for sort, _ in booth.lines()] == [RANG]


def test_a_message_of_many_moments_is_judged_in_order_of_time(booth: Booth) -> None:
    booth.keep(DUST)
    rows = [{"pm25": 40.0, "time": at(minute) / 1e6} for minute in range(10, -1, -1)]
    booth.says_all(rows, arrived=10)
    assert booth.lines() == [(RANG, 2)]


def test_a_late_calm_reading_does_not_clear_what_stands(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, calm_s=0.0))
    booth.told(0, 5)
    booth.told(5, 40)
    booth.told(4, 5, arrived=5.1)
    assert booth.lines() == [(RANG, 5)]
    assert booth.alarm().state is AlarmState.UNACKNOWLEDGED


def test_what_comes_late_may_show_that_it_rang_and_cleared(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, calm_s=0.0))
    booth.told(0, 5)
    booth.told(5, 5)
    booth.told(3, 40, arrived=5.1)
    assert booth.lines() == [(RANG, 3), (CLEARED, 5)]
    assert booth.alarm().state is AlarmState.RETURNED_UNACKNOWLEDGED
    # Told once: another late one beside it says nothing new.
    booth.told(4, 40, arrived=5.2)
    assert booth.lines() == [(RANG, 3), (CLEARED, 5)]


def test_a_revised_reading_that_rang_for_nothing_ends_the_ring(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, calm_s=0.0))
    booth.told(0, 5)
    booth.told(1, 40)
    booth.told(1, 5, arrived=1.1)
    assert booth.lines() == [(RANG, 1), (CLEARED, 1)]
    booth.told(2, 5)
    assert booth.lines() == [(RANG, 1), (CLEARED, 1)]


def test_how_long_a_ring_lasted_is_said_in_seconds_when_it_was_short(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, calm_s=0.0))
    booth.told(0, 40)
    booth.told(17 / 60, 5)
    with booth.store.read() as connection:
        assert [one.words for one in journal(connection, sorts=[CLEARED])] == ["after 17 s"]


def test_corrections_and_workings_are_watched_as_any_series(booth: Booth) -> None:
    with booth.store.write() as connection:
        save_working(
            connection,
            Working(
                slug="dust_between", name="Dust between", formula="pm25@glaze-booth - pm25@shop"
            ),
        )
        site = load_site(connection)
        dust = next(one for one in site.series if one.station.key == "dust")
        twice = Correction(at(5), 2.0, 0.0)
        add_correction(connection, dust.id, twice, who="Wren", why="", now_us=at(-5))
    booth.keep(replace(DUST, for_s=0.0))
    booth.keep(
        Watch(
            slug="between",
            name="Between",
            sort=WatchKind.ABOVE,
            limit=30,
            scope=Scope(quantity="dust_between"),
        )
    )
    booth.told(4, 15)
    booth.told(4, 5, station="shop")
    assert booth.lines() == []
    booth.told(6, 15)  # it is 30 from five past on
    assert booth.lines() == [(RANG, 6)]
    booth.told(7, 20)  # 40, and 35 more than in the shop
    assert booth.lines() == [(RANG, 6), (RANG, 7)]


def test_a_guard_keeps_it_quiet_until_somebody_is_there(booth: Booth) -> None:
    booth.told(-10, 0, station="dust", field="presence")
    guard = Guard(scope=Scope(quantity="presence"))
    booth.keep(replace(DUST, for_s=0.0, guards=(guard,)))
    booth.told(0, 0, field="presence")
    booth.told(0, 40)
    assert booth.lines() == []
    booth.told(1, 1, field="presence")
    booth.told(1, 40)
    assert booth.lines() == [(RANG, 1)]


def test_a_remark_keeps_it_quiet_for_a_while(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, remark_s=600.0))
    with booth.store.write() as connection:
        save_remark(connection, Remark("Swept the booth", at(0), place="Glaze booth"))
    booth.told_each_minute(1, [40] * 10)
    assert booth.lines() == []
    booth.told(11, 40)
    assert booth.lines() == [(RANG, 11)]


def test_the_level_grows_with_what_is_watched_unless_the_watch_says_it(booth: Booth) -> None:
    booth.keep(replace(DUST, for_s=0.0, level=Level.SETTLED))
    booth.told(0, 26)
    before = booth.alarm().level
    booth.told(1, 400)
    assert booth.alarm().level > before
    booth.restart()
    assert booth.alarm().level is Level.SEVERE


def test_ten_thousand_rings_in_a_minute_are_told_as_one(booth: Booth) -> None:
    for number in range(250):
        booth.keep(
            replace(
                DUST,
                slug=f"dust-{number}",
                name=f"Dust {number}",
                for_s=0.0,
                clear=None,
                calm_s=0.0,
            )
        )
    # Ten thousand within a minute.
    for step in range(80):
        booth.told(step / 80, (40, 5)[step % 2])
    with booth.store.read() as connection:
        found = newest_letters(connection, most=30_000)
    rang = [
        one.notice.title for one in reversed(found) if one.notice.event is not NoticeReason.CLEARED
    ]
    # Who heard of a ring by itself hears when it is over, and nobody hears of the others.
    assert len(found) == len(rang) + 10
    assert len(rang) == 11
    assert rang[-1] == "9990 more alarms within 5 min"
    with booth.store.read() as connection:
        assert len(journal(connection, sorts=[RANG], most=20_000)) == 10_000


def test_two_watches_do_not_fight_over_one_control(booth: Booth) -> None:
    booth.keep(replace(DUST, run=RUN))
    with pytest.raises(UsageError, match="Glaze dust runs on of extractor already"):
        booth.keep(replace(DUST, slug="other", name="Other", run=RUN))
    with pytest.raises(UsageError, match="no control lamp"):
        booth.keep(replace(DUST, run=replace(RUN, control="lamp")))
    with pytest.raises(UsageError, match="no way of telling 'the moon'"):
        booth.keep(replace(DUST, tell=("the moon",)))
    with booth.store.read() as connection:
        assert [one.slug for one in watches(connection)] == ["glaze-dust"]
    with booth.store.write() as connection:
        assert remove_watch(connection, "glaze-dust").run == RUN
    booth.keep(replace(DUST, slug="other", name="Other", run=RUN))


values = st.lists(
    st.tuples(st.sampled_from([30, 60, 60, 60, 120, 400]), st.sampled_from([5, 18, 20, 25, 30])),
    min_size=1,
    max_size=40,
)
kinds = st.sampled_from(
    [
        replace(DUST, for_s=0.0, calm_s=0.0, clear=None),
        DUST,
        replace(DUST, for_s=180.0, calm_s=0.0),
        replace(DUST, sort=WatchKind.BELOW, limit=19, clear=24),
        replace(DUST, sort=WatchKind.OUTSIDE, low=10, limit=25, clear=5.0),
        replace(DUST, sort=WatchKind.RISING, limit=120, clear=60, window_s=300.0, for_s=0.0),
        replace(DUST, sort=WatchKind.TIMES_USUAL, limit=1.4, clear=1.1, window_s=1800.0, for_s=0.0),
        replace(
            DUST,
            sort=WatchKind.UNUSUAL,
            limit=2,
            clear=1,
            window_s=1800.0,
            min_spread=2,
            calm_s=0.0,
        ),
        replace(DUST, sort=WatchKind.LEVEL, limit=3, clear=None, unit="", for_s=60.0),
        replace(DUST, guards=(Guard(scope=Scope(quantity="pm25", place="Shop"), limit=10),)),
    ]
)


@settings(max_examples=examples(16), deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(kinds, values, st.sets(st.integers(0, 24), max_size=4), st.data())
def test_live_rings_are_those_of_a_backtest_to_the_microsecond(
    watch: Watch, told: list[tuple[int, int]], restarts: set[int], data: st.DataObject
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder) / "a.db")
        booth = Booth(store)
        booth.keep(watch)
        seconds = 0
        for number, (pause, value) in enumerate(told):
            seconds += pause
            if number in restarts:
                booth.restart()
            if data.draw(st.booleans()):
                shop = data.draw(st.sampled_from([5.0, 12.0]))
                booth.told(seconds / 60, shop, station="shop")
            booth.told(seconds / 60, float(value))
        assert _rang(store) == _backtested(store)
        store.close()


def _rang(store: Store) -> list[list[int]]:
    found: list[list[int]] = []
    with store.read() as connection:
        for line in reversed(journal(connection)):
            if line.sort is RANG:
                found.append([line.time_us, NEVER])
            elif line.sort is CLEARED:
                found[-1][1] = line.time_us
    return found


def _backtested(store: Store) -> list[list[int]]:
    with store.read() as connection:
        ((target,), troubles) = all_targets(connection, load_site(connection))
        assert not troubles
        readings = read_range(connection, target.series.id, 0, 1 << 60)
        guards = [read_range(connection, one.series.id, 0, 1 << 60) for one in target.guards]
        written = remarks(connection)
    rows = judged(target, readings, guards, written, ZoneInfo("UTC"))
    found: list[list[int]] = rings(rows, target.judge.terms).tolist()
    return [pair for pair in found if pair[0] >= at(-5)]
