"""The dialog of places: a tree of rooms, beds, yards and machines, to be arranged by hand."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_commands import (
    DeletePlace,
    MakePlace,
    MergePlaces,
    NestPlace,
    OrderPlaces,
    RenamePlace,
    SetIndoors,
)
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope, Command
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.places_model import (
    moved_order,
    names_around,
    names_for_merging,
    place_lines,
)
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.keys import keys_of
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site import Place

_NAME_WIDTH, _WHERE_WIDTH, _ROW = 220, 90, 26


class _Tree(QTreeWidget):
    """The tree; what its own keys do not do is offered to `by_keys`."""

    def __init__(self) -> None:
        super().__init__()
        self.by_keys: dict[str, Callable[[], object]] = {}

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Do what the keys say."""
        for keys in keys_of(event):
            if keys in self.by_keys:
                self.by_keys[keys]()
                return
        super().keyPressEvent(event)


class PlacesDialog(StoreDialog):
    """Follows the site, and does what the person says to the place that is picked."""

    def __init__(
        self,
        theme: Theme,
        state: SiteState,
        client: ClientScope,
        undo: Callable[[], object],
        parent: QWidget,
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._state = theme, state
        self._wanted = ""
        self.setWindowTitle(tr("Places"))
        self.resize(720, 460)
        self.tree = _Tree()
        self.tree.setHeaderLabels([tr("Place"), tr("Where"), tr("Stations")])
        self.tree.setAccessibleName(tr("places"))
        self.tree.setFont(face(13))
        self.tree.setFrameShape(QTreeWidget.Shape.NoFrame)
        self.tree.setStyleSheet(
            f"QTreeView {{ background: {theme.sheet}; outline: none; }}"
            f"QTreeView::item {{ height: {_ROW}px; color: {theme.ink}; }}"
            f"QTreeView::item:selected {{ background: {theme.rule}; }}"
        )
        self.tree.setColumnWidth(0, _NAME_WIDTH)
        self.tree.setColumnWidth(1, _WHERE_WIDTH)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.problem = Label()
        self.problem.setWordWrap(True)
        self.problem.hide()
        tint(self.problem, theme.level(Level.HIGH))
        self.buttons: dict[str, QPushButton] = {}
        self._does: tuple[tuple[str, str, str, Callable[[], object]], ...] = (
            ("new", tr("New…"), "Ins", self._make),
            ("rename", tr("Rename…"), "F2", self._rename),
            ("indoors", tr("Indoors or outdoors"), "Ctrl+I", self._turn_indoors),
            ("up", tr("Up"), "Ctrl+Up", lambda: self._move(-1)),
            ("down", tr("Down"), "Ctrl+Down", lambda: self._move(1)),
            ("into", tr("Put into…"), "Ctrl+Right", self._nest),
            ("out", tr("Take out"), "Ctrl+Left", self._take_out),
            ("merge", tr("Merge into…"), "", self._merge),
            ("delete", tr("Delete"), "Del", self._delete),
        )
        self._lay_out()
        # The window's own keys do not reach it while this stands before it.
        self.tree.by_keys["Ctrl+Z"] = undo
        self.tree.currentItemChanged.connect(lambda *_: self._refresh_buttons())
        self.tree.itemDoubleClicked.connect(lambda *_: self._rename())
        self.tree.customContextMenuRequested.connect(self._show_menu)
        self.finished.connect(state.subscribe(self._on_state_changed))
        self._fill()
        self.tree.setFocus()

    def _lay_out(self) -> None:
        column = QVBoxLayout()
        column.setSpacing(6)
        for name, words, keys, call in self._does:
            button = QPushButton(words)
            button.setObjectName("small")
            button.setToolTip(keys)
            button.setAutoDefault(False)
            button.clicked.connect(call)
            column.addWidget(button)
            self.buttons[name] = button
            if keys:
                self.tree.by_keys[keys] = button.click
        column.addStretch(1)
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.close)
        column.addWidget(close)
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(self.tree, 1)
        row.addLayout(column)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(20, 16, 20, 16)
        whole.addLayout(row, 1)
        whole.addWidget(self.problem)

    @property
    def picked(self) -> Place | None:
        """The place that is picked."""
        item = self.tree.currentItem()
        found = None if item is None else item.data(0, Qt.ItemDataRole.UserRole)
        return found if isinstance(found, Place) else None

    def pick(self, name: str) -> None:
        """Pick a place, now or once it is there."""
        self._wanted = name
        for item in self.tree.findItems(
            name, Qt.MatchFlag.MatchExactly | Qt.MatchFlag.MatchRecursive
        ):
            self.tree.setCurrentItem(item)

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if changed is None:
            self._fill()

    def _fill(self) -> None:
        picked = self._wanted or (self.picked.name if self.picked else "")
        self.tree.clear()
        stack: list[QTreeWidgetItem] = []
        for line in place_lines(self._state.site):
            item = QTreeWidgetItem([line.place.name, line.where, line.stations])
            item.setData(0, Qt.ItemDataRole.UserRole, line.place)
            del stack[line.depth :]
            if stack:
                stack[-1].addChild(item)
            else:
                self.tree.addTopLevelItem(item)
            stack.append(item)
        self.tree.expandAll()
        self.pick(picked)
        first = self.tree.topLevelItem(0)
        if self.picked is None and first is not None:
            self.tree.setCurrentItem(first)
        if self.picked is not None and self.picked.name == picked:
            # Else it was just made and comes with a later picture of the site.
            self._wanted = ""
        self._refresh_buttons()

    def _refresh_buttons(self) -> None:
        place, site = self.picked, self._state.site
        for name, button in self.buttons.items():
            button.setEnabled(name == "new" or place is not None)
        if place is not None:
            self.buttons["up"].setEnabled(moved_order(site, place.name, -1) is not None)
            self.buttons["down"].setEnabled(moved_order(site, place.name, 1) is not None)
            self.buttons["into"].setEnabled(bool(names_around(site, place.name)))
            self.buttons["out"].setEnabled(place.parent_id is not None)
            self.buttons["merge"].setEnabled(len(site.places) > 1)
            words = tr("Set outdoors") if place.indoors else tr("Set indoors")
            self.buttons["indoors"].setText(words)

    def _show_menu(self, spot: QPoint) -> None:
        item = self.tree.itemAt(spot)
        if item is not None:
            self.tree.setCurrentItem(item)
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name, _, keys, _call in self._does:
            button = self.buttons[name]
            entry = menu.addAction(f"{button.text()}\t{keys}" if keys else button.text())
            entry.setEnabled(button.isEnabled())
            entry.triggered.connect(button.click)
        menu.popup(self.tree.viewport().mapToGlobal(spot))

    # What can be done

    def _make(self) -> None:
        def take(name: str) -> Command[UndoableResult]:
            self._wanted = name.strip()
            return MakePlace(name.strip())

        self._ask(tr("New place"), tr("Name"), "", take)

    def _rename(self) -> None:
        place = self.picked
        if place is None:
            return
        old = place.name

        def take(name: str) -> Command[UndoableResult] | None:
            self._wanted = name.strip()
            return None if name.strip() == old else RenamePlace(old, name.strip())

        self._ask(tr("Rename {0}", old), tr("Name"), old, take)

    def _nest(self) -> None:
        place = self.picked
        if place is not None:
            self._ask_place(
                tr("Put {0} into", place.name),
                names_around(self._state.site, place.name),
                lambda other: NestPlace(place.name, other),
            )

    def _merge(self) -> None:
        place = self.picked
        if place is not None:
            self._ask_place(
                tr("Merge {0} into; its stations and all that names it go over", place.name),
                names_for_merging(self._state.site, place.name),
                lambda other: MergePlaces(place.name, other),
            )

    def _turn_indoors(self) -> None:
        if self.picked is not None:
            self._write(SetIndoors(self.picked.name, not self.picked.indoors))

    def _take_out(self) -> None:
        if self.picked is not None:
            self._write(NestPlace(self.picked.name, ""))

    def _move(self, by: int) -> None:
        place = self.picked
        order = None if place is None else moved_order(self._state.site, place.name, by)
        if place is not None and order is not None:
            self._write(OrderPlaces(order, place.name))

    def _delete(self) -> None:
        if self.picked is not None:
            self._write(DeletePlace(self.picked.name))

    def _ask(
        self,
        title: str,
        label: str,
        value: str,
        take: Callable[[str], Command[UndoableResult] | None],
    ) -> None:
        def checked(typed: str) -> Command[UndoableResult] | None:
            if not typed.strip():
                raise UsageError(tr("A place has a name."))
            return take(typed)

        client = self._client.scope()
        ValueDialog(
            self._theme, self, title=title, label=label, value=value, take=checked, client=client
        ).open()

    def _ask_place(
        self, title: str, choices: list[str], take: Callable[[str], Command[UndoableResult]]
    ) -> None:
        ValueDialog(
            self._theme,
            self,
            title=title,
            label=tr("Place"),
            value=choices[0],
            take=take,
            client=self._client.scope(),
            choices=choices,
        ).open()

    def _write(self, command: Command[UndoableResult]) -> None:
        self._say("")
        self._client.write(command, lambda _done: None, self._say)

    def _say(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
