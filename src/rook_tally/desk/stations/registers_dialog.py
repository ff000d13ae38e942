"""Registers of a Modbus device by example: read a stretch of them, click what a row is, name it."""

from __future__ import annotations

import threading
from collections.abc import Sequence

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.door_settings import ModbusSetting
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.modbus_map import (
    MOST_REGISTERS,
    REGISTER_TYPES,
    ModbusRegister,
    RegisterTable,
)
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_trial import RegistersReader
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.typed_table import TypedTable
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.registers_model import (
    TYPES,
    RegisterRow,
    RegistersAnswer,
    TypedRegister,
    picked_register,
    registers_of,
    rows_of,
    typed_register,
    value_words,
)
from rook_tally.desk.stations.texts import tr

_HEADS = ("address", "hex", *(one.value for one in TYPES))
_REGISTER_HEADS = ("field", "table", "address", "type", "low word first", "times", "plus", "now")
_FIRST_TYPE = 2
_TABLES = {
    RegisterTable.HOLDING: "holding registers",
    RegisterTable.INPUT: "input registers",
    RegisterTable.COIL: "coils",
    RegisterTable.DISCRETE: "discrete inputs",
}


class RegistersDialog(AskingDialog):
    """Writes which registers a kind reads. `chosen` tells them."""

    chosen = Signal(object)
    answered = Signal(object, str)

    def __init__(
        self,
        theme: Theme,
        registers: Sequence[ModbusRegister],
        reader: RegistersReader | None,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._theme, self._reader = theme, reader
        self.typed: list[TypedRegister] = [typed_register(one) for one in registers]
        self._begun = list(self.typed)
        self._answers: dict[RegisterTable, RegistersAnswer] = {}
        self._shown: RegistersAnswer | None = None
        self._is_filling = False
        self.setWindowTitle(tr("Registers of a Modbus device"))
        self.resize(980, 700)
        self.address, self.unit = QLineEdit(), QSpinBox()
        self.address.setPlaceholderText("192.168.1.40:502, /dev/ttyUSB0")
        self.address.setAccessibleName(tr("address or port of the device"))
        self.unit.setRange(0, 255)
        self.unit.setValue(1)
        self.unit.setAccessibleName(tr("number of the device"))
        self.table, self.at, self.count = QComboBox(), QSpinBox(), QSpinBox()
        for one, words in _TABLES.items():
            self.table.addItem(tr(words), one)
        self.table.setAccessibleName(tr("table"))
        self.at.setRange(0, 65_535)
        self.at.setAccessibleName(tr("from address"))
        self.count.setRange(1, MOST_REGISTERS)
        self.count.setValue(32)
        self.count.setAccessibleName(tr("how many"))
        self.low_first = QCheckBox(tr("low word first"))
        self.read = QPushButton(tr("Read"))
        self.rows = RowTable(theme, [tr(one) for one in _HEADS], tr("registers as they stand"))
        self.take = QPushButton(tr("Take it"))
        self.registers = TypedTable(
            theme,
            [tr(one) for one in _REGISTER_HEADS],
            tr("registers of the kind"),
            stretched=len(_REGISTER_HEADS) - 1,
            widths=(150, 170, 80, 80, 110, 80, 80, 0),
        )
        self.drop = QPushButton(tr("Remove"))
        self.hint, self.problem = Label(), Label()
        self.problem.setWordWrap(True)
        tint(self.hint, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.save, self.cancel = QPushButton(tr("Use these")), QPushButton(tr("Cancel"))
        self._lay_out()
        self._connect()
        self._fill()
        self._refresh()
        self.ask_about(self.save)

    @property
    def is_touched(self) -> bool:
        """True if other registers are read than it began with."""
        return self.typed != self._begun

    def _lay_out(self) -> None:
        for button in (self.read, self.take, self.drop):
            button.setObjectName("small")
            button.setAutoDefault(False)
        asked, picked, head = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        asked.addWidget(self.address, 1)
        for words, part in (
            (tr("device"), self.unit),
            ("", self.table),
            (tr("from"), self.at),
            (tr("count"), self.count),
        ):
            if words:
                asked.addWidget(Label(words))
            asked.addWidget(part)
        asked.addWidget(self.read)
        picked.addWidget(self.hint, 1)
        picked.addWidget(self.low_first)
        picked.addWidget(self.take)
        title = Label(tr("What the kind reads"))
        title.setFont(face(13, BOLD))
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.drop)
        # A cell is picked and not a row: which column it is says what the register is.
        self.rows.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectItems)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addLayout(asked)
        column.addWidget(self.rows, 3)
        column.addLayout(picked)
        column.addLayout(head)
        column.addWidget(self.registers, 3)
        column.addWidget(self.problem)
        column.addWidget(dialog_buttons(self.save, self.cancel))

    def _connect(self) -> None:
        self.read.clicked.connect(self._on_read)
        self.address.returnPressed.connect(self._on_read)
        self.answered.connect(self._on_answered)
        self.low_first.toggled.connect(lambda _: self._show_rows())
        self.rows.itemSelectionChanged.connect(self._refresh)
        self.rows.doubleClicked.connect(lambda _at: self._on_take())
        self.take.clicked.connect(self._on_take)
        self.drop.clicked.connect(self._on_drop)
        self.registers.itemChanged.connect(lambda _item: self._take_typed())
        self.registers.itemSelectionChanged.connect(self._refresh)
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.discard)

    def _on_read(self) -> None:
        reader, address = self._reader, self.address.text().strip()
        if reader is None or not address:
            self.problem.setText(tr("Say where the device is: its address, or a serial port."))
            return
        setting = ModbusSetting(address, "", unit=self.unit.value())
        table, at, count = self.table.currentData(), self.at.value(), self.count.value()
        self.problem.setText("")
        self.read.setEnabled(False)
        self.read.setText(tr("Asking…"))

        def ask() -> None:
            try:
                told = RegistersAnswer(table, at, reader(setting, table, at, count))
                self.answered.emit(told, "")
            except RookTallyError as error:
                self.answered.emit(None, str(error))
            except RuntimeError:
                # The dialog was closed meanwhile: nobody wants to know any more.
                return

        threading.Thread(target=ask, daemon=True, name="reading registers").start()

    def _on_answered(self, answer: RegistersAnswer | None, why: str) -> None:
        self.read.setEnabled(True)
        self.read.setText(tr("Read"))
        self.problem.setText(why)
        if answer is not None:
            self._answers[answer.table] = self._shown = answer
            self._show_rows()
            self._show_values()

    @property
    def _rows(self) -> list[RegisterRow]:
        if self._shown is None:
            return []
        return rows_of(self._shown, low_word_first=self.low_first.isChecked())

    def _show_rows(self) -> None:
        row, column = self.rows.currentRow(), self.rows.currentColumn()
        self.rows.fill([(str(one.at), one.raw, *one.values) for one in self._rows])
        if row >= 0:
            self.rows.setCurrentCell(row, column)
        self._refresh()

    def _refresh(self) -> None:
        at = self.rows.currentRow()
        self.take.setEnabled(at >= 0 and self.rows.currentColumn() >= _FIRST_TYPE)
        self.drop.setEnabled(0 <= self.registers.currentRow() < len(self.typed))
        self.hint.setText(
            tr("Click the value that is right, in the column of what it is.")
            if self._shown is not None
            else tr("Read some registers of the device first.")
        )

    def _on_take(self) -> None:
        at, column = self.rows.currentRow(), self.rows.currentColumn() - _FIRST_TYPE
        if self._shown is None or at < 0 or column < 0 or not self._rows[at].values[column]:
            return
        self.typed.append(
            picked_register(
                self._rows[at],
                self._shown.table,
                TYPES[column],
                [one.name for one in self.typed],
                low_word_first=self.low_first.isChecked(),
            )
        )
        self._fill()
        self.registers.setCurrentCell(len(self.typed) - 1, 0)
        self._refresh()

    def _on_drop(self) -> None:
        del self.typed[self.registers.currentRow()]
        self._fill()
        self._refresh()

    def _fill(self) -> None:
        self._is_filling = True
        table = self.registers
        table.setRowCount(0)
        for row, one in enumerate(self.typed):
            table.insertRow(row)
            for at, text in ((0, one.name), (2, one.at), (5, one.scale), (6, one.offset)):
                table.setItem(row, at, QTableWidgetItem(text))
            tables = [(tr(words), each) for each, words in _TABLES.items()]
            types = [(each.value, each) for each in REGISTER_TYPES]
            orders = [(tr("no"), False), (tr("yes"), True)]
            self._put_choice(row, 1, tables, one.table, tr("table of {0}", one.name))
            self._put_choice(row, 3, types, one.kind, tr("type of {0}", one.name))
            self._put_choice(
                row, 4, orders, one.low_word_first, tr("low word first of {0}", one.name)
            )
            table.put_text(row, len(_REGISTER_HEADS) - 1, "")
        self._is_filling = False
        self._show_values()

    def _put_choice(
        self, row: int, column: int, choices: Sequence[tuple[str, object]], now: object, name: str
    ) -> None:
        box = QComboBox()
        for words, one in choices:
            box.addItem(words, one)
        box.setCurrentIndex([one for _, one in choices].index(now))
        box.setAccessibleName(name)
        box.activated.connect(lambda _: self._take_typed())
        self.registers.setCellWidget(row, column, box)

    def _take_typed(self) -> None:
        if self._is_filling:
            return
        for row, before in enumerate(self.typed):
            self.typed[row] = replace(
                before,
                name=self.registers.text(row, 0),
                table=self.registers.box(row, 1).currentData(),
                at=self.registers.text(row, 2),
                kind=self.registers.box(row, 3).currentData(),
                low_word_first=self.registers.box(row, 4).currentData(),
                scale=self.registers.text(row, 5),
                offset=self.registers.text(row, 6),
            )
        self._show_values()

    def _show_values(self) -> None:
        self._is_filling = True
        for row, one in enumerate(self.typed):
            item = self.registers.item(row, len(_REGISTER_HEADS) - 1)
            if item is not None:
                item.setText(value_words(one, list(self._answers.values())))
        self._is_filling = False

    def _on_save(self) -> None:
        try:
            made = registers_of(self.typed)
        except UsageError as error:
            self.problem.setText(str(error))
            return
        self.chosen.emit(made)
        self.accept()
