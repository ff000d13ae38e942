"""The Ledger's table: Qt's table view over the model, with our own drawing of cells and heads."""

from __future__ import annotations

from functools import partial
from typing import Any, TypeAlias

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QPoint,
    QRect,
    QRectF,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import (
    QAccessible,
    QContextMenuEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHeaderView,
    QMenu,
    QTableView,
    QWidget,
)

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.actions import key_words
from rook_tally.desk.ledger.actions import LedgerAction
from rook_tally.desk.ledger.cell_painter import (
    ALSO_LEFT,
    CellPainter,
    Spans,
    also_line_at,
    draw_rule,
)
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, RowHead, Summary, SummaryRow
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.drawing import draw_heard
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, REGULAR, colour, face
from rook_tally.desk.parts.series_drag import carry

HEAD_WIDTH, WIDEST_HEAD = 170, 320
HEAD_HEIGHT = 40
GROUP_HEIGHT = 22
SUMMARY_HEIGHT = 17
TALLEST_ROW, SHORTEST_ROW = 60, 48
# Its margins, and the age at its right.
_BESIDE_NAME = 16 + 14 + 56
NARROWEST_COLUMN, WIDEST_COLUMN = 96, 132
NARROWEST_ALSO, WIDEST_ALSO = 190, 320

# A hand that goes on scrolling is faster.
_AHEAD_MS = 30

_Index = QModelIndex | QPersistentModelIndex


