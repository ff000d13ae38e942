"""What was changed and not saved: kept through turning away, saving beside, others, and a crash."""

from __future__ import annotations

from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.quantities.named_series import Group
from rook_tally.desk.app.views import LEDGER, WATCH, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.actions import Section
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.conflict import differences, rebased, retaken
from rook_tally.desk.data.drafts import DraftBook, DraftFile
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.store.alarms import save_watch, watches
from rook_tally.store.base import Store
from rook_tally.store.workings import groups, save_group
from tests.builders import DUST, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, menu_at

DAMP = replace(DUST, slug="damp", name="Damp", limit=40)


def test_a_file_outlives_its_window_and_what_it_cannot_read(tmp_path: Path) -> None:
    path = tmp_path / "drafts.json"
    file = DraftFile(path)
    book = DraftBook(file, "watches", Watch)
    book.put("dust", replace(DUST, limit=30), DUST)
    book.put(book.free_key(), DAMP, None)
    DraftBook(file, "groups", Group).put(
        "Damp rooms", Group("Damp", ("Shop",)), Group("Damp rooms")
    )
    file.close()
    again = DraftFile(path)
    assert again.count == 3
    known = DraftBook(again, "watches", Watch)
    assert known.new_keys == ["+1"]
    left = known.get("dust")
    assert left is not None
    assert (left.value.limit, left.base) == (30, DUST)
    assert DraftBook(again, "groups", Group).get("Damp rooms") is not None
    known.drop("dust")
    known.drop("+1")
    again.close()
    assert DraftFile(path).count == 1
    path.write_text("half a fi")
    assert DraftFile(path).count == 0
    assert path.with_suffix(".unreadable.json").read_text() == "half a fi"


def test_what_two_people_changed_is_laid_one_on_the_other() -> None:
    mine, theirs = replace(DUST, limit=30.0), replace(DUST, name="Fine dust", for_s=60)
    assert rebased(mine, DUST, theirs) == replace(theirs, limit=30.0)
    assert differences(DUST, theirs) == ["name: Dust → Fine dust", "for s: 120 → 60"]


def test_a_step_of_typing_taken_back_leaves_what_somebody_else_saved() -> None:
    typed = replace(DUST, limit=30.0)
    # As in the store then: as in the store now.
    theirs = replace(DUST, limit=28.0)
    on_theirs = replace(theirs, limit=30.0)
    assert retaken(DUST, typed, DUST, on_theirs, theirs) == theirs
    # The second of two steps goes back to the first, and leaves the rest of the draft.
    again = replace(typed, limit=31.0, name="Fine dust")
    assert retaken(typed, replace(typed, limit=31.0), DUST, again, theirs) == replace(
        again, limit=30.0
    )
    assert retaken(DUST, typed, None, typed, None) == DUST


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    series = begin_series(store, "pm25", key="counter", place="Booth")
    append(store, series, (NOON_US, 5.0))
    with store.write() as connection:
        for one in (DUST, DAMP):
            save_watch(connection, one, now_us=NOON_US)
        save_group(connection, Group("Dusty", ("Booth",)))
    made = open_desk(held_clock(NOON_US))
    made.show_view(WATCH)
    qtbot.waitUntil(lambda: made.watch.is_up_to_date, timeout=PATIENCE_MS)
    made.watch.pick("dust")
    return made


def _kept(store: Store, slug: str) -> Watch:
    with store.read() as connection:
        return next(one for one in watches(connection) if one.slug == slug)


def test_turning_to_another_and_back_loses_nothing(window: DeskWindow, qtbot: QtBot) -> None:
    model = window.watch.model
    model.choose(replace(DUST, limit=31))
    window.watch.pick("damp")
    assert model.draft == DAMP
    assert "not saved" in next(one.state for one in model.rows() if one.slug == "dust")
    window.show_view(LEDGER)
    window.show_view(WATCH)
    window.watch.pick("dust")
    assert model.draft is not None
    assert (model.draft.limit, model.is_altered) == (31, True)


def test_several_new_ones_wait_in_the_list(window: DeskWindow) -> None:
    view = window.watch
    for name in ("Much dust", "Less dust"):
        view.do(WatchAction.NEW)
        QTest.keyClicks(view.name, name)
    assert [one.name for one in view.model.rows()] == ["Dust", "Damp", "Much dust", "Less dust"]
    view.pick("+1")
    assert view.name.text() == "Much dust"


def test_discarding_is_a_step_that_can_be_taken_back(window: DeskWindow) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.leave.click()
    assert view.model.draft == DUST
    window.undo.undo()
    assert view.model.draft == replace(DUST, limit=31)
    window.undo.redo()
    assert view.model.draft == DUST


