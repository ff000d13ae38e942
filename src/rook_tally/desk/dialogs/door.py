"""The form of a door: of one sort, set up or changed."""

from __future__ import annotations

import threading
from collections.abc import Mapping

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from rook_tally.core.door_settings import DoorSettings, door_name
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.theme import Theme
from rook_tally.desk.data.door_commands import NOTHING_IN_REACH, FirstUseQuery, InReach, SaveDoor
from rook_tally.desk.data.door_trial import DoorTrial, DoorTrier, TriedValue
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.door_fields import door_field, offer_now
from rook_tally.desk.dialogs.door_form import (
    DOOR_FORMS,
    FormField,
    settings_from,
    sort_of,
    texts_of,
)
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.saving_dialog import SavingDialog, grow
from rook_tally.desk.parts.widgets import tint

_HEADS = ("field", "value", "")
_ANSWER_HEIGHT = 170


class DoorDialog(SavingDialog):
    """Sets a door up, or alters one. What leaves for an address of others is said first: Save is
    then pressed again. An address or a device is tried first: asked once, its values shown, and
    picked with a click."""

    tried = Signal(object, str)
    set_up = Signal(object)

    def __init__(
        self,
        theme: Theme,
        client: ClientScope,
        parent: QWidget,
        *,
        sort: str = "serial",
        begun: Mapping[str, str] | None = None,
        before: DoorSettings | None = None,
        trier: DoorTrier | None = None,
        told: InReach = NOTHING_IN_REACH,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._trier, self._told = trier, told
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
        self._rows: dict[str, tuple[QWidget, FormField]] = {}
        self.said = Label()
        self.said.setWordWrap(True)
        tint(self.said, theme.dim)
        self._form = QFormLayout(self)
        self._form.setContentsMargins(24, 16, 24, 16)
        self._form.addRow(tr("What"), self.sort)
        self.answer = RowTable(theme, [tr(one) for one in _HEADS], tr("what it answers"))
        self.answer.setMinimumHeight(_ANSWER_HEIGHT)
        self.answer.hide()
        self.pick = QPushButton(tr("Read this value"))
        self.try_it = QPushButton(tr("Try"))
        self._lay_out_trial()
        self._trial: DoorTrial | None = None
        self._tail = (self.answer, self.trial_row, self.said, self.problem, self.buttons)
        for part in self._tail:
            self._form.addRow(part)
        chosen = sort if before is None else sort_of(before)
        self.sort.setCurrentIndex(self.sort.findData(chosen))
        self.sort.setEnabled(before is None)
        self.tried.connect(self._on_tried)
        self._lay_out(begun or ({} if before is None else texts_of(before)))
        self.sort.currentIndexChanged.connect(lambda _at: self._lay_out(self._texts()))
        self.buttons.accepted.connect(self._on_save)

    def _lay_out_trial(self) -> None:
        self.trial_row = QWidget()
        row = QHBoxLayout(self.trial_row)
        row.setContentsMargins(0, 0, 0, 0)
        for button in (self.try_it, self.pick):
            button.setObjectName("small")
            button.setAutoDefault(False)
            row.addWidget(button)
        row.addStretch(1)
        self.pick.hide()
        self.try_it.setToolTip(tr("Ask once, and see what comes"))
        self.try_it.clicked.connect(self._on_try)
        self.pick.clicked.connect(self._on_pick)
        self.answer.doubleClicked.connect(lambda _at: self._on_pick())
        self.answer.itemSelectionChanged.connect(self._show_pick)

    def _lay_out(self, texts: Mapping[str, str]) -> None:
        """The fields of the sort that is picked, what was typed in those that stay."""
        while self._form.rowCount() > 1 + len(self._tail):
            self._form.removeRow(1)
        self.fields, self._rows = {}, {}
        for row, field in enumerate(DOOR_FORMS[str(self.sort.currentData())][1], start=1):
            widget, edit = door_field(field, self._told, texts.get(field.name, ""))
            edit.textChanged.connect(self._on_edited)
            self._form.insertRow(row, tr(field.words), widget)
            self._rows[field.name] = widget, field
            self.fields[field.name] = edit
        self.trial_row.setVisible(self._trier is not None)
        self._show_trial(None)
        self._on_edited("")
        grow(self)

    def offer(self, told: InReach) -> None:
        """Offer what is in reach by now."""
        self._told = told
        for row, field in self._rows.values():
            offer_now(row, field, told)

    def _texts(self) -> dict[str, str]:
        return {name: edit.text() for name, edit in self.fields.items()}

    def _on_edited(self, _text: str) -> None:
        self._told_of = ""
        self.said.hide()
        self.say("")

    def _settings(self) -> DoorSettings | None:
        """What is typed; None, and said, when it cannot be a door."""
        try:
            return settings_from(str(self.sort.currentData()), self._texts(), self._before)
        except UsageError as error:
            self.say(str(error))
            return None

    # Tried

    def _on_try(self) -> None:
        settings, trier = self._settings(), self._trier
        if settings is None or trier is None:
            return
        self.say("")
        self.try_it.setEnabled(False)
        self.try_it.setText(tr("Asking…"))

        def ask() -> None:
            try:
                self.tried.emit(trier(settings), "")
            except (RookTallyError, OSError) as error:
                self.tried.emit(None, str(error))
            except RuntimeError:
                # The dialog was closed meanwhile: nobody wants to know any more.
                return

        threading.Thread(target=ask, daemon=True, name="trying").start()

    def _on_tried(self, trial: DoorTrial | None, why: str) -> None:
        self.try_it.setEnabled(True)
        self.try_it.setText(tr("Try"))
        self._show_trial(trial)
        self.say(why or ("" if trial is None else trial.why))
        pattern = self.fields.get("pattern")
        if trial is not None and trial.pattern and pattern is not None:
            pattern.setText(trial.pattern)
            self.said.setText(tr("A pattern was made of its last lines; change it, or save it."))
            self.said.show()
            grow(self)

    def _show_trial(self, trial: DoorTrial | None) -> None:
        self._trial = trial
        values = () if trial is None else trial.values
        rows = [(one.name, one.value, tr("is read") if one.is_read else "") for one in values]
        self.answer.fill(rows, bold=[at for at, one in enumerate(values) if one.is_read])
        self.answer.setVisible(bool(rows))
        self._show_pick()
        if trial is not None and trial.shown and not rows:
            self.said.setText(tr("It answers {0}", trial.shown))
            self.said.show()
        grow(self)

    def _picked_value(self) -> TriedValue | None:
        at = self.answer.currentRow()
        values = () if self._trial is None else self._trial.values
        found = values[at] if 0 <= at < len(values) else None
        return found if found is not None and found.pointer else None

    def _show_pick(self) -> None:
        values = () if self._trial is None else self._trial.values
        self.pick.setVisible(self._picks is not None and any(one.pointer for one in values))
        one = self._picked_value()
        self.pick.setEnabled(one is not None and not one.is_read)

    @property
    def _picks(self) -> QLineEdit | None:
        """The field that what is picked is added to: values of an answer, or names of probes."""
        return self.fields.get("fields") or self.fields.get("only")

    def _on_pick(self) -> None:
        """Read the picked value too: by its pointer, or a probe by its name."""
        one, picks = self._picked_value(), self._picks
        if one is None or picks is None or one.is_read:
            return
        told = one.pointer if "only" in self.fields else f"{one.name}={one.pointer}"
        before = picks.text().strip()
        picks.setText(f"{before}, {told}" if before else told)
        self._on_try()

    def _on_save(self) -> None:
        settings = self._settings()
        if settings is None:
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

        def saved(done: object) -> None:
            self.set_up.emit(settings)
            self.saved(done)

        self._client.write(SaveDoor(settings, self._before), saved, self.not_saved)
