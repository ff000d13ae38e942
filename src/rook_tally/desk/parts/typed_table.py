"""A table whose rows are typed over: texts, and choices in boxes."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHeaderView, QTableWidget, QTableWidgetItem

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.row_table import picked_row

_ROW, _WIDE, _USUAL = 30, 150, 92


class TypedTable(QTableWidget):
    """A table whose rows are typed over; Tab leaves it."""

    def __init__(
        self,
        theme: Theme,
        heads: Sequence[str],
        name: str,
        *,
        stretched: int,
        widths: Sequence[int] = (),
    ) -> None:
        super().__init__(0, len(heads))
        self.theme = theme
        self.setHorizontalHeaderLabels(list(heads))
        self.setAccessibleName(name)
        self.setStyleSheet(picked_row(theme))
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW)
        self.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setSectionResizeMode(stretched, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column, width in enumerate(
            widths or [_WIDE if at == 1 else _USUAL for at in range(len(heads))]
        ):
            self.setColumnWidth(column, width)

    def drop(self) -> None:
        """Remove the picked row."""
        if self.currentRow() >= 0:
            self.removeRow(self.currentRow())

    def pick(self, row: int) -> None:
        """Go to a row, to be typed in."""
        self.setCurrentCell(row, 0)
        self.setFocus()

    def text(self, row: int, column: int) -> str:
        """What is typed in a cell."""
        item = self.item(row, column)
        return "" if item is None else item.text()

    def box(self, row: int, column: int) -> QComboBox:
        """The choice in a cell."""
        box = self.cellWidget(row, column)
        assert isinstance(box, QComboBox)
        return box

    def put_text(self, row: int, column: int, text: str) -> None:
        """Show a text that is not typed over."""
        item = QTableWidgetItem(text)
        item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
        self.setItem(row, column, item)
