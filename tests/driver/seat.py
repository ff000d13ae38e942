"""A seat: a person, the real window before them, and what both must agree on."""

from __future__ import annotations

import contextlib
import os
import signal
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialogButtonBox, QListView
from pytestqt.qtbot import QtBot

from benchmarks.watchdog import WatchdogApplication
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.timestamps import HOUR_US
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.app.views import STRIP, WALL, WATCH, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.parts.remark_dialog import RemarkDialog
from rook_tally.desk.strip.actions import StripAction
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.desk.workings.actions import WorkingsAction
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.store.alarms import watches
from rook_tally.store.base import Store
from rook_tally.store.site import remarks, sheets
from rook_tally.store.workings import groups, workings
from tests.builders import MINUTE_US
from tests.desk.driving import PATIENCE_MS, answer, opened, press
from tests.driver.hand import Hand, click
from tests.driver.model import Document, Part, Person, altered

FIRST = {Part.WATCHES: "dust", Part.WORKINGS: "much"}
LOST = "was ended from outside"
_VIEWS = {Part.WATCHES: WATCH, Part.WORKINGS: WORKINGS}


@dataclass
class Clock:
    """The time of the site, and the steps taken: what is done in two steps is not one."""

    now_us: int
    steps: int = 0


@dataclass
class Seat:
    """Does what a person does, in the window and in the model of them."""

    qtbot: QtBot
    store: Store
    drafts: Path
    clock: Clock
    person: Person
    series_id: int
    is_busy_site: bool = False
    window: DeskWindow = field(init=False)
    hand: Hand = field(init=False)

    def open(self) -> None:
        """Sit down before a new window."""
        with _unwatched():
            self._open()

    def _open(self) -> None:
        self.window = DeskWindow(
            self.store, clock=lambda: self.clock.now_us, drafts=DraftFile(self.drafts)
        )
        self.window.asks_before_closing = False
        self.window.undo._clock_s = lambda: 10.0 * self.clock.steps
        self.window.resize(1024, 700)
        self.window.show()
        self.until(lambda: self.window.state.is_loaded)
        if self.is_busy_site:
            self.window.client.work_apart()
        self.person.is_past = False
        self.hand = Hand(self.window, self.person, self.until)
        for part in Part:
            self.turn_to(part)
            self.pick(part, FIRST[part])
        self.person.steps.clear()

    def close(self) -> None:
        """Leave it."""
        with _unwatched():
            self.window.close()
            self.window.deleteLater()

    def until(self, condition: Callable[[], bool]) -> None:
        """Wait until the window has come so far."""
        self.qtbot.waitUntil(condition, timeout=PATIENCE_MS)

    def until_answered(self) -> None:
        """Wait until the window has heard what came of everything it had written."""
        heard: list[bool] = []
        self.window.client.after_writes(lambda: heard.append(True))
        self.until(lambda: bool(heard))

    # Watches and workings

    def turn_to(self, part: Part) -> None:
        """Look at a part, and wait until it shows what there is."""
        self.window.show_view(_VIEWS[part])
        self.until(lambda: self._is_listed(part))

    def _is_listed(self, part: Part) -> bool:
        # Where fifty readings a second come there is always something to be read.
        if not self.is_busy_site and not self.window.client.is_idle:
            return False
        site = self.person.site
        wanted = {slug: one for (where, slug), one in site.stored.items() if where is part}
        listed: dict[str, Document] = {}
        if part is Part.WATCHES and self.window.watch.model.listing is not None:
            listed.update({one.slug: one for one in self.window.watch.model.listing.watches})
        elif part is Part.WORKINGS and self.window.workings.model.listing is not None:
            listing = self.window.workings.model.listing
            listed.update({one.slug: one for one in listing.workings})
            listed.update({one.name: one for one in listing.groups})
        return listed == wanted

    def pick(self, part: Part, slug: str) -> None:
        """Pick a document by a click in its list."""
        self.turn_to(part)
        if part is Part.WATCHES:
            rows = [one.slug for one in self.window.watch.model.rows()]
            self._click_row(self.window.watch.list, rows.index(slug))
        else:
            rows = [one.key for one in self.window.workings.model.rows()]
            self._click_row(self.window.workings.list, rows.index(slug))
        self.person.picks(part, slug)

    @staticmethod
    def _click_row(view: QListView, at: int) -> None:
        index = view.model().index(at, 0)
        view.scrollTo(index)
        click(view.viewport(), view.visualRect(index).center())

    def type_name(self, part: Part, name: str) -> None:
        """Type another name over the one that is there; what a group is called is its key."""
        self.turn_to(part)
        seen = self.person.seen(part)
        if isinstance(seen, Group):
            return
        if isinstance(seen, Watch):
            edit = self.window.watch.name
        else:
            pages = self.window.workings
            edit = (pages.formula_page if seen.score is None else pages.score_page).head.name
        edit.setFocus()
        edit.selectAll()
        QTest.keyClicks(edit, name)
        self.person.types_name(part, name)

    def choose(self, part: Part, number: int) -> None:
        """Choose another limit, other decimals, another weight, other places."""
        self.turn_to(part)
        seen = self.person.seen(part)
        model = self.window.workings.model
        if isinstance(seen, Watch):
            draft = self.window.watch.model.draft
            assert draft is not None
            after: Document = replace(seen, limit=float(number))
            self.window.watch.model.choose(replace(draft, limit=float(number)))
        elif isinstance(seen, Group):
            bays = Group(seen.name, (f"Bay {number % 4}", "Booth"))
            after = bays
            model.alter_group(bays)
        elif seen.score is not None:
            first, *others = seen.score.inputs
            inputs = (replace(first, weight=float(number)), *others)
            after = altered(seen, score=replace(seen.score, inputs=inputs))
            model.alter_input(0, weight=float(number))
        else:
            after = altered(seen, decimals=number % 4)
            model.alter(decimals=number % 4)
        self.person.types(part, after)

    def press_save(self, part: Part) -> None:
        """Click on Save, and wait for nothing."""
        if part is Part.WATCHES:
            click(self.window.watch.keep)
            return
        seen, pages = self.person.seen(part), self.window.workings
        if isinstance(seen, Group):
            click(pages.group_page.foot.keep_button)
        elif isinstance(seen, Working) and seen.score is not None:
            click(pages.score_page.foot.keep_button)
        else:
            click(pages.formula_page.foot.keep_button)

    def save(self, part: Part) -> None:
        """Save what is in hand."""
        self.turn_to(part)
        self.press_save(part)
        self.person.saves(part)

        def is_lost() -> bool:
            return LOST in self.trouble(part)

        self.until(lambda: self.stored() == self.person.site.stored or is_lost())
        if is_lost() and self.stored() != self.person.site.stored:
            # Nobody knows whether it was done; what was typed is there, to be saved again.
            self.press_save(part)
            self.until(lambda: self.stored() == self.person.site.stored)

    def trouble(self, part: Part) -> str:
        """What the window says of a change that failed."""
        if part is Part.WATCHES:
            return self.window.watch.trouble.text()
        model = self.window.workings.model
        return f"{model.notice} {model.trouble}"

    def discard(self, part: Part) -> None:
        """Drop what was typed of what is in hand."""
        self.turn_to(part)
        if part is Part.WATCHES:
            self.window.watch.do(WatchAction.REVERT)
        else:
            self.window.workings.do(WorkingsAction.REVERT)
        self.person.discards(part)

    def undo(self) -> None:
        """Take the last step back, wherever it was done."""
        self.window.teller.setText("")
        self.window.undo.undo()
        if not self.person.undoes():
            self.until(lambda: self.window.teller.text().startswith("Not undone"))
            # Asked for again it is left out, so that what was done before can be taken back.
            self.window.undo.undo()
            self.until(lambda: "Left out" in self.window.teller.text())
            self.person.steps.pop()
        self.until(lambda: bool(self.window.teller.text()) and self.holds_what_it_must())

    # Remarks, in a form

    def begin_pin(self, words: str) -> None:
        """Begin to write a pin."""
        self.window.show_view(STRIP)
        self.window.strip.do(StripAction.DROP_PIN)
        form = opened(self.qtbot, self.window, RemarkDialog)
        QTest.keyClicks(form.words, words)
        self.person.pin = words

    @property
    def form(self) -> RemarkDialog | None:
        """The form of a pin that is open."""
        return next((one for one in self._forms() if one.isVisible()), None)

    def _forms(self) -> list[RemarkDialog]:
        return self.window.findChildren(RemarkDialog)

    def end_pin(self, words: str) -> None:
        """Leave the form by Esc, and answer its question; or press Save in it."""
        form = self.form
        assert form is not None
        assert self.person.pin is not None
        if words == "press":
            press(form, QDialogButtonBox.StandardButton.Save)
        else:
            form.close()
            answer(self.qtbot, form, words)
        if words == "Cancel":
            return
        if words != "Discard":
            self.until(lambda: self.form is None or LOST in form.problem.text())
            if self.form is not None:
                # Whoever is told that nobody knows looks first whether it was written.
                if self.person.pin in remarks_in(self.store):
                    form.discard()
                else:
                    press(form, QDialogButtonBox.StandardButton.Save)
            self.person.makes(self.person.site.remarks, self.person.pin)
        self.until(lambda: self.form is None)
        self.person.pin = None

    # Sheets

    def make_sheet(self) -> None:
        """Make a sheet of what matters now."""
        site = self.person.site
        self._turn_to_wall()
        self.window.wall.do(WallAction.MATTERS)
        self.until(lambda: self.sheets() > site.sheets)
        (made,) = self.sheets() - site.sheets
        self.person.makes(site.sheets, made)
        self._turn_to_wall()

    def delete_sheet(self) -> None:
        """Delete the sheet in hand."""
        self._turn_to_wall()
        sheet = self.window.wall.model.sheet
        if sheet is None:
            return
        self.window.wall.do(WallAction.REMOVE)
        self.person.deletes(self.person.site.sheets, sheet.slug)
        self.until(lambda: self.sheets() == self.person.site.sheets)
        self._turn_to_wall()

    def _turn_to_wall(self) -> None:
        self.window.show_view(WALL)
        self.until(self._shows_sheets)

    def _shows_sheets(self) -> bool:
        wall = self.window.wall
        shown = {one.slug for one in wall.model.sheets}
        return wall.model.listing is not None and wall.is_up_to_date and shown == self.sheets()

    # Time, and what happens to the window

    def go_into_the_past(self) -> None:
        """Look at the hour that ended a minute ago."""
        then_us = self.clock.now_us - MINUTE_US
        self.window.state.show_window(TimeWindow(then_us - HOUR_US, then_us, is_live=False))
        self.person.is_past = True

    def come_back_to_now(self) -> None:
        """Look at what is."""
        self.window.rail.model.go_live()
        self.person.is_past = False

    def lose_reading_process(self) -> None:
        """Somebody kills the process that reads for the window; without one it gets one."""
        client = self.window.client
        if client.is_apart and client.pid is not None:
            # One that was killed before may not have been missed yet.
            with contextlib.suppress(ProcessLookupError):
                os.kill(client.pid, signal.SIGKILL)
        else:
            client.work_apart()

    # What must be so

    def stored(self) -> dict[tuple[Part, str], Document]:
        """The documents that the store holds."""
        return stored(self.store)

    def sheets(self) -> set[str]:
        """The sheets that the store holds."""
        return sheets_in(self.store)

    def holds_what_it_must(self) -> bool:
        """True if the store holds what the model says, and nothing else."""
        site = self.person.site
        return (self.stored(), self.sheets(), remarks_in(self.store)) == (
            site.stored,
            site.sheets,
            site.remarks,
        )

    def check(self) -> None:
        """Compare what the window shows with what the person must see."""
        for part in Part:
            self._check_documents(part)
        for (part, slug), typed in self.person.typed.items():
            if part is Part.WATCHES:
                draft: object = self.window.watch.model.drafts.get(slug)
            else:
                model = self.window.workings.model
                draft = model.drafts.get(slug) or model.group_drafts.get(slug)
            assert draft is not None, (part, typed)
        form = self.form
        assert (None if form is None else form.words.text()) == self.person.pin
        self.until(
            lambda: {one.text for one in self.window.state.remarks} == self.person.site.remarks
        )
        if self.window.view == WALL:
            self.until(self._shows_sheets)
        self.hand.check()
        self._check_now_and_then()

    def _check_documents(self, part: Part) -> None:
        if self.window.view != _VIEWS[part]:
            return
        self.until(lambda: self._is_listed(part))
        seen, slug = self.person.seen(part), self.person.picked[part]
        if isinstance(seen, Watch):
            view = self.window.watch
            assert (view.model.key, view.model.draft) == (slug, seen)
            assert view.name.text().strip() == seen.name
            marked = {one.slug for one in view.model.rows() if not one.is_saved}
        else:
            pages = self.window.workings
            if isinstance(seen, Group):
                assert pages.model.picked == (WorkingKind.GROUP, slug)
                assert pages.model.group == seen
            else:
                assert isinstance(seen, Working)
                is_score = seen.score is not None
                kind = WorkingKind.SCORE if is_score else WorkingKind.FORMULA
                page = pages.score_page if is_score else pages.formula_page
                assert pages.model.picked == (kind, slug)
                assert pages.model.draft == seen
                assert page.head.name.text() == seen.name
            marked = {one.key for one in pages.model.rows() if one.where.endswith("not saved")}
        assert marked == {name for where, name in self.person.typed if where is part}

    def _check_now_and_then(self) -> None:
        """Alarms of now are seen always, and the past shows the past."""
        window, site = self.window, self.person.site
        count = len(site.alarms)
        self.until(lambda: len(window.state.live_alarms) == count)
        window.head.refresh()
        told = window.head.standing.accessibleName()
        if count:
            assert told.startswith(f"{count} alarm" if self.person.is_past else f"{count} ")
            assert not self.person.is_past or "now" in told
        wanted = site.value_at(window.state.now_us)

        def shows() -> bool:
            newest = window.state.latest.get(self.series_id)
            return (None if newest is None else newest.value) == wanted

        self.until(shows)
        self.until(lambda: ("No collector" not in window.state.notice()) == site.has_collector)


@contextlib.contextmanager
def _unwatched() -> Iterator[None]:
    """Let the watchdog, if there is one, look away."""
    application = QApplication.instance()
    if not isinstance(application, WatchdogApplication):
        yield
        return
    application.is_paused = True
    yield
    application.is_paused = False


def stored(store: Store) -> dict[tuple[Part, str], Document]:
    """The documents that a store holds."""
    with store.read() as connection:
        return {
            **{(Part.WATCHES, one.slug): one for one in watches(connection)},
            **{(Part.WORKINGS, one.slug): one for one in workings(connection)},
            **{(Part.WORKINGS, one.name): one for one in groups(connection)},
        }


def sheets_in(store: Store) -> set[str]:
    """The sheets that a store holds."""
    with store.read() as connection:
        return {one.slug for one in sheets(connection)}


def remarks_in(store: Store) -> set[str]:
    """The remarks that a store holds."""
    with store.read() as connection:
        return {one.text for one in remarks(connection)}
