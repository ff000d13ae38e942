"""One station's page: its message tape, and its fields."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QFont, QFontDatabase
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.actions import StationsAction
from rook_tally.desk.stations.control_list import ControlList
from rook_tally.desk.stations.model import StationsModel
from rook_tally.desk.stations.station_tables import FieldRow, TapeRow
from rook_tally.desk.stations.texts import tr

_TAPE_ROW, _FIELD_ROW = 23, 28
_TAPE_SHOWN = 11
_FIELD_HEADS = ("field", "becomes", "now", "in 24 h", "believable", "correction")
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_NUMBER_COLUMNS = (2, 3, 4)


def _typewriter(size_px: int) -> QFont:
    font = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
    font.setPixelSize(size_px)
    return font


class _Table(QTableWidget):
    """A ruled table of text: read, picked and copied, never edited."""

    def __init__(self, theme: Theme, columns: int, row_height: int, name: str) -> None:
        super().__init__(0, columns)
        self.setAccessibleName(name)
        self.setFrameShape(QTableWidget.Shape.NoFrame)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(row_height)
        self.horizontalHeader().setHighlightSections(False)
        self.setStyleSheet(
            f"QTableWidget::item {{ border-bottom: 1px solid {theme.rule}; padding: 0 16px 0 0; }}"
            f"QTableWidget::item:selected {{ background: {theme.paper}; color: {theme.ink}; }}"
            f"QHeaderView::section {{ background: {theme.sheet}; color: {theme.dim};"
            f" border: none; border-bottom: 1px solid {theme.strong_rule}; padding: 4px 16px 4px 0;"
            f" font-size: 12px; }}"
        )

    def put(self, row: int, column: int, text: str) -> QTableWidgetItem:
        """Set the text of a cell; what does not change is left alone."""
        item = self.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            self.setItem(row, column, item)
        if item.text() != text:
            item.setText(text)
        return item


class StationPageView(QWidget):
    """Shows the picked station.

    `held` hears when the tape is to stand still, `asked` what is to be done with the station or its
    picked field.
    """

    held = Signal(bool)
    asked = Signal(StationsAction)

    def __init__(self, theme: Theme, model: StationsModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._model = model
        self._name, self._about, self._counts = Label(), Label(), Label()
        self._whole, self._firmware, self._where = Label(), Label(), Label()
        self._power = Label()
        self._power.setWordWrap(True)
        self._nothing = Label(
            tr("Nothing has come from it yet. What it sends appears here at once.")
        )
        self.hold = QPushButton(tr("Hold"))
        self.hold.setObjectName("small")
        self.hold.setCheckable(True)
        self.hold.setToolTip(tr("Let the tape stand still (H)"))
        self.hold.toggled.connect(self.held)
        self.tape = _Table(theme, 3, _TAPE_ROW, tr("message tape"))
        self.controls = ControlList(theme)
        self._controls_title = Label(tr("Controls"))
        self.sheet = QPushButton(tr("Connection…"))
        self.sheet.setToolTip(tr("Address, key, programs that send, and its first contact (C)"))
        self.new_key = QPushButton(tr("New key…"))
        self.notes = QPushButton(tr("Notes…"))
        self.settings = QPushButton(tr("Settings…"))
        self.settings.setToolTip(tr("Its place, its kind, how often it reports (S)"))
        self.more = QPushButton(tr("More"))
        self.more.setToolTip(tr("Another key, another box, under maintenance, out of use, removed"))
        menu = QMenu(self.more)
        for words, action in (
            (tr("Rename… (F2)"), StationsAction.RENAME),
            (tr("Replace by another box…"), StationsAction.REPLACE),
            (tr("Under maintenance… / done (M)"), StationsAction.MAINTAIN),
            (tr("Take out of use"), StationsAction.RETIRE),
            (tr("Remove (Delete)"), StationsAction.REMOVE),
            (tr("Stations out of use…"), StationsAction.OUT_OF_USE),
        ):
            menu.addAction(words, partial(self.asked.emit, action))
        self.more.setMenu(menu)
        self.fields = _Table(theme, len(_FIELD_HEADS), _FIELD_ROW, tr("fields"))
        self.field = QPushButton(tr("Field…"))
        self.field.setToolTip(tr("What the picked field measures, its name, how it is shown (D)"))
        self.limits = QPushButton(tr("Limits…"))
        self.limits.setToolTip(tr("From where on the picked field's readings are not fine (L)"))
        for button, action in (
            (self.field, StationsAction.FIELD),
            (self.limits, StationsAction.LIMITS),
            (self.sheet, StationsAction.CONNECTION),
            (self.new_key, StationsAction.NEW_KEY),
            (self.notes, StationsAction.NOTES),
            (self.settings, StationsAction.SETTINGS),
        ):
            button.setObjectName("small")
            button.clicked.connect(partial(self.asked.emit, action))
        self.fields.cellDoubleClicked.connect(lambda *_: self.asked.emit(StationsAction.FIELD))
        let_copy(self.tape)
        self._copy_field = let_copy(self.fields, with_menu=False)
        self.fields.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.fields.customContextMenuRequested.connect(self._offer_for_field)
        self._lay_out()

    def _lay_out(self) -> None:
        theme = self._theme
        for label, font, role in (
            (self._name, face(19, BOLD), theme.ink),
            (self._about, face(13), theme.dim),
            (self._counts, face(12), theme.dim),
            (self._power, face(12), theme.dim),
            (self._nothing, face(13), theme.dim),
            (self._whole, _typewriter(12), theme.ink),
            (self._firmware, face(12), theme.dim),
            (self._where, face(12), theme.dim),
            (self._controls_title, face(13, BOLD), theme.ink),
        ):
            label.setFont(font)
            tint(label, role)
        title = QHBoxLayout()
        title.setSpacing(14)
        title.addWidget(self._name, 0, Qt.AlignmentFlag.AlignBaseline)
        title.addWidget(self._about, 0, Qt.AlignmentFlag.AlignBaseline)
        title.addStretch(1)
        title.addWidget(self._firmware, 0, Qt.AlignmentFlag.AlignBaseline)
        self._where.setWordWrap(True)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        self.more.setObjectName("small")
        for button in (self.sheet, self.settings, self.notes, self.new_key, self.more):
            buttons.addWidget(button)
        buttons.addStretch(1)
        head = self._heading(tr("Message tape"), tr("everything it says, and what became of it"))
        head.addStretch(1)
        head.addWidget(self.hold)
        # A message begins with its time, and ends with what is interesting.
        self.tape.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.tape.horizontalHeader().hide()
        self.tape.currentCellChanged.connect(self._show_whole)
        self._whole.setWordWrap(True)
        self._whole.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._whole.setObjectName("whole message")
        self._whole.setAccessibleName(tr("the picked message"))
        self._whole.hide()
        self._set_widths(self.tape, (116, 0, 316), stretched=1)
        for at, name in enumerate(_FIELD_HEADS):
            title_item = QTableWidgetItem(tr(name))
            title_item.setTextAlignment(_RIGHT if at in _NUMBER_COLUMNS else _LEFT)
            self.fields.setHorizontalHeaderItem(at, title_item)
        self._set_widths(self.fields, (116, 180, 90, 130, 130, 0), stretched=5)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(24, 16, 24, 16)
        whole.setSpacing(6)
        whole.addLayout(title)
        whole.addWidget(self._where)
        whole.addWidget(self._counts)
        whole.addWidget(self._power)
        whole.addSpacing(6)
        whole.addLayout(head)
        # In place of the messages it takes their room: else the lines above would drift apart.
        self._nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        whole.addWidget(self._nothing, 1)
        whole.addWidget(self.tape, 1)
        whole.addWidget(self._whole)
        whole.addSpacing(10)
        fields_head = self._heading(tr("Fields"), "")
        fields_head.addWidget(self.limits)
        fields_head.addWidget(self.field)
        whole.addLayout(fields_head)
        whole.addWidget(self.fields)
        whole.addSpacing(6)
        whole.addWidget(self._controls_title)
        whole.addWidget(self.controls)
        whole.addSpacing(6)
        whole.addLayout(buttons)

    def _heading(self, text: str, remark: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(14)
        for words, font, role in (
            (text, face(13, BOLD), self._theme.ink),
            (remark, face(12), self._theme.dim),
        ):
            label = Label(words)
            label.setFont(font)
            tint(label, role)
            row.addWidget(label)
        if not remark:
            row.addStretch(1)
        return row

    @staticmethod
    def _set_widths(table: _Table, widths: Sequence[int], *, stretched: int) -> None:
        header = table.horizontalHeader()
        for column, width in enumerate(widths):
            if column == stretched:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
            else:
                header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
                table.setColumnWidth(column, width)

    def refresh(self) -> None:
        """Show what the model says."""
        station = self._model.picked
        self.setVisible(station is not None)
        if station is None:
            return
        self._name.setText(station.key)
        place, kind = station.place.name, tr(station.kind.name)
        self._about.setText(tr("{0} · {1} · every {2:g} s", place, kind, station.cadence_s))
        self._counts.setText(self._model.counts())
        power = self._model.power_words()
        self._power.setText(power)
        self._power.setVisible(bool(power))
        self.hold.setChecked(self._model.is_held)
        self.hold.setText(tr("Held") if self._model.is_held else tr("Hold"))
        rows = self._model.tape_rows()
        self._nothing.setVisible(not rows)
        self.tape.setVisible(bool(rows))
        self._fill_tape(rows)
        self._fill_fields(self._model.field_rows())
        self._firmware.setText(self._model.firmware())
        self._where.setText(self._model.where())
        self._where.setVisible(bool(self._where.text()))
        controls = self._model.control_rows()
        self._controls_title.setVisible(bool(controls))
        self.controls.setVisible(bool(controls))
        picked = self._model.picked
        self.controls.show_rows("" if picked is None else picked.key, controls)
        # What is set is set now, whatever moment is looked at.
        is_now = self._model.is_live
        self.controls.setEnabled(is_now)
        self._controls_title.setText(
            tr("Controls") if is_now else tr("Controls: closed while the past is shown")
        )

    def _offer_for_field(self, at: QPoint) -> None:
        """What can be done with the field under the mouse."""
        item = self.fields.itemAt(at)
        if item is None:
            return
        self.fields.setCurrentItem(item)
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for words, action in (
            (tr("Field… (D)"), StationsAction.FIELD),
            (tr("Limits… (L)"), StationsAction.LIMITS),
            (tr("Readings… (R)"), StationsAction.READINGS),
            (tr("Show in the Strip (Enter)"), StationsAction.IN_STRIP),
        ):
            menu.addAction(words, partial(self.asked.emit, action))
        menu.addAction(self._copy_field)
        menu.popup(self.fields.viewport().mapToGlobal(at))

    @property
    def picked_field(self) -> int:
        """The row of the picked field; the first while none is."""
        return max(0, self.fields.currentRow())

    def _show_whole(self, *_: object) -> None:
        """The picked message in full, and all that is to be said of it."""
        row = self.tape.currentRow()
        rows = self._model.tape_rows()
        picked = rows[row] if self.tape.hasFocus() and 0 <= row < len(rows) else None
        self._whole.setVisible(picked is not None)
        if picked is not None:
            read = f"\n= {picked.decoded}" if picked.decoded else ""
            self._whole.setText(f"{picked.body}{read}\n→ {picked.fate}")

    def _fill_tape(self, rows: Sequence[TapeRow]) -> None:
        self.tape.setRowCount(len(rows))
        for at, row in enumerate(rows):
            time = self.tape.put(at, 0, row.time)
            time.setFont(face(12))
            time.setForeground(colour(self._theme.dim))
            body = self.tape.put(at, 1, row.body)
            body.setFont(_typewriter(12))
            body.setToolTip(plain_tip(f"{row.body}\n= {row.decoded}" if row.decoded else row.body))
            fate = self.tape.put(at, 2, row.fate)
            fate.setToolTip(plain_tip(row.fate))
            fate.setTextAlignment(_RIGHT)
            fine = row.level is Level.SETTLED
            fate.setFont(face(12) if fine else face(12, BOLD))
            fate.setForeground(colour(self._theme.dim if fine else self._theme.level(row.level)))

    def _fill_fields(self, rows: Sequence[FieldRow]) -> None:
        self.fields.setRowCount(len(rows))
        for at, row in enumerate(rows):
            for column, text in enumerate(row.cells):
                item = self.fields.put(at, column, text)
                item.setFont(
                    _typewriter(12)
                    if column == 0
                    else face(14, BOLD)
                    if column == 2
                    else face(13, MEDIUM if column == 1 else QFont.Weight.Normal)
                )
                item.setTextAlignment(_RIGHT if column in _NUMBER_COLUMNS else _LEFT)
                quiet = column > 2 and not (column == 5 and text != "none")
                role = self._theme.dim if quiet else self._theme.ink
                item.setForeground(colour(self._theme.sheen if column == 5 and not quiet else role))
        height = self.fields.horizontalHeader().height() + _FIELD_ROW * min(len(rows), 9) + 2
        self.fields.setFixedHeight(height)
