"""The Ledger's table: Qt's table view over the model, with our own drawing of cells and heads."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QAccessible,
    QContextMenuEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractItemView, QApplication, QMenu, QTableView, QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.data.actions import key_words
from rook_tally.desk.ledger.actions import LedgerAction
from rook_tally.desk.ledger.cell_painter import CellPainter, Spans, also_line_at, draw_rule
from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, Summary, SummaryRow
from rook_tally.desk.ledger.table_heads import (
    HEAD_HEIGHT,
    HEAD_WIDTH,
    MOST_HEADS,
    RIGHT_MIDDLE,
    WIDEST_HEAD,
    HeadCorner,
    PlaceHeader,
    QuantityHeader,
)
from rook_tally.desk.ledger.table_model import LedgerTableModel
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, REGULAR, colour, face
from rook_tally.desk.parts.series_drag import carry

GROUP_HEIGHT = 22

SUMMARY_HEIGHT = 17

TALLEST_ROW, SHORTEST_ROW = 60, 48

# Its margins, and the age at its right.
_BESIDE_NAME = 16 + 14 + 56

NARROWEST_COLUMN, WIDEST_COLUMN = 96, 132

NARROWEST_ALSO, WIDEST_ALSO = 190, 320

# A hand that goes on scrolling is faster.
_AHEAD_MS = 30


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
        self._corner = HeadCorner(theme, self)
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
        self.cells.most_rows = self._heads.most_pictures = max(MOST_HEADS, 3 * len(seen))
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
                    painter.drawText(cell, RIGHT_MIDDLE, self._ledger.summary_text(row, column))
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
