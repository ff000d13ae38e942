"""The base of forms: what was typed is asked about before it is thrown away."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QComboBox,
    QDialog,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from rook_tally.desk.parts.texts import tr


class AskingDialog(QDialog):
    """A dialog that asks (Save, Discard, Cancel) when it is left with something typed in it, once
    `ask_about` was called."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._main: QPushButton | None = None
        self._untouched: tuple[str, ...] = ()

    def ask_about(self, main: QPushButton) -> None:
        """From now on what the fields hold beyond this is asked about; `main` saves it."""
        self._main, self._untouched = main, _held_by(self)

    @property
    def is_touched(self) -> bool:
        """True if a person has typed or chosen something that is not saved."""
        return self._main is not None and _held_by(self) != self._untouched

    def discard(self) -> None:
        """Close it; what was typed goes."""
        super().reject()

    def reject(self) -> None:
        """Close it, by Esc or its frame, unless the person wants what was typed."""
        self.leave(self.discard)

    def leave(self, then: Callable[[], None]) -> None:
        """Do what throws away what was typed; first ask, if there is something."""
        if not self.is_touched:
            then()
            return
        assert self._main is not None
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            self.windowTitle(),
            tr("What was changed here is not saved yet."),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        question.setTextFormat(Qt.TextFormat.PlainText)
        question.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        save = question.addButton(tr("Save"), QMessageBox.ButtonRole.AcceptRole)
        discard = question.addButton(tr("Discard"), QMessageBox.ButtonRole.DestructiveRole)
        question.setDefaultButton(save)
        save.clicked.connect(self._main.click)
        discard.clicked.connect(then)
        question.open()


def _held_by(form: QWidget) -> tuple[str, ...]:
    """Return the contents of a form's visible fields, in their order."""
    fields = [one for one in form.findChildren(QWidget) if one.isVisibleTo(form)]
    return tuple(text for one in fields if (text := _text(one)) is not None)


def _text(field: QWidget) -> str | None:
    """Return the text of a field, or its choice; None for a widget that takes no input."""
    if isinstance(field, QLineEdit):
        is_own = not isinstance(field.parent(), QComboBox | QAbstractSpinBox)
        return field.text() if is_own and not field.isReadOnly() else None
    if isinstance(field, QComboBox):
        return field.currentText()
    if isinstance(field, QAbstractSpinBox):
        return field.text()
    if isinstance(field, QPlainTextEdit):
        return None if field.isReadOnly() else field.toPlainText()
    if isinstance(field, QAbstractButton) and field.isCheckable():
        return str(field.isChecked())
    return None