def test_what_is_typed_while_it_is_saved_stays(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.do(WatchAction.KEEP)
    view.name.setFocus()
    view.name.end(False)
    QTest.keyClicks(view.name, " at the booth")
    qtbot.waitUntil(lambda: view.model.kept == replace(DUST, limit=31), timeout=PATIENCE_MS)
    assert view.model.draft == replace(DUST, limit=31, name="Dust at the booth")
    assert _kept(store, "dust").limit == 31


def test_a_name_taken_back_goes_from_its_field_also_under_the_cursor(
    window: DeskWindow, qtbot: QtBot
) -> None:
    view = window.watch
    view.name.setFocus()
    view.name.selectAll()
    QTest.keyClicks(view.name, "Fine dust")
    window.undo.undo()
    assert view.name.text() == "Dust"
    # Empty for a moment, it is not filled in by what comes meanwhile.
    view.name.clear()
    view.model.take_listing(view.model.listing)  # type: ignore[arg-type]
    assert view.name.text() == ""


def test_steps_asked_for_at_once_are_taken_back_one_after_the_other(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    """Saved, and undone thrice before any answer came: nothing is left, not even a draft."""
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.do(WatchAction.KEEP)
    window.undo.undo()
    window.undo.undo()
    assert view.model.draft == replace(DUST, limit=31)
    qtbot.waitUntil(lambda: view.model.draft == DUST, timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: _kept(store, "dust") == DUST, timeout=PATIENCE_MS)
    assert not view.model.is_altered
    assert not window.undo.can_undo
    window.undo.redo()
    window.undo.redo()
    qtbot.waitUntil(lambda: _kept(store, "dust").limit == 31, timeout=PATIENCE_MS)


def test_switching_one_off_leaves_its_draft(window: DeskWindow, qtbot: QtBot, store: Store) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.do(WatchAction.SWITCH)
    qtbot.waitUntil(lambda: not _kept(store, "dust").is_on, timeout=PATIENCE_MS)
    assert _kept(store, "dust").limit == 25
    qtbot.waitUntil(lambda: view.model.kept is not None and not view.model.kept.is_on)
    assert view.model.draft == replace(DUST, limit=31, is_on=False)


def test_the_second_of_two_to_save_sees_the_difference(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    with store.write() as connection:
        save_watch(connection, replace(DUST, for_s=60, limit=28), now_us=NOON_US)
    view.do(WatchAction.KEEP)
    qtbot.waitUntil(lambda: "limit: 25 → 28" in view.trouble.text(), timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: view.model.draft == replace(DUST, limit=31, for_s=60))
    assert _kept(store, "dust").limit == 28
    view.do(WatchAction.KEEP)
    qtbot.waitUntil(lambda: _kept(store, "dust").limit == 31, timeout=PATIENCE_MS)
    assert _kept(store, "dust").for_s == 60


def test_a_draft_that_waited_lies_on_what_somebody_else_saved_meanwhile(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.pick("damp")
    theirs = replace(DUST, for_s=60, limit=28)
    with store.write() as connection:
        save_watch(connection, theirs, now_us=NOON_US)

    def is_known() -> bool:
        return view.model.listing is not None and theirs in view.model.listing.watches

    qtbot.waitUntil(is_known, timeout=PATIENCE_MS)
    view.pick("dust")
    assert view.model.draft == replace(DUST, limit=31, for_s=60)
    assert "limit: 25 → 28" in view.model.notice


def test_undo_does_not_overwrite_what_somebody_else_changed_since(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    view = window.watch
    view.model.choose(replace(DUST, limit=31))
    view.do(WatchAction.KEEP)
    qtbot.waitUntil(lambda: not view.model.is_altered, timeout=PATIENCE_MS)
    with store.write() as connection:
        save_watch(connection, replace(DUST, limit=99), now_us=NOON_US)
    window.undo.undo()
    qtbot.waitUntil(lambda: "limit: 31 → 99" in window.teller.text(), timeout=PATIENCE_MS)
    assert _kept(store, "dust").limit == 99


def test_a_group_is_kept_like_a_watch_and_takes_no_others_name(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    with store.write() as connection:
        save_group(connection, Group("Quiet", ()))
    window.show_view(WORKINGS)
    view = window.workings
    qtbot.waitUntil(
        lambda: (WorkingKind.GROUP, "Quiet") in [(one.sort, one.key) for one in view.model.rows()],
        timeout=PATIENCE_MS,
    )
    view.pick(WorkingKind.GROUP, "Dusty")
    view.group_page.name.selectAll()
    QTest.keyClicks(view.group_page.name, "Quiet")
    QTest.keyClick(view, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: "there is a group Quiet already" in view.model.trouble)
    view.pick(WorkingKind.GROUP, "Quiet")
    view.pick(WorkingKind.GROUP, "Dusty")
    assert view.model.group == Group("Quiet", ("Booth",))
    with store.read() as connection:
        assert sorted(one.name for one in groups(connection)) == ["Dusty", "Quiet"]


def test_the_menu_of_a_line_acts_on_that_line(window: DeskWindow) -> None:
    view = window.watch
    lines = view.list
    assert view.model.key == "dust"
    spot = lines.visualRect(view.items.index(1)).center()
    words = set(menu_at(window, lines.viewport(), spot))
    assert view.model.key == "damp"
    assert {one.words for one in window.commands if one.section is Section.WATCH} <= words
    # Beside the lines there is nothing to act on.
    assert not menu_at(window, lines.viewport(), QPoint(5, lines.viewport().height() - 2))
    assert view.model.key == "damp"