class LedgerTableModel(QAbstractTableModel):
    """The model as Qt's views and screen readers want it."""

    def __init__(self, model: LedgerModel) -> None:
        super().__init__()
        self._model = model
        model.laid_out.append(self._on_laid_out)

    def rowCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Number of rows."""
        return 0 if parent.isValid() else len(self._model.rows)

    def columnCount(self, parent: _Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Number of quantities."""
        return 0 if parent.isValid() else self._model.column_count

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text for the table and for screen readers; cells are drawn by the delegate."""
        cell = self._model.cell(index.row(), index.column())
        if role == Qt.ItemDataRole.DisplayRole:
            if cell is not None:
                return cell.text
            return self._model.summary_text(index.row(), index.column())
        if role == Qt.ItemDataRole.AccessibleTextRole and cell is not None:
            return self._model.spoken(index.row(), index.column())
        return None

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        """Names of quantities and places."""
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        if orientation is Qt.Orientation.Horizontal:
            is_also = self._model.is_also(section)
            return tr("also") if is_also else self._model.columns[section].name
        row = self._model.rows[section]
        match row:
            case PlaceRow():
                return row.place.name
            case GroupRow():
                return row.title
            case SummaryRow():
                return row.summary.value

    def flags(self, index: _Index) -> Qt.ItemFlag:
        """Only cells that hold something can be picked."""
        if not self._model.has_cell(index.row(), index.column()):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def _on_laid_out(self) -> None:
        self.beginResetModel()
        self.endResetModel()


_MOST_HEADS = 60
_Says: TypeAlias = tuple[RowHead | None, QSize, float, str, str]


class PlaceHeader(QHeaderView):
    """Row heads: place, age, the strip of expected reports. `band_clicked` carries the row of a
    floor whose head was pressed."""

    band_clicked = Signal(int)

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Vertical, parent)
        self._model = model
        self._theme = theme
        self._pictures: dict[int, tuple[_Says, QPixmap]] = {}
        self.most_pictures = _MOST_HEADS
        self.setFixedWidth(HEAD_WIDTH)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the heads, over the ground that nobody else paints."""
        painter = QPainter(self.viewport())
        painter.fillRect(event.rect().adjusted(-1, -1, 1, 1), colour(self._theme.sheet))
        painter.end()
        super().paintEvent(event)

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        """Draw one head."""
        if isinstance(self._model.rows[section], PlaceRow):
            painter.drawPixmap(rect.topLeft(), self._picture(section, rect.size()))
        else:
            self._paint(painter, rect, section)

    def ink(self, section: int) -> None:
        """Paint the head of a place before it comes into sight."""
        self._picture(section, QSize(self.width(), self.sectionSize(section)))

    def _picture(self, section: int, size: QSize) -> QPixmap:
        """The head of a place as a picture: painted once for as long as it says the same."""
        theme, ratio = self._theme, self.devicePixelRatioF()
        says = (self._model.head_drawn(section), size, ratio, theme.sheet, theme.ink)
        kept = self._pictures.pop(section, None)
        if kept is None or kept[0][0] is not says[0] or kept[0][1:] != says[1:]:
            picture = QPixmap(size * ratio)
            picture.setDevicePixelRatio(ratio)
            painter = QPainter(picture)
            self._paint(painter, QRect(0, 0, size.width(), size.height()), section)
            painter.end()
            kept = (says, picture)
        # The one looked at last stands last, and goes last.
        self._pictures[section] = kept
        if len(self._pictures) > self.most_pictures:
            del self._pictures[next(iter(self._pictures))]
        return kept[1]

    def _paint(self, painter: QPainter, rect: QRect, section: int) -> None:
        theme = self._theme
        row = self._model.rows[section]
        painter.save()
        # The clip Qt sets leaves no room for the margin lines at the right.
        painter.fillRect(rect, colour(theme.paper if isinstance(row, GroupRow) else theme.sheet))
        match row:
            case GroupRow():
                painter.setFont(face(11, BOLD))
                painter.setPen(colour(theme.dim))
                sign = "▾ " if row.floor else ""
                words = row.floor or tr(row.title)
                painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, sign + words.upper())
                draw_rule(painter, theme, rect)
            case SummaryRow():
                painter.setFont(face(11))
                painter.setPen(colour(theme.dim))
                painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, tr(row.title))
                painter.drawText(rect.adjusted(0, 0, -14, 0), _RIGHT, tr(row.summary.value))
            case PlaceRow():
                self._paint_place(painter, rect, section)
                draw_rule(painter, theme, rect)
        painter.setPen(QPen(colour(theme.margin), 1))
        for x in (rect.right() - 4, rect.right() - 1):
            painter.drawLine(x, rect.top(), x, rect.bottom())
        painter.restore()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A floor is folded, or unfolded, by its head."""
        row = self.logicalIndexAt(event.position().toPoint())
        if self._model.is_band(row):
            self.band_clicked.emit(row)
        else:
            super().mousePressEvent(event)

    def _paint_place(self, painter: QPainter, rect: QRect, section: int) -> None:
        theme = self._theme
        head = self._model.head_drawn(section)
        if head is None:
            return
        silent = not head.freshness.is_telling
        late = head.freshness.is_overdue
        line = rect.adjusted(16, 9, -14, 9 - rect.height() + 20)
        painter.setFont(face(11, BOLD if late else face(11).weight()))
        painter.setPen(colour(theme.level(Level.HIGH) if late else theme.dim))
        painter.drawText(line, _RIGHT, head.age)
        room = line.width() - painter.fontMetrics().horizontalAdvance(head.age) - 6
        painter.setFont(face(14, MEDIUM))
        painter.setPen(colour(theme.dim if silent else theme.ink))
        name = painter.fontMetrics().elidedText(head.name, Qt.TextElideMode.ElideMiddle, room)
        painter.drawText(line, _LEFT_MIDDLE, name)
        ticks = QRectF(rect.left() + 16, rect.top() + 35, 96, 8)
        draw_heard(painter, theme, head.heard, ticks, colour(theme.heard))


class QuantityHeader(QHeaderView):
    """Column heads: quantity and unit. A click on the unit asks for the next one."""

    unit_clicked = Signal(int)

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self._model = model
        self._theme = theme
        self.setFixedHeight(HEAD_HEIGHT)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setToolTip(tr("A click on the unit shows another (U)"))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Ask for another unit where one was clicked."""
        at = event.position().toPoint()
        if event.button() is Qt.MouseButton.LeftButton and at.y() > HEAD_HEIGHT // 2:
            section = self.logicalIndexAt(at)
            if section >= 0:
                self.unit_clicked.emit(section)
        super().mouseReleaseEvent(event)

    def paintSection(self, painter: QPainter, rect: QRect, section: int) -> None:
        """Draw one head."""
        theme = self._theme
        if self._model.is_also(section):
            self._paint_also(painter, rect)
            return
        quantity = self._model.columns[section]
        painter.save()
        painter.fillRect(rect, colour(theme.sheet))
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(theme.ink))
        area = rect.adjusted(4, 6, -10, 0)
        words = painter.fontMetrics()
        name = words.elidedText(tr(quantity.heading), Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop, name)
        painter.setFont(face(10))
        painter.setPen(colour(theme.dim))
        painter.drawText(
            rect.adjusted(4, 0, -10, -6),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom,
            self._model.shown_as(quantity).symbol or "state",
        )
        draw_rule(painter, theme, rect)
        painter.restore()

    def _paint_also(self, painter: QPainter, rect: QRect) -> None:
        """The head over the last cells."""
        painter.save()
        painter.fillRect(rect, colour(self._theme.sheet))
        painter.setFont(face(12, BOLD))
        painter.setPen(colour(self._theme.ink))
        area = rect.adjusted(ALSO_LEFT, 6, -10, 0)
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, tr("Also"))
        draw_rule(painter, self._theme, rect)
        painter.restore()


