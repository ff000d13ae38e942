"""The fleet: a list of stations by place, each line drawn by us."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QAccessible, QPainter, QPen
from PySide6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import draw_heard
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.stations.fleet_rows import StationRow
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.texts import tr

LIST_WIDTH = 452
HEARD_LEFT, HEARD_WIDTH = 212, 108
AGE_RIGHT, POWER_RIGHT = 364, 436
_PLACE_HEIGHT, _ROW_HEIGHT = 22, 46

_Index = QModelIndex | QPersistentModelIndex


class FleetListModel(QAbstractListModel):
    """The fleet as Qt's views and screen readers want it. `row_changed` carries a line's number:
    a list lays all its lines out anew for `dataChanged`, and these keep their height."""

    row_changed = Signal(int)

    def __init__(self, model: StationsModel) -> None:
        super().__init__()
        self._model = model
        self.rows: list[StationRow] = []
        # Lines that are seen; whoever draws them says which those are.
        self.seen: Callable[[], Iterable[int]] = lambda: range(len(self.rows))

    def refresh(self) -> None:
        """Take the fleet as it stands now."""
        order = self._model.fleet_rows.ordered()
        if [one.key for one in order] == [one.station.key for one in self.rows]:
            # Only lines that are seen, and say something else: there may be hundreds.
            for at in self.seen():
                if at < len(order):
                    row = self._model.fleet_rows.row(order[at], self.rows[at].place)
                    if row.told != self.rows[at].told:
                        self.rows[at] = row
                        self.row_changed.emit(at)
            return
        self.beginResetModel()
        self.rows = self._model.fleet_rows.rows()
        self.endResetModel()

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Number of stations."""
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text for finding by keys and for screen readers; lines are drawn by the delegate."""
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.station.key
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return row.spoken
        return None


class _Line(QStyledItemDelegate):
    """Draws a station: name and kind, when it was heard, age, power, what is wrong."""

    def __init__(self, model: FleetListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model
        self._theme = theme

    def sizeHint(self, _option: QStyleOptionViewItem, index: _Index) -> QSize:
        """A place's first line is taller by its name."""
        row = self._model.rows[index.row()]
        return QSize(LIST_WIDTH, _ROW_HEIGHT + (_PLACE_HEIGHT if row.place else 0))

    def paint(self, painter: QPainter, option: Any, index: _Index) -> None:
        """Draw one line."""
        theme, row = self._theme, self._model.rows[index.row()]
        area = QRectF(option.rect)
        if row.place:
            painter.setPen(QPen(colour(theme.rule), 1))
            painter.drawLine(area.topLeft(), area.topRight())
            painter.setFont(face(11, BOLD))
            painter.setPen(colour(theme.dim))
            place = QRectF(area.left() + 16, area.top() + 4, LIST_WIDTH - 32, _PLACE_HEIGHT - 4)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, row.place)
            area.setTop(area.top() + _PLACE_HEIGHT)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, colour(theme.sheet))
            painter.fillRect(QRectF(area.left(), area.top(), 4, area.height()), colour(theme.sheen))
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(colour(theme.sheen), 1, Qt.PenStyle.DotLine))
            painter.drawRect(area.adjusted(6.5, 1.5, -6.5, -1.5))
        self._draw_words(painter, row, area)
        self._draw_heard(painter, row, area)

    def _draw_words(self, painter: QPainter, row: StationRow, area: QRectF) -> None:
        theme = self._theme
        silent = not row.freshness.is_telling
        for text, font, role, top in (
            (row.station.key, face(14, BOLD), theme.faint if silent else theme.ink, 4),
            (tr(row.station.kind.name), face(12), theme.dim, 23),
        ):
            painter.setFont(font)
            painter.setPen(colour(role))
            room = QRectF(area.left() + 16, area.top() + top, HEARD_LEFT - 28, 18)
            shown = painter.fontMetrics().elidedText(
                text, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)
        late = row.freshness.is_overdue
        for text, right, role, font in (
            (
                row.age or "never",
                AGE_RIGHT,
                theme.level(Level.HIGH) if late else theme.ink,
                face(13, BOLD if late else MEDIUM),
            ),
            (row.power, POWER_RIGHT, theme.dim, face(13)),
        ):
            painter.setFont(font)
            painter.setPen(colour(role))
            room = QRectF(area.left() + right - 80, area.top() + 4, 80, 26)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text
            )

        if row.signal:
            painter.setFont(face(11))
            painter.setPen(colour(theme.dim))
            room = QRectF(area.left() + POWER_RIGHT - 80, area.top() + 25, 80, 16)
            painter.drawText(
                room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.signal
            )

    def _draw_heard(self, painter: QPainter, row: StationRow, area: QRectF) -> None:
        theme = self._theme
        top = area.top() + (5 if row.remark else 10)
        ticks = QRectF(area.left() + HEARD_LEFT, top, HEARD_WIDTH, 18)
        draw_heard(painter, theme, row.heard, ticks, colour(theme.heard))
        if row.remark:
            painter.setFont(face(11))
            painter.setPen(colour(theme.level(Level.RAISED)))
            room = QRectF(area.left() + HEARD_LEFT, area.top() + 25, LIST_WIDTH - HEARD_LEFT, 16)
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, row.remark)


class FleetList(QListView):
    """The list itself: arrow keys and letters pick a station."""

    def __init__(self, model: FleetListModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(model)
        self.setItemDelegate(_Line(model, theme, self))
        self.setAccessibleName(tr("stations"))
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setStyleSheet(f"QListView {{ background: {theme.paper}; outline: none; }}")
        model.seen = self._seen
        model.row_changed.connect(self._repaint_row)
        self.verticalScrollBar().valueChanged.connect(lambda _value: model.refresh())

    def _repaint_row(self, at: int) -> None:
        index = self.model().index(at, 0)
        self.viewport().update(self.visualRect(index))
        if QAccessible.isActive():
            self.model().dataChanged.emit(index, index)

    def _seen(self) -> range:
        """The lines that are seen."""
        first = self.indexAt(QPoint(4, 4))
        last = self.indexAt(QPoint(4, self.viewport().height() - 4))
        count = len(self._rows())
        return range(
            first.row() if first.isValid() else 0, last.row() + 1 if last.isValid() else count
        )

    def _rows(self) -> list[StationRow]:
        model = self.model()
        assert isinstance(model, FleetListModel)
        return model.rows
