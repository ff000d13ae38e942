"""A series or a station picked by a few letters, and the kinds of panes that can show it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.theme import Theme
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.text_match import folded
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.texts import tr
from rook_tally.store.site import Series, Station
from rook_tally.wall.suggestions import kinds_for, pane_title

_ROLE = Qt.ItemDataRole.UserRole
_ALONE = (PaneKind.STANDING, PaneKind.WORDS, PaneKind.PLAN)


def series_found(letters: str, state: SiteState) -> list[Series]:
    """Series whose quantity, place or station hold all these letters, the heard ones first."""
    words = folded(letters).split()

    def holds(one: Series) -> bool:
        told = folded(
            f"{one.quantity.name} {one.quantity.slug} {one.station.place.name} {one.station.key}"
        )
        return all(word in told for word in words)

    found = [one for one in state.site.series_in_use if holds(one)]
    return sorted(found, key=lambda one: one.id not in state.latest)


def stations_found(letters: str, state: SiteState) -> list[Station]:
    """Stations in use whose key or place holds all these letters; none without letters."""
    words = folded(letters).split()
    told = {one.id: folded(f"{one.key} {one.place.name}") for one in state.site.stations}
    return [
        one
        for one in state.site.stations
        if words and one.retired_us is None and all(word in told[one.id] for word in words)
    ]


class SeriesPicker(QDialog):
    """Type letters, pick a series, take the kind of pane that is proposed or another.

    `picked` carries the kind and the series, or the station among lamps; None for the kinds that
    need none.
    """

    picked = Signal(object, object)

    def __init__(
        self, theme: Theme, model: WallModel, parent: QWidget, *, kind: PaneKind | None = None
    ) -> None:
        super().__init__(parent)
        self._model, self._kind = model, kind
        self.setWindowTitle(tr("A series") if kind else tr("A pane"))
        self.resize(560, 420)
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(tr("A few letters: dust glaze, temp kiln, extractor"))
        self.typed.setAccessibleName(tr("letters of a series"))
        self.series, self.kinds = QListWidget(), QListWidget()
        self.series.setAccessibleName(tr("series"))
        self.kinds.setAccessibleName(tr("kinds of panes"))
        self.kinds.setFixedWidth(150)
        for one in (self.series, self.kinds):
            one.setStyleSheet(list_style(theme))
            one.setFont(face(13))
        hint = Label(tr("↑ ↓ pick a series, Tab goes to the kinds, Enter takes it"))
        hint.setFont(face(11))
        tint(hint, theme.dim)
        row = QHBoxLayout()
        row.addWidget(self.series, 1)
        row.addWidget(self.kinds)
        self.kinds.setVisible(kind is None)
        column = QVBoxLayout(self)
        column.addWidget(self.typed)
        column.addLayout(row, 1)
        column.addWidget(hint)
        self.typed.textChanged.connect(self._find)
        self.typed.installEventFilter(self)
        self.series.currentItemChanged.connect(lambda *_: self._propose())
        self.series.itemActivated.connect(lambda _: self._take())
        self.kinds.itemActivated.connect(lambda _: self._take())
        self._find("")
        self.typed.setFocus()

    def _find(self, letters: str) -> None:
        self.series.clear()
        if self._kind is None and not letters:
            for kind in _ALONE:
                item = QListWidgetItem(pane_title(kind))
                item.setData(_ROLE, kind)
                self.series.addItem(item)
        for one in series_found(letters, self._model.state):
            item = QListWidgetItem(
                f"{tr(one.quantity.name)}, {one.station.place.name}   {one.station.key}"
            )
            item.setData(_ROLE, one)
            self.series.addItem(item)
        if self._kind in (None, PaneKind.LAMPS):
            for station in stations_found(letters, self._model.state):
                item = QListWidgetItem(
                    tr("{0} reports, {1}", station.key, station.place.name), self.series
                )
                item.setData(_ROLE, station)
        first = 0 if letters or self._kind else len(_ALONE)
        self.series.setCurrentRow(min(first, self.series.count() - 1))

    def _propose(self) -> None:
        item = self.series.currentItem()
        self.kinds.clear()
        told: PaneKind | Series | Station | None = None if item is None else item.data(_ROLE)
        if isinstance(told, PaneKind):
            kinds: tuple[PaneKind, ...] = (told,)
        elif told is None:
            kinds = ()
        elif isinstance(told, Station):
            kinds = (PaneKind.LAMPS,)
        else:
            listing = self._model.listing
            scores = frozenset() if listing is None else listing.scores
            kinds = kinds_for(told, self._model.state.site, scores)
        for kind in kinds:
            line = QListWidgetItem(pane_title(kind))
            line.setData(_ROLE, kind)
            self.kinds.addItem(line)
        self.kinds.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up and Down move among the series while letters are typed; Enter takes the picked."""
        if event.type() is QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
            if event.key() in steps and self.series.count():
                row = self.series.currentRow() + steps[Qt.Key(event.key())]
                self.series.setCurrentRow(row % self.series.count())
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take()
                return True
        return super().eventFilter(watched, event)

    def _take(self) -> None:
        if self.series.currentRow() < 0 or self.kinds.currentRow() < 0:
            return
        kind = self.kinds.currentItem()
        told: PaneKind | Series | Station = self.series.currentItem().data(_ROLE)
        shown = None if isinstance(told, PaneKind) else told
        self.accept()
        self.picked.emit(self._kind or kind.data(_ROLE), shown)
