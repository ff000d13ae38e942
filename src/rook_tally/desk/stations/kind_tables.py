"""The two tables of the kind editor: fields, and controls."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHeaderView, QTableWidget, QTableWidgetItem

from rook_tally.core.quantities.controls import ControlKind
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.colour_choice import ColourChoice
from rook_tally.desk.parts.row_table import picked_row
from rook_tally.desk.stations.kind_model import TypedControl, TypedField, units_of
from rook_tally.desk.stations.texts import tr

_ROW, _WIDE, _COLOUR = 30, 1, 6
_FIELD_HEADS = ("field", "measures", "in", "accurate ±", "believable", "to", "colour")
_CONTROL_HEADS = ("control", "title", "sort", "unit", "from", "to", "choices")


class _TypedTable(QTableWidget):
    """A table whose rows are typed over; Tab leaves it."""

    def __init__(self, theme: Theme, heads: Sequence[str], name: str, *, stretched: int) -> None:
        super().__init__(0, len(heads))
        self.theme = theme
        self.setHorizontalHeaderLabels([tr(one) for one in heads])
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
        for column in range(len(heads)):
            self.setColumnWidth(column, 150 if column == _WIDE else 92)

    def drop(self) -> None:
        """Remove the picked row."""
        if self.currentRow() >= 0:
            self.removeRow(self.currentRow())

    def _pick(self, row: int) -> None:
        self.setCurrentCell(row, 0)
        self.setFocus()

    def _text(self, row: int, column: int) -> str:
        item = self.item(row, column)
        return "" if item is None else item.text()

    def _box(self, row: int, column: int) -> QComboBox:
        box = self.cellWidget(row, column)
        assert isinstance(box, QComboBox)
        return box


class FieldsTable(_TypedTable):
    """The fields of a kind."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, _FIELD_HEADS, tr("fields of the kind"), stretched=1)

    def put(self, row: TypedField, *, picked: bool = False) -> None:
        """Add a row."""
        at = self.rowCount()
        self.insertRow(at)
        quantity, unit = QComboBox(), QComboBox()
        for slug, one in QUANTITIES.items():
            quantity.addItem(one.name, slug)
        quantity.setCurrentIndex(max(0, quantity.findData(row.quantity)))
        quantity.setAccessibleName(tr("what it measures"))
        unit.setAccessibleName(tr("its unit"))
        _offer_units(quantity, unit)
        unit.setCurrentIndex(max(0, unit.findData(row.unit)))
        quantity.activated.connect(lambda _: _offer_units(quantity, unit))
        colour = ColourChoice(self.theme, row.colour)
        colour.setAccessibleName(tr("colour of its trace"))
        for column, text in ((0, row.name), (3, row.accuracy), (4, row.low), (5, row.high)):
            self.setItem(at, column, QTableWidgetItem(text))
        for column, box in ((1, quantity), (2, unit), (_COLOUR, colour)):
            self.setCellWidget(at, column, box)
        if picked:
            self._pick(at)

    @property
    def rows(self) -> tuple[TypedField, ...]:
        """What is typed."""
        return tuple(self._row(at) for at in range(self.rowCount()))

    def _row(self, at: int) -> TypedField:
        colour = self._box(at, _COLOUR)
        assert isinstance(colour, ColourChoice)
        return TypedField(
            self._text(at, 0),
            str(self._box(at, 1).currentData()),
            str(self._box(at, 2).currentData()),
            self._text(at, 3),
            self._text(at, 4),
            self._text(at, 5),
            colour.picked,
        )


class ControlsTable(_TypedTable):
    """The controls of a kind."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, _CONTROL_HEADS, tr("controls of the kind"), stretched=6)

    def put(self, row: TypedControl, *, picked: bool = False) -> None:
        """Add a row."""
        at = self.rowCount()
        self.insertRow(at)
        sort = QComboBox()
        for one in ControlKind:
            sort.addItem(tr(one.value), one)
        sort.setCurrentIndex(sort.findData(row.sort))
        sort.setAccessibleName(tr("its sort"))
        texts = {0: row.name, 1: row.title, 3: row.unit, 4: row.low, 5: row.high, 6: row.choices}
        for column, text in texts.items():
            self.setItem(at, column, QTableWidgetItem(text))
        self.setCellWidget(at, 2, sort)
        if picked:
            self._pick(at)

    @property
    def rows(self) -> tuple[TypedControl, ...]:
        """What is typed."""
        return tuple(self._row(at) for at in range(self.rowCount()))

    def _row(self, at: int) -> TypedControl:
        sort = self._box(at, 2).currentData()
        assert isinstance(sort, ControlKind)
        name, title, *rest = (self._text(at, column) for column in (0, 1, 3, 4, 5, 6))
        return TypedControl(name, title, sort, *rest)


def _offer_units(quantity: QComboBox, unit: QComboBox) -> None:
    unit.clear()
    for symbol in units_of(str(quantity.currentData())):
        unit.addItem(symbol or "–", symbol)
