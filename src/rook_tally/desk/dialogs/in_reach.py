"""What is in reach: who is astray, ports, probes and announced stations; and every door."""

from __future__ import annotations

import threading
from collections.abc import Mapping

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.door_settings import BluetoothSetting, DoorSettings, door_name, polled_address
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.core.moment_words import moment_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.door_commands import NOTHING_IN_REACH, InReach, InReachQuery, RemoveDoor
from rook_tally.desk.data.door_trial import AddressFinder, DoorTrier
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope, StoreClient
from rook_tally.desk.dialogs.awaited_station import AwaitedStation, awaited_key
from rook_tally.desk.dialogs.door import DoorDialog
from rook_tally.desk.dialogs.door_form import proposed_pattern
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr, tr_count
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site import Door, DoorState, StrayGroup
from rook_tally.store.site.discovered_stations import Announced

_AGAIN_MS = 2000
_REACH_HEADS = ("What", "Name", "What it says")
_DOOR_HEADS = ("Door", "State", "Since")
_SORTS = {
    ReachSort.PORT: "serial port",
    ReachSort.PROBE: "probe",
    ReachSort.ADAPTER: "Bluetooth adapter",
    ReachSort.BLUETOOTH: "heard by Bluetooth",
    ReachSort.TOPIC: "topic at the broker",
    ReachSort.ADDRESS: "answers",
}
_STATES = {DoorState.OPEN: "open", DoorState.TRYING: "tries again", DoorState.CLOSED: "closed"}
_Row = StrayGroup | Announced | Reachable


