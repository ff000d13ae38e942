"""Who sends and is nobody's station: each with a button to take it in and one to dismiss it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import draw_strokes
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import scrolling, tint
from rook_tally.desk.stations.model import StrayLine
from rook_tally.desk.stations.texts import tr

_MOST_HIGH = 190


class _Line(QWidget):
    """One sender."""

    def __init__(self, theme: Theme, line: StrayLine) -> None:
        super().__init__()
        words = Label(line.words)
        words.setFont(face(12))
        words.setWordWrap(True)
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        tint(words, theme.dim)
        self.take_in, self.dismiss = QPushButton(tr("Take in…")), QPushButton(tr("Dismiss"))
        self.take_in.setObjectName("small")
        self.dismiss.setObjectName("words")
        who = line.station or tr("unnamed")
        self.take_in.setAccessibleName(tr("Take in {0}", who))
        self.dismiss.setAccessibleName(tr("Dismiss {0}", who))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(words, 1, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.take_in, 0, Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.dismiss, 0, Qt.AlignmentFlag.AlignVCenter)
        # Not before it has a parent: it would be a window of its own.
        self.take_in.setHidden(line.station is None)


class StrayNote(QWidget):
    """The note over the fleet. `take_in_wanted` carries a sender's key, `dismiss_wanted` the
    `StrayLine` of one whose messages nobody wants."""

    take_in_wanted = Signal(str)
    dismiss_wanted = Signal(StrayLine)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: tuple[StrayLine, ...] = ()
        self._headline = Label()
        self._headline.setFont(face(14, BOLD))
        tint(self._headline, theme.ink)
        self.lines: list[_Line] = []
        self._inner = QWidget()
        self._inner.setAutoFillBackground(False)
        self._column = QVBoxLayout(self._inner)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._column.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._scroll = scrolling(self._inner)
        column = QVBoxLayout(self)
        column.setContentsMargins(34, 12, 8, 10)
        column.setSpacing(4)
        column.addWidget(self._headline)
        column.addWidget(self._scroll)

    def show_strays(self, headline: str, lines: Sequence[StrayLine]) -> None:
        """Show who is astray; an empty headline hides the note."""
        self.setVisible(bool(headline))
        self._headline.setText(headline)
        if tuple(lines) == self._shown:
            return
        keys = [one.station for one in lines]
        if keys != [one.station for one in self._shown]:
            self._make(lines)
        else:
            for widget, line in zip(self.lines, lines, strict=True):
                label = widget.findChild(Label)
                if label is not None:
                    label.setText(line.words)
        self._shown = tuple(lines)
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Narrower, the lines are higher."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """As high as its lines are, up to a bound; more are scrolled to."""
        width = self._scroll.viewport().width()
        layout = self._column
        height = layout.totalHeightForWidth(width) if layout.hasHeightForWidth() else -1
        self._scroll.setFixedHeight(
            min(_MOST_HIGH, max(height, 0) or self._inner.sizeHint().height())
        )

    def _make(self, lines: Sequence[StrayLine]) -> None:
        for old in self.lines:
            self._column.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.lines = []
        for line in lines:
            made = _Line(self._theme, line)
            made.take_in.clicked.connect(
                lambda _checked=False, key=line.station: self.take_in_wanted.emit(key)
            )
            made.dismiss.clicked.connect(
                lambda _checked=False, one=line: self.dismiss_wanted.emit(one)
            )
            self._column.addWidget(made)
            self.lines.append(made)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """The ground, and the strokes of what is raised."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(self._theme.tint(Level.RAISED)))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_strokes(painter, self._theme, Level.RAISED, 16, 14, 13)
