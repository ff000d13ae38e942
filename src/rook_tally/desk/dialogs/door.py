"""The form of a door: of one sort, set up or changed."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from rook_tally.core.door_settings import DoorSettings, door_name
from rook_tally.core.errors import UsageError
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_commands import FirstUseQuery, SaveDoor
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.door_form import DOOR_FORMS, settings_from, sort_of, texts_of
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog, grow
from rook_tally.desk.parts.widgets import tint


class DoorDialog(SavingDialog):
    """Sets a door up, or alters one. What leaves for an address of others is said first: Save is
    then pressed again."""

    def __init__(
        self,
        theme: Theme,
        client: ClientScope,
        parent: QWidget,
        *,
        sort: str = "serial",
        begun: Mapping[str, str] | None = None,
        before: DoorSettings | None = None,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._client, self._before = client, before
        self._told_of = ""
        self.finished.connect(client.close)
        self.setWindowTitle(tr("New door") if before is None else door_name(before))
        self.setMinimumWidth(520)
        self.sort = QComboBox()
        self.sort.setAccessibleName(tr("sort of door"))
        for name, (words, _) in DOOR_FORMS.items():
            self.sort.addItem(tr(words), name)
        self.fields: dict[str, QLineEdit] = {}
        self.said = Label()
        self.said.setWordWrap(True)
        tint(self.said, theme.dim)
        self._form = QFormLayout(self)
        self._form.setContentsMargins(24, 16, 24, 16)
        self._form.addRow(tr("What"), self.sort)
        self._tail = (self.said, self.problem, self.buttons)
        for part in self._tail:
            self._form.addRow(part)
        chosen = sort if before is None else sort_of(before)
        self.sort.setCurrentIndex(self.sort.findData(chosen))
        self.sort.setEnabled(before is None)
        self._lay_out(begun or ({} if before is None else texts_of(before)))
        self.sort.currentIndexChanged.connect(lambda _at: self._lay_out(self._texts()))
        self.buttons.accepted.connect(self._on_save)

    def _lay_out(self, texts: Mapping[str, str]) -> None:
        """The fields of the sort that is picked, what was typed in those that stay."""
        while self._form.rowCount() > 1 + len(self._tail):
            self._form.removeRow(1)
        self.fields = {}
        for row, field in enumerate(DOOR_FORMS[str(self.sort.currentData())][1], start=1):
            edit = QLineEdit(texts.get(field.name, ""))
            edit.setPlaceholderText(tr(field.hint))
            edit.setAccessibleName(tr(field.words))
            edit.textEdited.connect(self._on_edited)
            self._form.insertRow(row, tr(field.words), edit)
            self.fields[field.name] = edit
        self._on_edited("")
        grow(self)

    def _texts(self) -> dict[str, str]:
        return {name: edit.text() for name, edit in self.fields.items()}

    def _on_edited(self, _text: str) -> None:
        self._told_of = ""
        self.said.hide()
        self.say("")

    def _on_save(self) -> None:
        try:
            settings = settings_from(str(self.sort.currentData()), self._texts(), self._before)
        except UsageError as error:
            self.say(str(error))
            return
        self.begin_saving()
        self._client.read(
            FirstUseQuery(settings), lambda told: self._on_told(settings, told), self.not_saved
        )

    def _on_told(self, settings: DoorSettings, told: str) -> None:
        if told and told != self._told_of:
            self._told_of = told
            self.said.setText(tr("{0} Save once more to set it up.", told))
            self.said.show()
            self.main.setEnabled(True)
            grow(self)
            return
        self._client.write(SaveDoor(settings, self._before), self.saved, self.not_saved)
