"""A score's page: its inputs with curves and weights, ways of adding up compared, a trial."""

from __future__ import annotations

import math
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import UNKNOWN, figure
from rook_tally.core.theme import Theme
from rook_tally.core.workings.definitions import Aggregation, Score, ScoreInput
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.workings.aggregation_chart import AggregationChart, WhyBar
from rook_tally.desk.workings.curve import CurveChart
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.page_head import PageFoot, PageHead
from rook_tally.desk.workings.texts import tr
from rook_tally.desk.workings.traces import hours_of

_STEPS = 1000


class InputRow:
    """The widgets of one input, laid into a grid."""

    def __init__(self, theme: Theme, model: WorkingsModel, at: int) -> None:
        self._theme = theme
        self._model = model
        self._at = at
        self.name, self.formula = QLineEdit(), QLineEdit()
        self.name.setStyleSheet(
            "QLineEdit { border: none; background: transparent; font-size: 14px;"
            " font-weight: 600; padding: 0; }"
        )
        self.formula.setStyleSheet(
            f"QLineEdit {{ border: none; background: transparent; font-size: 11px;"
            f" color: {theme.dim}; padding: 0; }}"
        )
        self.now, self.gives, self.share = Label(), Label(), Label()
        for label, weight in ((self.now, MEDIUM), (self.gives, BOLD)):
            label.setFont(face(14, weight))
            label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        tint(self.share, theme.dim)
        self.share.setFont(face(12))
        self.weight = QSlider(Qt.Orientation.Horizontal)
        self.weight.setRange(0, 100)
        self.weight.setFixedWidth(76)
        self.trial = QSlider(Qt.Orientation.Horizontal)
        self.trial.setRange(0, _STEPS)
        self.remove = QPushButton("×")
        self.remove.setObjectName("words")
        self.remove.setFixedWidth(22)
        self.curve = CurveChart(theme)
        self.type_points = QPushButton("…")
        self.type_points.setObjectName("words")
        self.type_points.setFixedWidth(22)
        self.type_points.setToolTip(tr("Type the points…"))
        self.name.textEdited.connect(lambda text: model.alter_input(at, name=text))
        self.formula.editingFinished.connect(self._on_formula)
        self.weight.valueChanged.connect(self._on_weight)
        self.trial.valueChanged.connect(self._on_trial)
        self.curve.changed.connect(lambda points: model.alter_input(at, points=points))
        self.type_points.clicked.connect(self.curve.type_points)
        self.remove.clicked.connect(partial(model.remove_input, at))

    def add_to(self, grid: QGridLayout, row: int) -> None:
        """Lay it in a row of the grid."""
        words = QVBoxLayout()
        words.setSpacing(0)
        words.addWidget(self.name)
        words.addWidget(self.formula)
        words.addStretch(1)
        weight = QVBoxLayout()
        weight.setSpacing(0)
        weight.addWidget(self.weight)
        weight.addWidget(self.share)
        weight.addStretch(1)
        curve = QVBoxLayout()
        curve.setSpacing(0)
        curve.addWidget(self.curve, 1)
        curve.addWidget(self.trial)
        grid.addLayout(words, row, 0)
        grid.addWidget(self.now, row, 1)
        grid.addWidget(self.gives, row, 2)
        grid.addLayout(weight, row, 3)
        grid.addLayout(curve, row, 4)
        ends = QVBoxLayout()
        ends.setSpacing(0)
        ends.addWidget(self.remove)
        ends.addWidget(self.type_points)
        ends.addStretch(1)
        grid.addLayout(ends, row, 5)

    def refresh(self, one: ScoreInput, share: float, now: float, gives: float, unit: str) -> None:
        """Show an input: its share of the weight, what is read and what that gives."""
        if not self.name.hasFocus():
            self.name.setText(one.name)
        if not self.formula.hasFocus():
            self.formula.setText(one.formula)
        decimals = 0 if abs(now) >= 100 else 1
        self.now.setText(
            f"{figure(now, decimals)} {unit}".strip() if math.isfinite(now) else UNKNOWN
        )
        self.gives.setText(figure(gives, 0))
        self.share.setText(f"{100 * share:.0f} %")
        self.weight.setAccessibleName(tr("weight of {0}", one.name))
        self.trial.setAccessibleName(tr("{0}, tried out", one.name))
        self.type_points.setAccessibleName(tr("points of {0}", one.name))
        self.remove.setAccessibleName(tr("take {0} out", one.name))
        if not self.weight.isSliderDown():
            self.weight.blockSignals(True)
            self.weight.setValue(round(one.weight))
            self.weight.blockSignals(False)
        preview, model = self._model.score.preview, self._model
        usual = preview.usual[self._at] if preview and self._at < len(preview.usual) else None
        self.curve.show_curve(one.points, usual, now, one.name)
        self.trial.setVisible(model.score.what_if is not None)
        if model.score.what_if is not None and not self.trial.isSliderDown():
            low, high = self.curve.span
            self.trial.blockSignals(True)
            share = (now - low) / (high - low) if math.isfinite(now) else 0.0
            self.trial.setValue(round(share * _STEPS))
            self.trial.blockSignals(False)

    def _on_formula(self) -> None:
        draft = self._model.draft
        assert draft is not None
        assert draft.score is not None
        if draft.score.inputs[self._at].formula != self.formula.text():
            self._model.alter_input(self._at, formula=self.formula.text())

    def _on_weight(self, value: int) -> None:
        self._model.alter_input(self._at, weight=float(value))

    def _on_trial(self, value: int) -> None:
        low, high = self.curve.span
        self._model.score.try_input(self._at, low + value / _STEPS * (high - low))


