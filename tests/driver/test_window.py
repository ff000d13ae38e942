"""A driver does to the real window what people, and the world beside them, do in any order; after
each step the window must show what the model of a person says."""

from __future__ import annotations

import os
import signal
import tempfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    initialize,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from msgspec.structs import replace
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import LIGHT, NIGHT
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.views import VIEWS, WATCH
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.store.alarms import save_watch, watches, write_alarms
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from tests.builders import DUST, MINUTE_US, NOON_US, append, begin_series
from tests.desk.driving import PATIENCE_MS
from tests.driver.model import Person

EXAMPLES = int(os.environ.get("DRIVER_EXAMPLES", "6"))
STEPS = int(os.environ.get("DRIVER_STEPS", "25"))
SLUGS = ("dust", "damp")
LIMITS, LENGTHS = st.integers(20, 60), st.sampled_from([60.0, 120.0, 300.0])


class Driver(RuleBasedStateMachine):
    """One person, one window, others beside them."""

    qtbot: QtBot

    def __init__(self) -> None:
        super().__init__()
        self._folder = tempfile.TemporaryDirectory()
        self.drafts = Path(self._folder.name) / "drafts.json"
        self.now_us = NOON_US
        self.steps = 0
        self.store: Store = open_store(Path(self._folder.name) / "a.db")
        self.series = begin_series(self.store, "pm25", key="counter", place="Booth")
        append(self.store, self.series, (NOON_US, 5.0))
        self.person = Person({"dust": DUST, "damp": replace(DUST, slug="damp", name="Damp")})
        self.person.values = [(NOON_US, 5.0)]
        with self.store.write() as connection:
            for one in self.person.stored.values():
                save_watch(connection, one, now_us=NOON_US)
        self.window = self._opened()

    def _opened(self) -> DeskWindow:
        window = DeskWindow(self.store, clock=lambda: self.now_us, drafts=DraftFile(self.drafts))
        window.asks_before_closing = False
        window.undo._clock_s = self._tick_s
        window.show()
        self._until(lambda: window.state.is_loaded)
        return window

    def _tick_s(self) -> float:
        # What is done within one step belongs together, what is done in two never does.
        return 10.0 * self.steps

    def _until(self, condition: Callable[[], bool]) -> None:
        self.qtbot.waitUntil(condition, timeout=PATIENCE_MS)

    def teardown(self) -> None:
        self.window.close()
        self.window.deleteLater()
        self.store.close()
        self._folder.cleanup()

    # What the person does

    @initialize()
    def looks_at_watches(self) -> None:
        self.window.show_view(WATCH)
        self.person.picked = "dust"
        self._until(lambda: self.window.watch.model.listing is not None)
        self.window.watch.pick("dust")

    @rule(view=st.sampled_from(range(len(VIEWS))))
    def turns_to_a_view(self, view: int) -> None:
        self.window.show_view(view)

    @rule(slug=st.sampled_from(SLUGS))
    def picks_a_watch(self, slug: str) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        self.window.watch.pick(slug)
        self.person.picks(slug)

    @rule(name=st.text("abcdefg ", min_size=1, max_size=6).filter(str.strip))
    def types_a_name(self, name: str) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        edit = self.window.watch.name
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, name)
        self.person.types_name(name)

    @rule(limit=LIMITS)
    def drags_the_limit(self, limit: int) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        draft = self.window.watch.model.draft
        assert draft is not None
        self.window.watch.model.choose(replace(draft, limit=float(limit)))
        self.person.types(replace(self.person.seen(), limit=float(limit)))

    @rule()
    def saves(self) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        self.window.watch.do(WatchAction.KEEP)
        self.person.saves_it()

        def is_lost() -> bool:
            return "was ended from outside" in self.window.watch.trouble.text()

        self._until(lambda: self._stored() == self.person.stored or is_lost())
        if is_lost() and self._stored() != self.person.stored:
            # Nobody knows whether it was done; what was typed is there, to be saved again.
            self.window.watch.do(WatchAction.KEEP)
            self._until(lambda: self._stored() == self.person.stored)

    @rule()
    def discards(self) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        self.window.watch.do(WatchAction.REVERT)
        self.person.discards()

    @rule()
    def undoes(self) -> None:
        self.window.show_view(WATCH)
        self._until(self._is_listed)
        self.window.teller.setText("")
        self.window.undo.undo()
        if not self.person.undoes():
            self._until(lambda: "changed by somebody else" in self.window.teller.text())
            # Asked for again it is left out, so that what was done before can be taken back.
            self.window.undo.undo()
            self._until(lambda: "Left out" in self.window.teller.text())
            self.person.steps.pop()
        self._until(lambda: self._stored() == self.person.stored)

    @rule()
    def goes_into_the_past(self) -> None:
        then_us = self.now_us - MINUTE_US
        self.window.state.show_window(TimeWindow(then_us - HOUR_US, then_us, is_live=False))
        self.person.is_past = True

    @precondition(lambda self: self.person.is_past)
    @rule()
    def comes_back_to_now(self) -> None:
        self.window.rail.model.go_live()
        self.person.is_past = False

    @rule(theme=st.sampled_from([LIGHT, NIGHT]))
    def the_desktop_grows_dark_or_light(self, theme: object) -> None:
        self.window.change_theme(theme)  # type: ignore[arg-type]

    @rule()
    def closes_the_window_and_opens_another(self) -> None:
        self.window.close()
        self.window.deleteLater()
        self.window = self._opened()
        self.person.is_past = False
        self.looks_at_watches()
        self.person.picks("dust")
        self.person.steps.clear()

    # What happens beside them

    @rule(value=st.integers(0, 90))
    def a_reading_comes(self, value: int) -> None:
        self.now_us += MINUTE_US
        append(self.store, self.series, (self.now_us, float(value)))
        self.person.values.append((self.now_us, float(value)))

    @rule(slug=st.sampled_from(SLUGS), limit=LIMITS, for_s=LENGTHS)
    def somebody_else_saves(self, slug: str, limit: int, for_s: float) -> None:
        theirs = replace(self.person.stored[slug], limit=float(limit), for_s=for_s)
        with self.store.write() as connection:
            save_watch(connection, theirs, now_us=self.now_us)
        self.person.somebody_saves(theirs)

    @rule(slug=st.sampled_from(SLUGS), rings=st.booleans())
    def an_alarm_rings_or_clears(self, slug: str, rings: bool) -> None:
        state = AlarmState.UNACKNOWLEDGED if rings else AlarmState.NORMAL
        alarm = Alarm(
            slug, self.series.id, DetectorState(), state, Level.HIGH, since_us=self.now_us
        )
        with self.store.write() as connection:
            write_alarms(connection, [alarm])
        self.person.alarms = self.person.alarms | {slug} if rings else self.person.alarms - {slug}

    @rule()
    def the_reading_process_is_killed(self) -> None:
        client = self.window.client
        if client.is_apart and client.pid is not None:
            os.kill(client.pid, signal.SIGKILL)
        else:
            client.work_apart()

    # What must be so

    @invariant()
    def time_goes_on(self) -> None:
        self.steps += 1

    @invariant()
    def nothing_typed_is_lost_and_nothing_stale_is_shown(self) -> None:
        if not self.person.picked:
            return
        view = self.window.watch
        if self.window.view == WATCH:
            self._until(self._is_listed)
            assert view.model.key == self.person.picked
            assert view.model.draft == self.person.seen()
            assert view.name.text().strip() == self.person.seen().name
            marked = {one.slug for one in view.model.rows() if not one.is_saved}
            assert marked == set(self.person.typed)
        for slug, typed in self.person.typed.items():
            left = view.model.drafts.get(slug)
            assert left is not None
            assert left.value.name == typed.watch.name

    @invariant()
    def the_store_holds_what_was_saved_and_nothing_else(self) -> None:
        assert self._stored() == self.person.stored

    @invariant()
    def alarms_of_now_are_seen_and_the_past_shows_the_past(self) -> None:
        window, count = self.window, len(self.person.alarms)
        self._until(lambda: len(window.state.live_alarms) == count)
        window.head.refresh()
        told = window.head.standing.accessibleName()
        if count and self.person.is_past:
            assert told.startswith(f"{count} alarm")
            assert "now" in told
        elif count:
            assert told.startswith(f"{count} ")
        shown_us = window.state.now_us
        wanted = self.person.value_at(shown_us)

        def shows() -> bool:
            newest = window.state.latest.get(self.series.id)
            return (None if newest is None else newest.value) == wanted

        self._until(shows)

    def _is_listed(self) -> bool:
        listing = self.window.watch.model.listing
        if listing is None or not self.window.client.is_idle:
            return False
        return {one.slug: one for one in listing.watches} == self.person.stored

    def _stored(self) -> dict[str, Watch]:
        with self.store.read() as connection:
            return {one.slug: one for one in watches(connection)}


@pytest.mark.window
def test_the_window_keeps_its_word(qtbot: QtBot, qapp: QApplication) -> None:
    class Bound(Driver):
        pass

    Bound.qtbot = qtbot
    run_state_machine_as_test(
        Bound,
        settings=settings(
            max_examples=EXAMPLES,
            stateful_step_count=STEPS,
            deadline=None,
            suppress_health_check=list(HealthCheck),
            print_blob=True,
            phases=[Phase.explicit, Phase.generate],
        ),
    )
