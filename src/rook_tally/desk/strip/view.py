"""The Strip view: lanes that share one time axis, and the panel beside them."""

from __future__ import annotations

from datetime import datetime
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from rook_tally.core.levels import NO_LIMITS
from rook_tally.core.ticks import TimeTick, time_ticks
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.parts.ink import colour, face
from rook_tally.desk.shell.reader import Reader, Reply
from rook_tally.desk.shell.state import SiteState
from rook_tally.desk.shell.theme import Theme
from rook_tally.desk.strip.lane_head import HEAD_WIDTH, LaneHeadWidget, TimeAxis
from rook_tally.desk.strip.lane_plot import LanePlot
from rook_tally.desk.strip.model import Lane, LanesQuestion, StripModel
from rook_tally.desk.strip.window_panel import WindowPanel
from rook_tally.store import Series

_REFRESH_MS = 300
_ASK_PAUSE_MS = 15
_PIXELS_A_TICK = 110
_FIRST_LANES = 5
_PAN_SHARE = 0.25
_ZOOM_STEP = 0.7


class _Ground(QWidget):
    """Nothing but a colour: the rules between lanes, the corner below their heads."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name

    def paintEvent(self, _event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), colour(self._name))


class StripView(QWidget):
    """Lanes on one time axis."""

    def __init__(self, theme: Theme, state: SiteState, reader: Reader) -> None:
        super().__init__()
        self._theme = theme
        self._reader = reader
        self.model = StripModel(state)
        self.heads: list[LaneHeadWidget] = []
        self.plots: list[LanePlot] = []
        self._built: list[Lane] = []
        self._asked: LanesQuestion | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.axis = TimeAxis(theme)
        self.panel = WindowPanel(theme, self.model)
        self._empty = QLabel("Add a lane to begin: type a few letters at the right, or press A")
        self._empty.setFont(face(13))
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._area = _Ground(theme.strong_rule)
        self._grid = QGridLayout(self._area)
        self._grid.setContentsMargins(0, 0, 0, 1)
        self._grid.setHorizontalSpacing(0)
        self._grid.setVerticalSpacing(1)
        # Gestures come by the hundred a second: one look at the store after a short pause serves
        # them all.
        self._ask_timer = QTimer(self, singleShot=True, interval=_ASK_PAUSE_MS)
        self._ask_timer.timeout.connect(self._ask)
        self._live_timer = QTimer(self, singleShot=True, interval=_REFRESH_MS)
        self._live_timer.timeout.connect(self._follow_now)
        self._lay_out()
        self.model.changed.append(self._on_model_changed)
        self.panel.series_chosen.connect(lambda one: self.add_series([one]))
        state.subscribe(self._on_state_changed)
        self._build_lanes()

    def _lay_out(self) -> None:
        axis_row = QHBoxLayout()
        axis_row.setContentsMargins(0, 0, 0, 0)
        axis_row.setSpacing(0)
        corner = _Ground(self._theme.paper)
        corner.setFixedWidth(HEAD_WIDTH)
        axis_row.addWidget(corner)
        axis_row.addWidget(self.axis, 1)
        lanes = QVBoxLayout()
        lanes.setContentsMargins(0, 0, 0, 0)
        lanes.setSpacing(0)
        lanes.addWidget(self._area, 1)
        lanes.addWidget(self._empty, 1)
        lanes.addLayout(axis_row)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(lanes, 1)
        row.addWidget(self.panel)

    def add_series(self, series: list[Series]) -> None:
        """Add lanes."""
        self.model.add(series)

    def show_something(self) -> None:
        """With no lanes yet, show the worst series of the site first."""
        if self.model.lanes or not self.model.state.is_loaded:
            return
        state = self.model.state
        ranked = sorted(
            (one for one in state.site.series if one.id in state.latest),
            key=lambda one: -int(state.level(one)),
        )
        self.add_series(ranked[:_FIRST_LANES])

    def take_reply(self, reply: Reply) -> None:
        """Show envelopes, if they are those asked for last."""
        if reply.question is self._asked and isinstance(reply.question, LanesQuestion):
            if reply.error:
                return  # the window's notice line says what is wrong with the store
            self.model.take(reply.question, reply.answer)

    @property
    def is_up_to_date(self) -> bool:
        """Whether every lane shows the window as it is."""
        window = self.model.window
        return bool(self.model.lanes) and all(
            one.id in self.model.envelopes
            and self.model.envelopes[one.id].start_us == window.start_us
            for one in self.model.series
        )

    def _columns(self) -> int:
        return max(50, self.axis.width())

    def _ask_soon(self) -> None:
        if not self._ask_timer.isActive():
            self._ask_timer.start()

    def _ask(self) -> None:
        if self.model.lanes:
            self._asked = self.model.question(self._columns())
            self._reader.ask(self._asked)

    def _on_state_changed(self, changed: set[int] | None) -> None:
        if changed is None:
            self._keep_lanes_of_site()
        shown = {one.id for one in self.model.series}
        if (changed is None or shown & changed) and not self._live_timer.isActive():
            self._live_timer.start()

    def _keep_lanes_of_site(self) -> None:
        """The configuration was read anew: the same series, with what is now known of them."""
        known = {one.id: one for one in self.model.state.site.series}
        lanes = [
            Lane(tuple(known[one.id] for one in lane.series if one.id in known))
            for lane in self.model.lanes
        ]
        self.model.lanes = [lane for lane in lanes if lane.series]
        self._on_model_changed()

    def _follow_now(self) -> None:
        if self.model.window.is_live:
            self.model.state.follow_now()
        if self.isVisible():
            self._ask()
            self._draw()

    def _on_model_changed(self) -> None:
        if self.model.lanes != self._built:
            self._build_lanes()
        # Whoever moved the window or added a lane: what is shown has to be read.
        if self.model.lanes and self.model.question(self._columns()) != self._asked:
            self._ask_soon()
        self._draw()

    def _build_lanes(self) -> None:
        old: list[QWidget] = [*self.heads, *self.plots]
        for widget in old:
            self._grid.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self.heads, self.plots = [], []
        for row in range(self._grid.rowCount()):
            self._grid.setRowStretch(row, 0)
        for at in range(len(self.model.lanes)):
            head, plot = LaneHeadWidget(self._theme), LanePlot(self._theme)
            head.removed.connect(partial(self._remove, at))
            plot.zoomed.connect(self._zoom)
            plot.dragged.connect(self._pan)
            plot.pointed.connect(self.model.point_at)
            self._grid.addWidget(head, at, 0)
            self._grid.addWidget(plot, at, 1)
            self._grid.setRowStretch(at, 1)
            self.heads.append(head)
            self.plots.append(plot)
        self._built = list(self.model.lanes)
        self._area.setVisible(bool(self.model.lanes))
        self._empty.setVisible(not self.model.lanes)

    def _remove(self, lane: int) -> None:
        # The head that was clicked is taken away with the lane: not before its event is over.
        QTimer.singleShot(0, lambda: self.model.remove(lane))

    def _zoom(self, factor: float, at_us: int) -> None:
        self.model.show_window(self.model.window.zoomed(factor, at_us))

    def _pan(self, by_us: int) -> None:
        self.model.show_window(self.model.window.moved(by_us, self.model.state.clock()))

    def _draw(self) -> None:
        model = self.model
        window = (model.window.start_us, model.window.end_us)
        ticks = time_ticks(*window, model.state.zone, max(2, self.axis.width() // _PIXELS_A_TICK))
        for at, (lane, head, plot) in enumerate(
            zip(model.lanes, self.heads, self.plots, strict=True)
        ):
            head.show_head(model.head(at))
            plot.show_lane(
                [model.envelopes[one.id] for one in lane.series if one.id in model.envelopes],
                limits=lane.series[0].limits if len(lane.series) == 1 else NO_LIMITS,
                window=window,
                value_range=model.value_range(at),
                ticks=ticks,
                decimals=lane.quantity.decimals,
                note=model.note(at),
            )
            plot.show_cursor(model.cursor_us)
        self._draw_axis(window, ticks)
        self.panel.refresh()

    def _draw_axis(self, window: tuple[int, int], ticks: list[TimeTick]) -> None:
        cursor = None
        if self.model.cursor_us is not None:
            moment = datetime_from_time_us(self.model.cursor_us).astimezone(self.model.state.zone)
            cursor = (self.model.cursor_us, _moment_text(moment, window[1] - window[0]))
        self.axis.show_axis(window, ticks, cursor)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another width needs other columns."""
        super().resizeEvent(event)
        self._ask_soon()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows pan, plus and minus zoom, Space is live, A adds a lane."""
        window, now_us = self.model.window, self.model.state.clock()
        middle_us = (window.start_us + window.end_us) // 2
        step_us = round(window.span_us * _PAN_SHARE)
        key = event.key()
        if key == Qt.Key.Key_Left:
            self.model.show_window(window.moved(-step_us, now_us))
        elif key == Qt.Key.Key_Right:
            self.model.show_window(window.moved(step_us, now_us))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Up, Qt.Key.Key_Equal):
            self.model.show_window(window.zoomed(_ZOOM_STEP, middle_us))
        elif key in (Qt.Key.Key_Minus, Qt.Key.Key_Down):
            self.model.show_window(window.zoomed(1 / _ZOOM_STEP, middle_us))
        elif key == Qt.Key.Key_Space:
            self.model.show_last(window.span_us)
        elif key == Qt.Key.Key_A:
            self.panel.adder.setFocus()
        else:
            super().keyPressEvent(event)


def _moment_text(moment: datetime, span_us: int) -> str:
    return f"{moment:%H:%M:%S}" if span_us <= DAY_US else f"{moment:%a %d %b %H:%M}"
