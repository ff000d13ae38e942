"""A line over the rail that says what was just done, and goes by itself."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from rook_tally.core.theme import Theme
from rook_tally.desk.app.texts import tr
from rook_tally.desk.parts.accessible_role import announce
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint

_SHOWN_MS = 6_000
_MARGIN = 12


class Toast(Label):
    """Lies over the oldest end of the rail, takes no room from the views and covers no button of
    theirs; what lies under it can be pressed."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__("", parent)
        self._theme, self._window = theme, parent
        self.setFont(face(12))
        tint(self, theme.ink)
        self.setContentsMargins(12, 7, 12, 7)
        self.setAccessibleName(tr("what was done"))
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._going = QTimer(self, singleShot=True, interval=_SHOWN_MS)
        self._going.timeout.connect(self.hide)
        self.hide()

    def tell(self, text: str, *, over: QWidget) -> None:
        """Show a line in the middle of this widget's height; what has more lines grows upwards."""
        self.setText(text)
        announce(self, text)
        # What leads back to now stays in sight.
        most = max(200, self._window.width() * 3 // 4)
        sides = self.contentsMargins()
        line = self.fontMetrics().horizontalAdvance(text) + sides.left() + sides.right() + 2
        self.setWordWrap(line > most)
        self.setFixedWidth(min(line, most))
        self.setFixedHeight(self.heightForWidth(most) if line > most else self.sizeHint().height())
        top = over.mapTo(self._window, QPoint(0, 0)).y()
        spare = over.height() - self.height()
        self.move(_MARGIN, top + (spare // 2 if spare > 0 else spare))
        self.show()
        self.raise_()
        self._going.start()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paper with a rule round it."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.paper))
        painter.setPen(QPen(colour(self._theme.strong_rule), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()
        super().paintEvent(event)
