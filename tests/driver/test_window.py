"""A driver does to two real windows what people, and the world beside them, do in any order; after
each step both must show what the model of their people says."""

from __future__ import annotations

import os
import tempfile
from contextlib import ExitStack
from pathlib import Path

import pytest
import sqlalchemy as sa
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from msgspec.structs import replace
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from benchmarks.handlers import fill, told
from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.online_detector import DetectorState
from rook_tally.core.alarms.transitions import Alarm
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.theme import LIGHT, NIGHT, Theme
from rook_tally.core.workings.definitions import Score, ScoreInput, Working
from rook_tally.desk.app.views import VIEWS
from rook_tally.store.alarms import save_watch, write_alarms
from rook_tally.store.base import Store
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import add_station, report_collector, withdraw_collector
from rook_tally.store.workings import save_group, save_working
from tests.builders import DUST, MINUTE_US, NOON_US, append, begin_series
from tests.driver.conftest import WATCHDOG
from tests.driver.hand import FAN
from tests.driver.model import Document, Part, Person, Site, altered
from tests.driver.seat import FIRST, LOST, Clock, Seat

EXAMPLES = int(os.environ.get("DRIVER_EXAMPLES", "4"))
STEPS = int(os.environ.get("DRIVER_STEPS", "25"))
DOCUMENTS: dict[tuple[Part, str], Document] = {
    (Part.WATCHES, "dust"): DUST,
    (Part.WATCHES, "damp"): replace(DUST, slug="damp", name="Damp"),
    (Part.WORKINGS, "much"): Working(slug="much", name="Much", formula="pm25@booth * 2"),
    (Part.WORKINGS, "less"): Working(slug="less", name="Less", formula="pm25@booth / 2"),
    (Part.WORKINGS, "airy"): Working(
        slug="airy",
        name="Airy",
        score=Score(
            inputs=(
                ScoreInput(name="Dust", formula="pm25@booth", points=((0, 100), (90, 0)), weight=2),
                ScoreInput(name="More", formula="pm25@booth", points=((0, 50), (90, 0)), weight=1),
            )
        ),
    ),
    (Part.WORKINGS, "bays"): Group("bays", ("Bay 1", "Booth")),
}
BAYS = [f"Bay {number}" for number in range(16)]
SEATS, PARTS = st.sampled_from([0, 1]), st.sampled_from(Part)
NUMBERS, WATCHES = st.integers(20, 60), st.sampled_from(["dust", "damp"])
NAMES = st.text("abcdefg ", min_size=1, max_size=6).filter(lambda one: one == one.strip() != "")
COLLECTOR = "workshop"


