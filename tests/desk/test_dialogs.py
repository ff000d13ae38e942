"""Corrections: typed in the unit shown, drawn before and after, followed by both views, undone."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.series.corrections import Correction
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.views import LEDGER
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.corrections import CorrectionsDialog
from rook_tally.desk.dialogs.corrections_model import (
    CorrectionWay,
    correction_by_gain,
    correction_by_offset,
    correction_by_points,
    correction_words,
    number_typed,
)
from rook_tally.store.base import Store
from rook_tally.store.readings import read_raw_range
from rook_tally.store.site import Series, add_correction, correction_entries
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened, to_strip, until_shown

IN_FAHRENHEIT = DisplayUnit(QUANTITIES["temperature"], FAHRENHEIT)
sane = st.floats(-200, 200)


@given(sane, sane, st.floats(0.1, 10))
def test_what_is_typed_in_another_unit_holds_in_that_unit(
    shown: float, offset: float, gain: float
) -> None:
    """A °F reading corrected in the store (°C) comes out as the °F that was typed."""
    base = float(FAHRENHEIT.to_base(shown))
    for made, wanted in (
        (correction_by_offset(IN_FAHRENHEIT, 0, offset), shown + offset),
        (correction_by_gain(IN_FAHRENHEIT, 0, gain, offset), gain * shown + offset),
    ):
        after = float(FAHRENHEIT.from_base(made.gain * base + made.offset))
        assert after == pytest.approx(wanted, abs=1e-6)


@given(sane, sane, st.floats(1, 100), st.floats(1, 100))
def test_two_points_are_met_exactly(low: float, true_low: float, up: float, true_up: float) -> None:
    made = correction_by_points(IN_FAHRENHEIT, 0, (low, true_low), (low + up, true_low + true_up))
    for shown, true in ((low, true_low), (low + up, true_low + true_up)):
        base = float(FAHRENHEIT.to_base(shown))
        after = float(FAHRENHEIT.from_base(made.gain * base + made.offset))
        assert after == pytest.approx(true, abs=1e-6)


def test_two_points_at_one_value_say_nothing() -> None:
    with pytest.raises(UsageError, match="same value"):
        correction_by_points(IN_FAHRENHEIT, 0, (20, 21), (20, 25))


@pytest.mark.parametrize(
    ("typed", "value"), [("−1,5", -1.5), (" 1\u2009013.2 ", 1013.2), ("1e-2", 0.01), ("+3", 3.0)]
)
def test_numbers_as_people_type_them(typed: str, value: float) -> None:
    assert number_typed(typed, "offset") == value


@pytest.mark.parametrize("typed", ["", "warm", "nan", "inf", "1.2.3"])
def test_what_is_no_number_is_named(typed: str) -> None:
    with pytest.raises(UsageError, match="offset"):
        number_typed(typed, "offset")


def test_a_correction_is_said_in_the_unit_shown() -> None:
    made = correction_by_gain(IN_FAHRENHEIT, NOON_US, 1.02, -3.5)
    words = correction_words(made, IN_FAHRENHEIT, ZoneInfo("Europe/London"))
    assert words == "× 1.02 −3.5 °F from 2026-11-23 12:00 on"
    assert correction_words(Correction(NOON_US, 1, 0), IN_FAHRENHEIT, ZoneInfo("UTC")) == (
        "+0 °F from 2026-11-23 12:00 on"
    )


@pytest.fixture
def warm(store: Store) -> Series:
    series = begin_series(store)
    rows = [(NOON_US - at * MINUTE_US, 20.0) for at in range(180)]
    append(store, series, *rows)
    return series


def test_a_corrected_series_is_followed_by_both_views_and_taken_back(
    qtbot: QtBot, store: Store, warm: Series, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.state.show_last(2 * HOUR_US)
    table = window.ledger.table
    qtbot.waitUntil(lambda: window.ledger.panel.account is not None, timeout=PATIENCE_MS)
    QTest.keyClick(table, Qt.Key.Key_C)
    dialog = opened(qtbot, window, CorrectionsDialog)
    qtbot.waitUntil(lambda: "last week" in dialog.effect.text(), timeout=PATIENCE_MS)
    assert not dialog.save.isEnabled()
    dialog.typed["from"].setText("2026-11-23 11:00")
    dialog.typed["offset"].setText("warmish")
    assert "no number" in dialog.problem.text()
    dialog.typed["offset"].setText("−1.5")
    told = "The mean: 20.00 as sent, 20.00 as shown now, 18.50 °C corrected"
    assert told in dialog.effect.text()
    dialog.typed["why"].setText("beside the reference meter")
    dialog.save.click()
    qtbot.waitUntil(lambda: _text(window) == "18.5", timeout=PATIENCE_MS)
    qtbot.waitUntil(
        lambda: _words(dialog) == "−1.5 °C from 2026-11-23 11:00 on", timeout=PATIENCE_MS
    )
    dialog.close()
    window.open_in_strip([window.state.site.series[0]])
    to_strip(qtbot, window)
    seen = window.strip.model.envelopes[warm.id].mean
    assert set(np.round(seen[~np.isnan(seen)], 6).tolist()) == {20.0, 18.5}
    # The last thing done was to open it in the Strip; before it, to correct it.
    window.undo.undo()
    assert window.strip.model.lanes == []
    window.undo.redo()
    window.undo.undo()
    window.undo.undo()
    window.open_in_strip([window.state.site.series[0]])
    qtbot.waitUntil(lambda: set(_means(window, warm)) == {20.0}, timeout=PATIENCE_MS)
    until_shown(qtbot, window)
    window.show_view(LEDGER)
    assert _text(window) == "20.0"
    with store.read() as connection:
        assert correction_entries(connection, warm.id) == []
        assert set(read_raw_range(connection, warm.id, 0, NOON_US + 1).value.tolist()) == {20.0}


def test_a_correction_is_withdrawn_from_the_list_and_comes_back(
    qtbot: QtBot, store: Store, warm: Series, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.dialogs.correct(window.state.site.series[0])
    dialog = opened(qtbot, window, CorrectionsDialog)
    dialog.way.setCurrentIndex(dialog.way.findData(CorrectionWay.TWO_POINTS))
    for name, text in (
        ("shown first", "0"),
        ("true first", "1"),
        ("shown second", "10"),
        ("true second", "13"),
    ):
        dialog.typed[name].setText(text)
    qtbot.waitUntil(dialog.save.isEnabled, timeout=PATIENCE_MS)
    dialog.save.click()
    qtbot.waitUntil(lambda: _words(dialog).startswith("× 1.2 +1 °C from"), timeout=PATIENCE_MS)
    next(
        button for button in dialog.findChildren(QPushButton) if button.text() == "Withdraw"
    ).click()
    qtbot.waitUntil(lambda: _words(dialog) == "", timeout=PATIENCE_MS)
    window.undo.undo()
    qtbot.waitUntil(lambda: _words(dialog) != "", timeout=PATIENCE_MS)
    with store.read() as connection:
        (entry,) = correction_entries(connection, warm.id)
    assert entry.correction.gain == pytest.approx(1.2)
    assert entry.correction.offset == pytest.approx(1.0)


def test_a_correction_typed_beside_somebody_elses_is_shown_on_top_of_it_first(
    qtbot: QtBot, store: Store, warm: Series, open_desk: OpenDesk
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.dialogs.correct(window.state.site.series[0])
    dialog = opened(qtbot, window, CorrectionsDialog)
    dialog.typed["offset"].setText("-1")
    qtbot.waitUntil(dialog.save.isEnabled, timeout=PATIENCE_MS)
    with store.write() as connection:
        theirs = Correction(NOON_US - MINUTE_US, 1.0, 2.0)
        add_correction(connection, warm.id, theirs, who="Ada", why="", now_us=NOON_US)
    dialog.save.click()
    qtbot.waitUntil(lambda: "by now" in dialog.problem.text(), timeout=PATIENCE_MS)
    assert dialog.typed["offset"].text() == "-1"
    assert "20.00 as sent, 22.00 as shown now, 21.00" in dialog.effect.text()
    dialog.save.click()
    qtbot.waitUntil(lambda: not dialog.typed["offset"].text(), timeout=PATIENCE_MS)
    with store.read() as connection:
        entries = correction_entries(connection, warm.id)
    assert [one.correction.offset for one in entries] == [2.0, 1.0]


@pytest.mark.parametrize(
    ("way", "typed", "told"),
    [
        (
            CorrectionWay.TWO_POINTS,
            {"shown first": "22", "true first": "21", "shown second": "32", "true second": "31"},
            "20.00 and 30.00 as sent",
        ),
        (CorrectionWay.OFFSET, {"offset": "-1"}, "20.00 as sent, 22.00 as shown now, 21.00"),
        (CorrectionWay.GAIN_AND_OFFSET, {"gain": "1", "offset": "-1"}, "22.00 as shown now"),
    ],
)
def test_a_second_correction_is_made_of_what_the_first_shows(
    qtbot: QtBot,
    store: Store,
    warm: Series,
    open_desk: OpenDesk,
    way: CorrectionWay,
    typed: dict[str, str],
    told: str,
) -> None:
    """It reads 20, is shown as 22 and should be 21: raw readings get +1, not −1."""
    with store.write() as connection:
        first = Correction(NOON_US - HOUR_US, 1.0, 2.0)
        add_correction(connection, warm.id, first, who="Wren", why="", now_us=NOON_US)
    window = open_desk(held_clock(NOON_US))
    window.dialogs.correct(window.state.site.series[0])
    dialog = opened(qtbot, window, CorrectionsDialog)
    qtbot.waitUntil(lambda: _words(dialog) != "", timeout=PATIENCE_MS)
    dialog.way.setCurrentIndex(dialog.way.findData(way))
    for name, text in typed.items():
        dialog.typed[name].setText(text)
    assert told in dialog.effect.text()
    dialog.save.click()
    qtbot.waitUntil(lambda: _text(window) == "21.0", timeout=PATIENCE_MS)
    with store.read() as connection:
        newest = correction_entries(connection, warm.id)[-1].correction
    assert newest.gain == pytest.approx(1.0)
    assert newest.offset == pytest.approx(1.0)


def _text(window: DeskWindow) -> str:
    """What the only cell says."""
    cell = window.ledger.model.cell(1, 0)
    return "" if cell is None else cell.text


def _means(window: DeskWindow, series: Series) -> list[float]:
    seen = window.strip.model.envelopes[series.id].mean
    return [float(one) for one in np.round(seen[~np.isnan(seen)], 6)]


def _words(dialog: CorrectionsDialog) -> str:
    names = [
        button.accessibleName()
        for button in dialog.findChildren(QPushButton)
        if button.text() == "Withdraw" and not button.isHidden()
    ]
    return names[0].removeprefix("Withdraw ") if names else ""
