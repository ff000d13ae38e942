"""The picked pane's page: what it shows and what of it a person says otherwise."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.edits import length_text, typed_seconds
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.theme import Theme
from rook_tally.core.wall.definitions import LevelLimits, Pane, PaneKind
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import SidePaper, list_style, tint
from rook_tally.desk.wall.arranging import SheetEditor
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.texts import tr
from rook_tally.wall.suggestions import pane_title

_SPANS = ("1 h", "6 h", "1 d", "7 d", "30 d", "365 d")
_REST_MS = 500
_WITHOUT_LIMITS = (PaneKind.WORDS, PaneKind.STANDING, PaneKind.LAMPS, PaneKind.PLAN)
_NAMES = ("noticed", "raised", "high", "severe")


class PanePanel(SidePaper):
    """Alters the picked pane; every change is kept at once and can be undone."""

    series_wanted = Signal()

    def __init__(self, theme: Theme, model: WallModel, arranging: SheetEditor) -> None:
        super().__init__(theme)
        self._theme, self._model, self._arranging = theme, model, arranging
        self._is_filling = False
        # The sheet and pane whose values are filled in, and whether that is another since.
        self._target = ("", 0)
        self._is_other = False
        # A step a word, not a letter.
        self._rest = QTimer(self, singleShot=True, interval=_REST_MS)
        self.put_in = QPushButton(tr("Insert a value"))
        self.title, self.trouble = QLineEdit(), Label()
        self.kind, self.unit, self.span = QComboBox(), QComboBox(), QComboBox()
        self.series, self.words = QListWidget(), QPlainTextEdit()
        self.more, self.fewer = QPushButton(tr("Add a series")), QPushButton(tr("Remove"))
        self.low, self.high = QLineEdit(), QLineEdit()
        self.guideline = QComboBox()
        self.limits = {side: {name: QLineEdit() for name in _NAMES} for side in ("above", "below")}
        self.trial = QLineEdit()
        self.levels = [QPushButton(str(int(level))) for level in Level]
        self.end = QPushButton(tr("End the trial"))
        self._parts: dict[str, QWidget] = {}
        self._titles: dict[str, Label] = {}
        self._lay_out()
        self._connect()
        model.laid_out.append(self.refresh)

    def _lay_out(self) -> None:
        column = QVBoxLayout()
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(6)
        head = Label(tr("The picked pane"))
        head.setFont(face(15, BOLD))
        column.addWidget(head)
        for kind in PaneKind:
            self.kind.addItem(pane_title(kind), kind)
        self.span.setEditable(True)
        self.span.addItems(_SPANS)
        self.series.setStyleSheet(list_style(self._theme))
        self.series.setFixedHeight(110)
        self.words.setFixedHeight(88)
        self.words.setPlaceholderText(tr("Firing today, kiln at {temperature@kiln-room}"))
        self.words.setTabChangesFocus(True)
        words = QWidget()
        written = QVBoxLayout(words)
        written.setContentsMargins(0, 0, 0, 0)
        written.addWidget(self.words)
        written.addWidget(self.put_in)
        for button in (self.put_in, self.more, self.fewer, *self.levels, self.end):
            button.setObjectName("preset")
        under = QHBoxLayout()
        under.addWidget(self.more, 1)
        under.addWidget(self.fewer)
        shows = QWidget()
        inside = QVBoxLayout(shows)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.series)
        inside.addLayout(under)
        for name, title, widget in (
            ("kind", tr("Kind"), self.kind),
            ("series", tr("Shows"), shows),
            ("words", tr("Words"), words),
            ("title", tr("Title"), self.title),
            ("unit", tr("Unit"), self.unit),
            ("span", tr("Over the last"), self.span),
            ("guideline", tr("Held against"), self.guideline),
            ("range", tr("Range"), self._pair()),
            ("limits", tr("Own limits"), self._grid()),
            ("trial", tr("Try a value, or a level"), self._trial_row()),
        ):
            column.addWidget(self._row(name, title, widget))
        self.trouble.setWordWrap(True)
        tint(self.trouble, self._theme.level(Level.HIGH))
        column.addWidget(self.trouble)
        column.addStretch(1)
        inner = QWidget()
        inner.setObjectName("paper")
        inner.setStyleSheet(f"QWidget#paper {{ background: {self._theme.paper}; }}")
        inner.setLayout(column)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        # Each asks for more than half of the panel by itself.
        for several in (inner.findChildren(QLineEdit), inner.findChildren(QComboBox)):
            for one in several:
                one.setMinimumWidth(30)
        for button in inner.findChildren(QPushButton):
            button.setMinimumWidth(24)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(1, 0, 0, 0)
        outer.addWidget(scroll)

    def _row(self, name: str, title: str, widget: QWidget) -> QWidget:
        row = QWidget()
        inside = QVBoxLayout(row)
        inside.setContentsMargins(0, 4, 0, 0)
        inside.setSpacing(2)
        label = Label(title)
        label.setFont(face(11))
        tint(label, self._theme.dim)
        label.setBuddy(widget)
        widget.setAccessibleName(title)
        inside.addWidget(label)
        inside.addWidget(widget)
        self._parts[name], self._titles[name] = row, label
        return row

    def _pair(self) -> QWidget:
        pair = QWidget()
        inside = QHBoxLayout(pair)
        inside.setContentsMargins(0, 0, 0, 0)
        for edit, name in ((self.low, tr("from")), (self.high, tr("to"))):
            edit.setPlaceholderText(name)
            edit.setAccessibleName(tr("range {0}", name))
            inside.addWidget(edit)
        return pair

    def _grid(self) -> QWidget:
        grid = QWidget()
        inside = QGridLayout(grid)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        sides = ("above", tr("from")), ("below", tr("down to"))
        for column, (side, word) in enumerate(sides):
            for row, name in enumerate(_NAMES):
                edit = self.limits[side][name]
                edit.setPlaceholderText(f"{tr(name)} {word}")
                edit.setAccessibleName(f"{tr(name)} {word}")
                inside.addWidget(edit, row, column)
        return grid

    def _trial_row(self) -> QWidget:
        row = QWidget()
        inside = QVBoxLayout(row)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.trial)
        buttons = QHBoxLayout()
        buttons.setSpacing(3)
        for level, button in zip(Level, self.levels, strict=True):
            button.setToolTip(tr(level.wording))
            button.setAccessibleName(tr("try {0}", tr(level.wording)))
            buttons.addWidget(button)
        inside.addLayout(buttons)
        inside.addWidget(self.end)
        return row

    def _connect(self) -> None:
        alter = self._arranging.alter_pane
        self.kind.activated.connect(lambda at: alter(kind=self.kind.itemData(at)))
        self.title.editingFinished.connect(self._guard(lambda: alter(title=self.title.text())))
        self.unit.activated.connect(lambda at: self._arranging.show_pane_in(self.unit.itemData(at)))
        self.span.textActivated.connect(self._set_span)
        self.guideline.activated.connect(lambda at: alter(guideline=self.guideline.itemData(at)))
        span = self.span.lineEdit()
        if span is not None:
            span.editingFinished.connect(
                self._guard(lambda: self._set_span(self.span.currentText()))
            )
        for edit, name in ((self.low, "low"), (self.high, "high")):
            edit.editingFinished.connect(self._guard(partial(self._set_number, name, edit)))
        for side, edits in self.limits.items():
            for edit in edits.values():
                edit.editingFinished.connect(self._guard(partial(self._set_limits, side)))
        self.more.clicked.connect(self.series_wanted)
        self.fewer.clicked.connect(self._take_out)
        self.trial.returnPressed.connect(
            lambda: self.tell(self._model.try_value(self.trial.text()))
        )
        for level, button in zip(Level, self.levels, strict=True):
            button.clicked.connect(partial(self._try_level, level))
        self.end.clicked.connect(self._model.end_trial)
        self.words.textChanged.connect(lambda: None if self._is_filling else self._rest.start())
        self._rest.timeout.connect(self._keep_words)
        self.put_in.clicked.connect(self.series_wanted)

    def _guard(self, call: Callable[[], None]) -> Callable[[], None]:
        """Only what a hand does counts, not what is filled in."""
        return lambda: None if self._is_filling else call()

    def tell(self, trouble: str) -> None:
        """Say what cannot be, in its place."""
        self.trouble.setText(trouble)

    def _try_level(self, level: Level) -> None:
        self.tell(self._model.try_level(level))

    def _set_span(self, text: str) -> None:
        try:
            span_s = typed_seconds(text)
        except UsageError as error:
            self.tell(str(error))
            return
        if not 60 <= span_s <= 40 * 365 * 86_400:
            self.tell(tr("A ribbon reaches back from a minute to forty years."))
            return
        self.tell("")
        self._arranging.alter_pane(span_s=span_s)

    def _set_number(self, name: str, edit: QLineEdit) -> None:
        try:
            value = self._number(edit)
        except UsageError as error:
            self.tell(str(error))
            return
        pane = self._model.pane
        if pane is not None:
            low = value if name == "low" else pane.low
            high = value if name == "high" else pane.high
            if low is not None and high is not None and low >= high:
                self.tell(tr("A range begins below its end."))
                return
        self.tell("")
        self._arranging.alter_pane(**{name: value})

    def _set_limits(self, side: str) -> None:
        try:
            told = {name: self._number(edit) for name, edit in self.limits[side].items()}
        except UsageError as error:
            self.tell(str(error))
            return
        given = [x for x in told.values() if x is not None]
        if given != sorted(given, reverse=side == "below"):
            self.tell(
                tr("Limits upwards rise from level to level.")
                if side == "above"
                else tr("Limits downwards fall from level to level.")
            )
            return
        self.tell("")
        self._arranging.alter_pane(**{side: LevelLimits(**told) if given else None})

    def _text(self, value: float | None) -> str:
        """A number of the pane in the unit that is typed."""
        if value is None:
            return ""
        kept, typed = self._model.kept_unit, self._model.typed_unit
        if kept is None or typed is None or kept == typed:
            return number_text(value)
        return number_text(round(float(typed.from_base(kept.to_base(value))), 9))

    def _number(self, edit: QLineEdit) -> float | None:
        """What is typed in a line, in the unit in which the pane's numbers are kept."""
        if not edit.text().strip():
            return None
        number = typed_number(edit.text())
        kept, typed = self._model.kept_unit, self._model.typed_unit
        if kept is None or typed is None or kept == typed:
            return number
        return round(float(kept.from_base(typed.to_base(number))), 9)

    def _take_out(self) -> None:
        pane, at = self._model.pane, self.series.currentRow()
        if pane is not None and 0 <= at < len(pane.shows):
            self._arranging.alter_pane(shows=(*pane.shows[:at], *pane.shows[at + 1 :]))

    def put_value(self, reference: str) -> None:
        """Let a value stand where the words are being written."""
        self.words.insertPlainText(f"{{{reference}}}")

    def _keep_words(self) -> None:
        """Have the words saved that rested, with the pane they were typed for."""
        self._arranging.write_words(*self._target, self.words.toPlainText())

    def refresh(self) -> None:
        """Fill in what the picked pane has; what is typed belongs to the one it was typed for."""
        pane = self._model.pane
        sheet = "" if self._model.sheet is None else self._model.sheet.slug
        if self._target != (sheet, self._model.picked):
            if self._rest.isActive():
                self._rest.stop()
                self._keep_words()
            self._target = (sheet, self._model.picked)
            for edit in self.findChildren(QLineEdit):
                edit.setModified(False)
            self._is_other = True
        self._is_filling = True
        for part in self._parts.values():
            part.setVisible(pane is not None)
        if pane is not None:
            self._fill(pane)
        if self._model.trouble:
            self.tell(self._model.trouble)
        self._is_filling = self._is_other = False

    def _fill(self, pane: Pane) -> None:
        has_series = pane.kind not in (PaneKind.WORDS, PaneKind.PLAN)
        shown = {
            "series": has_series,
            "words": pane.kind in (PaneKind.WORDS, PaneKind.PLAN),
            "unit": bool(self._model.picked_series),
            "span": pane.kind is PaneKind.RIBBON,
            "guideline": pane.kind is PaneKind.COLUMNS and bool(self._guidelines()),
            "range": pane.kind in (PaneKind.DIAL, PaneKind.RIBBON, PaneKind.COLUMNS),
            "limits": pane.kind not in _WITHOUT_LIMITS,
            "trial": bool(self._model.picked_series),
        }
        for name, is_shown in shown.items():
            self._parts[name].setVisible(is_shown)
        self.kind.setCurrentIndex(list(PaneKind).index(pane.kind))
        faces = self._model.faces
        usual = faces[self._model.picked].title if self._model.picked < len(faces) else ""
        self._put(self.title, pane.title)
        self.title.setPlaceholderText(usual)
        row = self.series.currentRow()
        self.series.clear()
        self.series.addItems(pane.shows)
        self.series.setCurrentRow(min(max(row, 0), len(pane.shows) - 1))
        if self.words.toPlainText() != pane.text and not self._rest.isActive():
            self.words.setPlainText(pane.text)
        self._fill_units(pane)
        self._fill_guidelines(pane)
        span = self.span.lineEdit()
        if span is not None:
            self._put(span, length_text(pane.span_s))
        unit = self._model.typed_unit
        for name, title in (("range", tr("Range")), ("limits", tr("Own limits"))):
            self._titles[name].setText(f"{title}, {unit.symbol}" if unit and unit.symbol else title)
        self._put(self.low, self._text(pane.low))
        self._put(self.high, self._text(pane.high))
        for side, several in (("above", pane.above), ("below", pane.below)):
            four = (None,) * 4 if several is None else several.four
            for edit, value in zip(self.limits[side].values(), four, strict=True):
                self._put(edit, self._text(value))
        self.end.setVisible(bool(self._model.state.trial))

    def _put(self, edit: QLineEdit, text: str) -> None:
        """Fill a line in, unless somebody writes in it about this very pane."""
        if (self._is_other or not edit.hasFocus()) and edit.text() != text:
            edit.setText(text)

    def _guidelines(self) -> list[Guideline]:
        """Return the guidelines of the quantity that the picked pane shows."""
        series = self._model.picked_series
        return [
            one
            for one in self._model.guidelines
            if series and one.quantity == series[0].quantity.slug
        ]

    def _fill_guidelines(self, pane: Pane) -> None:
        self.guideline.clear()
        self.guideline.addItem(tr("no guideline"), "")
        for one in self._guidelines():
            self.guideline.addItem(one.title, one.slug)
        self.guideline.setCurrentIndex(max(0, self.guideline.findData(pane.guideline)))

    def _fill_units(self, pane: Pane) -> None:
        self.unit.clear()
        series = self._model.picked_series
        self.unit.addItem(tr("as everywhere"), "")
        for one in series[0].quantity.units if series else ():
            self.unit.addItem(one.symbol, one.symbol)
        self.unit.setCurrentIndex(max(0, self.unit.findData(pane.unit)))