class Driver(RuleBasedStateMachine):
    """Two people, a window each, others beside them."""

    qtbot: QtBot

    def __init__(self) -> None:
        super().__init__()
        self._folder = tempfile.TemporaryDirectory()
        folder = Path(self._folder.name)
        place = folder / "a.db"
        self.store: Store = open_store(place)
        self._open = ExitStack()
        if WATCHDOG:
            fill(self.store, NOON_US)
            self._open.enter_context(told(place, NOON_US))
        self.clock = Clock(NOON_US)
        self.series = begin_series(self.store, "pm25", key="counter", place="Booth")
        append(self.store, self.series, (NOON_US, 5.0))
        self.bays = [
            begin_series(self.store, key=bay.lower().replace(" ", "-"), place=bay) for bay in BAYS
        ]
        for one in self.bays:
            append(self.store, one, (NOON_US - MINUTE_US, 20.0))
        with self.store.write() as connection:
            add_station(connection, FAN, place="Booth", kind=KINDS["switch"], cadence_s=60)
        self.site = Site(stored=dict(DOCUMENTS), values=[(NOON_US, 5.0)])
        for document in DOCUMENTS.values():
            self._write_down(document)
        self.seats: list[Seat] = []
        for number in range(2):
            person = Person(self.site, dict(FIRST))
            self.site.people.append(person)
            drafts = folder / f"drafts-{number}.json"
            seat = Seat(
                self.qtbot, self.store, drafts, self.clock, person, self.series.id, bool(WATCHDOG)
            )
            seat.open()
            self.seats.append(seat)

    def teardown(self) -> None:
        for one in self.seats:
            one.close()
        self._open.close()
        self.store.close()
        self._folder.cleanup()

    def _write_down(self, document: Document) -> None:
        with self.store.write() as connection:
            if isinstance(document, Watch):
                save_watch(connection, document, now_us=self.clock.now_us)
            elif isinstance(document, Group):
                save_group(connection, document)
            else:
                save_working(connection, document)

    def _is_free(self, at: int) -> bool:
        """True if a person can do something else: an open form stands before their window."""
        return self.seats[at].person.pin is None

    # What a person does

    @rule(at=SEATS, view=st.sampled_from(range(len(VIEWS))))
    def turns_to_a_view(self, at: int, view: int) -> None:
        if self._is_free(at):
            self.seats[at].hand.turn_to(view)

    @rule(at=SEATS, key=st.sampled_from(list(DOCUMENTS)))
    def picks_a_document(self, at: int, key: tuple[Part, str]) -> None:
        if self._is_free(at):
            self.seats[at].pick(*key)

    @rule(at=SEATS, part=PARTS, name=NAMES)
    def types_a_name(self, at: int, part: Part, name: str) -> None:
        if self._is_free(at):
            self.seats[at].type_name(part, name)

    @rule(at=SEATS, part=PARTS, number=NUMBERS)
    def chooses_a_number(self, at: int, part: Part, number: int) -> None:
        if self._is_free(at):
            self.seats[at].choose(part, number)

    @rule(at=SEATS, part=PARTS)
    def saves(self, at: int, part: Part) -> None:
        if self._is_free(at):
            self.seats[at].save(part)

    @rule(at=SEATS, key=st.sampled_from(list(DOCUMENTS)), number=NUMBERS)
    def changes_and_saves(self, at: int, key: tuple[Part, str], number: int) -> None:
        if self._is_free(at):
            self.seats[at].pick(*key)
            self.seats[at].choose(key[0], number)
            self.seats[at].save(key[0])

    @rule(at=SEATS, part=PARTS)
    def discards(self, at: int, part: Part) -> None:
        if self._is_free(at):
            self.seats[at].discard(part)

    @precondition(lambda self: bool(self._who_did_something()))
    @rule(at=SEATS, times=st.integers(1, 3))
    def undoes(self, at: int, times: int) -> None:
        several = self._who_did_something()
        seat = several[at % len(several)]
        for _ in range(min(times, len(seat.person.steps))):
            self.clock.steps += 1
            seat.undo()

    def _who_did_something(self) -> list[Seat]:
        return [one for one in self.seats if one.person.steps and one.person.pin is None]

    @rule(at=SEATS, words=NAMES)
    def begins_a_pin(self, at: int, words: str) -> None:
        if self._is_free(at) and words not in self.site.remarks:
            self.seats[at].begin_pin(words)

    @precondition(lambda self: any(one.person.pin is not None for one in self.seats))
    @rule(words=st.sampled_from(["press", "Save", "Discard", "Cancel"]))
    def leaves_the_form_of_a_pin(self, words: str) -> None:
        next(one for one in self.seats if one.person.pin is not None).end_pin(words)

    @rule(at=SEATS)
    def makes_a_sheet(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].make_sheet()

    @precondition(lambda self: bool(self.site.sheets))
    @rule(at=SEATS)
    def deletes_a_sheet(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].delete_sheet()

    @rule(at=SEATS)
    def goes_into_the_past(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].go_into_the_past()

    @rule(at=SEATS)
    def comes_back_to_now(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].come_back_to_now()

    @rule(at=SEATS)
    def closes_the_window_and_opens_another(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].close()
            self.seats[at].open()

    @rule(at=SEATS, place=st.sampled_from(["Booth", *BAYS]))
    def clicks_on_a_cell(self, at: int, place: str) -> None:
        if self._is_free(at):
            self.seats[at].hand.click_cell(place)

    @rule(at=SEATS, share=st.floats(0, 1))
    def scrolls_the_ledger(self, at: int, share: float) -> None:
        if self._is_free(at):
            self.seats[at].hand.scroll(share)

    @rule(at=SEATS)
    def turns_the_order_over(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].hand.turn_order()

    @rule(at=SEATS)
    def hides_a_place(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].hand.hide_picked()

    @rule(at=SEATS)
    def asks_for_a_control(self, at: int) -> None:
        if self._is_free(at):
            self.seats[at].hand.ask_for_control(self.clock.now_us)

    # What both do

    @rule(part=PARTS)
    def both_save_at_once(self, part: Part) -> None:
        """Of two who changed one thing the second sees the difference, and saves on top of it."""
        if not (self._is_free(0) and self._is_free(1)):
            return
        for one in self.seats:
            one.turn_to(part)
        keys = {one.person.in_hand(part) for one in self.seats}
        changed = [one for one in self.seats if one.person.in_hand(part) in one.person.typed]
        if len(keys) == 2 or len(changed) < 2:
            for one in self.seats:
                one.save(part)
            return
        for one in changed:
            one.press_save(part)
        (key,) = keys
        one, other = self.seats
        mine, theirs = one.person.typed[key].now, other.person.typed[key].now
        one.until(lambda: one.stored()[key] in (mine, theirs))
        first, second = (one, other) if one.stored()[key] == mine else (other, one)
        first.person.saves(part)
        if mine != theirs:
            second.until(lambda: self._is_told(second, part))
        else:
            # The second finds what it wanted: nothing is left to be saved.
            second.person.typed.pop(key, None)

    @staticmethod
    def _is_told(seat: Seat, part: Part) -> bool:
        told = seat.trouble(part)
        return "by somebody else meanwhile" in told or LOST in told

    # What happens beside them

    @rule(theme=st.sampled_from([LIGHT, NIGHT]))
    def the_desktop_grows_dark_or_light(self, theme: Theme) -> None:
        for one in self.seats:
            one.window.change_theme(theme)

    @rule(value=st.integers(0, 90))
    def a_reading_comes(self, value: int) -> None:
        self.clock.now_us += MINUTE_US
        append(self.store, self.series, (self.clock.now_us, float(value)))
        self.site.values.append((self.clock.now_us, float(value)))
        # A minute later nobody believes a collector that has not spoken since.
        self.site.has_collector = False

    @rule(bay=st.sampled_from(range(len(BAYS))), value=st.integers(-10, 60))
    def a_reading_comes_elsewhere(self, bay: int, value: int) -> None:
        append(self.store, self.bays[bay], (self.clock.now_us - bay, float(value)))

    @rule(is_there=st.booleans())
    def a_collector_comes_or_goes(self, is_there: bool) -> None:
        with self.store.write() as connection:
            withdraw_collector(connection, COLLECTOR)
            if is_there:
                report_collector(
                    connection, COLLECTOR, host="wharf", pid=1, now_us=self.clock.now_us
                )
        self.site.has_collector = is_there

    @rule(slug=WATCHES, limit=NUMBERS, for_s=st.sampled_from([60.0, 120.0, 300.0]))
    def somebody_else_saves(self, slug: str, limit: int, for_s: float) -> None:
        theirs = altered(self.site.stored[Part.WATCHES, slug], limit=float(limit), for_s=for_s)
        self._write_down(theirs)
        self.site.save((Part.WATCHES, slug), theirs)

    @rule(slug=WATCHES, rings=st.booleans())
    def an_alarm_rings_or_clears(self, slug: str, rings: bool) -> None:
        state = AlarmState.UNACKNOWLEDGED if rings else AlarmState.NORMAL
        since_us = self.clock.now_us
        alarm = Alarm(slug, self.series.id, DetectorState(), state, Level.HIGH, since_us=since_us)
        with self.store.write() as connection:
            write_alarms(connection, [alarm])
        (self.site.alarms.add if rings else self.site.alarms.discard)(slug)

    @rule(at=SEATS)
    def the_reading_process_is_killed(self, at: int) -> None:
        self.seats[at].lose_reading_process()

    @rule(at=SEATS)
    def the_store_is_gone_while_one_saves(self, at: int) -> None:
        """A table that is gone is what a torn-out disk looks like: it is said, what was typed
        stays, and once it is back so is everything."""
        seat = self.seats[at]
        if not self._is_free(at):
            return
        seat.turn_to(Part.WATCHES)
        is_typed = seat.person.in_hand(Part.WATCHES) in seat.person.typed
        self._rename_table("watch", "watch_away")
        if is_typed:
            seat.press_save(Part.WATCHES)
            seat.until_answered()
            assert seat.trouble(Part.WATCHES)
        self._rename_table("watch_away", "watch")

    def _rename_table(self, before: str, after: str) -> None:
        with self.store.write() as connection:
            connection.execute(sa.text(f"ALTER TABLE {before} RENAME TO {after}"))
            note_change(connection, Subject.WATCHES)

    # What must be so

    @invariant()
    def both_windows_show_what_is_so(self) -> None:
        self.clock.steps += 1
        for one in self.seats:
            assert one.holds_what_it_must()
            one.check()


@pytest.mark.window
def test_two_windows_keep_their_word(qtbot: QtBot, qapp: QApplication) -> None:
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
