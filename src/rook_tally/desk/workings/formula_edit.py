"""Where a formula is written: completion under the cursor, the mistake underlined."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRect, QStringListModel, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import QCompleter, QListView, QPlainTextEdit, QTextEdit, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.core.workings.completion import Completion
from rook_tally.core.workings.diagnostics import Diagnostic
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.workings.texts import tr

_ACCEPTING = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab)


class FormulaEdit(QPlainTextEdit):
    """A few lines of text. `changed` is sent with the formula whenever a person changed it."""

    changed = Signal(str)

    def __init__(
        self,
        theme: Theme,
        complete: Callable[[str, int], Sequence[Completion]],
        parent: QWidget | None = None,
        *,
        lines: int = 3,
    ) -> None:
        super().__init__(parent)
        self._theme = theme
        self._complete = complete
        self._offered: list[Completion] = []
        self._is_setting = False
        self.setFont(face(15))
        self.setAccessibleName(tr("formula"))
        self.setTabChangesFocus(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.document().setDocumentMargin(7)
        self.setFixedHeight(self.fontMetrics().lineSpacing() * lines + 18)
        self._words = QStringListModel(self)
        self._completer = QCompleter(self._words, self)
        self._completer.setWidget(self)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self._completer.activated.connect(self._on_chosen)
        self.popup = QListView()
        self.popup.setFont(face(13))
        self._completer.setPopup(self.popup)
        self.textChanged.connect(self._on_changed)

    @property
    def formula(self) -> str:
        """The formula, on one line."""
        return self.toPlainText().replace("\n", " ")

    def show_formula(self, formula: str) -> None:
        """Show a formula that nobody typed here."""
        if formula != self.formula:
            self._is_setting = True
            self.setPlainText(formula)
            self._is_setting = False
            self.underline(None)

    def underline(self, mistake: Diagnostic | None) -> None:
        """Underline where a mistake is; None for no mistake."""
        if mistake is None or mistake.at.end <= 0:
            self.setExtraSelections([])
            return
        drawn = QTextEdit.ExtraSelection()
        form = QTextCharFormat()
        form.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        form.setUnderlineColor(colour(self._theme.level(Level.HIGH)))
        form.setBackground(QColor(self._theme.tint(Level.HIGH)))
        cursor = self.textCursor()
        length = len(self.toPlainText())
        start = min(mistake.at.start, max(length - 1, 0))
        cursor.setPosition(start)
        cursor.setPosition(
            min(max(mistake.at.end, start + 1), length), QTextCursor.MoveMode.KeepAnchor
        )
        drawn.cursor = cursor
        drawn.format = form
        self.setExtraSelections([drawn])

    def _on_changed(self) -> None:
        if self._is_setting:
            return
        self.underline(None)
        self.changed.emit(self.formula)
        self._offer()

    def _offer(self) -> None:
        """Offer what could stand at the cursor."""
        cursor = self.textCursor().position()
        self._offered = list(self._complete(self.formula, cursor)) if self.hasFocus() else []
        if not self._offered:
            self.popup.hide()
            return
        self._words.setStringList([f"{one.text}    {one.what}" for one in self._offered])
        where = QRect(self.cursorRect())
        where.setWidth(min(440, self.width()))
        self._completer.complete(where)
        self.popup.setCurrentIndex(self._words.index(0))

    def _on_chosen(self, line: str) -> None:
        chosen = next((one for one in self._offered if f"{one.text}    {one.what}" == line), None)
        if chosen is None:
            return
        cursor = self.textCursor()
        end = cursor.position()
        cursor.setPosition(chosen.start)
        cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
        cursor.insertText(chosen.text)
        self.setTextCursor(cursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Tab take what is offered; Enter alone adds no line."""
        if self.popup.isVisible():
            if event.key() in _ACCEPTING:
                self._on_chosen(str(self.popup.currentIndex().data() or ""))
                self.popup.hide()
                return
            if event.key() == Qt.Key.Key_Escape:
                self.popup.hide()
                return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.ignore()
            return
        super().keyPressEvent(event)

    def focusNextPrevChild(self, is_next: bool) -> bool:
        """Tab takes what is offered before it leads on."""
        return False if self.popup.isVisible() else super().focusNextPrevChild(is_next)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Offer nothing to somebody who writes elsewhere."""
        super().focusOutEvent(event)
        if event.reason() is not Qt.FocusReason.PopupFocusReason:
            self.popup.hide()
