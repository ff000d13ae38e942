"""Names and messages come from anywhere: nothing of them is taken for markup."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from rook_tally.desk.app.views import LEDGER, STATIONS, STRIP, WALL, WATCH, WORKINGS
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk

HOSTILE = '<img src="file:///etc/hostname"><font color=white>hall</font> & co'


def test_a_label_shows_what_it_is_given(qtbot: QtBot) -> None:
    label, plain = Label(HOSTILE), Label("x" * len(HOSTILE))
    qtbot.addWidget(label)
    qtbot.addWidget(plain)
    assert label.textFormat() is Qt.TextFormat.PlainText
    # As markup it would be a few letters wide.
    assert label.sizeHint().width() > plain.sizeHint().width() / 3


@pytest.mark.parametrize("text", ["plain", HOSTILE, "5 < 6 & 7"])
def test_a_tool_tip_is_either_plain_or_escaped(text: str) -> None:
    tip = plain_tip(text)
    assert tip == text or ("<img" not in tip and "<font" not in tip)


def test_no_label_of_the_window_takes_a_name_for_markup(store: Store, open_desk: OpenDesk) -> None:
    series = begin_series(store, place=HOSTILE)
    append(store, series, (NOON_US, 21.0))
    window = open_desk(held_clock(NOON_US))
    for view in (LEDGER, STRIP, WALL, WORKINGS, WATCH, STATIONS):
        window.show_view(view)
        shown = [one for one in window.findChildren(QLabel) if "<img" in one.text()]
        assert [one for one in shown if one.textFormat() is not Qt.TextFormat.PlainText] == []
    labels = window.findChildren(QLabel)
    rich = {type(one).__name__ for one in labels if one.textFormat() is Qt.TextFormat.AutoText}
    assert rich == set()
