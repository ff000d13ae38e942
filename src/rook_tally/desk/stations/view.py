"""The Stations view: who is astray, the fleet, and the picked station's page."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QModelIndex, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QPainter, QPaintEvent, QPen, QShortcut, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.plan.page import PlanPage
from rook_tally.desk.stations.actions import StationsAction
from rook_tally.desk.stations.fleet_list import (
    AGE_RIGHT,
    HEARD_LEFT,
    LIST_WIDTH,
    POWER_RIGHT,
    FleetList,
    FleetListModel,
)
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.page import StationPageView
from rook_tally.desk.stations.queries import Fleet
from rook_tally.desk.stations.station_actions import StationActions
from rook_tally.desk.stations.stray_note import StrayNote
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Series

_SOON_MS = 200
_SHOWN_MS = 500
_FLEET_EVERY_MS = 5_000


class _ListHead(QWidget):
    """Names over the list's columns."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.setFixedHeight(32)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw the names and the rule under them."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.paper))
        painter.setPen(QPen(colour(self._theme.strong_rule), 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        painter.setFont(face(12))
        painter.setPen(colour(self._theme.dim))
        middle = Qt.AlignmentFlag.AlignVCenter
        for text, left in ((tr("Station"), 16), (tr("heard, last 6 h"), HEARD_LEFT)):
            painter.drawText(QRectF(left, 0, 150, self.height()), middle, text)
        for text, right in ((tr("age"), AGE_RIGHT), (tr("power"), POWER_RIGHT)):
            room = QRectF(right - 80, 0, 80, self.height())
            painter.drawText(room, middle | Qt.AlignmentFlag.AlignRight, text)


class StationsView(QWidget):
    """The fleet on the left, a station's page on the right.

    `limits_wanted` and `readings_wanted` hear of which series, `series_opened` which are to be
    looked at closer.
    """

    limits_wanted = Signal(Series)
    readings_wanted = Signal(Series)
    series_opened = Signal(list)
    in_reach_wanted = Signal()

    def __init__(self, theme: Theme, state: SiteState, client: StoreClient) -> None:
        super().__init__()
        self._theme = theme
        self._state = state
        self._client = client
        self._tape_moves = -1
        self.model = StationsModel(state)
        self.fleet = FleetListModel(self.model)
        self.list = FleetList(self.fleet, theme, self)
        let_copy(self.list, with_menu=False)
        self.note = StrayNote(theme)
        self.page = StationPageView(theme, self.model)
        self._soon = QTimer(self, singleShot=True, interval=_SOON_MS)
        self._soon.timeout.connect(self._ask)
        self._shown_soon = QTimer(self, singleShot=True, interval=_SHOWN_MS)
        self._shown_soon.timeout.connect(self._refresh_if_shown)
        self._again = QTimer(self, interval=_FLEET_EVERY_MS)
        self._again.timeout.connect(self._ask)
        self._again.timeout.connect(self._look_again)
        self._empty = Label(
            tr(
                "No station has been added yet. Let one send to this machine, and it shows here; "
                "or add it first."
            )
        )
        self._empty.setFont(face(13))
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.plan = PlanPage(theme, state, client)
        self.to_fleet, self.to_plan = QPushButton(tr("Fleet")), QPushButton(tr("Site and plan"))
        self.to_plan.setToolTip(tr("Where everything hangs (P)"))
        self.plan.station_opened.connect(self._open_station)
        self.connect_station = QPushButton(tr("Connect a station…"))
        self.connect_station.setToolTip("Ctrl+N")
        self.kinds = QPushButton(tr("Kinds…"))
        self.kinds.setToolTip(tr("What fields of stations measure, what they can be told (K)"))
        self.firmware = QPushButton(tr("Firmware…"))
        self.firmware.setToolTip(tr("Programs of stations, given out in steps (U)"))
        self.in_reach = QPushButton(tr("In reach…"))
        self.in_reach.setToolTip(
            tr("Who sends and is no station yet, ports, probes; every door (Ctrl+Shift+I)")
        )
        self.in_reach.clicked.connect(self.in_reach_wanted)
        self._fleet_page = QWidget()
        self._lay_out()
        self.page.held.connect(self.model.hold)
        self.tasks = StationActions(theme, self.model, client, self)
        self.page.asked.connect(self.do)
        self.connect_station.clicked.connect(partial(self.do, StationsAction.ADD))
        self.kinds.clicked.connect(partial(self.do, StationsAction.KINDS))
        self.firmware.clicked.connect(partial(self.do, StationsAction.FIRMWARE))
        self.list.doubleClicked.connect(partial(self.do, StationsAction.SETTINGS))
        self.page.controls.asked.connect(self.tasks.ask_control)
        self.note.take_in_wanted.connect(self.tasks.take_in)
        self.note.dismiss_wanted.connect(lambda line: self.tasks.dismiss(line.station))
        self._bind_keys()
        self.list.selectionModel().currentChanged.connect(self._on_picked)
        self.model.changed.append(self._refresh)
        state.subscribe(self._on_state_changed)
        self._refresh()

    def _bind_keys(self) -> None:
        """Each key where it means what it says: that of a field in the list of fields, and what
        takes a station away only in the list of stations."""
        everywhere = (
            StationsAction.ADD,
            StationsAction.TAKE_IN,
            StationsAction.PLAN,
            StationsAction.KINDS,
            StationsAction.FIRMWARE,
        )
        for action in StationsAction:
            widget: QWidget = self if action in everywhere else self._fleet_page
            if action in (StationsAction.RENAME, StationsAction.REMOVE):
                widget = self.list
            elif action is StationsAction.IN_STRIP:
                widget = self.page.fields
            for keys in action.keys:
                shortcut = QShortcut(QKeySequence(keys), widget)
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.activated.connect(partial(self.do, action))

    def do(self, action: StationsAction, *_: object) -> None:
        """Do what a key, a button or the list of commands asks for."""
        tasks, lives = self.tasks, self.tasks.lives
        doing: dict[StationsAction, Callable[[], object]] = {
            StationsAction.ADD: tasks.add_station,
            StationsAction.TAKE_IN: self.take_in_first,
            StationsAction.CONNECTION: tasks.show_sheet,
            StationsAction.SETTINGS: tasks.edit_settings,
            StationsAction.NOTES: tasks.edit_notes,
            StationsAction.NEW_KEY: tasks.renew_key,
            StationsAction.RENAME: lives.rename,
            StationsAction.REPLACE: lives.replace,
            StationsAction.MAINTAIN: lives.maintain,
            StationsAction.RETIRE: lives.retire,
            StationsAction.REMOVE: lives.remove,
            StationsAction.OUT_OF_USE: lives.show_put_away,
            StationsAction.FIELD: lambda: tasks.edit_field(self.page.picked_field),
            StationsAction.LIMITS: lambda: self._with_field(self.limits_wanted.emit),
            StationsAction.READINGS: lambda: self._with_field(self.readings_wanted.emit),
            StationsAction.IN_STRIP: lambda: self._with_field(
                lambda one: self.series_opened.emit([one])
            ),
            StationsAction.KINDS: tasks.edit_kinds,
            StationsAction.FIRMWARE: tasks.show_firmware,
            StationsAction.HOLD: self.page.hold.toggle,
            StationsAction.PLAN: lambda: self.show_page(1 - self.pages.currentIndex()),
        }
        doing[action]()

    def _with_field(self, call: Callable[[Series], object]) -> None:
        series = self.model.field_series(self.page.picked_field)
        if series is not None:
            call(series)

    def _lay_out(self) -> None:
        left = QWidget()
        left.setFixedWidth(LIST_WIDTH)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.note)
        column.addWidget(_ListHead(self._theme))
        column.addWidget(self.list, 1)
        fleet = self._fleet_page
        row = QHBoxLayout(fleet)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(left)
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {self._theme.strong_rule};")
        row.addWidget(rule)
        row.addWidget(self.page, 1)
        row.addWidget(self._empty, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(fleet)
        self.pages.addWidget(self.plan)
        bar = QHBoxLayout()
        bar.setContentsMargins(16, 6, 16, 6)
        bar.setSpacing(6)
        for at, button in enumerate((self.to_fleet, self.to_plan)):
            button.setObjectName("small")
            button.setCheckable(True)
            button.clicked.connect(lambda _, at=at: self.show_page(at))
            bar.addWidget(button)
        bar.addStretch(1)
        for button in (self.in_reach, self.kinds, self.firmware, self.connect_station):
            button.setObjectName("small")
            bar.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(bar)
        column.addWidget(self.pages, 1)
        self.show_page(0)

    def show_page(self, at: int) -> None:
        """Show the fleet (0) or the plans (1)."""
        self.pages.setCurrentIndex(at)
        self.to_fleet.setChecked(at == 0)
        self.to_plan.setChecked(at == 1)
        if at == 1:
            self.plan.refresh()

    def _open_station(self, key: str) -> None:
        self.show_page(0)
        self.pick(key)

    @property
    def is_up_to_date(self) -> bool:
        """True if everything asked for is shown."""
        return self.model.is_answered

    def pick(self, key: str) -> None:
        """Pick a station, as the mouse or the arrow keys do."""
        self.show_page(0)
        self._mark(key)

    def _mark(self, key: str) -> None:
        keys = [one.station.key for one in self.fleet.rows]
        self.list.setCurrentIndex(self.fleet.index(keys.index(key)))

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything, and again while it is looked at."""
        super().showEvent(event)
        self._ask()
        self._again.start()

    def _ask(self) -> None:
        if not self.isVisible():
            self._again.stop()
            return
        self._client.read(self.model.fleet_question(), self._on_fleet)
        self._ask_page()

    def _ask_page(self) -> None:
        question = self.model.page_question()
        if question is not None:
            self._client.read(question, self.model.take_page)
        power = self.model.power_question()
        if power is not None:
            self._client.read(power, self.model.take_power)

    def _on_fleet(self, fleet: Fleet) -> None:
        if not self.isVisible():
            return
        self.model.take_fleet(fleet)
        if self.model.page is None:
            # The first station is picked by now, and its page was not asked for.
            self._ask_page()

    def _look_again(self) -> None:
        self.tasks.look_again()

    def _refresh_if_shown(self) -> None:
        if self.isVisible():
            self._refresh()

    def take_in_first(self) -> None:
        """Begin to take in the first stray sender."""
        key = self.model.to_take_in()
        if key is not None:
            self.tasks.take_in(key)

    def _on_picked(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if current.isValid():
            self.model.pick(self.fleet.rows[current.row()].station.key)
            self._ask()

    def _on_state_changed(self, changed: set[int] | None) -> None:
        moved = self._state.tape_moves != self._tape_moves
        self._tape_moves = self._state.tape_moves
        if not self.isVisible():
            return
        if moved:
            self.tasks.look_again()
        if (moved or changed is None) and not self._soon.isActive():
            self._soon.start()
        if changed is None:
            self._refresh()
        elif not self._shown_soon.isActive():
            # Readings come by the dozen a second; nobody reads ages faster than this.
            self._shown_soon.start()

    def _refresh(self) -> None:
        self.fleet.refresh()
        station = self.model.picked
        self.note.show_strays(self.model.stray_headline(), self.model.stray_lines())
        self._empty.setVisible(station is None)
        self.page.refresh()
        self.tasks.refresh()
        if station is not None and not self.list.currentIndex().isValid():
            # Whoever has gone on to the plan meanwhile stays there.
            self._mark(station.key)
