"""The base of forms: it closes once the store has what was typed, and keeps it when it has not."""

from __future__ import annotations

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint


class SavingDialog(QDialog):
    """A form with its error line and its buttons. `save` begins to save; then either `saved` or
    `not_saved` is to be called."""

    def __init__(self, theme: Theme, parent: QWidget, *, main_words: str) -> None:
        super().__init__(parent)
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.hide()
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.main: QPushButton = self.buttons.addButton(
            main_words, QDialogButtonBox.ButtonRole.AcceptRole
        )
        self.main.setObjectName("main")
        self.main.setDefault(True)
        self.buttons.accepted.connect(self.save)
        self.buttons.rejected.connect(self.reject)

    def save(self) -> None:
        """Have what is typed saved."""
        raise NotImplementedError

    def begin_saving(self) -> None:
        """It is on its way: nothing can be pressed twice."""
        self.say("")
        self.main.setEnabled(False)

    def saved(self, _result: object = None) -> None:
        """It is saved."""
        self.accept()

    def not_saved(self, why: str) -> None:
        """It is not; what was typed stays."""
        self.main.setEnabled(True)
        self.say(why)

    def say(self, problem: str) -> None:
        """Say what is wrong, or that nothing is."""
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
