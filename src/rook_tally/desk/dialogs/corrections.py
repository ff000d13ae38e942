"""The corrections of a series: the list, and a new one with its before and after drawn."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.series.corrections import Correction, in_force, on_top_of
from rook_tally.core.series.envelope import Envelope
from rook_tally.core.theme import Theme
from rook_tally.core.time_input import typed_time
from rook_tally.desk.data.commands import Correct, WithdrawCorrection
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.corrections_model import (
    CorrectionsAnswer,
    CorrectionsQuery,
    CorrectionWay,
    both_range,
    corrected_preview,
    correction_by_gain,
    correction_by_offset,
    correction_by_points,
    correction_words,
    number_typed,
)
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.day_chart import draw_gaps
from rook_tally.desk.parts.fonts_and_colours import BOLD, colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.trace import trace_image
from rook_tally.desk.parts.widgets import tint
from rook_tally.login import login_name
from rook_tally.store.site import Series

_TYPED = (
    "from",
    "offset",
    "gain",
    "shown first",
    "true first",
    "shown second",
    "true second",
    "why",
)


class BeforeAndAfter(QWidget):
    """The last week as it is shown now, faint, and as it would be, strong."""

    def __init__(self, theme: Theme, accuracy: float) -> None:
        super().__init__()
        self._theme, self._accuracy = theme, accuracy
        self._before: Envelope | None = None
        self._after: Envelope | None = None
        self.setMinimumSize(QSize(420, 150))

    def show_both(self, before: Envelope, after: Envelope) -> None:
        """Draw these."""
        self._before, self._after = before, after
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Draw them."""
        theme = self._theme
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour(theme.sheet))
        if self._before is None or self._after is None:
            return
        value_range = both_range(self._before, self._after, self._accuracy)
        ratio = self.devicePixelRatioF()
        size = (round(self.width() * ratio), round(self.height() * ratio))
        draw_gaps(painter, theme, self._before, QRectF(self.rect()))
        for envelope, name, band in (
            (self._before, theme.faint, False),
            (self._after, theme.traces[0], True),
        ):
            image = trace_image(
                envelope,
                value_range,
                size,
                colour(name),
                ratio=ratio,
                thickness=1.4 * ratio,
                band=band,
            )
            if image is not None:
                painter.drawImage(0, 0, image)


