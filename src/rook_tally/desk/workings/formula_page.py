"""A formula's page: written, checked and drawn over the window as it is typed."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.workings.formula_edit import FormulaEdit
from rook_tally.desk.workings.model import WorkingsModel
from rook_tally.desk.workings.page_head import PageFoot, PageHead
from rook_tally.desk.workings.traces import LaneTrace, TracesChart


class FormulaPage(QWidget):
    """Head, formula, what is said of it, what it comes to, foot."""

    def __init__(self, theme: Theme, model: WorkingsModel) -> None:
        super().__init__()
        self._theme = theme
        self._model = model
        self.head = PageHead(theme, model)
        self.edit = FormulaEdit(theme, model.completions, lines=2)
        self.told = Label()
        self.told.setFont(face(13, MEDIUM))
        self.told.setWordWrap(True)
        self.told.setMinimumHeight(36)
        self.told.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.chart = TracesChart(theme)
        self.foot = PageFoot(theme, model)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 12, 24, 14)
        column.setSpacing(8)
        column.addWidget(self.head)
        column.addWidget(self.edit)
        column.addWidget(self.told)
        column.addWidget(self.chart, 1)
        column.addWidget(self.foot)
        self.edit.changed.connect(lambda formula: model.alter(formula=formula))

    def refresh(self) -> None:
        """Show the draft."""
        model, draft = self._model, self._model.draft
        if draft is None or draft.score is not None:
            return
        preview = model.formula
        self.head.refresh(preview.place if preview else "", preview.places if preview else ())
        self.edit.show_formula(draft.formula)
        mistake = model.mistake
        is_current = preview is not None and preview.formula == draft.formula
        if is_current:
            self.edit.underline(mistake)
        if mistake is not None:
            more = f" – {mistake.suggestion}" if mistake.suggestion else ""
            self.told.setText(f"{mistake.what[:1].upper()}{mistake.what[1:]}{more}.")
        elif is_current:
            self.told.setText(model.result_words())
        if mistake is not None or is_current:
            tint(self.told, self._theme.level(Level.HIGH) if mistake else self._theme.dim)
        if preview is not None and preview.envelope is not None and preview.shown is not None:
            newest = preview.shown.text(preview.newest)
            result = LaneTrace(
                f"{draft.name} · {preview.place}",
                f"{newest} {preview.shown.symbol}".strip(),
                preview.envelope,
                preview.shown,
                2.4,
            )
            inputs = tuple(
                LaneTrace(one.name, one.shown.symbol, one.envelope, one.shown)
                for one in preview.inputs[:4]
            )
            self.chart.show_lanes(
                (result, *inputs), zone=model.state.zone, is_stale=mistake is not None
            )
        else:
            self.chart.show_lanes(self.chart.lanes if mistake else (), is_stale=True)
        self.foot.refresh(is_wrong=bool(is_current and preview and preview.mistake))
