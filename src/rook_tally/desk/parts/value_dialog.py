"""A dialog that asks for one value: typed, or chosen of several."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QWidget

from rook_tally.core.errors import RookTallyError
from rook_tally.core.theme import Theme
from rook_tally.desk.data.store_client import ClientScope, Command
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.texts import tr


class ValueDialog(SavingDialog):
    """Asks for a value and hands it to `take`, which raises what is wrong with it; the dialog says
    so beside the field, and closes once it was taken.

    With `choices` it is one of them. With a `client` what `take` returns is a command: the dialog
    closes once the store has carried it out, and says so when it has not; `on_saved` hears of it.
    """

    def __init__(
        self,
        theme: Theme,
        parent: QWidget,
        *,
        title: str,
        label: str,
        value: str,
        take: Callable[[str], Command[UndoableResult] | None],
        client: ClientScope | None = None,
        choices: Sequence[str] = (),
        main_words: str = "",
        on_saved: Callable[[UndoableResult], None] | None = None,
    ) -> None:
        super().__init__(theme, parent, main_words=main_words or tr("Save"))
        self._take, self._client, self._on_saved = take, client, on_saved
        if client is not None:
            self.finished.connect(client.close)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(360)
        self.field: QLineEdit | QComboBox
        if choices:
            self.field = QComboBox()
            self.field.addItems(list(choices))
            self.field.setCurrentIndex(max(0, self.field.findText(value)))
        else:
            self.field = QLineEdit(value)
            self.field.selectAll()
        self.field.setAccessibleName(label)
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        form.addRow(label, self.field)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        self.buttons.accepted.connect(self._try)

    @property
    def value(self) -> str:
        """The text that is typed, or the choice."""
        if isinstance(self.field, QComboBox):
            return self.field.currentText()
        return self.field.text()

    def _try(self) -> None:
        try:
            command = self._take(self.value)
        except RookTallyError as error:
            self.say(str(error))
            return
        if self._client is None or command is None:
            self.accept()
            return
        self.begin_saving()
        self._client.write(command, self._on_done, self.not_saved)

    def _on_done(self, done: UndoableResult) -> None:
        self.saved(done)
        if self._on_saved is not None:
            self._on_saved(done)
