"""The list of alarms: what was picked stays picked, and nothing else takes its place."""

from __future__ import annotations

from types import SimpleNamespace
from typing import cast

from msgspec.structs import replace
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import LIGHT
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.desk.app.tray import Tray
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.store_feed import NewAlarms, read_picture
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.dialogs.alarms import AlarmDialog
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, opened

DUST = ActiveAlarm("dust", "Glaze dust", 1, AlarmState.UNACKNOWLEDGED, Level.HIGH, NOON_US)
KILN = replace(DUST, watch="kiln", name="Kiln overrun", series_id=2)


def test_a_press_meant_for_an_alarm_that_is_over_reaches_no_other(
    qtbot: QtBot, store: Store
) -> None:
    state = SiteState(lambda: NOON_US + 60_000_000)
    with store.read() as connection:
        state.take(read_picture(connection, NOON_US))
    state.take(NewAlarms((DUST, KILN)))
    parent = QWidget()
    qtbot.addWidget(parent)
    written: list[object] = []
    client = cast("StoreClient", SimpleNamespace(write=written.append))
    dialog = AlarmDialog(LIGHT, state, client, parent)

    def picked() -> str:
        return "" if dialog.picked is None else dialog.picked.watch

    # The first is picked as it opens: one key is enough for one alarm.
    assert picked() == "dust"
    dialog.list.setCurrentRow(1)
    state.take(NewAlarms((KILN,)))
    assert picked() == "kiln"
    state.take(NewAlarms((DUST,)))
    assert picked() == ""
    assert not dialog.shelve.isEnabled()
    dialog.shelve.click()
    assert written == []
    dialog.reject()


def test_what_rings_now_is_seen_while_the_past_is_shown(
    qtbot: QtBot, store: Store, open_desk: OpenDesk
) -> None:
    series = begin_series(store)
    append(store, series, (NOON_US - DAY_US, 19.0), (NOON_US - 5, 19.0))
    window = open_desk(held_clock(NOON_US))
    then_us = NOON_US - DAY_US // 2
    window.state.show_window(TimeWindow(then_us - HOUR_US, then_us, is_live=False))
    qtbot.waitUntil(lambda: window.state.past is not None, timeout=PATIENCE_MS)
    tray = Tray(window.theme, window.state, window)
    window.state.take(NewAlarms((replace(DUST, series_id=series.id),)))
    assert window.head.standing.accessibleName() == "1 alarm now, worst high"
    assert "1 alarm: Glaze dust" in tray.icon.toolTip()
    assert window.state.alarms == ()
    window.dialogs.show_alarms()
    dialog = opened(qtbot, window, AlarmDialog)
    assert dialog.windowTitle() == "Alarms now"
    assert "Glaze dust" in dialog.list.item(0).text()
    assert dialog.acknowledge.isEnabled()
    dialog.reject()
