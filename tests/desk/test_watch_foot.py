"""What stands beside the watch in hand, and which of its buttons can be pressed; no Qt in sight."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import Scope
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.levels import Level
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.watch.foot import foot_of
from rook_tally.store.alarms import save_watch, write_alarms
from rook_tally.store.base import Store
from tests.builders import NOON_US
from tests.desk.test_watch_model import DUST, Bench


@pytest.fixture
def bench(store: Store) -> Bench:
    return Bench(store)


def ring(bench: Bench, state: AlarmState, who: str = "", word: str = "") -> None:
    alarm = Alarm("dust", bench.series.id, DetectorState(), state, Level.HIGH, since_us=NOON_US)
    with bench.store.write() as connection:
        write_alarms(connection, [replace(alarm, who=who, word=word)])
    bench.look()


def test_a_saved_watch_can_be_tested_and_not_saved(bench: Bench) -> None:
    foot = foot_of(bench.model)
    assert (foot.is_saved, foot.can_test, foot.is_offered) == (True, True, True)
    assert (foot.can_save, foot.can_discard, foot.can_acknowledge) == (False, False, False)
    assert (foot.switch, foot.shelve, foot.journal) == (
        "Switch off",
        "Shelve for an hour",
        "all watches",
    )
    bench.model.shows_all_lines = False
    assert foot_of(bench.model).journal == "this watch"
    assert (foot.trouble, foot.stands) == ("", "")


def test_what_is_typed_is_saved_or_discarded_before_it_is_tested(bench: Bench) -> None:
    bench.model.rename("Dust of the booth")
    foot = foot_of(bench.model)
    assert (foot.can_save, foot.can_discard, foot.can_test) == (True, True, False)


def test_a_new_watch_has_nothing_to_switch_off_or_delete(bench: Bench) -> None:
    bench.model.begin_new()
    foot = foot_of(bench.model)
    assert (foot.is_saved, foot.can_save, foot.can_test) == (False, True, False)


@pytest.mark.parametrize(
    ("state", "can_acknowledge", "shelve", "stands"),
    [
        (AlarmState.UNACKNOWLEDGED, True, "Shelve for an hour", ""),
        (AlarmState.RETURNED_UNACKNOWLEDGED, True, "Shelve for an hour", ""),
        (AlarmState.ACKNOWLEDGED, False, "Shelve for an hour", "Seen by Wren: fan is on"),
        (AlarmState.SHELVED, False, "Unshelve", ""),
    ],
)
def test_an_alarm_is_acknowledged_or_shelved_once(
    bench: Bench, state: AlarmState, can_acknowledge: bool, shelve: str, stands: str
) -> None:
    ring(bench, state, who="Wren", word="fan is on")
    foot = foot_of(bench.model)
    assert (foot.can_acknowledge, foot.shelve, foot.stands) == (can_acknowledge, shelve, stands)


def test_nothing_is_done_about_an_alarm_while_the_past_is_shown(bench: Bench) -> None:
    ring(bench, AlarmState.UNACKNOWLEDGED)
    bench.state.show_window(TimeWindow(NOON_US - 2 * HOUR_US, NOON_US - HOUR_US, is_live=False))
    foot = foot_of(bench.model)
    assert (foot.can_acknowledge, foot.is_offered, foot.can_test) == (False, False, False)
    assert foot.is_saved


def test_a_watch_of_what_is_gone_says_so(bench: Bench) -> None:
    gone = replace(DUST, slug="gone", name="Gone", scope=Scope(quantity="pm25", place="Attic"))
    with bench.store.write() as connection:
        save_watch(connection, gone, now_us=NOON_US)
        save_watch(connection, replace(DUST, is_on=False), now_us=NOON_US)
    bench.look()
    assert foot_of(bench.model).switch == "Switch on"
    bench.model.pick("gone")
    assert foot_of(bench.model).stands == "It watches nothing that is there."
