"""The page of plans in Stations: the site and its places on the left, a plan on the right."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QMimeData, QPoint, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.file_dialog import file_to_read
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.picture_file import picture_of_file
from rook_tally.desk.parts.pictures import Pictures
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.plan.canvas import STATION_MIME, PlanCanvas
from rook_tally.desk.plan.commands import Hang, PutPlan, RemovePlan, RenamePlan
from rook_tally.desk.plan.model import ListLine, PlanModel
from rook_tally.desk.plan.site_tasks import SiteTask, more_tasks
from rook_tally.desk.plan.texts import tr
from rook_tally.desk.plan.where_dialog import PICTURES, WhereDialog

_SHOWN_MS = 250
_LEFT, _PHOTOGRAPH = 379, QSize(206, 116)
_STATION = Qt.ItemDataRole.UserRole


class _StationList(QListWidget):
    """Places with their stations; a station is dragged from here onto the plan."""

    def mimeTypes(self) -> list[str]:
        """What is carried."""
        return [STATION_MIME]

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        """The key of the station that is carried."""
        told = QMimeData()
        for one in items:
            told.setData(STATION_MIME, str(one.data(_STATION)).encode())
        return told


class PlanPage(QWidget):
    """Shows plans. `station_opened` hears which station is to be looked at, `task_wanted` what of
    the site is to be set up."""

    station_opened = Signal(str)
    task_wanted = Signal(SiteTask)
    told = Signal(str)

    def __init__(self, theme: Theme, state: SiteState, client: StoreClient) -> None:
        super().__init__()
        self._theme, self._state, self._client = theme, state, client
        self.model = PlanModel(state)
        self.pictures = Pictures(client, self)
        self.canvas = PlanCanvas(theme, self.model, self.pictures.image)
        self.pictures.arrived.connect(self._on_picture)
        self._name, self._site, self._summary = Label(), Label(), Label()
        self.list = _StationList()
        self.list.setAccessibleName(tr("places and their stations"))
        self.change, self.places = QPushButton(tr("Site…")), QPushButton(tr("Places…"))
        self.more = QPushButton(tr("More"))
        more = QMenu(self.more)
        for task, words in more_tasks():
            more.addAction(words, partial(self.task_wanted.emit, task))
        self.more.setMenu(more)
        self.tabs = QHBoxLayout()
        self.new = QPushButton(tr("New plan…"))
        self.edit = QPushButton(tr("Plan"))
        menu = QMenu(self.edit)
        menu.addAction(tr("Rename…"), self._rename)
        menu.addAction(tr("Another picture…"), lambda: self._choose(self._plan_name))
        menu.addAction(tr("Remove"), self._remove)
        self.edit.setMenu(menu)
        self.card = QWidget()
        self._station, self._where, self._photo = Label(), Label(), Label()
        self.where, self.off = QPushButton(tr("Where…")), QPushButton(tr("Take off"))
        self.hang, self.open = QPushButton(tr("Hang here")), QPushButton(tr("Open"))
        self._shown: list[ListLine] = []
        self._plan_buttons: list[QPushButton] = []
        self._lay_out()
        self._connect()
        self._soon = QTimer(self, singleShot=True, interval=_SHOWN_MS)
        self._soon.timeout.connect(self._refresh_if_shown)
        state.subscribe(self._on_state_changed)

    def _lay_out(self) -> None:
        theme = self._theme
        for label, font, role in (
            (self._name, face(17, BOLD), theme.ink),
            (self._site, face(12), theme.dim),
            (self._summary, face(12), theme.dim),
            (self._station, face(13, BOLD), theme.ink),
            (self._where, face(12), theme.dim),
        ):
            label.setFont(font)
            label.setWordWrap(True)
            tint(label, role)
        self.list.setDragEnabled(True)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        self.list.setStyleSheet(
            f"QListWidget {{ background: {theme.paper}; }}"
            f"QListWidget::item {{ border-bottom: 1px solid {theme.rule}; padding: 5px 0; }}"
            f"QListWidget::item:selected {{ background: {theme.sheet}; color: {theme.ink}; }}"
        )
        buttons = QHBoxLayout()
        for button in (self.change, self.places, self.more):
            button.setObjectName("small")
            buttons.addWidget(button)
        buttons.addStretch(1)
        hint = Label(
            tr(
                "Drag a station onto the plan, or pick it and press Hang here. "
                "Ctrl+Z takes it back."
            )
        )
        hint.setWordWrap(True)
        hint.setFont(face(12))
        tint(hint, theme.dim)
        left = QWidget()
        left.setFixedWidth(_LEFT)
        left.setAutoFillBackground(True)
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(6)
        for part in (self._name, self._site):
            column.addWidget(part)
        column.addLayout(buttons)
        column.addSpacing(6)
        column.addWidget(self.list, 1)
        column.addWidget(self.card)
        column.addWidget(hint)
        self._lay_out_card()
        head = QHBoxLayout()
        head.setContentsMargins(16, 12, 16, 0)
        head.setSpacing(6)
        head.addLayout(self.tabs)
        for button in (self.new, self.edit):
            button.setObjectName("small")
            head.addWidget(button)
        head.addStretch(1)
        head.addWidget(self._summary)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addLayout(head)
        right.addWidget(self.canvas, 1)
        rule = QWidget()
        rule.setFixedWidth(1)
        rule.setStyleSheet(f"background: {theme.strong_rule};")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(left)
        row.addWidget(rule)
        row.addLayout(right, 1)

    def _lay_out_card(self) -> None:
        foot = QHBoxLayout()
        foot.setSpacing(6)
        for button in (self.hang, self.where, self.off, self.open):
            button.setObjectName("small")
            foot.addWidget(button)
        foot.addStretch(1)
        column = QVBoxLayout(self.card)
        column.setContentsMargins(0, 8, 0, 4)
        column.setSpacing(4)
        for part in (self._station, self._where, self._photo):
            column.addWidget(part)
        column.addLayout(foot)

    def _connect(self) -> None:
        canvas = self.canvas
        canvas.picked.connect(self.pick)
        canvas.hung.connect(self.hang_at)
        canvas.opened.connect(self.station_opened)
        canvas.off.connect(lambda _key: self.take_off())
        canvas.menu_wanted.connect(self._offer)
        self.list.currentItemChanged.connect(self._on_current)
        self.list.itemActivated.connect(lambda item: self._open(str(item.data(_STATION) or "")))
        self.change.clicked.connect(lambda: self.task_wanted.emit(SiteTask.SETTINGS))
        self.places.clicked.connect(lambda: self.task_wanted.emit(SiteTask.PLACES))
        self.new.clicked.connect(lambda: self._choose(""))
        self.where.clicked.connect(self._say_where)
        self.off.clicked.connect(self.take_off)
        self.hang.clicked.connect(lambda: self.hang_at(self.model.picked, 0.5, 0.5))
        self.open.clicked.connect(lambda: self._open(self.model.picked))

    # Shown

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if not self.isVisible():
            return
        if changed is None:
            self.refresh()
        elif not self._soon.isActive():
            # Readings come by the dozen a second; nobody reads figures faster than this.
            self._soon.start()

    def _refresh_if_shown(self) -> None:
        if self.isVisible():
            self._show_card()
            self.canvas.update()

    def _on_picture(self) -> None:
        self.canvas.update()
        self._show_card()

    def refresh(self) -> None:
        """Show what the model says."""
        model = self.model
        self._name.setText(self._state.site.name or tr("A site without a name"))
        self._site.setText(model.site_words)
        self._summary.setText(model.summary() if model.plan is not None else "")
        self.edit.setVisible(model.plan is not None)
        self._show_tabs()
        self._show_list()
        self._show_card()
        self.canvas.update()

    def _show_tabs(self) -> None:
        names = [one.name for one in self.model.plans]
        if names != [one.text() for one in self._plan_buttons]:
            for old in self._plan_buttons:
                old.deleteLater()
            self._plan_buttons = [QPushButton(name) for name in names]
            for name, button in zip(names, self._plan_buttons, strict=True):
                button.setObjectName("small")
                button.setCheckable(True)
                button.clicked.connect(lambda _, name=name: self.show_plan(name))
                self.tabs.addWidget(button)
        for button in self._plan_buttons:
            button.setChecked(button.text() == self._plan_name)

    def _show_list(self) -> None:
        lines = self.model.lines
        if lines == self._shown:
            return
        self._shown = lines
        self.list.blockSignals(True)
        self.list.clear()
        for line in lines:
            item = QListWidgetItem("    " * line.depth + line.words)
            item.setData(_STATION, line.station)
            if line.station:
                item.setFont(face(13))
                item.setForeground(QColor(self._theme.dim if line.is_hung else self._theme.ink))
                item.setToolTip(
                    tr("It hangs here.") if line.is_hung else tr("Drag it to its place.")
                )
            else:
                item.setFont(face(13, BOLD))
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.list.addItem(item)
            if line.station and line.station == self.model.picked:
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)

    def _show_card(self) -> None:
        station, plan = self.model.station, self.model.plan
        self.card.setVisible(station is not None)
        if station is None:
            return
        is_hung = plan is not None and station.id in plan.marks
        self._station.setText(station.key)
        self._where.setText(self.model.about())
        number = station.photograph_id
        image = None if number is None else self.pictures.image(number)
        self._photo.setVisible(image is not None)
        if image is not None:
            self._photo.setPixmap(
                QPixmap.fromImage(
                    image.scaled(
                        _PHOTOGRAPH,
                        Qt.AspectRatioMode.KeepAspectRatio,
                        Qt.TransformationMode.SmoothTransformation,
                    )
                )
            )
        self.hang.setVisible(plan is not None and not is_hung)
        self.off.setVisible(is_hung)

    def _on_current(self, item: QListWidgetItem | None, _before: object) -> None:
        if item is not None and item.data(_STATION):
            self.pick(str(item.data(_STATION)))

    def pick(self, key: str) -> None:
        """Pick a station, or none."""
        if key == self.model.picked:
            return
        self.model.picked = key
        for at in range(self.list.count()):
            item = self.list.item(at)
            if key and item.data(_STATION) == key:
                self.list.setCurrentItem(item)
        self._show_card()
        self.canvas.update()

    def show_plan(self, name: str) -> None:
        """Show another plan."""
        self.model.show(name)
        self.refresh()

    # Done

    @property
    def _plan_name(self) -> str:
        return "" if self.model.plan is None else self.model.plan.name

    def hang_at(self, key: str, x: float, y: float) -> None:
        """Let a station hang somewhere on the plan."""
        station = self._state.site.station(key)
        if station is not None and self.model.plan is not None:
            self.model.picked = key
            at = round(x, 4), round(y, 4)
            if station.id in self.model.plan.marks:
                self.model.let_go(key, at)
            wanted = Hang(self._plan_name, station.id, key, at)
            self._client.write(wanted, on_error=self._on_not_hung)
            self.canvas.update()

    def _on_not_hung(self, why: str) -> None:
        self.model.not_hung()
        self.canvas.update()
        self.told.emit(why)

    def take_off(self) -> None:
        """Take the picked station off the plan."""
        station = self.model.station
        if station is not None and self.model.plan is not None:
            wanted = Hang(self._plan_name, station.id, station.key, None)
            self._client.write(wanted, on_error=self.told.emit)

    def _open(self, key: str) -> None:
        if key:
            self.station_opened.emit(key)

    def _offer(self, at: QPoint) -> None:
        if not self.model.picked:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction(tr("Open the station"), lambda: self._open(self.model.picked))
        menu.addAction(tr("Where it hangs…"), self._say_where)
        menu.addAction(tr("Take off the plan (Delete)"), self.take_off)
        menu.popup(at)

    def _say_where(self) -> None:
        station = self.model.station
        if station is not None:
            WhereDialog(self._theme, self._client, station, self._state.clock(), self).open()

    def _choose(self, name: str) -> None:
        """Choose a picture: for a new plan, or another one for that of a name."""
        dialog = file_to_read(self, FilePurpose.PLAN, tr("Choose a picture"), PICTURES)
        dialog.fileSelected.connect(lambda path: self.put(path, name))
        dialog.open()

    def put(self, path: str, name: str = "") -> None:
        """Put a picture up as a plan; called as its file unless it has a name."""
        told = name or Path(path).stem.replace("-", " ").replace("_", " ").capitalize()
        try:
            body = picture_of_file(Path(path))
        except UsageError as error:
            self.told.emit(str(error))
            return
        self.model.show(told)
        self._client.write(PutPlan(told, body, self._state.clock()), on_error=self.told.emit)

    def _rename(self) -> None:
        old = self._plan_name
        ValueDialog(
            self._theme,
            self,
            title=tr("Rename {0}", old),
            label=tr("Name"),
            value=old,
            take=lambda text: RenamePlan(old, text.strip()),
            client=self._client.scope(),
            on_saved=lambda _: self.refresh(),
        ).open()

    def _remove(self) -> None:
        self._client.write(RemovePlan(self._plan_name), on_error=self.told.emit)
