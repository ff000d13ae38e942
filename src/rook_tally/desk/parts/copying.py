"""Ctrl+C in a list or a table: the picked rows as text, their columns apart by tabs."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QGuiApplication, QKeySequence
from PySide6.QtWidgets import QAbstractItemView, QTableView

from rook_tally.desk.parts.texts import tr


def let_copy(view: QAbstractItemView, *, with_menu: bool = True) -> QAction:
    """Have Ctrl+C copy the picked rows, and a menu offer it where the view has none of its own."""
    action = QAction(tr("Copy"), view)
    action.setShortcut(QKeySequence(QKeySequence.StandardKey.Copy))
    action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
    action.triggered.connect(lambda: _copy(view))
    view.addAction(action)
    if with_menu:
        view.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
    return action


def _copy(view: QAbstractItemView) -> None:
    picked = view.selectionModel().selectedIndexes() or [view.currentIndex()]
    rows = sorted({one.row() for one in picked if one.isValid()})
    if rows:
        text = "\n".join(_row_text(view, row) for row in rows)
        QGuiApplication.clipboard().setText(text)


def _row_text(view: QAbstractItemView, row: int) -> str:
    model = view.model()
    count = model.columnCount() if isinstance(view, QTableView) else 1
    cells = [model.index(row, column) for column in range(count)]
    if count == 1:
        # A list that draws itself says to a screen reader what it shows.
        spoken = cells[0].data(Qt.ItemDataRole.AccessibleTextRole)
        return str(spoken or cells[0].data(Qt.ItemDataRole.DisplayRole) or "")
    return "\t".join(str(one.data(Qt.ItemDataRole.DisplayRole) or "") for one in cells)
