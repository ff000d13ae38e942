"""The fields of a door's form as they are typed: with what is here to be picked, or a file to be
chosen."""

from __future__ import annotations

from functools import partial
from zoneinfo import available_timezones

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from rook_tally.core.in_reach import ReachSort
from rook_tally.desk.data.door_commands import InReach
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.dialogs.door_form import FieldOffer, FormField
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.file_dialog import file_to_read, folder_to_fill

_IN_REACH = {FieldOffer.PORT: ReachSort.PORT, FieldOffer.ADAPTER: ReachSort.ADAPTER}


def door_field(field: FormField, told: InReach, text: str) -> tuple[QWidget, QLineEdit]:
    """A field to be put into the form, and what is typed in it."""
    match field.offer:
        case FieldOffer.FOLDER | FieldOffer.FILE:
            return _with_button(field, text)
        case FieldOffer.NOTHING:
            row: QWidget
            row = edit = QLineEdit(text)
        case _:
            row, edit = _list(text)
            offer_now(row, field, told)
    edit.setPlaceholderText(tr(field.hint))
    for one in {row, edit}:
        one.setAccessibleName(tr(field.words))
    return row, edit


def offered(offer: FieldOffer, told: InReach) -> list[tuple[str, str]]:
    """Return the choices for a field, each with a description."""
    if offer is FieldOffer.ZONE:
        return [(name, "") for name in sorted(available_timezones())]
    if offer is FieldOffer.STATION:
        return [(key, place) for key, place in told.stations]
    return [(one.name, one.says) for one in told.found if one.sort is _IN_REACH[offer]]


def offer_now(row: QWidget, field: FormField, told: InReach) -> None:
    """Offer what is here by now; what was typed stays, and a list that is open is left alone."""
    if not isinstance(row, QComboBox) or row.view().isVisible():
        return
    several = offered(field.offer, told)
    if [name for name, _ in several] == [row.itemText(at) for at in range(row.count())]:
        return
    text = row.currentText()
    edit = row.lineEdit()
    assert edit is not None
    with QSignalBlocker(row), QSignalBlocker(edit):
        row.clear()
        for at, (name, what) in enumerate(several):
            row.addItem(name)
            row.setItemData(at, what, Qt.ItemDataRole.ToolTipRole)
        row.setEditText(text)


def _list(text: str) -> tuple[QComboBox, QLineEdit]:
    """Something to be typed or picked; a few letters find it."""
    box = QComboBox()
    box.setEditable(True)
    box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
    box.setEditText(text)
    completer, edit = box.completer(), box.lineEdit()
    assert completer is not None
    assert edit is not None
    completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
    completer.setFilterMode(Qt.MatchFlag.MatchContains)
    return box, edit


def _with_button(field: FormField, text: str) -> tuple[QWidget, QLineEdit]:
    """Something to be typed, or chosen among the files of this machine."""
    row, edit, choose = QWidget(), QLineEdit(text), QPushButton(tr("Choose…"))
    edit.setPlaceholderText(tr(field.hint))
    edit.setAccessibleName(tr(field.words))
    choose.setObjectName("small")
    choose.setAutoDefault(False)
    choose.setAccessibleName(tr("choose: {0}", tr(field.words)))
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.addWidget(edit, 1)
    line.addWidget(choose)
    choose.clicked.connect(partial(_choose, field, edit, row))
    return row, edit


def _choose(field: FormField, edit: QLineEdit, row: QWidget) -> None:
    dialog: QFileDialog
    if field.offer is FieldOffer.FOLDER:
        dialog = folder_to_fill(row, FilePurpose.WATCHED_FOLDER, tr(field.words))
    else:
        files = tr("Certificates (*.pem *.crt *.key);;All files (*)")
        dialog = file_to_read(row, FilePurpose.CERTIFICATE, tr(field.words), files, at=edit.text())
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.fileSelected.connect(edit.setText)
    dialog.open()
