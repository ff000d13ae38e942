"""Limits set in the window: for a series, its place or the site, seen at once, and undone."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.timestamps import HOUR_US
from rook_tally.core.workings.definitions import Working
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.limits import LimitsDialog
from rook_tally.store.base import Store
from rook_tally.store.site import Series, limits_set_for, set_limits_of, show_in_unit
from rook_tally.store.workings import save_working, working_named
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, answer, opened, press

SHOP = LimitScope(quantity="temperature", place="Throwing room")


def _set_for(store: Store, scope: LimitScope) -> Limits | None:
    with store.read() as connection:
        return limits_set_for(connection, scope)


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    rows = [(NOON_US - hour * HOUR_US, 20.0 + (hour // 24) % 3) for hour in range(72)]
    append(store, begin_series(store), *rows)
    with store.write() as connection:
        show_in_unit(connection, QUANTITIES["temperature"], FAHRENHEIT)
    return open_desk(held_clock(NOON_US))


def _form(window: DeskWindow, qtbot: QtBot) -> LimitsDialog:
    QTest.keyClick(window.ledger, Qt.Key.Key_M)
    form = opened(qtbot, window, LimitsDialog)
    qtbot.waitUntil(form.isEnabled, timeout=PATIENCE_MS)
    return form


def _type(form: LimitsDialog, side: str, level: Level, text: str) -> None:
    field = form.fields[side][level - 1]
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text) if text else QTest.keyClick(field, Qt.Key.Key_Delete)


def test_limits_of_a_place_are_typed_in_the_unit_shown_and_undone(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    form = _form(window, qtbot)
    assert "what comes with Temperature" in form.in_force.text()
    assert form.scope.currentText() == "Temperature at Throwing room"
    # Sixteen degrees and colder, as they come with the quantity, in the unit shown.
    assert form.fields["below"][1].text() == "60.8"
    for level in Level:
        if level:
            _type(form, "below", level, "")
    _type(form, "above", Level.NOTICED, "70")
    _type(form, "above", Level.RAISED, "71.6")
    # The warm hours lie on two days of the calendar.
    assert "noticed 2 · raised 2 · high 0" in form.days.text()
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: _set_for(store, SHOP) is not None, timeout=PATIENCE_MS)
    found = _set_for(store, SHOP)
    assert found is not None
    assert [round(one or 0, 6) for one in found.above] == [21.111111, 22.0, 35.0, 40.0]
    assert found.below == (None, None, None, None)
    qtbot.waitUntil(
        lambda: window.state.site.series[0].limits_place == "Throwing room", timeout=PATIENCE_MS
    )
    again = _form(window, qtbot)
    assert again.in_force.text() == "In force: set for Throwing room."
    again.discard()
    window.undo.undo()
    qtbot.waitUntil(lambda: _set_for(store, SHOP) is None, timeout=PATIENCE_MS)


def test_published_limits_for_the_whole_site_and_taken_back(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    site = LimitScope(quantity="temperature")
    form = _form(window, qtbot)
    form.scope.setCurrentIndex(form.scope.count() - 1)
    at = form.preset.findText("Plants and pipes, frost")
    form.preset.setCurrentIndex(at)
    form.preset.activated.emit(at)
    assert "water freezes" in form.source.text()
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: _set_for(store, site) is not None, timeout=PATIENCE_MS)
    again = _form(window, qtbot)
    assert again.in_force.text() == "In force: set for the whole site."
    again.clear.click()
    qtbot.waitUntil(lambda: _set_for(store, site) is None, timeout=PATIENCE_MS)


def test_what_cannot_be_limits_is_said_and_typed_limits_are_asked_about(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    form = _form(window, qtbot)
    _type(form, "above", Level.RAISED, "200")
    assert "upper limits rise" in form.problem.text()
    assert not form.save.isEnabled()
    _type(form, "above", Level.RAISED, "9o")
    assert "9o" in form.problem.text()
    form.close()
    answer(qtbot, form, "Cancel")
    assert form.fields["above"][1].text() == "9o"
    form.discard()
    assert _set_for(store, SHOP) is None


def test_limits_that_somebody_else_set_meanwhile_are_not_written_over(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    theirs = Limits(above=(None, 30.0, None, None))
    form = _form(window, qtbot)
    _type(form, "above", Level.NOTICED, "75")
    with store.write() as connection:
        set_limits_of(connection, SHOP, theirs)
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: "already" in form.problem.text(), timeout=PATIENCE_MS)
    assert (form.isVisible(), form.fields["above"][0].text()) == (True, "75")
    assert _set_for(store, SHOP) == theirs
    form.discard()


def test_limits_of_a_working_are_its_own_and_undone(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    made = Working(slug="warmer", name="Warmer", formula="temperature@throwing-room + 1 K")
    with store.write() as connection:
        save_working(connection, made)

    def worked() -> list[Series]:
        return [one for one in window.state.site.series if one.station.is_worked_out]

    qtbot.waitUntil(lambda: bool(worked()), timeout=PATIENCE_MS)
    window.dialogs.set_limits(worked()[0])
    form = opened(qtbot, window, LimitsDialog)
    qtbot.waitUntil(form.isEnabled, timeout=PATIENCE_MS)
    assert [form.scope.itemText(at) for at in range(form.scope.count())] == [
        "Warmer, wherever it is worked out"
    ]
    _type(form, "above", Level.HIGH, "30")
    press(form, QDialogButtonBox.StandardButton.Save)

    def limits() -> Limits | None:
        with store.read() as connection:
            return working_named(connection, "warmer").limits

    qtbot.waitUntil(lambda: limits() is not None, timeout=PATIENCE_MS)
    found = limits()
    assert found is not None and found.above[2] is not None
    window.undo.undo()
    qtbot.waitUntil(lambda: limits() is None, timeout=PATIENCE_MS)


def test_limits_of_the_night_are_typed_beside_those_of_the_day(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    form = _form(window, qtbot)
    line = form.hours.lineEdit()
    assert line is not None
    assert line.text() == "all day"
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, "22:0")
    assert "no hours" in form.problem.text()
    assert not form.save.isEnabled()
    QTest.keyClicks(line, "0-06:00")
    for level in Level:
        if level:
            _type(form, "below", level, "")
            _type(form, "above", level, "")
    _type(form, "above", Level.RAISED, "71.6")
    press(form, QDialogButtonBox.StandardButton.Save)
    qtbot.waitUntil(lambda: _set_for(store, SHOP) is not None, timeout=PATIENCE_MS)
    found = _set_for(store, SHOP)
    assert found is not None
    # By day what held before goes on.
    assert found.below == QUANTITIES["temperature"].limits.below
    (night,) = found.by_hours
    assert (night.hours.begin_min, night.hours.end_min) == (22 * 60, 6 * 60)
    assert [one and round(one, 6) for one in night.above] == [None, 22.0, None, None]
    qtbot.waitUntil(lambda: bool(window.state.site.series[0].limits.by_hours), timeout=PATIENCE_MS)
    again = _form(window, qtbot)
    at = again.hours.findText("22:00–06:00")
    assert at > 0
    again.hours.setCurrentIndex(at)
    again.hours.activated.emit(at)
    assert again.fields["above"][1].text() == "71.6"
    assert again.fields["below"][1].text() == ""
    again.clear.click()
    qtbot.waitUntil(lambda: (_set_for(store, SHOP) or Limits()).by_hours == (), timeout=PATIENCE_MS)
    assert _set_for(store, SHOP) is not None
    window.undo.undo()
    qtbot.waitUntil(
        lambda: len((_set_for(store, SHOP) or Limits()).by_hours) == 1, timeout=PATIENCE_MS
    )


def test_what_is_set_for_one_series_is_not_handed_on_to_its_site_with_hours(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    series = window.state.site.series[0]
    with store.write() as connection:
        own = LimitScope(quantity="temperature", series_id=series.id)
        set_limits_of(connection, own, Limits(above=(None, 19, None, None)))
    qtbot.waitUntil(lambda: window.state.site.series[0].limits.above[1] == 19, timeout=PATIENCE_MS)
    form = _form(window, qtbot)
    form.scope.setCurrentIndex(form.scope.count() - 1)
    form.scope.activated.emit(form.scope.count() - 1)
    form.hours.setEditText("22:00-06:00")
    press(form, QDialogButtonBox.StandardButton.Save)
    site = LimitScope(quantity="temperature")
    qtbot.waitUntil(lambda: _set_for(store, site) is not None, timeout=PATIENCE_MS)
    found = _set_for(store, site)
    assert found is not None
    assert found.above == QUANTITIES["temperature"].limits.above
    assert len(found.by_hours) == 1
