"""The Strip view: remarks and lanes that share one time axis, and the panel beside them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from rook_tally.core.moment_words import clock_words, moment_words
from rook_tally.core.remarks import Remark
from rook_tally.core.theme import Theme
from rook_tally.core.ticks import time_ticks
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.data.commands import RemoveRemark
from rook_tally.desk.data.limit_drag import LimitDrag
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.undo import NoSteps, StepSink
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.keys import keys_of
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.limit_grip import LimitGrip
from rook_tally.desk.strip.actions import StripAction
from rook_tally.desk.strip.lane_content import lane_content
from rook_tally.desk.strip.lane_head import HEAD_WIDTH, LaneHeadWidget, TimeAxis
from rook_tally.desk.strip.lane_painter import LaneContent
from rook_tally.desk.strip.lane_plot import Across, LanePlot
from rook_tally.desk.strip.model import Lane, LaneOffer, StripModel
from rook_tally.desk.strip.paint_scheduler import PaintScheduler
from rook_tally.desk.strip.queries import LaneReadings, LanesQuery
from rook_tally.desk.strip.remark_tasks import RemarkTasks
from rook_tally.desk.strip.remarks import SpansAnswer, SpansQuery
from rook_tally.desk.strip.remarks_lane import RemarksHead, RemarksLane
from rook_tally.desk.strip.texts import tr
from rook_tally.desk.strip.window_panel import WindowPanel
from rook_tally.store.site import Series

_REFRESH_MS = 300
_ASK_PAUSE_MS = 15
# What lies beside the window was read with it, so that a hand seldom reaches an edge.
_ASK_PAUSE_MOVING_MS = 200
_PIXELS_A_TICK = 110
_FIRST_LANES = 5
_PAN_SHARE = 0.25
_ZOOM_STEP = 0.7
_MOST_PIN_LINES = 16
_PANEL_PAUSE_MS, _PANEL_PAUSE_MOVING_MS = 20, 200


class _Ground(QWidget):
    """Paper, or a rule, under what is laid on it."""

    def __init__(self, theme: Theme, *, is_rule: bool) -> None:
        super().__init__()
        self._theme, self._is_rule = theme, is_rule

    def paintEvent(self, _event: QPaintEvent) -> None:
        name = self._theme.strong_rule if self._is_rule else self._theme.paper
        QPainter(self).fillRect(self.rect(), colour(name))


_AXIS = 56


class StripView(QWidget):
    """Lanes on one time axis.

    `readings_wanted`, `correction_wanted`, `limits_wanted` ask for a series' readings, corrections
    and limits;
    `copy_wanted`, `csv_wanted` and `picture_wanted` for what is shown, elsewhere.
    """

    told = Signal(str)
    readings_wanted = Signal(Series)
    correction_wanted = Signal(Series)
    limits_wanted = Signal(Series)
    copy_wanted = Signal()
    csv_wanted = Signal()
    picture_wanted = Signal()

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, steps: StepSink | None = None
    ) -> None:
        super().__init__()
        self._theme = theme
        self._client = client
        self.model = StripModel(state, steps=NoSteps() if steps is None else steps)
        self.limit_drag = LimitDrag(client, state.clock, self.told.emit)
        self.heads: list[LaneHeadWidget] = []
        self.plots: list[LanePlot] = []
        self._built: list[Lane] = []
        self._contents: tuple[object, list[LaneContent]] = (None, [])
        self._asked: LanesQuery | None = None
        self._asked_spans: SpansQuery | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.axis = TimeAxis(theme)
        self.remarks_head = RemarksHead(theme, self.model.remarks)
        self.remarks_lane = RemarksLane(theme, self.model.remarks)
        self.panel = WindowPanel(theme, self.model)
        self._empty = Label(tr("Add a lane to begin: type a few letters at the right, or press A"))
        self._empty.setFont(face(13))
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.area = _Ground(theme, is_rule=True)
        self._grid = QGridLayout(self.area)
        self._grid.setContentsMargins(0, 0, 0, 1)
        self._grid.setHorizontalSpacing(0)
        self._grid.setVerticalSpacing(1)
        self.inking = PaintScheduler(self)
        # Gestures come by the hundred a second: one look at the store after a short pause serves
        # them all.
        self._ask_timer = QTimer(self, singleShot=True, interval=_ASK_PAUSE_MS)
        self._ask_timer.timeout.connect(self._ask)
        self._live_timer = QTimer(self, singleShot=True, interval=_REFRESH_MS)
        self._live_timer.timeout.connect(self._follow_now)
        self._panel_timer = QTimer(self, singleShot=True, interval=_PANEL_PAUSE_MS)
        self._panel_timer.timeout.connect(self.panel.refresh)
        self.panel.page_turned.connect(self._on_model_changed)
        self.inking.rested.connect(self._ask_spans)
        self.remark_tasks = RemarkTasks(
            theme, self.model, client, self, on_span=lambda: self.panel.show_page(1)
        )
        self._lay_out()
        self._does = self._deeds()
        self.model.changed.append(self._on_model_changed)
        self.panel.lanes_chosen.connect(self._on_offer)
        self.panel.name_span.clicked.connect(self.remark_tasks.name_span)
        self.panel.drop_pin.clicked.connect(self.remark_tasks.drop_pin)
        self.remarks_lane.altered.connect(self.remark_tasks.move)
        self.remarks_lane.opened.connect(self.remark_tasks.edit)
        state.window_moved.append(self.inking.moved)
        state.subscribe(self._on_state_changed)
        self._build_lanes()

    def _lay_out(self) -> None:
        def beside(left: QWidget, right: QWidget) -> QHBoxLayout:
            row = QHBoxLayout()
            row.setContentsMargins(0, 0, 0, 0)
            row.setSpacing(0)
            row.addWidget(left)
            row.addWidget(right, 1)
            return row

        corner, rule = _Ground(self._theme, is_rule=False), _Ground(self._theme, is_rule=True)
        corner.setFixedWidth(HEAD_WIDTH)
        rule.setFixedHeight(1)
        lanes = QVBoxLayout()
        lanes.setContentsMargins(0, 0, 0, 0)
        lanes.setSpacing(0)
        self._scroll = QScrollArea()
        self._scroll.setWidget(self.area)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        # What lies over and under the lanes is as wide as they are.
        across = [beside(self.remarks_head, self.remarks_lane), beside(corner, self.axis)]
        bar = self._scroll.verticalScrollBar()
        bar.rangeChanged.connect(
            lambda _low, high: [
                one.setContentsMargins(0, 0, bar.sizeHint().width() if high else 0, 0)
                for one in across
            ]
        )
        lanes.addLayout(across[0])
        lanes.addWidget(rule)
        lanes.addWidget(self._scroll, 1)
        lanes.addWidget(self._empty, 1)
        lanes.addLayout(across[1])
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(lanes, 1)
        row.addWidget(self.panel)

    def _deeds(self) -> dict[StripAction, Callable[[], object]]:
        model = self.model
        remarks = model.remarks
        return {
            StripAction.EARLIER: lambda: self._pan_by(-_PAN_SHARE),
            StripAction.LATER: lambda: self._pan_by(_PAN_SHARE),
            StripAction.ZOOM_IN: lambda: self._zoom_middle(_ZOOM_STEP),
            StripAction.ZOOM_OUT: lambda: self._zoom_middle(1 / _ZOOM_STEP),
            StripAction.LANE_ABOVE: lambda: model.pick(model.picked - 1),
            StripAction.LANE_BELOW: lambda: model.pick(model.picked + 1),
            StripAction.LANE_UP: lambda: model.move(model.picked, -1),
            StripAction.LANE_DOWN: lambda: model.move(model.picked, 1),
            StripAction.REMOVE: self._remove_picked,
            StripAction.ADD_LANE: self.panel.adder.setFocus,
            StripAction.PLACE: lambda: self._with_series(model.add_place),
            StripAction.QUANTITY: lambda: self._with_series(model.add_quantity),
            StripAction.CURSOR_EARLIER: lambda: model.move_cursor(-1),
            StripAction.CURSOR_LATER: lambda: model.move_cursor(1),
            StripAction.MARK_START: lambda: model.mark_end(start_us=self.model.cursor_or_middle_us),
            StripAction.MARK_END: lambda: model.mark_end(end_us=self.model.cursor_or_middle_us),
            StripAction.ZOOM_TO_STRETCH: model.zoom_to_stretch,
            StripAction.UNMARK: lambda: model.mark(None),
            StripAction.NAME_SPAN: self.remark_tasks.name_span,
            StripAction.DROP_PIN: self.remark_tasks.drop_pin,
            StripAction.NEXT_REMARK: remarks.pick_next,
            StripAction.EDIT_REMARK: lambda: self._with_remark(self.remark_tasks.edit),
            StripAction.BASE_SPAN: lambda: self._with_remark(remarks.take_as_base),
            StripAction.OVERLAY: lambda: model.lay_over(model.overlay.next),
            StripAction.FIGURES: lambda: self.panel.show_page(None),
            StripAction.READINGS: lambda: self._with_series(self.readings_wanted.emit),
            StripAction.CORRECT: lambda: self._with_series(self.correction_wanted.emit),
            StripAction.LIMITS: lambda: self._with_series(self.limits_wanted.emit),
            StripAction.COPY: self.copy_wanted.emit,
            StripAction.SAVE_CSV: self.csv_wanted.emit,
            StripAction.SAVE_PICTURE: self.picture_wanted.emit,
        }

    def do(self, action: StripAction) -> None:
        """Do what an action says."""
        self._does[action]()

    def add_series(self, series: Sequence[Series]) -> None:
        """Add lanes."""
        self.model.add(series)

    def show_something(self, kept: Sequence[Sequence[Series]] = ()) -> None:
        """With no lanes yet, show those of the last time, or else the worst series first."""
        if self.model.lanes or not self.model.state.is_loaded:
            return
        if kept:
            self.model.set_lanes(kept)
            return
        state = self.model.state
        ranked = sorted(
            (one for one in state.site.series if one.id in state.latest),
            key=lambda one: -int(state.level(one)),
        )
        self.model.set_lanes([(one,) for one in ranked[:_FIRST_LANES]])

    def _take(self, asked: LanesQuery, traces: dict[int, LaneReadings]) -> None:
        # While a hand moves the window each answer is a little late, and better than none.
        if asked.series == self.model.series:
            self.model.take(asked, traces)

    def _take_spans(self, asked: SpansQuery, answer: SpansAnswer) -> None:
        if asked is self._asked_spans:
            self.model.remarks.take(answer)

    @property
    def is_up_to_date(self) -> bool:
        """True if every lane shows the window as it is, and spans are compared."""
        window = self.model.window
        is_read = bool(self.model.lanes) and all(
            one.id in self.model.envelopes
            and abs(self.model.envelopes[one.id].start_us - window.start_us) < window.span_us / 500
            for one in self.model.series
        )
        wanted = self.model.remarks.question(self.model.picked_series)
        answer = self.model.remarks.answer
        is_compared = (
            wanted is None
            or not self.panel.compares_spans
            or (answer is not None and answer.spans == wanted.spans)
        )
        is_told = not self._panel_timer.isActive() and not self.inking.is_moving
        return is_read and is_compared and is_told and all(plot.is_inked for plot in self.plots)

    def _columns(self) -> int:
        return max(50, self.axis.width())

    def _ask_soon(self) -> None:
        if not self._ask_timer.isActive():
            is_moving = self.inking.is_moving and self._margin_lasts()
            self._ask_timer.start(_ASK_PAUSE_MOVING_MS if is_moving else _ASK_PAUSE_MS)

    def _margin_lasts(self) -> bool:
        """True if what was read reaches over the window, with a little to spare."""
        window = self.model.window
        spare_us = window.span_us // 8
        return bool(self.model.traces) and all(
            one.envelope.start_us <= window.start_us - spare_us
            and one.envelope.end_us >= window.end_us + spare_us
            for one in self.model.traces.values()
        )

    def _ask(self) -> None:
        if self.model.lanes:
            asked = self._asked = self.model.question(self._columns())
            self._client.read(asked, partial(self._take, asked))

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
        if self.panel.compares_spans and not self.inking.is_moving:
            self._ask_spans()
        self._draw()

    def _ask_spans(self) -> None:
        """Have the spans of the window compared; not at every frame of a gesture."""
        spans = self.model.remarks.question(self.model.picked_series)
        if spans != self._asked_spans and self.panel.compares_spans and self.isVisible():
            self._asked_spans = spans
            if spans is not None:
                self._client.read(spans, partial(self._take_spans, spans))

    def _build_lanes(self) -> None:
        old: list[QWidget] = [*self.heads, *self.plots]
        for widget in old:
            self._grid.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self.heads, self.plots = [], []
        for row in range(self._grid.rowCount()):
            self._grid.setRowStretch(row, 0)
        for at, lane in enumerate(self.model.lanes):
            head, plot = LaneHeadWidget(self._theme), LanePlot(self._theme)
            head.series = lane.series
            head.removed.connect(partial(self._remove, at))
            head.picked.connect(partial(self.model.pick, at))
            plot.picked.connect(partial(self.model.pick, at))
            plot.grip = LimitGrip(plot, plot, self.limit_drag, 0, _AXIS)
            plot.grip.series = lane.series[0] if len(lane.series) == 1 else None
            plot.zoomed.connect(self._zoom)
            plot.dragged.connect(self._pan)
            plot.pointed.connect(self.model.point_at)
            plot.marked.connect(lambda start, end: self.model.mark((start, end)))
            for target in (head, plot):
                target.dropped.connect(partial(self._drop, at))
            self._grid.addWidget(head, at, 0)
            self._grid.addWidget(plot, at, 1)
            self._grid.setRowStretch(at, 1)
            self.heads.append(head)
            self.plots.append(plot)
        self._built = list(self.model.lanes)
        self.inking.plots = self.plots
        self._scroll.setVisible(bool(self.model.lanes))
        self._empty.setVisible(not self.model.lanes)

    def _remove(self, lane: int) -> None:
        # The head that was clicked is deleted with the lane: not before its event is over.
        QTimer.singleShot(0, lambda: self.model.remove(lane))

    def _drop(self, lane: int, ids: list[int]) -> None:
        known = {one.id: one for one in self.model.state.site.series}
        series = [known[one] for one in ids if one in known]
        QTimer.singleShot(0, lambda: self.model.drop(lane, series))

    def _remove_picked(self) -> None:
        picked, window = self.model.remarks.picked, self.model.window
        if picked is not None and picked.touches(window.start_us, window.end_us):
            self._client.write(RemoveRemark(picked.id, picked))
        elif self.model.lanes:
            self._remove(min(self.model.picked, len(self.model.lanes) - 1))

    def _with_series(self, call: Callable[[Series], object]) -> None:
        if self.model.picked_series is not None:
            call(self.model.picked_series)

    def _with_remark(self, call: Callable[[Remark], object]) -> None:
        if self.model.remarks.picked is not None:
            call(self.model.remarks.picked)

    def pick_for_menu(self, under: QPoint | None) -> QPoint | None:
        """Pick the lane or remark under a point of the screen, for a menu of it; without a point
        what is picked.

        Returns
        -------
        where the menu belongs; None where there is nothing to pick
        """
        if under is None:
            if not self.heads:
                return None
            head = self.heads[min(self.model.picked, len(self.heads) - 1)]
            return head.mapToGlobal(head.rect().center())
        remark = self.remarks_lane.remark_at(QPointF(self.remarks_lane.mapFromGlobal(under)))
        if remark is not None:
            self.model.remarks.pick(remark)
            return under
        ground = self._scroll.viewport()
        if not ground.rect().contains(ground.mapFromGlobal(under)):
            return None
        for at, pair in enumerate(zip(self.heads, self.plots, strict=True)):
            if any(one.rect().contains(one.mapFromGlobal(under)) for one in pair):
                self.model.pick(at)
                return under
        return None

    def _on_offer(self, offer: LaneOffer) -> None:
        self.model.add_offer(offer)
        self.setFocus()

    def _zoom(self, factor: float, at_us: int) -> None:
        self.model.show_window(self.model.window.zoomed(factor, at_us))

    def _zoom_middle(self, factor: float) -> None:
        window = self.model.window
        self._zoom(factor, (window.start_us + window.end_us) // 2)

    def _pan(self, by_us: int) -> None:
        self.model.show_window(self.model.window.moved(by_us, self.model.state.clock()))

    def _pan_by(self, share: float) -> None:
        self._pan(round(self.model.window.span_us * share))

    def _draw(self) -> None:
        model = self.model
        start_us, end_us = model.window.start_us, model.window.end_us
        most = max(2, self.axis.width() // _PIXELS_A_TICK)
        ticks = time_ticks(
            start_us,
            end_us,
            model.state.zone,
            most,
            first_day=model.state.site.settings.week_begins.number,
        )
        across = Across(
            start_us, end_us, tuple(ticks), model.cursor_us, self._pins_us(), model.stretch
        )
        contents = self._lane_contents()
        for at, (head, plot) in enumerate(zip(self.heads, self.plots, strict=True)):
            head.show_head(model.head(at), is_picked=at == model.picked)
            plot.show_across(across)
            plot.show_content(contents[at])
        self.inking.start()
        self.axis.show_axis((start_us, end_us), ticks, self._cursor_words())
        self.remarks_head.update()
        self.remarks_lane.refresh()
        # Words beside the picture need not follow at every frame of a gesture.
        if not self._panel_timer.isActive():
            is_moving = self.inking.is_moving
            self._panel_timer.start(_PANEL_PAUSE_MOVING_MS if is_moving else _PANEL_PAUSE_MS)

    def _lane_contents(self) -> list[LaneContent]:
        """The lanes' content, made anew only after something was read or lanes changed."""
        key = (self.model.made, tuple(self.model.lanes))
        if key != self._contents[0]:
            told = [lane_content(self.model, at) for at in range(len(self.model.lanes))]
            self._contents = key, told
            for head, plot, content in zip(self.heads, self.plots, told, strict=True):
                plot.setAccessibleName(f"{head.accessibleName()}, {content.note}")
        return self._contents[1]

    def _pins_us(self) -> tuple[int, ...]:
        """Pins whose lines run through the lanes; a thicket of them would hide the traces."""
        pins = self.model.remarks.pins
        return tuple(one.start_us for one in pins) if len(pins) <= _MOST_PIN_LINES else ()

    def _cursor_words(self) -> tuple[int, str] | None:
        if self.model.cursor_us is None:
            return None
        moment = datetime_from_time_us(self.model.cursor_us).astimezone(self.model.state.zone)
        return self.model.cursor_us, _moment_text(moment, self.model.window.span_us)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another width needs other columns."""
        super().resizeEvent(event)
        self._ask_soon()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Do what the keys say."""
        for keys in keys_of(event):
            action = _BY_KEYS.get(keys)
            if action is not None:
                self.do(action)
                return
        super().keyPressEvent(event)


_BY_KEYS = {keys: action for action in StripAction for keys in action.keys}


def _moment_text(moment: datetime, span_us: int) -> str:
    if span_us <= DAY_US:
        return clock_words(moment, seconds=True)
    return moment_words(moment, weekday=True)
