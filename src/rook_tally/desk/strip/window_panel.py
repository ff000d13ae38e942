"""The Strip's side panel: the window itself, every series over it, and how to add a lane."""

from __future__ import annotations

from PySide6.QtCore import QStringListModel, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QCompleter,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.levels import Level
from rook_tally.core.numerals import duration
from rook_tally.core.timestamps import DAY_US, SECOND_US, datetime_from_time_us
from rook_tally.desk.parts.ink import BOLD, MEDIUM, colour, face
from rook_tally.desk.parts.panel import SidePaper, tint
from rook_tally.desk.shell.theme import Theme
from rook_tally.desk.shell.time_window import PRESETS
from rook_tally.desk.strip.model import StripModel, WindowFigures, series_name
from rook_tally.store import Series


class _Swatch(QWidget):
    """The colour a series is drawn in."""

    def __init__(self, shade: str) -> None:
        super().__init__()
        self._shade = shade
        self.setFixedSize(3, 30)

    def paintEvent(self, _event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), colour(self._shade))


class WindowPanel(SidePaper):
    """Shows what a `StripModel` knows of its window. `series_chosen` asks for a lane."""

    series_chosen = Signal(object)

    def __init__(self, theme: Theme, model: StripModel) -> None:
        super().__init__(theme)
        self._model = model
        self._shown: list[WindowFigures] = []
        self._title, self._span = _label(face(16, MEDIUM), theme.ink), _label(face(12), theme.dim)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(8)
        self._table.setVerticalSpacing(5)
        self._table.setColumnStretch(1, 1)
        self._presets = {text: QPushButton(text) for text, _ in PRESETS}
        self._live = QPushButton("Live")
        self._live.setCheckable(True)
        self._live.setToolTip("Space")
        self.adder = QLineEdit()
        self.adder.setPlaceholderText("Add a lane: type a few letters")
        self.adder.setToolTip("A")
        self.adder.setAccessibleName("Add a lane")
        self._completer = QCompleter(QStringListModel(self), self)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self.adder.setCompleter(self._completer)
        self._matches: list[Series] = []
        self.adder.textEdited.connect(self._offer)
        self.adder.returnPressed.connect(self._choose_first)
        self._completer.activated.connect(self._choose_named)
        self._lay_out()

    def _lay_out(self) -> None:
        presets = QHBoxLayout()
        presets.setSpacing(4)
        for text, span_us in PRESETS:
            button = self._presets[text]
            button.setObjectName("preset")
            button.clicked.connect(lambda _=False, span=span_us: self._model.show_last(span))
            presets.addWidget(button)
        self._live.clicked.connect(lambda: self._model.show_last(self._model.window.span_us))
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 16, 16)
        column.setSpacing(4)
        column.addWidget(self._title)
        column.addWidget(self._span)
        column.addSpacing(8)
        column.addLayout(presets)
        column.addSpacing(10)
        column.addLayout(self._table)
        column.addSpacing(12)
        column.addWidget(self.adder)
        column.addSpacing(8)
        column.addWidget(self._live)
        column.addStretch(1)

    def refresh(self) -> None:
        """Write the window and its figures anew."""
        window = self._model.window
        zone = self._model.state.zone
        start = datetime_from_time_us(window.start_us).astimezone(zone)
        end = datetime_from_time_us(window.end_us).astimezone(zone)
        self._title.setText(_span_text(window.span_us, is_live=window.is_live))
        same_day = start.date() == end.date()
        self._span.setText(
            f"{start:%a %d %b %H:%M} – {end:%H:%M}" if same_day
            else f"{start:%a %d %b %H:%M} – {end:%a %d %b %H:%M}"
        )  # fmt: skip
        self._live.setChecked(window.is_live)
        figures = self._model.figures()
        if figures != self._shown:
            self._shown = figures
            self._fill_table(figures)

    def _fill_table(self, figures: list[WindowFigures]) -> None:
        while self._table.count():
            item = self._table.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        theme = self._theme
        for at, text in enumerate(("lowest", "mean", "highest")):
            self._table.addWidget(_label(face(11), theme.dim, text), 0, at + 2, _RIGHT)
        within = {one.id: at for lane in self._model.lanes for at, one in enumerate(lane.series)}
        for row, told in enumerate(figures, start=1):
            shade = theme.traces[within.get(told.series.id, 0) % len(theme.traces)]
            self._table.addWidget(_Swatch(shade), row, 0)
            name = _label(
                face(12), theme.ink, f"{told.series.quantity.heading}\n"
                f"{told.series.station.place.name}",
            )  # fmt: skip
            name.setToolTip(f"{told.name}, {told.heard} heard")
            self._table.addWidget(name, row, 1)
            level = self._model.level_at_peak(told.series)
            accent = theme.level(level) if level >= Level.RAISED else theme.ink
            for at, (text, name_of) in enumerate(
                ((told.lowest, theme.dim), (told.mean, theme.ink), (told.highest, accent))
            ):
                font = face(12, BOLD if at else face(12).weight())
                self._table.addWidget(_label(font, name_of, text), row, at + 2, _RIGHT)
        heard = {told.series.station.key: told.heard for told in figures}
        for row, (key, share) in enumerate(heard.items(), start=len(figures) + 1):
            self._table.addWidget(_label(face(11), theme.dim, f"{key} heard"), row, 0, 1, 3)
            self._table.addWidget(_label(face(11), theme.dim, share), row, 3, 1, 2, _RIGHT)

    def _offer(self, letters: str) -> None:
        self._matches = self._model.matching(letters) if letters.strip() else []
        names = self._completer.model()
        assert isinstance(names, QStringListModel)
        names.setStringList([series_name(one) for one in self._matches[:12]])
        self._completer.complete()

    def _choose_first(self) -> None:
        if self._matches:
            self._choose(self._matches[0])

    def _choose_named(self, name: str) -> None:
        for one in self._matches:
            if series_name(one) == name:
                self._choose(one)
                return

    def _choose(self, one: Series) -> None:
        self._matches = []
        self.series_chosen.emit(one)
        self.adder.clear()


def _label(font: object, name: str, text: str = "") -> QLabel:
    label = QLabel(text)
    label.setFont(font)  # type: ignore[arg-type]
    tint(label, name)
    return label


def _span_text(span_us: int, *, is_live: bool) -> str:
    named = next((text for text, known in PRESETS if known == span_us), None)
    if named is None:
        days = span_us / DAY_US
        named = f"{days:.0f} days" if days >= 2 else duration(span_us / SECOND_US)
    return f"The last {named}" if is_live else named


_RIGHT = Qt.AlignmentFlag.AlignRight
