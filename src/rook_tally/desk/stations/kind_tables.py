"""The two tables of the kind editor: fields, and controls."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QTableWidgetItem

from rook_tally.core.quantities.controls import ControlKind
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.colour_choice import ColourChoice
from rook_tally.desk.parts.typed_table import TypedTable
from rook_tally.desk.stations.kind_model import TypedControl, TypedField, units_of
from rook_tally.desk.stations.texts import tr

_COLOUR = 6
_FIELD_HEADS = ("field", "measures", "in", "accurate ±", "believable", "to", "colour")
_CONTROL_HEADS = ("control", "title", "sort", "unit", "from", "to", "choices")


class FieldsTable(TypedTable):
    """The fields of a kind."""

    def __init__(self, theme: Theme) -> None:
        heads = [tr(one) for one in _FIELD_HEADS]
        super().__init__(theme, heads, tr("fields of the kind"), stretched=1)

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
            self.pick(at)

    @property
    def rows(self) -> tuple[TypedField, ...]:
        """What is typed."""
        return tuple(self._row(at) for at in range(self.rowCount()))

    def _row(self, at: int) -> TypedField:
        colour = self.box(at, _COLOUR)
        assert isinstance(colour, ColourChoice)
        return TypedField(
            self.text(at, 0),
            str(self.box(at, 1).currentData()),
            str(self.box(at, 2).currentData()),
            self.text(at, 3),
            self.text(at, 4),
            self.text(at, 5),
            colour.picked,
        )


class ControlsTable(TypedTable):
    """The controls of a kind."""

    def __init__(self, theme: Theme) -> None:
        heads = [tr(one) for one in _CONTROL_HEADS]
        super().__init__(theme, heads, tr("controls of the kind"), stretched=6)

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
            self.pick(at)

    @property
    def rows(self) -> tuple[TypedControl, ...]:
        """What is typed."""
        return tuple(self._row(at) for at in range(self.rowCount()))

    def _row(self, at: int) -> TypedControl:
        sort = self.box(at, 2).currentData()
        assert isinstance(sort, ControlKind)
        name, title, *rest = (self.text(at, column) for column in (0, 1, 3, 4, 5, 6))
        return TypedControl(name, title, sort, *rest)


def _offer_units(quantity: QComboBox, unit: QComboBox) -> None:
    unit.clear()
    for symbol in units_of(str(quantity.currentData())):
        unit.addItem(symbol or "–", symbol)
