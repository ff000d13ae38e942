"""Spans compared, in the side panel: a table against the base span, and how readings are spread."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QLineF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from rook_tally.core.remarks import Remark
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.drawing import polyline
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.parts.label import Label, plain_tip
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.strip.remarks import RemarksModel, SpanLine
from rook_tally.desk.strip.texts import tr

_ROW_HEIGHT = 30
_NAME_WIDTH = 82


class SpreadChart(QWidget):
    """Histograms of each span's readings, one hill a span over the same values."""

    def __init__(self, theme: Theme, model: RemarksModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self.setAccessibleName(tr("spread of readings"))

    def sizeHint(self) -> QSize:
        """A row a span."""
        spans = len(self._model.answer.spans) if self._model.answer else 0
        return QSize(240, _ROW_HEIGHT * spans + 16)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw it."""
        answer, theme = self._model.answer, self._theme
        if answer is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shares = answer.spread.shares
        highest = float(shares.max()) or 1.0
        x = (np.arange(shares.shape[1]) + 0.5) / shares.shape[1] * self.width()
        for row, span in enumerate(answer.spans):
            bottom = (row + 1) * _ROW_HEIGHT - 4.0
            painter.setPen(QPen(colour(theme.strong_rule), 1))
            painter.drawLine(QLineF(0, bottom + 0.5, self.width(), bottom + 0.5))
            # Each as tall as the row, so that a wide one can still be seen beside a narrow one.
            own = float(shares[row].max()) or 1.0
            tall = (_ROW_HEIGHT - 8) * (0.35 + 0.65 * own / highest)
            y = bottom - shares[row] / own * tall
            outline = polyline(
                np.concatenate((x[:1], x, x[-1:])), np.concatenate(([bottom], y, [bottom]))
            )
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour(theme.traces[span.shade % len(theme.traces)], 0.6))
            painter.drawPolygon(outline)
        painter.setFont(face(10))
        painter.setPen(colour(theme.dim))
        shown = answer.series.shown
        area = QRectF(0, len(answer.spans) * _ROW_HEIGHT, self.width(), 14)
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft, shown.figure(answer.spread.low))
        painter.drawText(
            area, Qt.AlignmentFlag.AlignRight, f"{shown.figure(answer.spread.high)} {shown.symbol}"
        )


class _SpanName(Label):
    """A span's name with its colour beside it; a click makes it the base."""

    chosen = Signal()

    def __init__(self, theme: Theme, line: SpanLine) -> None:
        super().__init__()
        self._shade = theme.traces[line.remark.shade % len(theme.traces)]
        self.setFont(face(12, MEDIUM))
        tint(self, theme.ink)
        self.setContentsMargins(9, 4, 0, 4)
        self.setToolTip(plain_tip(tr("{0}. A click compares the others with it.", line.told)))
        self.setAccessibleDescription(line.told)
        self.setMaximumWidth(_NAME_WIDTH)
        words = QFontMetrics(face(12, MEDIUM))
        self.setText(
            words.elidedText(line.remark.text, Qt.TextElideMode.ElideRight, _NAME_WIDTH - 12)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(0, 2, 3, self.height() - 4, colour(self._shade))
        painter.end()
        super().paintEvent(event)

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.chosen.emit()


class SpansPage(QWidget):
    """The comparison of the window's spans, for the picked lane's series."""

    def __init__(self, theme: Theme, model: RemarksModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self._shown: list[SpanLine] = []
        self.about, self.base = Label(), Label()
        self.sure = Label()
        self.hint = Label(
            tr(
                "No span lies in this window. Hold Shift and drag over the lanes to mark "
                "a stretch, then name it: N."
            )
        )
        self.hint.setWordWrap(True)
        for label in (self.about, self.base, self.sure, self.hint):
            label.setFont(face(12))
            label.setWordWrap(True)
            tint(label, theme.dim)
        self.table = QGridLayout()
        self.table.setHorizontalSpacing(6)
        self.table.setVerticalSpacing(2)
        self.table.setColumnStretch(0, 1)
        self.heading = Label(tr("Spread of readings"))
        self.heading.setFont(face(12, BOLD))
        tint(self.heading, theme.ink)
        self.chart = SpreadChart(theme, model)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.about)
        column.addLayout(self.table)
        column.addWidget(self.base)
        column.addWidget(self.sure)
        column.addSpacing(6)
        column.addWidget(self.heading)
        column.addWidget(self.chart)
        column.addWidget(self.hint)
        column.addStretch(1)

    def refresh(self) -> None:
        """Show what the model says."""
        spans = self._model.spans
        lines = self._model.lines() if spans else []
        for widget in (self.about, self.base, self.sure, self.heading, self.chart):
            widget.setVisible(bool(lines))
        self.hint.setVisible(not spans)
        if lines != self._shown:
            self._shown = lines
            self._fill(lines)
        answer = self._model.answer
        if lines and answer is not None:
            one = answer.series
            self.about.setText(
                f"{one.station.place.name} · {one.quantity.name}, {one.shown.symbol or 'state'}"
            )
            self.base.setText(self._model.base_words())
            unsure = [line.remark.text for line in lines if not line.is_base and not line.is_sure]
            self.sure.setText(
                tr("No more than chance may tell: {0}", ", ".join(unsure))
                if unsure
                else tr("All differ by more than chance (95 %).")
                if len(lines) > 1
                else ""
            )
            self.sure.setVisible(bool(self.sure.text()))
            self.chart.setFixedHeight(self.chart.sizeHint().height())
            self.chart.update()

    def _fill(self, lines: list[SpanLine]) -> None:
        while self.table.count():
            item = self.table.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        theme = self._theme
        for at, text in enumerate(("mean", "peak", "± spread", "× base")):
            label = Label(text)
            label.setFont(face(11))
            tint(label, theme.dim)
            self.table.addWidget(label, 0, at + 1, Qt.AlignmentFlag.AlignRight)
        for row, line in enumerate(lines, start=1):
            name = _SpanName(theme, line)
            name.chosen.connect(lambda one=line.remark: self._take_as_base(one))
            self.table.addWidget(name, row, 0)
            ratio = "—" if line.is_base else line.ratio
            for at, (text, is_bold) in enumerate(
                ((line.mean, True), (line.peak, False), (line.spread, False), (ratio, True))
            ):
                label = Label(text)
                label.setFont(face(12, BOLD if is_bold else face(12).weight()))
                unsure = at == 3 and not line.is_base and not line.is_sure
                tint(label, theme.faint if unsure else theme.ink)
                label.setToolTip(plain_tip(line.told))
                self.table.addWidget(label, row, at + 1, Qt.AlignmentFlag.AlignRight)

    def _take_as_base(self, remark: Remark) -> None:
        self._model.take_as_base(remark)
