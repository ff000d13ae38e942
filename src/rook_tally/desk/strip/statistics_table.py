"""The window's figures, a line a series, drawn: they change with every move of the window."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QToolTip, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import BOLD, REGULAR, colour, face
from rook_tally.desk.strip.lane_content import trace_colour
from rook_tally.desk.strip.model import StripModel
from rook_tally.desk.strip.texts import tr
from rook_tally.desk.strip.window_statistics import WindowFigures, level_at_peak, window_figures

_HEAD, _ROW, _HEARD = 20, 35, 19
_RIGHTS = (0.62, 0.79, 1.0)


class FiguresTable(QWidget):
    """Lowest, mean and highest of every series, and how much of each station was heard."""

    def __init__(self, theme: Theme, model: StripModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self._figures: list[WindowFigures] = []
        self._levels: list[Level] = []
        self.setAccessibleName(tr("figures of the window"))

    def refresh(self) -> None:
        """Draw what the model says."""
        figures = window_figures(self._model)
        if figures == self._figures:
            return
        if len(figures) != len(self._figures):
            self.updateGeometry()
        self._figures = figures
        self._levels = [level_at_peak(self._model, one.series) for one in figures]
        spoken = [
            tr(
                "{0}: lowest {1}, mean {2}, highest {3}, {4} heard",
                one.name,
                one.lowest,
                one.mean,
                one.highest,
                one.heard,
            )
            for one in figures
        ]
        self.setAccessibleDescription("; ".join(spoken))
        self.update()

    def _heard(self) -> dict[str, str]:
        return {told.series.station.key: told.heard for told in self._figures}

    def sizeHint(self) -> QSize:
        """A line a series and one a station."""
        rows = len(self._figures) * _ROW + len(self._heard()) * _HEARD
        return QSize(250, _HEAD + rows + 8)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        theme = self._theme
        painter = QPainter(self)
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        for right, text in zip(_RIGHTS, ("lowest", "mean", "highest"), strict=True):
            painter.drawText(QRectF(0, 0, self.width() * right, _HEAD), _RIGHT, text)
        within = {
            one.id: trace_colour(one, at)
            for lane in self._model.lanes
            for at, one in enumerate(lane.series)
        }
        top = float(_HEAD)
        for told, level in zip(self._figures, self._levels, strict=True):
            shade = theme.traces[within.get(told.series.id, 0) % len(theme.traces)]
            self._draw_line(painter, told, level, shade, top)
            top += _ROW
        painter.setFont(face(11))
        painter.setPen(colour(theme.dim))
        for key, share in self._heard().items():
            line = QRectF(0, top, self.width(), _HEARD)
            painter.drawText(line, _LEFT, tr("{0} heard", key))
            painter.drawText(line, _RIGHT, share)
            top += _HEARD

    def _draw_line(
        self, painter: QPainter, told: WindowFigures, level: Level, shade: str, top: float
    ) -> None:
        theme = self._theme
        painter.fillRect(QRectF(0, top + 3, 3, _ROW - 6), colour(shade))
        painter.setFont(face(12))
        painter.setPen(colour(theme.ink))
        words = painter.fontMetrics()
        room = self.width() * _RIGHTS[0] - 60
        for down, text in ((2, told.series.quantity.heading), (17, told.series.station.place.name)):
            name = words.elidedText(text, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(QRectF(11, top + down, room, 15), _LEFT, name)
        accent = theme.level(level) if level >= Level.RAISED else theme.ink
        for right, text, name, weight in zip(
            _RIGHTS,
            (told.lowest, told.mean, told.highest),
            (theme.dim, theme.ink, accent),
            (REGULAR, BOLD, BOLD),
            strict=True,
        ):
            painter.setFont(face(12, weight))
            painter.setPen(colour(name))
            painter.drawText(QRectF(0, top, self.width() * right, _ROW), _RIGHT, text)

    def event(self, event: QEvent) -> bool:
        """Say at the pointer what a line is about."""
        if event.type() is QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            row = (event.pos().y() - _HEAD) // _ROW
            if 0 <= row < len(self._figures):
                told = self._figures[row]
                words = tr("{0}, {1} heard", told.name, told.heard)
                QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)


_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
