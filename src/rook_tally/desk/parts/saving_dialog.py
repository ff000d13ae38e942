"""The base of forms: it closes once the store has what was typed, and keeps it when it has not."""

from __future__ import annotations

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QPushButton, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.texts import tr
from rook_tally.desk.parts.widgets import tint


def dialog_buttons(main: QPushButton, other: QPushButton) -> QDialogButtonBox:
    """What does it and what closes, in the order the desktop has them everywhere."""
    box = QDialogButtonBox()
    main.setObjectName("main")
    main.setDefault(True)
    box.addButton(main, QDialogButtonBox.ButtonRole.AcceptRole)
    box.addButton(other, QDialogButtonBox.ButtonRole.RejectRole)
    return box


def grow(dialog: QDialog) -> None:
    """Give a dialog the height that its texts need at its width: Qt squeezes its fields instead."""
    layout = dialog.layout()
    if layout is not None and dialog.isVisible():
        layout.activate()
        needed = layout.totalHeightForWidth(dialog.width())
        if needed > dialog.height():
            dialog.resize(dialog.width(), needed)


class SavingDialog(AskingDialog):
    """A form with its error line and its buttons. Who makes it connects `buttons.accepted`, and
    calls `saved` or `not_saved` with what came of it."""

    def __init__(self, theme: Theme, parent: QWidget, *, main_words: str) -> None:
        super().__init__(parent)
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.hide()
        self.main = QPushButton(main_words)
        self.buttons = dialog_buttons(self.main, QPushButton(tr("Cancel")))
        self.buttons.rejected.connect(self.discard)

    def showEvent(self, event: QShowEvent) -> None:
        """Take the first contents of the form as saved."""
        super().showEvent(event)
        if not event.spontaneous():
            self.ask_about(self.main)

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
        grow(self)