class _Corner(QWidget):
    """The corner over the row heads."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def paintEvent(self, _event: QPaintEvent) -> None:
        theme, rect = self._theme, self.rect()
        painter = QPainter(self)
        painter.fillRect(rect, colour(theme.sheet))
        painter.setFont(face(13, MEDIUM))
        painter.setPen(colour(theme.ink))
        painter.drawText(rect.adjusted(16, 0, 0, 0), _LEFT_MIDDLE, tr("Place"))
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        painter.drawText(rect.adjusted(0, 0, -14, 0), _RIGHT, tr("heard"))
        painter.setPen(QPen(colour(theme.margin), 1))
        for x in (rect.right() - 4, rect.right() - 1):
            painter.drawLine(x, 0, x, rect.bottom())
        draw_rule(painter, theme, rect)


class LedgerTable(QTableView):
    """The table. Row heights give way so that the whole site stands in the window if it can.

    `acts` carries a `LedgerAction` chosen from the menu; `line_picked` is sent when another line of
    the current cell was; `band_clicked` carries the row of a floor that is to be folded or
    unfolded.
    """

    acts = Signal(LedgerAction)
    line_picked = Signal()
    band_clicked = Signal(int)

    def __init__(self, model: LedgerModel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._ledger = model
        self.setModel(LedgerTableModel(model))
        self._theme = theme
        self.cells = CellPainter(model, theme)
        self._heads = heads = PlaceHeader(model, theme, self)
        heads.band_clicked.connect(self.band_clicked)
        self.setVerticalHeader(heads)
        # Qt's own least height follows the application's font of the moment.
        self.verticalHeader().setMinimumSectionSize(SUMMARY_HEIGHT)
        self.quantity_head = QuantityHeader(model, theme, self)
        self.setHorizontalHeader(self.quantity_head)
        self._pressed_at: QPoint | None = None
        self._name_widths: dict[str, int] = {}
        self._corner = _Corner(theme, self)
        self.setAccessibleName(tr("Ledger"))
        self.setFrameShape(QTableView.Shape.NoFrame)
        self.setShowGrid(False)
        self.setCornerButtonEnabled(False)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setTabKeyNavigation(False)
        # All of it is painted here, so that scrolling moves what is there and paints only the rest.
        for part in (self.viewport(), heads.viewport()):
            part.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._is_scrolled_up = False
        self._ahead = QTimer(self, singleShot=True, interval=_AHEAD_MS)
        self._ahead.timeout.connect(self._ink_ahead)
        model.visible_rows = self._visible_rows
        model.laid_out.append(self.cells.forget)
        model.laid_out.append(self.fit)
        model.all_changed.append(self._repaint)
        model.cells_changed.append(self._repaint_cells)
        model.heads_changed.append(self._repaint_heads)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fit rows and columns into the new size."""
        super().resizeEvent(event)
        self.fit()

    def _visible_rows(self) -> range:
        """The rows that are seen."""
        first, last = self.rowAt(0), self.rowAt(self.viewport().height() - 1)
        count = len(self._ledger.rows)
        return range(max(first, 0), count if last < 0 else last + 1)

    def _repaint(self) -> None:
        for part in (self.viewport(), self.verticalHeader().viewport()):
            part.update()

    def _repaint_cells(self, cells: set[tuple[int, int]]) -> None:
        """Only what has changed: five readings a second must not cost five tables a second."""
        told, seen = self.model(), self._visible_rows()
        tops = {
            row: self.rowViewportPosition(row)
            for row in {row for row, _ in cells}.intersection(seen)
        }
        for row, column in cells:
            if row not in tops:
                continue
            left = self.columnViewportPosition(column)
            self.viewport().update(left, tops[row], self.columnWidth(column), self.rowHeight(row))
            if QAccessible.isActive():
                index = told.index(row, column)
                told.dataChanged.emit(index, index)

    def _repaint_heads(self, rows: set[int]) -> None:
        heads = self.verticalHeader()
        for row in rows:
            top = heads.sectionViewportPosition(row)
            heads.viewport().update(0, top, heads.width(), heads.sectionSize(row))

    def fit(self) -> None:
        """Set the heights and widths of rows and columns for the room there is."""
        rows, columns = self._ledger.rows, self._ledger.columns
        places = sum(isinstance(row, PlaceRow) for row in rows)
        if not places or not columns:
            return
        fixed = {GroupRow: GROUP_HEIGHT, SummaryRow: SUMMARY_HEIGHT}
        taken = sum(fixed.get(type(row), 0) for row in rows)
        height = (self.viewport().height() - taken - 6) // places
        height = min(max(height, SHORTEST_ROW), TALLEST_ROW)
        for at, row in enumerate(rows):
            self.setRowHeight(at, fixed.get(type(row), height))
        heads = self.verticalHeader()
        width = self.viewport().width() + heads.width()
        least = NARROWEST_ALSO if self._ledger.also else 0
        free = width - HEAD_WIDTH - least - NARROWEST_COLUMN * len(columns)
        # Names first: three places of one beginning are told apart by its end.
        head = HEAD_WIDTH + min(max(self._width_of_names() - HEAD_WIDTH, 0), max(free, 0))
        heads.setFixedWidth(min(head, WIDEST_HEAD))
        self._corner.setGeometry(0, 0, heads.width(), HEAD_HEIGHT)
        width -= heads.width()
        # As many whole columns as fit, so that none is cut at the edge.
        left = width - NARROWEST_ALSO if self._ledger.also else width
        visible = max(1, min(len(columns), left // NARROWEST_COLUMN))
        each = min(max(left // visible, NARROWEST_COLUMN), WIDEST_COLUMN)
        for at in range(len(columns)):
            self.setColumnWidth(at, each)
        if self._ledger.also:
            rest = max(NARROWEST_ALSO, width - each * len(columns))
            self.setColumnWidth(len(columns), min(rest, WIDEST_ALSO))

    def _width_of_names(self) -> int:
        """The width that a head with the longest name would need."""
        names = [row.place.name for row in self._ledger.rows if isinstance(row, PlaceRow)]
        # Measured once: two thousand of them take longer than a frame.
        words = QFontMetrics(face(14, MEDIUM))
        known = self._name_widths
        known.update((one, words.horizontalAdvance(one)) for one in names if one not in known)
        return max((known[one] for one in names), default=0) + _BESIDE_NAME

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw what is seen of the table, row by row.

        Not cell by cell through Qt's delegates: asking, styling and saving for each of them takes
        longer than drawing it.
        """
        area, region = event.rect(), event.region()
        first, last = self.rowAt(area.top()), self.rowAt(area.bottom())
        seen = range(max(first, 0), len(self._ledger.rows) if last < 0 else last + 1)
        rows = [(row, self.rowViewportPosition(row), self.rowHeight(row)) for row in seen]
        columns = [
            (column, self.columnViewportPosition(column), self.columnWidth(column))
            for column in range(self._ledger.column_count)
        ]
        rows = [one for one in rows if one[1] < area.bottom() + 1 and one[1] + one[2] > area.top()]
        columns = [
            one for one in columns if one[1] < area.right() + 1 and one[1] + one[2] > area.left()
        ]
        places = [
            (row, height) for row, _, height in rows if isinstance(self._ledger.rows[row], PlaceRow)
        ]
        # Of a few cells far apart not all that lies between them.
        painter = QPainter(self.viewport())
        painter.setClipRegion(region)
        spans = self._spans()
        self.cells.ink(
            places,
            [one[0] for one in columns],
            spans,
            self.devicePixelRatioF(),
            # A hand that scrolls is followed first.
            sketches=self._ahead.isActive(),
        )
        # A little over it: at 125 % its edges may lie within pixels.
        painter.fillRect(area.adjusted(-1, -1, 1, 1), colour(self._theme.sheet))
        is_whole = region.rectCount() == 1
        for row, top, height in rows:
            line = QRect(0, top, self.viewport().width(), height)
            if is_whole:
                self._draw_row(painter, row, line, columns)
            elif region.intersects(line):
                near = [
                    one for one in columns if region.intersects(QRect(one[1], top, one[2], height))
                ]
                self._draw_row(painter, row, line, near)

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        """Follow at once, with sketches of rows that are new; they are finished, and those beyond
        inked, while nothing else is to be done."""
        super().scrollContentsBy(dx, dy)
        if dy:
            self._is_scrolled_up = dy > 0
            self._ahead.start()

    def _ink_ahead(self) -> None:
        """Finish one row of those that are seen, or else ink one of a screen's worth beyond: a hand
        that goes on scrolling waits for one at most."""
        seen = self._visible_rows()
        # On a tall screen what is inked ahead must not be given up at once.
        self.cells.most_rows = self._heads.most_pictures = max(_MOST_HEADS, 3 * len(seen))
        above = range(seen.start - 1, max(-1, seen.start - len(seen)), -1)
        below = range(seen.stop, min(len(self._ledger.rows), seen.stop + len(seen)))
        columns = [
            column
            for column in range(self._ledger.column_count)
            if self.columnViewportPosition(column) < self.viewport().width()
            and self.columnViewportPosition(column) + self.columnWidth(column) > 0
        ]
        spans, ratio = self._spans(), self.devicePixelRatioF()
        for row in (*seen, *(above if self._is_scrolled_up else below)):
            is_place = isinstance(self._ledger.rows[row], PlaceRow)
            height = self.rowHeight(row)
            if is_place and self.cells.ink([(row, height)], columns, spans, ratio):
                self._heads.ink(row)
                top = self.rowViewportPosition(row)
                self.viewport().update(0, top, self.viewport().width(), height)
                self._ahead.start()
                return

    def _spans(self) -> Spans:
        """Where each column begins in a row, and how wide it is."""
        heads = self.horizontalHeader()
        return tuple(
            (heads.sectionPosition(column), heads.sectionSize(column))
            for column in range(self._ledger.column_count)
        )

    def _draw_row(
        self, painter: QPainter, row: int, rect: QRect, columns: list[tuple[int, int, int]]
    ) -> None:
        theme, current = self._theme, self.currentIndex()
        match self._ledger.rows[row]:
            case GroupRow():
                painter.fillRect(rect, colour(theme.paper))
                draw_rule(painter, theme, rect)
            case SummaryRow() as line:
                strong = line.summary is Summary.MEAN
                painter.setFont(face(11, MEDIUM if strong else REGULAR))
                painter.setPen(colour(theme.ink if strong else theme.dim))
                for column, left, width in columns:
                    cell = QRect(left, rect.top(), width - 10, rect.height())
                    painter.drawText(cell, _RIGHT, self._ledger.summary_text(row, column))
            case PlaceRow():
                draw_rule(painter, theme, rect)
                left = self.columnViewportPosition(0)
                self.cells.lay(painter, row, left, rect.top(), [one[0] for one in columns])
                if current.row() == row:
                    self.cells.frame(painter, self.visualRect(current))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows alone move from cell to cell; with a modifier they are the view's."""
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier or event.text().isalpha():
            event.ignore()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer the actions of the cell under the pointer; where there is none, of the table."""
        actions = list(LedgerAction)
        if event.reason() is QContextMenuEvent.Reason.Mouse:
            index = self.indexAt(event.pos())
            if index.isValid() and self._ledger.has_cell(index.row(), index.column()):
                self.setCurrentIndex(index)
            else:
                actions = [LedgerAction.ORDER, LedgerAction.SHOW_ALL, LedgerAction.GROUP]
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for action in actions:
            entry = menu.addAction(f"{action.words}\t{key_words(action.keys)}")
            entry.triggered.connect(partial(self.acts.emit, action))
        menu.popup(event.globalPos())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Pick a cell, and in a last one the line; and be ready to carry it."""
        at = event.position().toPoint()
        row = self.rowAt(at.y())
        if row >= 0 and isinstance(self._ledger.rows[row], GroupRow):
            if self._ledger.is_band(row):
                self.band_clicked.emit(row)
            return
        index = self.indexAt(at)
        if index.isValid() and self._ledger.is_also(index.column()):
            lines = self._ledger.lines_of(index.row())
            cell = self.visualRect(index)
            line = also_line_at(at.y() - cell.top(), cell.height(), len(lines))
            if line is not None:
                self._ledger.pick_also(index.row(), lines[line])
                if index == self.currentIndex():
                    self.line_picked.emit()
        super().mousePressEvent(event)
        self._pressed_at = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the cell's series to the Strip."""
        at = event.position().toPoint()
        if self._pressed_at is not None and event.buttons() & Qt.MouseButton.LeftButton:
            if (at - self._pressed_at).manhattanLength() >= QApplication.startDragDistance():
                index = self.indexAt(self._pressed_at)
                self._pressed_at = None
                series = self._ledger.series_at(index.row(), index.column())
                if series:
                    carry(self, series)
            return
        super().mouseMoveEvent(event)

    def sizeHint(self) -> QSize:
        """Room for eight quantities and ten places."""
        return QSize(HEAD_WIDTH + 8 * NARROWEST_COLUMN, 640)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT_MIDDLE = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