class CorrectionsDialog(StoreDialog):
    """Lists corrections, takes one back, makes a new one."""

    def __init__(
        self, theme: Theme, state: SiteState, client: ClientScope, series: Series, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._state = theme, state
        self._series = series
        self._answer: CorrectionsAnswer | None = None
        self.setWindowTitle(
            tr("Corrections: {0} {1}", series.station.place.name, series.quantity.name)
        )
        unit = series.shown.symbol
        self.way = QComboBox()
        for way in CorrectionWay:
            self.way.addItem(tr(way.value), way)
        self.typed = {name: QLineEdit() for name in _TYPED}
        for name, line in self.typed.items():
            line.setAccessibleName(tr(name))
            line.textChanged.connect(self._preview)
        self.typed["from"].setPlaceholderText(tr("now, yesterday 14:00, 2026-08-12 …"))
        self.typed["why"].setPlaceholderText(tr("such as: beside the reference meter"))
        self.chart = BeforeAndAfter(theme, series.quantity.accuracy)
        self.effect, self.problem = Label(), Label()
        tint(self.effect, theme.dim)
        tint(self.problem, theme.level(Level.HIGH))
        self.problem.setWordWrap(True)
        self.save = QPushButton(tr("Correct"))
        self.list = QGridLayout()
        self.form = QFormLayout()
        self.form.addRow(tr("How"), self.way)
        self.form.addRow(tr("From"), self.typed["from"])
        self.form.addRow(tr("Gain ×"), self.typed["gain"])
        self.form.addRow(tr("Offset, {0}", unit), self.typed["offset"])
        self.form.addRow(tr("Shown, {0}", unit), self.typed["shown first"])
        self.form.addRow(tr("True, {0}", unit), self.typed["true first"])
        self.form.addRow(tr("Shown then, {0}", unit), self.typed["shown second"])
        self.form.addRow(tr("True then, {0}", unit), self.typed["true second"])
        self.form.addRow(tr("Why"), self.typed["why"])
        self._lay_out()
        self.way.currentIndexChanged.connect(self._on_way)
        self.save.clicked.connect(self._on_save)
        self.typed["from"].setText("now" if state.window.is_live else "")
        self._on_way()
        self.ask_about(self.save)
        self.read_again()

    def _lay_out(self) -> None:
        heading = Label(tr("What the sensor said stays as it is; a correction lies on top."))
        heading.setWordWrap(True)
        tint(heading, self._theme.dim)
        foot = QHBoxLayout()
        foot.addWidget(self.problem, 1)
        close = QPushButton(tr("Close"))
        close.clicked.connect(self.reject)
        foot.addWidget(dialog_buttons(self.save, close))
        column = QVBoxLayout(self)
        column.addWidget(heading)
        column.addLayout(self.list)
        column.addSpacing(8)
        column.addLayout(self.form)
        column.addWidget(self.chart, 1)
        column.addWidget(self.effect)
        column.addLayout(foot)

    def read_again(self) -> None:
        """Read the corrections, and what they make of the last week."""
        self._client.read(CorrectionsQuery(self._series, self._state.clock()), self._show)

    def _on_way(self) -> None:
        way = self.way.currentData()
        shown = {
            CorrectionWay.OFFSET: {"offset"},
            CorrectionWay.GAIN_AND_OFFSET: {"gain", "offset"},
            CorrectionWay.TWO_POINTS: {"shown first", "true first", "shown second", "true second"},
        }[way]
        for name, line in self.typed.items():
            self.form.setRowVisible(line, name in shown | {"from", "why"})
        self._preview()

    def correction(self) -> Correction:
        """The correction as typed.

        Raises
        ------
        UsageError
            While something is missing or cannot be read.
        """
        shown, way = self._series.shown, self.way.currentData()
        told = typed_time(
            self.typed["from"].text(), now_us=self._state.clock(), zone=self._state.zone
        )
        from_us = told.start_us

        def number(name: str) -> float:
            return number_typed(self.typed[name].text(), name)

        if way is CorrectionWay.OFFSET:
            new = correction_by_offset(shown, from_us, number("offset"))
        elif way is CorrectionWay.GAIN_AND_OFFSET:
            new = correction_by_gain(shown, from_us, number("gain"), number("offset"))
        else:
            new = correction_by_points(
                shown,
                from_us,
                (number("shown first"), number("true first")),
                (number("shown second"), number("true second")),
            )
        if self._answer is None:
            raise UsageError("the corrections there are are being read", remedy="wait a moment")
        # What a person sees is corrected already; what is kept corrects what the sensor said.
        return on_top_of(new, self._held(from_us))

    def _held(self, at_us: int) -> Correction | None:
        """The correction that holds at a moment as things are."""
        entries = () if self._answer is None else self._answer.entries
        return in_force([one.correction for one in entries], at_us)

    def _preview(self) -> None:
        try:
            new: Correction | None = self.correction()
            self.problem.setText("")
        except UsageError as error:
            new = None
            asked = any(
                line.text() for name, line in self.typed.items() if name not in ("from", "why")
            )
            self.problem.setText(str(error) if asked else "")
        self.save.setEnabled(new is not None)
        if self._answer is None:
            return
        entries = [one.correction for one in self._answer.entries]
        before = corrected_preview(self._answer.raw, entries, None)
        # The picture shows what it does, whenever it is to begin.
        drawn = None if new is None else replace(new, from_us=self._answer.raw.start_us)
        after = corrected_preview(self._answer.raw, [] if drawn else entries, drawn)
        self.chart.show_both(before, after)
        self.effect.setText(self._effect_words(new))

    def _effect_words(self, new: Correction | None) -> str:
        assert self._answer is not None
        shown = self._series.shown
        if new is None or self._answer.raw.is_empty:
            return tr("The last week as it is shown.")
        held = self._held(new.from_us) or Correction(new.from_us, 1.0, 0.0)
        if self.way.currentData() is CorrectionWay.TWO_POINTS:
            seen = [
                float(shown.unit.to_base(number_typed(self.typed[name].text(), name)))
                for name in ("shown first", "shown second")
            ]
            raw = [(one - held.offset) / held.gain for one in seen]
            what = tr("Points")
        else:
            raw = [self._answer.mean]
            what = tr("The mean")
        told = [
            " and ".join(shown.figure(one.gain * value + one.offset, more=1) for value in raw)
            for one in (Correction(0, 1.0, 0.0), held, new)
        ]
        return tr(
            "The last week: faint as it is shown now, strong as it would be. {0}: {1} as sent, "
            "{2} as shown now, {3} {4} corrected.",
            what,
            *told,
            shown.symbol,
        )

    def _on_save(self) -> None:
        try:
            correction = self.correction()
        except UsageError as error:
            self.problem.setText(str(error))
            return
        why = self.typed["why"].text().strip() or tr("not said")
        now_us = self._state.clock()
        self._client.write(
            Correct(
                self._series, correction, login_name(), why, now_us, self._held(correction.from_us)
            ),
            self._on_saved,
            self._on_refused,
        )

    def _on_refused(self, why: str) -> None:
        def show(answer: CorrectionsAnswer) -> None:
            # What was typed stays, and is shown on top of what holds by now.
            self._show(answer)
            self.problem.setText(why)

        self._client.read(CorrectionsQuery(self._series, self._state.clock()), show)

    def _on_saved(self, _done: UndoableResult) -> None:
        # What is done is typed no longer: pressed again it would lie on top of itself.
        for name, line in self.typed.items():
            if name != "from":
                line.clear()
        self.ask_about(self.save)
        self.read_again()

    def _show(self, answer: CorrectionsAnswer) -> None:
        self._answer = answer
        self._fill_list()
        self._preview()

    def _fill_list(self) -> None:
        assert self._answer is not None
        while self.list.count():
            item = self.list.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for row, entry in enumerate(self._answer.entries):
            words = correction_words(entry.correction, self._series.shown, self._state.zone)
            what, why = Label(words), Label(f"{entry.who}: {entry.why}")
            what.setFont(face(13, BOLD))
            tint(why, self._theme.dim)
            withdraw = QPushButton(tr("Withdraw"))
            withdraw.setObjectName("small")
            withdraw.setAccessibleName(tr("Withdraw {0}", words))
            withdraw.clicked.connect(partial(self._withdraw, entry.id))
            self.list.addWidget(what, row, 0)
            self.list.addWidget(why, row, 1)
            self.list.addWidget(withdraw, row, 2, Qt.AlignmentFlag.AlignRight)
        if not self._answer.entries:
            none = Label(tr("No correction yet."))
            tint(none, self._theme.dim)
            self.list.addWidget(none, 0, 0)

    def _withdraw(self, entry_id: int) -> None:
        self._client.write(
            WithdrawCorrection(self._series, entry_id),
            lambda _done: self.read_again(),
            self.problem.setText,
        )
