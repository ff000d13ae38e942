"""The Ledger's model as Qt's views and screen readers want it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from rook_tally.desk.ledger.model import LedgerModel
from rook_tally.desk.ledger.rows import GroupRow, PlaceRow, SummaryRow
from rook_tally.desk.ledger.texts import tr

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
