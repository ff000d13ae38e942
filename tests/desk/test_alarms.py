"""The list of alarms: what was picked stays picked, and nothing else takes its place."""

from __future__ import annotations

from dataclasses import replace
from types import SimpleNamespace
from typing import cast

from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.alarm_states import AlarmState
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import LIGHT
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.store_feed import NewAlarms, read_picture
from rook_tally.desk.dialogs.alarms import AlarmDialog
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.base import Store
from tests.builders import NOON_US

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
