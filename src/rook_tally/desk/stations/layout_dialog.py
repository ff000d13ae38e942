"""A layout of bytes by example: pick bytes of a message, take what they could be, see the values of
the last messages at once."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace
from PySide6.QtCore import QItemSelectionModel, Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.byte_layout import (
    ByteLayout,
    ByteOrder,
    BytesText,
    CheckKind,
    NumberType,
)
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.row_table import RowTable, picked_row
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.desk.stations.layout_model import Candidate, KindMessages, LayoutModel, TypedValue
from rook_tally.desk.stations.texts import tr

_ACROSS, _MOST_ROWS = 16, 4
_BYTE_WIDTH, _BYTE_HEIGHT = 42, 26
_CANDIDATE = Qt.ItemDataRole.UserRole
_HEADS = ("field", "from byte", "type", "first byte", "times", "plus", "nothing when")
_WRITTEN = (
    (BytesText.BYTES, "bare bytes"),
    (BytesText.HEX, "hexadecimal text"),
    (BytesText.BASE64, "base64 text"),
)
_ORDERS = ((ByteOrder.BIG, "highest"), (ByteOrder.LITTLE, "lowest"))


class LayoutDialog(AskingDialog):
    """Writes the layout of a kind, or of what a Bluetooth sensor of it says as `source`.
    `chosen` tells the layout, None for no layout at all."""

    chosen = Signal(object)

    def __init__(
        self,
        theme: Theme,
        layout: ByteLayout | None,
        names: Sequence[str],
        kind: str,
        client: ClientScope,
        parent: QWidget,
        *,
        source: str = "",
    ) -> None:
        super().__init__(parent)
        self._theme = theme
        self.model = LayoutModel(layout, names)
        self._begun = self.model.typed
        self._is_filling = False
        self.finished.connect(client.close)
        self.setWindowTitle(tr("Bytes of its messages"))
        self.resize(980, 700)
        self.written, self.check = QComboBox(), QComboBox()
        for one, words in _WRITTEN:
            self.written.addItem(tr(words), one)
        self.check.addItem(tr("none"), None)
        for check in CheckKind:
            self.check.addItem(check.value, check)
        self.at, self.begins, self.length = QLineEdit(), QLineEdit(), QLineEdit()
        self.formulas = QLineEdit()
        self.paste, self.try_it = QLineEdit(), QPushButton(tr("Try it"))
        for part, name, hint in (
            (self.at, tr("within JSON at"), tr("not in JSON")),
            (self.begins, tr("begins with, hexadecimal"), tr("anything")),
            (self.length, tr("length in bytes"), tr("what its fields need")),
            (
                self.formulas,
                tr("formulas over the fields"),
                tr("none, or such as temp = _raw / 10 - 40; fields named _… serve them alone"),
            ),
            (self.paste, tr("a message to try"), tr("paste one: 42 01 0b f4")),
        ):
            part.setAccessibleName(name)
            part.setPlaceholderText(hint)
        self.written.setAccessibleName(tr("how the bytes are written"))
        self.check.setAccessibleName(tr("check at its end"))
        self.grid = QTableWidget(0, _ACROSS)
        self.candidates = QListWidget()
        self.fields = QTableWidget(0, len(_HEADS))
        self.messages = RowTable(theme, [tr("message")], tr("the last messages"))
        self.take, self.drop = QPushButton(tr("Take it")), QPushButton(tr("Remove"))
        self.hint, self.problem = Label(), Label()
        self.problem.setWordWrap(True)
        tint(self.hint, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.save, self.cancel = QPushButton(tr("Use this layout")), QPushButton(tr("Cancel"))
        self._lay_out()
        self._fill_settings()
        self._connect()
        self._show()
        self.ask_about(self.save)
        client.read(KindMessages(kind, source), self._take_messages, self.problem.setText)

    @property
    def is_touched(self) -> bool:
        """True if the layout is another than the one it began with."""
        return self.model.typed != self._begun

    def _lay_out(self) -> None:
        settings = QGridLayout()
        settings.setHorizontalSpacing(12)
        for at, (words, part) in enumerate(
            (
                (tr("Written as"), self.written),
                (tr("Within JSON at"), self.at),
                (tr("Begins with"), self.begins),
                (tr("Length"), self.length),
                (tr("Check"), self.check),
            )
        ):
            settings.addWidget(Label(words), 0, at)
            settings.addWidget(part, 1, at)
            settings.setColumnStretch(at, 1)
        self._lay_out_tables()
        picked = QHBoxLayout()
        picked.addWidget(self.candidates, 1)
        picked.addWidget(self.take)
        pasting = QHBoxLayout()
        pasting.addWidget(self.paste, 1)
        pasting.addWidget(self.try_it)
        for button in (self.take, self.drop, self.try_it):
            button.setObjectName("small")
            button.setAutoDefault(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addLayout(settings)
        column.addWidget(self.grid)
        column.addWidget(self.hint)
        column.addLayout(picked)
        column.addLayout(self._head(tr("Fields"), self.drop))
        column.addWidget(self.fields, 3)
        worked_out = QHBoxLayout()
        worked_out.addWidget(Label(tr("Worked out")))
        worked_out.addWidget(self.formulas, 1)
        column.addLayout(worked_out)
        column.addLayout(self._head(tr("The last messages"), None))
        column.addWidget(self.messages, 3)
        column.addLayout(pasting)
        column.addWidget(self.problem)
        column.addWidget(dialog_buttons(self.save, self.cancel))

    def _lay_out_tables(self) -> None:
        grid, theme = self.grid, self._theme
        grid.setAccessibleName(tr("bytes of the picked message"))
        grid.horizontalHeader().hide()
        grid.verticalHeader().setDefaultSectionSize(_BYTE_HEIGHT)
        grid.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        grid.setTabKeyNavigation(False)
        grid.setFont(face(13))
        grid.setStyleSheet(
            f"QTableWidget::item:selected {{ background: {theme.sheen}; color: {theme.on_sheen}; }}"
        )
        for column in range(_ACROSS):
            grid.setColumnWidth(column, _BYTE_WIDTH)
        self.candidates.setAccessibleName(tr("what the picked bytes could be"))
        self.candidates.setFlow(QListView.Flow.LeftToRight)
        self.candidates.setFixedHeight(34)
        self.candidates.setSpacing(2)
        self.candidates.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.candidates.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.candidates.setFont(face(13))
        self.candidates.setStyleSheet(list_style(theme))
        fields = self.fields
        fields.setAccessibleName(tr("fields of the layout"))
        fields.setStyleSheet(picked_row(theme))
        fields.setHorizontalHeaderLabels([tr(one) for one in _HEADS])
        fields.verticalHeader().hide()
        fields.setTabKeyNavigation(False)
        fields.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        header = fields.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(len(_HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        for column, width in enumerate((190, 84, 84, 110, 110, 110)):
            fields.setColumnWidth(column, width)

    @staticmethod
    def _head(words: str, button: QPushButton | None) -> QHBoxLayout:
        row, label = QHBoxLayout(), Label(words)
        label.setFont(face(13, BOLD))
        row.addWidget(label)
        row.addStretch(1)
        if button is not None:
            row.addWidget(button)
        return row

    def _connect(self) -> None:
        for line in (self.at, self.begins, self.length, self.formulas):
            line.textEdited.connect(self._on_settings)
        for box in (self.written, self.check):
            box.activated.connect(self._on_settings)
        self.grid.itemSelectionChanged.connect(self._show_candidates)
        self.candidates.itemDoubleClicked.connect(lambda _item: self._on_take())
        self.candidates.itemActivated.connect(lambda _item: self._on_take())
        self.take.clicked.connect(self._on_take)
        self.drop.clicked.connect(self._on_drop)
        self.fields.itemChanged.connect(lambda _item: self._on_fields())
        self.messages.itemSelectionChanged.connect(self._on_message)
        self.try_it.clicked.connect(self._on_paste)
        self.paste.returnPressed.connect(self._on_paste)
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.discard)

    def _fill_settings(self) -> None:
        typed = self.model.typed
        self.written.setCurrentIndex(self.written.findData(typed.text))
        self.check.setCurrentIndex(0 if typed.check is None else self.check.findData(typed.check))
        self.at.setText(typed.at)
        self.begins.setText(typed.begins)
        self.length.setText(typed.length)
        self.formulas.setText(typed.formulas)

    def _take_messages(self, bodies: tuple[bytes, ...]) -> None:
        self.model.take_messages(bodies)
        self._show()

    # Shown

    def _show(self) -> None:
        self._show_fields()
        self._show_values()

    def _show_values(self) -> None:
        """Everything that follows from what is typed."""
        self._show_bytes()
        self._show_messages()
        try:
            self.model.layout()
        except UsageError as error:
            self.problem.setText(str(error))
            self.save.setEnabled(False)
            return
        self.problem.setText("")
        self.save.setEnabled(True)

    def _show_bytes(self) -> None:
        body, grid, theme = self.model.carried, self.grid, self._theme
        picked = self._picked_bytes()
        grid.blockSignals(True)
        grid.setRowCount(max(1, -(-len(body) // _ACROSS)))
        grid.setFixedHeight(min(grid.rowCount(), _MOST_ROWS) * _BYTE_HEIGHT + 4)
        grid.setVerticalHeaderLabels([str(row * _ACROSS) for row in range(grid.rowCount())])
        fills = (theme.rail, theme.rule)
        for at in range(grid.rowCount() * _ACROSS):
            item = QTableWidgetItem(f"{body[at]:02x}" if at < len(body) else "")
            item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
            owner = self.model.owner(at)
            if at >= len(body):
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            elif owner is not None:
                item.setBackground(colour(fills[owner % 2]))
                item.setToolTip(self.model.typed.values[owner].name)
            grid.setItem(at // _ACROSS, at % _ACROSS, item)
        for at in picked:
            index = grid.model().index(at // _ACROSS, at % _ACROSS)
            grid.selectionModel().select(index, QItemSelectionModel.SelectionFlag.Select)
        grid.blockSignals(False)
        self._show_candidates()

    def _picked_bytes(self) -> list[int]:
        """The picked bytes, those between the first and the last of them too."""
        found = [
            one.row() * _ACROSS + one.column()
            for one in self.grid.selectionModel().selectedIndexes()
        ]
        return list(range(min(found), max(found) + 1)) if found else []

    def _show_candidates(self) -> None:
        picked = self._picked_bytes()
        self.candidates.clear()
        for one in self.model.candidates(picked[0], len(picked)) if picked else []:
            number, kind = number_text(one.number), one.kind.value
            if one.kind.size == 1:
                words = f"{number} ({kind})"
            else:
                words = tr("{0} ({1}, {2} first)", number, kind, tr(dict(_ORDERS)[one.order]))
            item = QListWidgetItem(words)
            item.setData(_CANDIDATE, one)
            self.candidates.addItem(item)
        self.candidates.setCurrentRow(0)
        self.take.setEnabled(self.candidates.count() > 0)
        if not self.model.carried:
            self.hint.setText(tr("No message has bytes so far; paste one below."))
        elif not picked:
            self.hint.setText(
                tr("Pick bytes that belong together: one, two, three, four or eight.")
            )
        elif not self.candidates.count():
            self.hint.setText(tr("No number has {0} bytes.", len(picked)))
        else:
            self.hint.setText(tr("Bytes {0} to {1} could be", picked[0], picked[-1]))

    def _show_messages(self) -> None:
        names = self.model.typed.shown
        table, tried = self.messages, self.model.tried()
        table.blockSignals(True)
        table.setColumnCount(len(names) + 2)
        table.setHorizontalHeaderLabels([*names, tr("message"), ""])
        rows = [(*(one.values or ("",) * len(names)), one.shown, one.why) for one in tried]
        table.fill(rows, faint=[at for at, one in enumerate(tried) if one.why])
        if tried:
            table.selectRow(self.model.picked)
        table.blockSignals(False)

    def _show_fields(self) -> None:
        self._is_filling = True
        self.fields.setRowCount(0)
        for one in self.model.typed.values:
            self._put_field(one)
        self._is_filling = False
        self.drop.setEnabled(bool(self.model.typed.values))

    def _put_field(self, one: TypedValue) -> None:
        table, at = self.fields, self.fields.rowCount()
        table.insertRow(at)
        name, kind, order = QComboBox(), QComboBox(), QComboBox()
        name.setEditable(True)
        name.addItems(list(self.model.names))
        name.setCurrentText(one.name)
        for number_type in NumberType:
            kind.addItem(number_type.value, number_type)
        kind.setCurrentIndex(kind.findData(one.kind))
        for byte_order, words in _ORDERS:
            order.addItem(tr(words), byte_order)
        order.setCurrentIndex(order.findData(one.order))
        for box, words, column in (
            (name, tr("field"), 0),
            (kind, tr("type of {0}", one.name), 2),
            (order, tr("first byte of {0}", one.name), 3),
        ):
            box.setAccessibleName(words)
            table.setCellWidget(at, column, box)
        name.editTextChanged.connect(lambda _text: self._on_fields())
        kind.currentIndexChanged.connect(lambda _at: self._on_fields())
        order.currentIndexChanged.connect(lambda _at: self._on_fields())
        texts = ((1, str(one.at)), (4, one.scale), (5, one.offset), (6, one.nothing))
        for column, text in texts:
            table.setItem(at, column, QTableWidgetItem(text))

    # Done

    def _on_settings(self, *_: object) -> None:
        self.model.typed = replace(
            self.model.typed,
            text=self.written.currentData(),
            check=self.check.currentData(),
            at=self.at.text(),
            begins=self.begins.text(),
            length=self.length.text(),
            formulas=self.formulas.text(),
        )
        self._show_values()

    def _on_fields(self) -> None:
        if self._is_filling:
            return
        for at, before in enumerate(self.model.typed.values):
            first = self._cell(at, 1).strip()
            self.model.alter(
                at,
                replace(
                    before,
                    name=self._box(at, 0).currentText(),
                    at=int(first) if first.isdecimal() else -1,
                    kind=self._box(at, 2).currentData(),
                    order=self._box(at, 3).currentData(),
                    scale=self._cell(at, 4),
                    offset=self._cell(at, 5),
                    nothing=self._cell(at, 6),
                ),
            )
        self._show_values()

    def _cell(self, row: int, column: int) -> str:
        item = self.fields.item(row, column)
        return "" if item is None else item.text()

    def _box(self, row: int, column: int) -> QComboBox:
        box = self.fields.cellWidget(row, column)
        assert isinstance(box, QComboBox)
        return box

    def _on_take(self) -> None:
        item, picked = self.candidates.currentItem(), self._picked_bytes()
        candidate = None if item is None else item.data(_CANDIDATE)
        if isinstance(candidate, Candidate) and picked:
            self.grid.clearSelection()
            self.model.add(picked[0], candidate)
            self._show()

    def _on_drop(self) -> None:
        at = max(0, self.fields.currentRow())
        if at < len(self.model.typed.values):
            self.model.remove(at)
            self._show()

    def _on_message(self) -> None:
        at = self.messages.currentRow()
        if 0 <= at < len(self.model.messages) and at != self.model.picked:
            self.model.picked = at
            self._show_bytes()

    def _on_paste(self) -> None:
        try:
            self.model.paste(self.paste.text())
        except UsageError as error:
            self.problem.setText(str(error))
            return
        self.paste.clear()
        self._show_values()

    def _on_save(self) -> None:
        self.chosen.emit(self.model.layout())
        self.accept()