class InReachDialog(StoreDialog):
    """Lists both, as they come and go. `take_in_wanted` carries the name of a sender, `kind_wanted`
    a sensor that is heard by Bluetooth and of which no kind knows what it says, `offered` what is
    in reach by now."""

    take_in_wanted = Signal(str)
    kind_wanted = Signal(Reachable)
    offered = Signal(InReach)
    answered = Signal(tuple)

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: StoreClient,
        parent: QWidget,
        trier: DoorTrier | None = None,
        finder: AddressFinder | None = None,
    ) -> None:
        super().__init__(client.scope(), parent)
        self._trier, self._finder = trier, finder
        self._answering: tuple[Reachable, ...] = ()
        self._theme, self._state, self._store_client = theme, state, client
        self.told = NOTHING_IN_REACH
        self._rows: list[_Row] = []
        self.setWindowTitle(tr("In reach"))
        self.resize(900, 600)
        self.reach = RowTable(theme, [tr(one) for one in _REACH_HEADS], tr("what is in reach"))
        self.doors = RowTable(theme, [tr(one) for one in _DOOR_HEADS], tr("doors"))
        self.said, self.problem, self.awaited_said = Label(), Label(), Label()
        self._awaited: AwaitedStation | None = None
        self.awaited_said.setWordWrap(True)
        self.awaited_said.hide()
        tint(self.said, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.setWordWrap(True)
        self.use, self.new = QPushButton(tr("Take in…")), QPushButton(tr("New door…"))
        self.alter, self.remove = QPushButton(tr("Change…")), QPushButton(tr("Delete"))
        self.look = QPushButton(tr("Look for addresses"))
        self.look.setToolTip(
            tr("Asks every machine that this one has spoken with of late once, over HTTP and CoAP")
        )
        self.look.setVisible(finder is not None)
        self.look.clicked.connect(self._on_look)
        self.answered.connect(self._on_answered)
        self._lay_out()
        self._again = QTimer(self, interval=_AGAIN_MS)
        self._again.timeout.connect(self.read_again)
        self._again.start()
        self.reach.itemSelectionChanged.connect(self._refresh)
        self.reach.doubleClicked.connect(lambda _at: self._on_use())
        self.doors.itemSelectionChanged.connect(self._refresh)
        self.doors.doubleClicked.connect(lambda _at: self._on_alter())
        offer_buttons(self.reach, self.use)
        offer_buttons(self.doors, self.new, self.alter, remove=self.remove)
        self.use.clicked.connect(self._on_use)
        self.new.clicked.connect(lambda: self._open())
        self.alter.clicked.connect(self._on_alter)
        self.remove.clicked.connect(self._on_remove)
        self.read_again()

    def _lay_out(self) -> None:
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.close)
        heads = Label(tr("Heard and found")), Label(tr("Doors"))
        for head in heads:
            head.setFont(face(15, BOLD))
        found, foot = QHBoxLayout(), QHBoxLayout()
        found.addWidget(self.said, 1)
        found.addWidget(self.look)
        found.addWidget(self.use)
        for button in (self.new, self.alter, self.remove):
            foot.addWidget(button)
        foot.addStretch(1)
        foot.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addWidget(heads[0])
        column.addWidget(self.reach, 3)
        column.addLayout(found)
        column.addWidget(heads[1])
        column.addWidget(self.doors, 2)
        column.addWidget(self.awaited_said)
        column.addWidget(self.problem)
        column.addLayout(foot)

    def read_again(self) -> None:
        """Read what there is by now."""
        self._client.read(InReachQuery(self._state.clock()), self._show)

    def _show(self, told: InReach) -> None:
        self._show_awaited(told)
        if told == self.told and self._rows:
            return
        self.told = told
        self.offered.emit(told)
        self._rows = [*told.strays, *told.announced, *told.found, *self._not_asked(told)]
        self._fill(self.reach, [self._reach_cells(one) for one in self._rows])
        doors = [(door_name(one.settings), door) for one, door in told.doors]
        doors += [(one.name, one) for one in told.others]
        self._fill(self.doors, [(name, *self._door_cells(door)) for name, door in doors])
        self.said.setText(
            tr_count(len(self._rows), "1 that is no station yet.", "{0} that are no station yet.")
            if self._rows
            else tr("Nothing is heard that is not a station already.")
        )
        self._refresh()

    def _wait_for(self, settings: DoorSettings, topic: str) -> None:
        """A door was set up: wait for what comes by it."""
        station = awaited_key(settings, topic)
        self._awaited = AwaitedStation(self._state, settings, station) if station else None
        self.awaited_said.setVisible(bool(station))

    def _wait_for_sensor(self, sensor: Reachable) -> None:
        """It is heard once a kind says what it says."""
        doors = [one.settings for one, _ in self.told.doors]
        door = next((one for one in doors if isinstance(one, BluetoothSetting)), None)
        if door is not None:
            self._awaited = AwaitedStation(self._state, door, sensor.name)
            self.awaited_said.setVisible(True)

    def _show_awaited(self, told: InReach) -> None:
        if self._awaited is None:
            return
        news = self._awaited.news(told)
        self.awaited_said.setText(news.words)
        if news.is_over:
            self._awaited = None
        if news.take_in:
            self.take_in_wanted.emit(news.take_in)

    def _not_asked(self, told: InReach) -> list[Reachable]:
        """Addresses that answer, but for those that are asked already."""
        asked = {polled_address(one.settings) for one, _ in told.doors}
        return [one for one in self._answering if one.name not in asked]

    def _on_look(self) -> None:
        finder = self._finder
        if finder is None:
            return
        self.look.setEnabled(False)
        self.look.setText(tr("Looking…"))

        def look() -> None:
            try:
                self.answered.emit(finder())
            except OSError as error:
                # Nobody was asked: the button is there again, and the log says why.
                import structlog

                structlog.get_logger(__name__).warning("addresses_not_asked", why=str(error))
                self.answered.emit(())
            except RuntimeError:
                # The dialog was closed meanwhile: nobody wants to know any more.
                return

        threading.Thread(target=look, daemon=True, name="looking").start()

    def _on_answered(self, found: tuple[Reachable, ...]) -> None:
        self.look.setEnabled(True)
        self.look.setText(tr("Look for addresses"))
        self._answering = found
        self.problem.setText(
            "" if found else tr("Of the machines this one has spoken with of late none answers.")
        )
        told, self.told = self.told, NOTHING_IN_REACH
        self._show(told)

    def _fill(self, table: RowTable, rows: list[tuple[str, ...]]) -> None:
        """Fill a table, and keep what is picked in it."""
        at = table.currentRow()
        table.fill(rows)
        if 0 <= at < len(rows):
            table.selectRow(at)

    def _reach_cells(self, one: _Row) -> tuple[str, ...]:
        match one:
            case StrayGroup():
                count = tr_count(one.count, "1 message", "{0} messages")
                last = self._moment(one.last_us)
                what = tr("sends by {0}", one.door)
                return what, one.station or tr("unnamed"), f"{count} · {last} · {one.why}"
            case Announced():
                return tr("announces itself"), one.name, one.url
            case Reachable():
                return tr(_SORTS[one.sort]), one.title or one.name, one.says

    def _door_cells(self, door: Door | None) -> tuple[str, ...]:
        if door is None:
            return tr("no collector has opened it"), ""
        state = tr(_STATES[door.state])
        words = f"{state}: {door.detail}" if door.detail else state
        return words, self._moment(door.since_us)

    def _moment(self, time_us: int) -> str:
        return moment_words(datetime_from_time_us(time_us).astimezone(self._state.zone))

    @property
    def picked(self) -> _Row | None:
        """What is picked of what was heard and found."""
        at = self.reach.currentRow()
        return self._rows[at] if 0 <= at < len(self._rows) else None

    @property
    def picked_door(self) -> DoorSettings | None:
        """The door that is picked, if it was set up here."""
        at = self.doors.currentRow()
        return self.told.doors[at][0].settings if 0 <= at < len(self.told.doors) else None

    def _refresh(self) -> None:
        one = self.picked
        is_stray = one is None or isinstance(one, StrayGroup)
        is_nobody = one is None or (isinstance(one, StrayGroup) and not one.station)
        self.use.setText(tr("Take in…") if is_stray else tr("Set up…"))
        self.use.setEnabled(not is_nobody)
        for button in (self.alter, self.remove):
            button.setEnabled(self.picked_door is not None)

    def _on_use(self) -> None:
        match self.picked:
            case StrayGroup(station=str(name)):
                self.take_in_wanted.emit(name)
            case Announced() as one:
                self._open("poll", {"url": one.url, "station": one.name})
            case Reachable(sort=ReachSort.PORT) as port:
                self._open("serial", {"path": port.name})
            case Reachable(sort=ReachSort.ADDRESS) as address:
                self._open("poll", {"url": address.name})
            case Reachable(sort=ReachSort.ADAPTER) as adapter:
                self._open("bluetooth", {"adapter": adapter.name})
            case Reachable(sort=ReachSort.BLUETOOTH) as sensor:
                self._wait_for_sensor(sensor)
                self.kind_wanted.emit(sensor)
            case Reachable(sort=ReachSort.TOPIC) as topic:
                begun = {"pattern": proposed_pattern(topic.name, topic.says)}
                self._open("topics", begun, topic=topic.name)
            case Reachable() as probe:
                self._open("probes", {"only": probe.name})
            case _:
                return

    def _on_alter(self) -> None:
        door = self.picked_door
        if door is not None:
            self._open(before=door)

    def _on_remove(self) -> None:
        door = self.picked_door
        if door is not None:
            self.problem.setText("")
            self._client.write(
                RemoveDoor(door), lambda _done: self.read_again(), self.problem.setText
            )

    def _open(
        self,
        sort: str = "serial",
        begun: Mapping[str, str] | None = None,
        before: DoorSettings | None = None,
        topic: str = "",
    ) -> None:
        scope: ClientScope = self._store_client.scope()
        dialog = DoorDialog(
            self._theme,
            scope,
            self,
            sort=sort,
            begun=begun,
            before=before,
            trier=self._trier,
            told=self.told,
        )
        dialog.finished.connect(self.read_again)
        dialog.set_up.connect(lambda settings: self._wait_for(settings, topic))
        self.offered.connect(dialog.offer)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()
