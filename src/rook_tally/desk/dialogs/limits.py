"""The form of limits: where levels begin for a series, at its place, or on the whole site."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QFormLayout,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.limit_rules import LEVELS, with_hours
from rook_tally.core.theme import Theme
from rook_tally.desk.data.limit_commands import SaveLimits
from rook_tally.desk.data.limits_model import (
    ALL_DAY,
    LimitsAnswer,
    LimitsQuery,
    ScopeChoice,
    days_past_words,
    in_force_words,
    limits_then,
    limits_with,
    side_texts,
    typed_hours,
    typed_limits,
    usual_choice,
)
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import dialog_buttons, grow
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site import Series

_SIDES = ("above", "below")


class LimitsDialog(StoreDialog):
    """Shows what is in force and where it was set, and sets it for as much as the person says."""

    def __init__(
        self, theme: Theme, client: ClientScope, series: Series, now_us: int, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._series, self._now_us = theme, series, now_us
        self._answer: LimitsAnswer | None = None
        self.setWindowTitle(tr("Limits of {0}", f"{series.quantity.name}, {series.station.key}"))
        self.setMinimumWidth(520)
        self.in_force, self.days, self.source, self.problem = Label(), Label(), Label(), Label()
        for label, role in (
            (self.in_force, theme.dim),
            (self.days, theme.ink),
            (self.source, theme.dim),
            (self.problem, theme.level(Level.HIGH)),
        ):
            label.setWordWrap(True)
            label.setFont(face(12))
            tint(label, role)
        self.scope, self.preset = QComboBox(), QComboBox()
        self.scope.setAccessibleName(tr("what they are set for"))
        self.preset.setAccessibleName(tr("published limits"))
        self.preset.addItem(tr("own numbers"), None)
        self.hours = QComboBox()
        self.hours.setEditable(True)
        self.hours.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.hours.setAccessibleName(tr("hours at which they hold"))
        self.fields = {side: [QLineEdit() for _ in LEVELS] for side in _SIDES}
        self.save, self.clear = QPushButton(tr("Save")), QPushButton(tr("Take back"))
        self.cancel = QPushButton(tr("Cancel"))
        self._lay_out()
        self.setEnabled(False)
        self.scope.activated.connect(self._on_scope)
        self.preset.activated.connect(self._on_preset)
        self.hours.activated.connect(self._on_hours)
        line = self.hours.lineEdit()
        if line is not None:
            line.setPlaceholderText(tr("such as 22:00–06:00"))
            line.textEdited.connect(self._on_hours_typed)
        self.save.clicked.connect(self._on_save)
        self.clear.clicked.connect(self._on_clear)
        self.cancel.clicked.connect(self.discard)
        self.read_again()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(5)
        unit = self._series.shown.symbol
        heads = (tr("from above, {0}", unit), tr("from below, {0}", unit))
        for column, (side, head) in enumerate(zip(_SIDES, heads, strict=True), 1):
            label = Label(head)
            label.setFont(face(12, BOLD))
            grid.addWidget(label, 0, column)
            for row, (level, field) in enumerate(zip(LEVELS, self.fields[side], strict=True), 1):
                field.setAccessibleName(f"{tr(level.wording)} {head}")
                field.setAlignment(Qt.AlignmentFlag.AlignRight)
                field.setPlaceholderText("–")
                field.textEdited.connect(self._on_typed)
                grid.addWidget(field, row, column)
        for row, level in enumerate(LEVELS, 1):
            label = Label(tr(level.wording))
            label.setFont(face(13, BOLD))
            tint(label, self._theme.level(level))
            grid.addWidget(label, row, 0)
        form = QFormLayout()
        form.addRow(tr("Set for"), self.scope)
        form.addRow(tr("Hours"), self.hours)
        form.addRow(tr("Published"), self.preset)
        form.addRow("", self.source)
        buttons = dialog_buttons(self.save, self.cancel)
        buttons.addButton(self.clear, QDialogButtonBox.ButtonRole.ResetRole)
        column_of_all = QVBoxLayout(self)
        column_of_all.setContentsMargins(24, 16, 24, 16)
        column_of_all.setSpacing(10)
        column_of_all.addWidget(self.in_force)
        column_of_all.addLayout(form)
        column_of_all.addLayout(grid)
        column_of_all.addWidget(self.days)
        column_of_all.addWidget(self.problem)
        column_of_all.addStretch(1)
        column_of_all.addWidget(buttons)
        self.problem.hide()
        self.source.hide()

    def read_again(self) -> None:
        """Read what is set by now."""
        query = LimitsQuery(self._series, self._now_us)
        self._client.read(query, self._show, self._say)

    @property
    def choice(self) -> ScopeChoice | None:
        """The scope that the limits are set for."""
        found = self.scope.currentData()
        return found if isinstance(found, ScopeChoice) else None

    def _show(self, answer: LimitsAnswer) -> None:
        is_first, was_touched = self._answer is None, self.is_touched
        picked = None if self.choice is None else self.choice.scope
        self._answer, self._series = answer, answer.series
        self.in_force.setText(in_force_words(answer.series))
        self.scope.clear()
        for one in answer.choices:
            words = tr("{0} · set", one.words) if one.limits is not None else one.words
            self.scope.addItem(words, one)
        scopes = [one.scope for one in answer.choices]
        self.scope.setCurrentIndex(
            scopes.index(picked) if picked in scopes else answer.choices.index(usual_choice(answer))
        )
        if is_first:
            for preset in answer.presets:
                self.preset.addItem(tr(preset.title), preset)
        self.setEnabled(True)
        self._offer_hours()
        if is_first or not was_touched:
            self._fill()
            self.ask_about(self.save)
        if is_first:
            self.fields["above"][1].setFocus()

    def _fill(self, limits: Limits | None = None) -> None:
        """Put limits into the fields: these, else what is set there for those hours, else what is
        in force."""
        answer, choice = self._answer, self.choice
        if answer is None or choice is None:
            return
        shown = limits or limits_then(choice.limits or answer.series.limits, self._hours())
        for side, values in zip(_SIDES, (shown.above, shown.below), strict=True):
            for field, text in zip(
                self.fields[side], side_texts(values, answer.series), strict=True
            ):
                field.setText(text)
        self._check()

    def _on_scope(self, _at: int) -> None:
        choice = self.choice
        self._offer_hours()
        if choice is not None and choice.limits is not None:
            self._fill()
        elif choice is not None:
            self._check()

    def _offer_hours(self) -> None:
        """The hours for which something is set there, beside the whole day."""
        said, choice = self.hours.currentText(), self.choice
        several = () if choice is None or choice.limits is None else choice.limits.by_hours
        self.hours.clear()
        self.hours.addItem(tr(ALL_DAY))
        for one in several:
            self.hours.addItem(hours_words(one.hours))
        if said:
            self.hours.setEditText(said)

    def _hours(self) -> HoursOfDay | None:
        """The hours that are said; None for the whole day, and as long as they are none."""
        try:
            return typed_hours(self.hours.currentText())
        except UsageError:
            return None

    def _on_hours(self, _at: int) -> None:
        self._fill()

    def _on_hours_typed(self, _text: str) -> None:
        self._check()

    @property
    def _is_set(self) -> bool:
        """True if what the fields are about is set there and may be taken back."""
        choice = self.choice
        if choice is None or choice.limits is None:
            return False
        hours = self._hours()
        return hours is None or any(one.hours == hours for one in choice.limits.by_hours)

    def _on_preset(self, _at: int) -> None:
        preset = self.preset.currentData()
        self.source.setText("" if preset is None else preset.source)
        self.source.setVisible(preset is not None)
        if preset is not None:
            self._fill(preset.limits)

    def _on_typed(self, _text: str) -> None:
        self.preset.setCurrentIndex(0)
        self.source.hide()
        self._check()

    def _limits(self) -> Limits:
        """All that holds for the scope once this is saved."""
        above, below = ([one.text() for one in self.fields[side]] for side in _SIDES)
        typed, hours = (
            typed_limits(above, below, self._series),
            typed_hours(self.hours.currentText()),
        )
        choice, answer = self.choice, self._answer
        if choice is None or answer is None:
            return typed
        return limits_with(typed, hours, choice, answer)

    def _check(self) -> None:
        """Say at once what cannot be limits, or on how many days they would have been reached."""
        self.clear.setEnabled(self._is_set)
        try:
            limits = self._limits()
        except UsageError as error:
            self._say(str(error))
            self.save.setEnabled(False)
            self.days.setText("")
            return
        self._say("")
        self.save.setEnabled(True)
        if self._answer is not None:
            self.days.setText(days_past_words(limits, self._answer))
        grow(self)

    def _say(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        grow(self)

    def _on_save(self) -> None:
        try:
            limits = self._limits()
        except UsageError as error:
            self._say(str(error))
        else:
            self._write(limits)

    def _on_clear(self) -> None:
        choice, hours = self.choice, self._hours()
        if choice is not None and hours is not None:
            self._write(with_hours(choice.limits, hours, None))
        else:
            self._write(None)

    def _write(self, limits: Limits | None) -> None:
        choice = self.choice
        if choice is None:
            return
        self.save.setEnabled(False)
        command = SaveLimits(choice.scope, choice.words, limits, choice.limits)
        self._client.write(command, self._on_saved, self._on_not_saved)

    def _on_saved(self, _done: UndoableResult) -> None:
        self.accept()

    def _on_not_saved(self, why: str) -> None:
        self.save.setEnabled(True)
        self.read_again()
        self._say(why)
