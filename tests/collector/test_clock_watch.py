"""A collector whose clock is not set, or jumps: nothing is stamped by it, nothing removed after."""

from __future__ import annotations

import pytest

from rook_tally.collector.clock_watch import ClockWatch
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.timestamps import DAY_US, HOUR_US, SECOND_US
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.store.alarms import journal
from rook_tally.store.alarms.clock_trust import BUILT_US, may_remove
from rook_tally.store.base import Store
from rook_tally.store.maintenance.future_readings import readings_ahead, set_aside_ahead
from rook_tally.store.site import last_heard, newest_strays
from tests.builders import MINUTE_US, NOON_US, append
from tests.ways_in import WayIn


class Clocks:
    """A clock somebody sets, and one that only goes on."""

    def __init__(self, wall_us: int) -> None:
        self.wall_us, self.run_us = wall_us, 0

    def goes_on(self, by_us: int, *, shows: int | None = None) -> None:
        self.run_us += by_us
        self.wall_us += by_us if shows is None else shows

    def watch(self, store: Store, *, synchronised: bool = False) -> ClockWatch:
        return ClockWatch(
            store,
            wall=lambda: self.wall_us,
            running=lambda: self.run_us,
            synchronised=lambda: synchronised,
        )


def _journalled(store: Store) -> list[str]:
    with store.read() as connection:
        return [one.words for one in journal(connection, sorts=[JournalKind.CLOCK])]


@pytest.mark.parametrize(
    ("wall_us", "why"), [(0, "before this program was made"), (NOON_US - 2 * DAY_US, "written to")]
)
def test_a_clock_before_the_program_or_far_behind_the_store_is_not_set(
    store: Store, wall_us: int, why: str
) -> None:
    way = WayIn(store)
    way.told(NOON_US, temperature=20.0)
    clocks = Clocks(wall_us)
    watch = clocks.watch(store)
    assert not watch.is_set
    assert why in _journalled(store)[0]
    watch.look()
    assert len(_journalled(store)) == 1
    clocks.wall_us = NOON_US + HOUR_US
    watch.look()
    assert watch.is_set


def test_a_machine_that_starts_with_the_time_it_was_last_up_at(store: Store) -> None:
    """An hour behind what the store knows: wrong, unless something keeps the clock right."""
    way = WayIn(store)
    way.told(NOON_US, temperature=20.0)
    clocks = Clocks(NOON_US - HOUR_US)
    assert clocks.watch(store, synchronised=True).is_set
    watch = clocks.watch(store)

    def is_set_at(wall_us: int) -> bool:
        clocks.wall_us = wall_us
        watch.look()
        return watch.is_set

    assert not is_set_at(NOON_US - HOUR_US + MINUTE_US)
    assert is_set_at(NOON_US + MINUTE_US)
    # Set back while it runs, as somebody may who sees that it was wrong.
    assert is_set_at(NOON_US - HOUR_US)


def test_by_a_clock_that_is_not_set_senders_times_are_kept_and_nothing_is_stamped(
    store: Store,
) -> None:
    way = WayIn(store)
    way.begin("temperature")
    body = b'[{"temperature":20,"time":%d},{"temperature":21}]' % (NOON_US // SECOND_US)
    message = Message("http", "x", body, 1_000_000, station="kiln")
    (answer,) = receive(store, way.directory, way.clocks, [message], clock_is_set=False)
    assert (answer.kept, answer.stray) == (1, 1)
    assert "clock is not set" in answer.strays[0].why
    assert [(at, value) for at, value, _ in way.kept("temperature")] == [(NOON_US, 20.0)]
    with store.read() as connection:
        assert last_heard(connection) == {}
        (stray,) = newest_strays(connection, 5)
    assert stray.body == body


def test_a_jump_is_journalled_and_nothing_is_removed_within_a_day(store: Store) -> None:
    clocks = Clocks(NOON_US)
    watch = clocks.watch(store)
    with store.read() as connection:
        assert may_remove(connection, now_us=NOON_US)
        assert not may_remove(connection, now_us=BUILT_US - 1)
    clocks.goes_on(5 * SECOND_US)
    watch.look()
    assert _journalled(store) == []
    clocks.goes_on(5 * SECOND_US, shows=7 * HOUR_US)
    watch.look()
    clocks.goes_on(5 * SECOND_US, shows=-HOUR_US)
    watch.look()
    assert _journalled(store) == ["jumped back by 1 h", "jumped ahead by 7 h"]
    with store.read() as connection:
        assert not may_remove(connection, now_us=clocks.wall_us + HOUR_US)
        assert may_remove(connection, now_us=clocks.wall_us + 2 * DAY_US)


def test_readings_ahead_of_now_are_set_aside_as_strays(store: Store) -> None:
    way = WayIn(store)
    series = way.begin("temperature")
    append(store, series, (NOON_US, 20.0), (NOON_US + DAY_US, 99.0), (NOON_US + MINUTE_US, 21.0))
    assert readings_ahead(store, now_us=NOON_US) == 1
    assert set_aside_ahead(store, now_us=NOON_US) == 1
    assert [value for _, value, _ in way.kept("temperature")] == [20.0, 21.0]
    with store.read() as connection:
        (stray,) = newest_strays(connection, 5)
    assert (stray.station, stray.why) == ("kiln", "of a time to come")
    assert b"99.0" in stray.body
    assert readings_ahead(store, now_us=NOON_US) == 0
