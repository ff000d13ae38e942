"""A table of whole rows to look at and to pick from."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, face


class RowTable(QTableWidget):
    """Rows of texts, one of them picked; Tab leaves it."""

    def __init__(self, theme: Theme, heads: Sequence[str], name: str) -> None:
        super().__init__(0, len(heads))
        self.setHorizontalHeaderLabels(list(heads))
        self.setAccessibleName(name)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setStyleSheet("QTableWidget::item { padding: 3px 10px 3px 4px; }" + picked_row(theme))
        header = self.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        header.setHighlightSections(False)

    def fill(
        self,
        rows: Sequence[Sequence[str]],
        *,
        bold: Collection[int] = (),
        faint: Collection[int] = (),
    ) -> None:
        """Show these rows, some bold and some faint; what is too long for its column is told by its
        tool tip."""
        self.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, words in enumerate(cells):
                item = QTableWidgetItem(words)
                item.setToolTip(words)
                if row in bold:
                    item.setFont(face(13, BOLD))
                if row in faint:
                    item.setForeground(Qt.GlobalColor.gray)
                self.setItem(row, column, item)


def picked_row(theme: Theme) -> str:
    """The style of a table's picked row, whether the table has the focus or not."""
    return f"QTableWidget::item:selected {{ background: {theme.rail}; color: {theme.ink}; }}"
