"""Drawn widgets are heard as what they are, and letters are found in layouts of other letters."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QAccessible, QKeyEvent
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.views import STRIP, WALL, WATCH
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.parts.keys import keys_of
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk


def test_rail_lanes_sheets_and_charts_say_what_they_are(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    append(store, begin_series(store), (NOON_US, 20.0))
    window = open_desk(held_clock(NOON_US))
    for view in (STRIP, WALL, WATCH):
        window.show_view(view)
    role = QAccessible.Role
    for widget, wanted in (
        (window.rail.track, role.Slider),
        (window.strip.plots[0], role.Chart),
        (window.strip.remarks_lane, role.List),
        (window.wall.canvas, role.Graphic),
        (window.watch.chart, role.Chart),
        (window.head.standing, role.Button),
    ):
        told = QAccessible.queryAccessibleInterface(widget)
        assert told is not None
        assert told.role() is wanted


@pytest.mark.parametrize(
    ("key", "scan_code", "text", "wanted"),
    [
        (0x0421, 54, "с", "C"),  # Cyrillic Es lies where C does
        (Qt.Key.Key_C.value, 54, "c", "C"),
        (0x0424, 38, "ф", "A"),
    ],
)
def test_a_letter_counts_by_where_it_lies(key: int, scan_code: int, text: str, wanted: str) -> None:
    none = Qt.KeyboardModifier.NoModifier
    event = QKeyEvent(QEvent.Type.KeyPress, key, none, scan_code, 0, 0, text)
    assert keys_of(event) == (wanted,)
