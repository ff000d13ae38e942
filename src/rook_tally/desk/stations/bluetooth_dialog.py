"""What is read of a Bluetooth sensor: which sensors it is about, and which bytes of them."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.typed_table import TypedTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.bluetooth_model import DataSort, TypedBluetooth, TypedData
from rook_tally.desk.stations.layout_dialog import LayoutDialog
from rook_tally.desk.stations.texts import tr

_HEADS = ("what", "number or UUID", "reads")


class BluetoothDialog(AskingDialog):
    """Writes what a kind reads by Bluetooth. `chosen` tells it, None for nothing."""

    chosen = Signal(object)

    def __init__(
        self,
        theme: Theme,
        typed: TypedBluetooth,
        names: list[str],
        kind: str,
        client: ClientScope,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._theme, self._client = theme, client
        self._names, self._kind = names, kind
        self.typed = self._begun = typed
        self.finished.connect(client.close)
        self.setWindowTitle(tr("Read by Bluetooth"))
        self.resize(760, 400)
        self.named = QLineEdit(typed.named)
        self.named.setPlaceholderText(tr("any; needed where they advertise nothing of their own"))
        self.named.setAccessibleName(tr("how their name begins"))
        self.lines = QCheckBox(tr("They send lines of text over a serial service"))
        self.lines.setChecked(typed.lines)
        self.data = TypedTable(
            theme,
            [tr(one) for one in _HEADS],
            tr("what is read of them"),
            stretched=len(_HEADS) - 1,
            widths=(260, 200, 0),
        )
        self.add, self.drop = QPushButton(tr("Add")), QPushButton(tr("Remove"))
        self.bytes = QPushButton(tr("Bytes…"))
        self.bytes.setToolTip(tr("Which of these bytes are which field, by example"))
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.save, self.cancel = QPushButton(tr("Use this")), QPushButton(tr("Cancel"))
        self._lay_out()
        self._fill()
        self.add.clicked.connect(self._on_add)
        self.drop.clicked.connect(self._on_drop)
        self.bytes.clicked.connect(self._on_bytes)
        self.data.itemSelectionChanged.connect(self._refresh)
        self.data.itemChanged.connect(lambda _item: self._take_rows())
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.discard)
        self.ask_about(self.save)

    @property
    def is_touched(self) -> bool:
        """True if something else is read than it began with."""
        return self._now != self._begun

    def _lay_out(self) -> None:
        for button in (self.add, self.drop, self.bytes):
            button.setObjectName("small")
            button.setAutoDefault(False)
        form, under = QFormLayout(), QHBoxLayout()
        form.addRow(tr("Their name begins with"), self.named)
        form.addRow("", self.lines)
        for button in (self.bytes, self.add, self.drop):
            under.addWidget(button)
        under.addStretch(1)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(20, 16, 20, 16)
        rows.setSpacing(8)
        rows.addLayout(form)
        rows.addWidget(self.data, 1)
        rows.addLayout(under)
        rows.addWidget(self.problem)
        rows.addWidget(dialog_buttons(self.save, self.cancel))

    def _fill(self) -> None:
        table, at = self.data, self.data.currentRow()
        table.blockSignals(True)
        table.setRowCount(0)
        for row, one in enumerate(self.typed.data):
            table.insertRow(row)
            sort = QComboBox()
            for each in DataSort:
                sort.addItem(tr(each.value), each)
            sort.setCurrentIndex(sort.findData(one.sort))
            sort.setAccessibleName(tr("where its bytes stand"))
            sort.activated.connect(lambda _: self._take_rows())
            table.setCellWidget(row, 0, sort)
            table.setItem(row, 1, QTableWidgetItem(one.text))
            table.put_text(row, 2, one.words)
        table.blockSignals(False)
        if table.rowCount():
            table.setCurrentCell(min(max(at, 0), table.rowCount() - 1), 1)
        self._refresh()

    @property
    def _now(self) -> TypedBluetooth:
        """What is typed by now."""
        return replace(self.typed, named=self.named.text(), lines=self.lines.isChecked())

    def _take_rows(self) -> None:
        rows = []
        for row, before in enumerate(self.typed.data):
            sort, text = self.data.box(row, 0).currentData(), self.data.text(row, 1)
            rows.append(replace(before, sort=sort, text=text))
        self.typed = replace(self.typed, data=tuple(rows))

    def _refresh(self) -> None:
        has_row = 0 <= self.data.currentRow() < len(self.typed.data)
        self.bytes.setEnabled(has_row)
        self.drop.setEnabled(has_row)

    def _on_add(self) -> None:
        self.typed = replace(self.typed, data=(*self.typed.data, TypedData(DataSort.COMPANY, "")))
        self._fill()
        self.data.setCurrentCell(len(self.typed.data) - 1, 1)
        self.data.setFocus()

    def _on_drop(self) -> None:
        self.typed = self.typed.without(self.data.currentRow())
        self._fill()

    def _on_bytes(self) -> None:
        at = self.data.currentRow()
        one = self.typed.data[at]
        try:
            source = one.source
        except UsageError as error:
            self.problem.setText(str(error))
            return
        self.problem.setText("")
        dialog = LayoutDialog(
            self._theme,
            one.layout,
            self._names,
            self._kind,
            self._client.scope(),
            self,
            source=source,
        )

        def take(layout: ByteLayout | None) -> None:
            self.typed = self.typed.with_data(at, replace(one, layout=layout))
            self._fill()

        dialog.chosen.connect(take)
        dialog.open()

    def _on_save(self) -> None:
        try:
            made = self._now.made()
        except UsageError as error:
            self.problem.setText(str(error))
            return
        self.chosen.emit(made)
        self.accept()