class ScorePage(QWidget):
    """Head, inputs, ways of adding up, why, foot."""

    def __init__(self, theme: Theme, model: WorkingsModel) -> None:
        super().__init__()
        self._theme = theme
        self._model = model
        self.head = PageHead(theme, model)
        self.rows: list[InputRow] = []
        self.when = Label()
        self._grid_place = QWidget()
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.told = Label()
        self.told.setWordWrap(True)
        self.ways = AggregationChart(theme)
        self.why = WhyBar(theme)
        self.way = QComboBox()
        self.way.addItems([tr("weighted"), tr("worst of")])
        self.way.setAccessibleName(tr("way of adding up"))
        self.add = QPushButton(tr("Another input"))
        self.variant = QPushButton(tr("Another way…"))
        for button in (self.add, self.variant):
            button.setObjectName("words")
        self.what_if = QPushButton(tr("What if…"))
        self.what_if.setCheckable(True)
        self.foot = PageFoot(theme, model, self.what_if)
        under = QHBoxLayout()
        under.setSpacing(10)
        under.addWidget(self.way)
        under.addWidget(self.add)
        under.addWidget(self.variant)
        under.addWidget(self.told, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 12, 24, 14)
        column.setSpacing(8)
        column.addWidget(self.head)
        column.addWidget(self._scroll, 3)
        column.addLayout(under)
        column.addWidget(self.ways, 2)
        column.addWidget(self.why)
        column.addWidget(self.foot)
        self.way.activated.connect(lambda at: model.alter_score(way=list(Aggregation)[at]))
        self.add.clicked.connect(model.add_input)
        self.variant.clicked.connect(model.begin_variant)
        self.what_if.toggled.connect(self._on_what_if)
        self.ways.moved.connect(self._on_moved)

    def refresh(self) -> None:
        """Show the draft."""
        model, draft = self._model, self._model.draft
        if draft is None or draft.score is None:
            return
        preview = model.score.preview
        self.head.refresh(preview.place if preview else "", preview.places if preview else ())
        self._lay_rows(len(draft.score.inputs))
        self._refresh_rows(draft.score)
        self.way.setCurrentIndex(list(Aggregation).index(draft.score.way))
        self._tell(draft.score)
        words, stretches = model.score.parted()
        ways = model.score.ways()
        title = tr("{0} ways of adding up, same days", len(ways)) if len(ways) > 1 else draft.name
        window = model.state.window
        span = max(window.span_us, 1)
        start_us = window.start_us
        if preview is not None and preview.times is not None:
            start_us, span = int(preview.times[0]), max(int(np.ptp(preview.times)), 1)
        shares = [((a - start_us) / span, (b - start_us) / span) for a, b in stretches]
        hours = hours_of(start_us, start_us + span, model.state.zone)
        self.ways.show_ways(ways, title, words, shares, model.score.cursor, hours)
        found = model.score.at_cursor()
        score = UNKNOWN if found is None else figure(float(found.score[0]), 0)
        self.why.show_parts(tr("Why {0} {1}", score, model.score.when()), model.score.why())
        self.when.setText(model.score.when())
        self.what_if.setChecked(model.score.what_if is not None)
        self.foot.refresh(is_wrong=preview is not None and preview.mistake is not None)

    def _lay_rows(self, count: int) -> None:
        if len(self.rows) == count:
            return
        self._grid_place = QWidget()
        grid = QGridLayout(self._grid_place)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(6)
        grid.setColumnMinimumWidth(0, 150)
        grid.setColumnMinimumWidth(1, 86)
        grid.setColumnMinimumWidth(2, 44)
        grid.setColumnStretch(4, 1)
        right = Qt.AlignmentFlag.AlignRight
        left = Qt.AlignmentFlag.AlignLeft
        for at, (text, side) in enumerate(
            (
                (tr("input"), left),
                ("", right),
                (tr("gives"), right),
                (tr("weight"), left),
                (tr("score curve, over what was read in 30 days"), left),
            )
        ):
            head = Label(text)
            head.setFont(face(11))
            tint(head, self._theme.dim)
            grid.addWidget(head, 0, at, side)
        self.when = Label()
        self.when.setFont(face(11))
        tint(self.when, self._theme.dim)
        # A moment is longer than its column: it reaches over the one before.
        grid.addWidget(self.when, 0, 0, 1, 2, right)
        self.rows = [InputRow(self._theme, self._model, at) for at in range(count)]
        for at, row in enumerate(self.rows):
            row.add_to(grid, at + 1)
            grid.setRowStretch(at + 1, 1)
        self._scroll.setWidget(self._grid_place)
        self._grid_place.setStyleSheet(f"background: {self._theme.sheet};")

    def _refresh_rows(self, score: Score) -> None:
        model, preview = self._model, self._model.score.preview
        readings, found = model.score.readings_at_cursor(), model.score.at_cursor()
        weights = sum(one.weight for one in score.inputs) or 1.0
        for at, (row, one) in enumerate(zip(self.rows, score.inputs, strict=True)):
            now = math.nan if readings is None or at >= len(readings) else float(readings[at])
            gives = math.nan if found is None else float(found.sub_scores[at, 0])
            unit = preview.units[at] if preview and at < len(preview.units) else ""
            row.refresh(one, one.weight / weights, now, gives, unit)

    def _tell(self, score: Score) -> None:
        """Show the error, or the completeness of the score."""
        model, preview = self._model, self._model.score.preview
        mistake = model.mistake or (preview.mistake if preview else None)
        tint(self.told, self._theme.level(Level.HIGH) if mistake else self._theme.dim)
        if mistake is not None:
            name = score.inputs[preview.input_at].name if preview and not model.trouble else ""
            more = f" – {mistake.suggestion}" if mistake.suggestion else ""
            told = f"{name}: {mistake.what}{more}." if name else f"{mistake.what}{more}."
            self.told.setText(told)
            return
        found = model.score.at_cursor()
        if found is None:
            self.told.setText("")
            return
        complete = float(found.completeness[0])
        if model.score.what_if is not None:
            self.told.setText(tr("A trial: everything shows it until you leave it."))
        elif complete >= 1.0:
            self.told.setText(tr("All of its weight is heard."))
        else:
            self.told.setText(
                tr("{0:.0f} % of its weight is heard; the rest is weighted anew.", 100 * complete)
                if complete >= score.least
                else tr("Only {0:.0f} % of its weight is heard: too little.", 100 * complete)
            )

    def _on_moved(self, cursor: float) -> None:
        self._model.score.cursor = cursor
        self.refresh()

    def _on_what_if(self, is_on: bool) -> None:
        if is_on and self._model.score.what_if is None:
            self._model.score.begin_trial()
        elif not is_on:
            self._model.score.end_trial()
