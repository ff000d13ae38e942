"""The dialog of all alarms: acknowledged with a word why, or shelved until some time."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.desk.data.alarm_commands import RequestOfAlarm, shelves
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.alarm_lines import state_words
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.site import RequestKind


class AlarmDialog(QDialog):
    """Lists what stands and follows it. `watch_wanted` carries the name of a watch to be
    opened."""

    watch_wanted = Signal(str)

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.resize(560, 380)
        self._state, self._client = state, client
        self.shown: tuple[ActiveAlarm, ...] = ()
        self.list = QListWidget()
        self.list.setAccessibleName(tr("alarms"))
        self.list.setFont(face(13))
        self.list.setStyleSheet(list_style(theme))
        self.word = QLineEdit()
        self.word.setPlaceholderText(tr("Why? For the journal"))
        self.word.setAccessibleName(tr("why"))
        self.until = QComboBox()
        self.until.setAccessibleName(tr("shelve until"))
        for words, until_us in shelves(state.clock(), state.zone):
            self.until.addItem(words, until_us)
        self.acknowledge = QPushButton(tr("Acknowledge"))
        self.shelve = QPushButton(tr("Shelve"))
        self.unshelve = QPushButton(tr("Unshelve"))
        self.open_watch = QPushButton(tr("Open its watch"))
        self.empty = Label(tr("There is no alarm."))
        tint(self.empty, theme.dim)
        buttons = QHBoxLayout()
        for one in (self.acknowledge, self.shelve, self.until, self.unshelve):
            buttons.addWidget(one)
        buttons.addStretch(1)
        buttons.addWidget(self.open_watch)
        column = QVBoxLayout(self)
        column.addWidget(self.empty)
        column.addWidget(self.list, 1)
        column.addWidget(self.word)
        column.addLayout(buttons)
        offer_buttons(self.list, self.acknowledge, self.shelve, self.unshelve, self.open_watch)
        self.acknowledge.clicked.connect(lambda: self._ask(RequestKind.ACKNOWLEDGE))
        self.shelve.clicked.connect(lambda: self._ask(RequestKind.SHELVE))
        self.unshelve.clicked.connect(lambda: self._ask(RequestKind.UNSHELVE))
        self.open_watch.clicked.connect(self._open)
        self.list.currentRowChanged.connect(lambda _row: self._show_buttons())
        self._was_filled = False
        self._leave = state.subscribe(lambda _changed: self.refresh())
        self.refresh()

    def done(self, result: int) -> None:
        """It follows the alarms no longer."""
        self._leave()
        super().done(result)

    def closeEvent(self, event: QCloseEvent) -> None:
        """However it is closed."""
        self._leave()
        super().closeEvent(event)

    def refresh(self) -> None:
        """Show what stands; what was picked stays picked."""
        # Those of now, also while the window shows the past: they call for somebody.
        alarms = self._state.live_alarms
        picked = self.picked
        if alarms != self.shown:
            self.shown = alarms
            places = {one.id: one.station.place.name for one in self._state.site.series}
            self.list.blockSignals(True)
            self.list.clear()
            for one in alarms:
                words = state_words(one, self._state.clock())
                place = places.get(one.series_id, "")
                item = QListWidgetItem(f"{one.name} · {place} · {tr(one.level.wording)}, {words}")
                item.setData(Qt.ItemDataRole.UserRole, one)
                self.list.addItem(item)
            keys = [(one.watch, one.series_id) for one in alarms]
            wanted = None if picked is None else (picked.watch, picked.series_id)
            # When what was picked is over, nothing is: a press must not reach another alarm.
            row = keys.index(wanted) if wanted in keys else -1 if self._was_filled else 0
            self.list.setCurrentRow(row)
            self._was_filled = True
            self.list.blockSignals(False)
        self._show_buttons()

    @property
    def picked(self) -> ActiveAlarm | None:
        """The alarm that is picked."""
        row = self.list.currentRow()
        return self.shown[row] if 0 <= row < len(self.shown) else None

    def _show_buttons(self) -> None:
        one = self.picked
        calls = one is not None and one.state.value.endswith("unacknowledged")
        is_shelved = one is not None and one.state.value == "shelved"
        self.acknowledge.setEnabled(calls)
        self.shelve.setEnabled(one is not None and not is_shelved)
        self.unshelve.setVisible(is_shelved)
        is_past = not self._state.window.is_live
        self.setWindowTitle(tr("Alarms now") if is_past else tr("Alarms"))
        self.open_watch.setEnabled(one is not None)
        self.empty.setVisible(not self.shown)
        self.list.setVisible(bool(self.shown))

    def _ask(self, sort: RequestKind) -> None:
        one = self.picked
        if one is None:
            return
        until_us = self.until.currentData() if sort is RequestKind.SHELVE else None
        self._client.write(
            RequestOfAlarm(
                sort,
                one.watch,
                one.name,
                self._state.clock(),
                one.series_id,
                self.word.text().strip(),
                until_us,
            )
        )
        self.word.clear()

    def _open(self) -> None:
        one = self.picked
        if one is not None:
            self.watch_wanted.emit(one.watch)
            self.accept()
