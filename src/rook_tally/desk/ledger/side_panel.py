"""The side panel: the picked cell in one honest paragraph, its day, and what to do."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from rook_tally.core.moment_words import clock_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.ledger.remark_lines import remark_lines
from rook_tally.desk.ledger.series_summary import SeriesSummary
from rook_tally.desk.ledger.texts import tr
from rook_tally.desk.parts.alarm_lines import AlarmLines
from rook_tally.desk.parts.day_chart import ChartContent, DayChart
from rook_tally.desk.parts.drawing import draw_strokes, strokes_width
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import SidePaper, scrolling, tint
from rook_tally.store.alarms import ActiveAlarm
from rook_tally.store.site import RequestKind

_MOST_FACTS = 8
_STROKE_HEIGHT = 28


class _Strokes(QWidget):
    """The level of the picked value, drawn large."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._level = Level.SETTLED
        self.setFixedSize(QSize(40, _STROKE_HEIGHT + 4))

    def show_level(self, level: Level) -> None:
        self._level = level
        self.setAccessibleName(level.wording)
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = self.width() - strokes_width(self._level, _STROKE_HEIGHT) - 4
        draw_strokes(painter, self._theme, self._level, x, 2, _STROKE_HEIGHT)


class _FactLine(QWidget):
    """One line of the account, ruled below."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self.name, self.value, self.remark = Label(), Label(), Label()
        self.name.setFont(face(12))
        self.value.setFont(face(12, BOLD))
        self.remark.setFont(face(12))
        tint(self.name, theme.dim)
        tint(self.value, theme.ink)
        tint(self.remark, theme.dim)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 5, 0, 6)
        grid.setHorizontalSpacing(8)
        grid.addWidget(self.name, 0, 0)
        grid.addWidget(self.value, 0, 1, Qt.AlignmentFlag.AlignRight)
        grid.addWidget(self.remark, 0, 2, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(0, 1)
        grid.setColumnMinimumWidth(2, 78)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(colour(self._theme.rule), 1))
        y = self.height() - 0.5
        painter.drawLine(
            QRectF(0, y, self.width(), 0).topLeft(), QRectF(0, y, self.width(), 0).topRight()
        )


class SidePanel(SidePaper):
    """Shows an `SeriesSummary`, or says what to do while there is none."""

    open_in_strip = Signal()
    alarm_wanted = Signal(RequestKind, ActiveAlarm)

    def __init__(self, theme: Theme, state: SiteState, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent)
        self._state = state
        self.account: SeriesSummary | None = None
        self._place, self._name = Label(), Label()
        self._value, self._unit = Label(), Label()
        self._sentence, self._outlook = Label(), Label()
        self._from, self._until = Label(), Label(tr("now"))
        self._also = Label()
        self.alarms = AlarmLines(theme)
        self.alarms.wanted.connect(self.alarm_wanted)
        self._remarks_head, self.remarks = Label(tr("Remarks")), Label()
        self._strokes = _Strokes(theme)
        self.chart = DayChart(theme)
        self._facts = [_FactLine(theme) for _ in range(_MOST_FACTS)]
        self.open_button = QPushButton(tr("Open in Strip"))
        self.open_button.setToolTip(tr("Enter"))
        self.open_button.clicked.connect(self.open_in_strip)
        self._lay_out()
        state.remarks_changed.append(self._show_remarks)
        self.show_account(None)

    def _lay_out(self) -> None:
        theme = self._theme
        fonts = (
            (self._place, face(12, MEDIUM), theme.dim),
            (self._name, face(16, MEDIUM), theme.ink),
            (self._value, face(46, BOLD), theme.ink),
            (self._unit, face(14), theme.dim),
            (self._sentence, face(13, BOLD), theme.ink),
            (self._outlook, face(12), theme.dim),
            (self._from, face(11), theme.dim),
            (self._until, face(11), theme.dim),
            (self._also, face(12), theme.dim),
            (self._remarks_head, face(12, BOLD), theme.ink),
            (self.remarks, face(12), theme.dim),
        )
        for label, font, name in fonts:
            label.setFont(font)
            label.setWordWrap(label in (self._sentence, self._outlook, self._also, self.remarks))
            tint(label, name)
        figure_row = QHBoxLayout()
        figure_row.setSpacing(6)
        figure_row.addWidget(self._value, 0, Qt.AlignmentFlag.AlignBaseline)
        figure_row.addWidget(self._unit, 0, Qt.AlignmentFlag.AlignBaseline)
        figure_row.addStretch(1)
        figure_row.addWidget(self._strokes, 0, Qt.AlignmentFlag.AlignVCenter)
        times = QHBoxLayout()
        times.addWidget(self._from)
        times.addStretch(1)
        times.addWidget(self._until)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(17, 16, 18, 16)
        column.setSpacing(2)
        column.addWidget(self._place)
        column.addWidget(self._name)
        column.addLayout(figure_row)
        column.addWidget(self._sentence)
        column.addWidget(self._outlook)
        column.addWidget(self.alarms)
        column.addSpacing(10)
        column.addWidget(self.chart)
        column.addLayout(times)
        column.addSpacing(4)
        for line in self._facts:
            column.addWidget(line)
        column.addSpacing(8)
        column.addWidget(self._also)
        column.addSpacing(4)
        column.addWidget(self._remarks_head)
        column.addWidget(self.remarks)
        column.addSpacing(10)
        column.addWidget(self.open_button)
        column.addStretch(1)
        self.sheet = scrolling(page)
        around = QVBoxLayout(self)
        # Inside the rule.
        around.setContentsMargins(1, 0, 0, 0)
        around.addWidget(self.sheet)

    def _show_remarks(self) -> None:
        """Show remarks on the place, or the site, of the day that is shown."""
        lines = [] if self.account is None else remark_lines(self._state, self.account.series)
        self.remarks.setText("\n".join(lines))
        for label in (self._remarks_head, self.remarks):
            label.setVisible(bool(lines))

    def show_account(self, account: SeriesSummary | None) -> None:
        """Show an account; None says how to get one."""
        self.account = account
        self._show_remarks()
        state = self._state
        self.alarms.show_alarms(
            [] if account is None else state.alarms_of(account.series.id),
            state.now_us,
            is_now=state.window.is_live,
        )
        shown = account is not None
        for widget in (self._strokes, self.chart, self._from, self._until, self.open_button):
            widget.setVisible(shown)
        for line in self._facts:
            line.setVisible(False)
        if account is None:
            self._name.setText(tr("Nothing picked"))
            self._outlook.setText(tr("Pick a cell with the mouse or the arrow keys."))
            for label in (self._place, self._value, self._unit, self._sentence, self._also):
                label.setText("")
            return
        theme, one = self._theme, account.series
        self._place.setText(one.station.place.name)
        self._name.setText(tr(one.quantity.name))
        self._value.setText(account.value)
        long = len(account.value) > 6
        self._value.setFont(face(34 if long else 46, BOLD))
        self._unit.setText(one.shown.symbol)
        accent = theme.level(account.level) if account.level >= Level.RAISED else theme.ink
        tint(self._value, accent)
        tint(self._sentence, accent)
        self._sentence.setText(account.sentence)
        self._sentence.setVisible(bool(account.sentence))
        self._outlook.setText(account.outlook)
        self._outlook.setVisible(bool(account.outlook))
        self._strokes.show_level(account.level)
        content = ChartContent(account.chart, one.limits, account.chart_range, one.shown)
        if self.chart.grip is not None:
            self.chart.grip.series = one
        self.chart.show_content(content, tr("{0}, the last 24 hours", one.quantity.name))
        start = datetime_from_time_us(account.chart.start_us).astimezone(self._state.zone)
        is_live = self._state.window.is_live
        self._from.setText(
            tr("{0} yesterday", clock_words(start))
            if is_live
            else f"{start:%a} {clock_words(start)}"
        )
        moment = datetime_from_time_us(self._state.now_us).astimezone(self._state.zone)
        self._until.setText(tr("now") if is_live else f"{moment:%a} {clock_words(moment)}")
        for line, fact in zip(self._facts, account.facts, strict=False):
            line.name.setText(fact.name)
            line.value.setText(fact.value)
            line.remark.setText(fact.remark)
            line.setVisible(True)
        self._also.setText(self._others(account))
        self._also.setVisible(bool(self._also.text()))

    def _others(self, account: SeriesSummary) -> str:
        """The values of other stations of the place for the same quantity."""
        one = account.series
        told = [
            tr(
                "{0} says {1}",
                other.station.key,
                other.shown.text(self._state.latest[other.id].value),
            )
            for other in self._state.site.series_shown
            if other.id != one.id
            and other.station.place.id == one.station.place.id
            and other.quantity.slug == one.quantity.slug
            and other.id in self._state.latest
        ]
        if told:
            return tr("From {0}; {1}.", one.station.key, ", ".join(told))
        return tr("From {0}.", one.station.key)
