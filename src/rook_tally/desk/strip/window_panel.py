"""The Strip's side panel: the window itself, every series over it, and how to add a lane."""

from __future__ import annotations

from PySide6.QtCore import QStringListModel, Qt, Signal
from PySide6.QtWidgets import (
    QCompleter,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.moment_words import clock_words, moment_words
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import DAY_US, SECOND_US, datetime_from_time_us
from rook_tally.desk.data.time_window import PRESETS
from rook_tally.desk.parts.fonts_and_colours import MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import SidePaper, tint
from rook_tally.desk.strip.model import LaneOffer, StripModel
from rook_tally.desk.strip.spans_page import SpansPage
from rook_tally.desk.strip.statistics_table import FiguresTable
from rook_tally.desk.strip.texts import tr


class WindowPanel(SidePaper):
    """Shows what a `StripModel` knows of its window. `lanes_chosen` asks for lanes
    (a `LaneOffer`)."""

    lanes_chosen = Signal(LaneOffer)
    page_turned = Signal()

    def __init__(self, theme: Theme, model: StripModel) -> None:
        super().__init__(theme)
        self._model = model
        self._title, self._span = _label(face(16, MEDIUM), theme.ink), _label(face(12), theme.dim)
        self.table = FiguresTable(theme, model)
        self.figures, self.spans = QWidget(), SpansPage(theme, model.remarks)
        self.pages = QStackedWidget()
        self._page_names = [QPushButton(tr("Figures")), QPushButton(tr("Spans compared"))]
        self.name_span, self.drop_pin = (
            QPushButton(tr("Name a span")),
            QPushButton(tr("Drop a pin")),
        )
        self.mark = _label(face(12), theme.sheen)
        self.adder = QLineEdit()
        self.adder.setPlaceholderText(tr("Add a lane: type a few letters"))
        self.adder.setToolTip("A")
        self.adder.setAccessibleName(tr("Add a lane"))
        self._completer = QCompleter(QStringListModel(self), self)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self.adder.setCompleter(self._completer)
        self._offers: dict[str, LaneOffer] = {}
        self.adder.textEdited.connect(self._offer)
        self.adder.returnPressed.connect(self._choose_first)
        self._completer.activated.connect(self._choose_named)
        self._lay_out()

    def _lay_out(self) -> None:
        names = QHBoxLayout()
        names.setSpacing(12)
        for at, button in enumerate(self._page_names):
            button.setObjectName("page")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setToolTip("F")
            button.clicked.connect(lambda _=False, page=at: self.show_page(page))
            names.addWidget(button)
        names.addStretch(1)
        figures = QVBoxLayout(self.figures)
        figures.setContentsMargins(0, 0, 0, 0)
        figures.addWidget(self.table)
        figures.addStretch(1)
        self.pages.addWidget(self.figures)
        self.pages.addWidget(self.spans)
        buttons = QHBoxLayout()
        buttons.setSpacing(10)
        self.name_span.setObjectName("main")
        self.name_span.setToolTip("N")
        self.drop_pin.setToolTip("P")
        buttons.addWidget(self.name_span, 1)
        buttons.addWidget(self.drop_pin, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 16, 16)
        column.setSpacing(4)
        column.addWidget(self._title)
        column.addWidget(self._span)
        column.addWidget(self.mark)
        column.addSpacing(6)
        column.addLayout(names)
        column.addSpacing(4)
        column.addWidget(self.pages, 1)
        column.addWidget(self.adder)
        column.addSpacing(6)
        column.addLayout(buttons)
        self.show_page(0)

    @property
    def compares_spans(self) -> bool:
        """True if the page of spans is shown."""
        return self.pages.currentWidget() is self.spans

    def show_page(self, page: int | None = None) -> None:
        """Show the figures (0) or the spans (1); None turns to the other."""
        if page is None:
            page = 1 - self.pages.currentIndex()
        self.pages.setCurrentIndex(page)
        self.page_turned.emit()
        self._page_names[page].setChecked(True)

    def refresh(self) -> None:
        """Write the window and its figures anew."""
        window = self._model.window
        zone = self._model.state.zone
        start = datetime_from_time_us(window.start_us).astimezone(zone)
        end = datetime_from_time_us(window.end_us).astimezone(zone)
        self._title.setText(_span_text(window.span_us, is_live=window.is_live))
        same_day = start.date() == end.date()
        self._span.setText(
            f"{moment_words(start, weekday=True)} – "
            + (clock_words(end) if same_day else moment_words(end, weekday=True))
        )
        self.mark.setText(self._mark_words())
        self.mark.setVisible(bool(self.mark.text()))
        if self.compares_spans:
            self.spans.refresh()
        self.table.refresh()

    def _mark_words(self) -> str:
        """The marked stretch, and what lies behind the lanes."""
        told = [self._model.overlay_words()]
        if self._model.stretch is not None:
            start_us, end_us = self._model.stretch
            zone = self._model.state.zone
            start, end = (datetime_from_time_us(one).astimezone(zone) for one in (start_us, end_us))
            length = duration((end_us - start_us) / SECOND_US)
            first, last = (clock_words(one, seconds=True) for one in (start, end))
            told.append(tr("marked: {0} – {1}, {2}", first, last, length))
        return "\n".join(part for part in told if part)

    def _offer(self, letters: str) -> None:
        self._offers = self._model.offers(letters)
        names = self._completer.model()
        assert isinstance(names, QStringListModel)
        names.setStringList(list(self._offers))
        self._completer.complete()

    def _choose_first(self) -> None:
        if self._offers:
            self._choose_named(next(iter(self._offers)))

    def _choose_named(self, name: str) -> None:
        chosen = self._offers.get(name)
        self._offers = {}
        self.adder.clear()
        if chosen is not None:
            self.lanes_chosen.emit(chosen)


def _label(font: object, name: str, text: str = "") -> QLabel:
    label = Label(text)
    label.setFont(font)  # type: ignore[arg-type]
    tint(label, name)
    return label


def _span_text(span_us: int, *, is_live: bool) -> str:
    named = next((text for text, known in PRESETS if known == span_us), None)
    if named is None:
        days = span_us / DAY_US
        named = tr("{0:.0f} days", days) if days >= 2 else duration(span_us / SECOND_US)
    return tr("The last {0}", named) if is_live else named


_RIGHT = Qt.AlignmentFlag.AlignRight
