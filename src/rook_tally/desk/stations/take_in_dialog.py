"""The dialog in which a stray sender becomes a station."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.commands import Choices
from rook_tally.desk.stations.take_in_state import LEFT_OUT, TakeInState, TakeInStep
from rook_tally.desk.stations.texts import tr


class TakeInDialog(AskingDialog):
    """Shows how a stray sender is taken in. `decided` is sent when the person wants it so."""

    decided = Signal()

    def __init__(self, theme: Theme, taken: TakeInState, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self.taken = taken
        self._shown_step: TakeInStep | None = None
        self.setWindowTitle(tr("Take in {0}", taken.key))
        self.setMinimumWidth(560)
        self.said, self.key = Label(), Label()
        self.place, self.kind = QComboBox(), QComboBox()
        self.place.setEditable(True)
        self.place.setAccessibleName(tr("place"))
        self.kind.setAccessibleName(tr("kind"))
        self.indoors = QCheckBox(tr("indoors, if the place is new"))
        self.indoors.setChecked(True)
        self.cadence = QLineEdit()
        self.cadence.setAccessibleName(tr("how often it reports"))
        self.first = Label()
        self.fields: list[tuple[QComboBox, QComboBox]] = []
        self._field_grid = QGridLayout()
        self.take_in, self.close_button = QPushButton(tr("Take in")), QPushButton(tr("Cancel"))
        self._form = QWidget()
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        title = Label(self.taken.key)
        title.setFont(face(19, BOLD))
        self.said.setWordWrap(True)
        self.key.setWordWrap(True)
        self.key.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        tint(self.said, self._theme.dim)
        self.first.hide()
        form = QFormLayout()
        form.addRow(tr("Place"), self.place)
        form.addRow("", self.indoors)
        form.addRow(tr("Kind"), self.kind)
        form.addRow(tr("Reports every"), self.cadence)
        self._field_grid.setHorizontalSpacing(12)
        self._field_grid.setColumnStretch(2, 1)
        inner = QVBoxLayout(self._form)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.addLayout(form)
        inner.addSpacing(8)
        inner.addLayout(self._field_grid)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 16)
        column.setSpacing(8)
        self.first.setWordWrap(True)
        for one in (title, self.said, self._form, self.first, self.key):
            column.addWidget(one)
        column.addStretch(1)
        column.addWidget(dialog_buttons(self.take_in, self.close_button))
        self.take_in.clicked.connect(self._on_take_in)
        self.close_button.clicked.connect(self.discard)
        self.place.editTextChanged.connect(self._on_place)
        self.kind.activated.connect(self._on_kind)
        self.indoors.toggled.connect(self._on_indoors)
        self.cadence.textChanged.connect(self._on_cadence)

    def show_waiting(self, *, is_heard: bool) -> None:
        """Say that nobody can take it in, while no collector runs."""
        one = self.taken
        if one.is_waiting:
            one.said = (
                tr("Looking at what it sends …")
                if is_heard
                else tr(
                    "No collector runs, so nobody can look at what it sends. "
                    "It goes on as soon as one runs."
                )
            )
            self.refresh()

    def show_first(self, words: str, now_us: int) -> None:
        """Show how it stands with the first reading of what is a station now."""
        one = self.taken
        if one.step is not TakeInStep.DONE:
            return
        one.done_us = one.done_us or now_us
        one.first = one.first or words
        self.first.setText(one.wait_words(now_us))
        self.first.setVisible(True)

    def refresh(self) -> None:
        """Show how far it is."""
        one = self.taken
        if one.step is not self._shown_step and one.step is TakeInStep.DECIDING:
            self._offer()
        is_new_step = one.step is not self._shown_step
        self._shown_step = one.step
        deciding = one.step is TakeInStep.DECIDING
        self._form.setVisible(deciding)
        self.take_in.setVisible(one.step in (TakeInStep.DECIDING, TakeInStep.ASKED))
        self.take_in.setEnabled(one.is_ready)
        told = one.said
        if one.step is TakeInStep.DONE:
            told = tr("It is a station now: {0}.", one.said)
            self.close_button.setText(tr("Close"))
        self.said.setText(told)
        self.said.setVisible(bool(told))
        shows_key = one.step is TakeInStep.DONE and bool(one.access_key)
        self.key.setVisible(shows_key)
        if shows_key:
            self.key.setText(
                tr(
                    "Its access key, shown this once:\n{0}\n"
                    "It needs it as soon as the doors are open to the network.",
                    one.access_key,
                )
            )
        if is_new_step:
            # What is on its way, or done, is not asked about.
            self.ask_about(self.take_in)

    def take_choices(self, choices: Choices) -> None:
        """Offer these places and kinds, also when they come after the proposal; what is decided
        already stands."""
        self.taken.choices = choices
        if self.taken.step is TakeInStep.DECIDING:
            was_touched = self.is_touched
            self._offer_choices()
            if not was_touched:
                self.ask_about(self.take_in)

    def _offer_choices(self) -> None:
        one = self.taken
        places = [] if one.choices is None else one.choices.places
        kinds = {one.kind: one.kind} if one.choices is None else one.choices.kinds
        self.place.blockSignals(True)
        self.place.clear()
        self.place.addItems(places)
        self.place.setEditText(one.place)
        self.place.blockSignals(False)
        filled(self.kind, list(kinds.items()), one.kind)

    def _offer(self) -> None:
        """Put the proposal before the person."""
        one = self.taken
        assert one.proposal is not None
        self._offer_choices()
        for widget in (self.place, self.kind, self.indoors, self.cadence):
            widget.setEnabled(not one.is_station)
        told_s = number_text(round(one.proposal.cadence_s, 3))
        self.cadence.setPlaceholderText(tr("as often as it sends: now {0} s", told_s))
        self.fields.clear()
        for at, told in enumerate(one.fields):
            name = Label(told.name)
            name.setFont(face(13, BOLD))
            quantity, unit = QComboBox(), QComboBox()
            quantity.setAccessibleName(tr("what {0} measures", told.name))
            unit.setAccessibleName(tr("unit of {0}", told.name))
            choices = [(LEFT_OUT, tr("decide later"))]
            if told.continues:
                choices.insert(0, (f"={told.continues}", tr("continues {0}", told.continues)))
            choices += [(slug, each.name) for slug, each in QUANTITIES.items()]
            filled(quantity, choices, f"={told.continues}" if told.continues else told.quantity)
            self._show_units(unit, told.quantity, told.unit)
            quantity.activated.connect(partial(self._on_quantity, at))
            unit.activated.connect(partial(self._on_unit, at))
            for box in (quantity, unit):
                box.setEnabled(not told.is_of_kind)
            newest = Label(told.newest)
            newest.setAccessibleName(tr("newest value of {0}", told.name))
            tint(newest, self._theme.dim)
            for column, shown in enumerate((name, newest, quantity, unit)):
                self._field_grid.addWidget(shown, at, column)
            self.fields.append((quantity, unit))

    @staticmethod
    def _show_units(box: QComboBox, slug: str, unit: str) -> None:
        symbols = [one.symbol for one in QUANTITIES[slug].units] if slug else []
        filled(box, [(one, one or "–") for one in symbols], unit)

    def _on_place(self, text: str) -> None:
        self.taken.place = text
        self.take_in.setEnabled(self.taken.is_ready)

    def _on_kind(self, _at: int) -> None:
        self.taken.kind = str(self.kind.currentData())

    def _on_indoors(self, is_on: bool) -> None:
        self.taken.indoors = is_on

    def _on_cadence(self, text: str) -> None:
        self.taken.cadence = text

    def _on_quantity(self, at: int, _chosen: int) -> None:
        slug = str(self.fields[at][0].currentData())
        if slug.startswith("="):
            self.taken.fields[at].continues = slug[1:]
            return
        self.taken.set_quantity(at, slug)
        self._show_units(self.fields[at][1], slug, self.taken.fields[at].unit)

    def _on_unit(self, at: int, _chosen: int) -> None:
        self.taken.fields[at].unit = str(self.fields[at][1].currentData())

    def _on_take_in(self) -> None:
        self.decided.emit()


def filled(box: QComboBox, choices: Sequence[tuple[str, str]], chosen: str) -> QComboBox:
    """A box with these choices, as (what stands for it, how it is shown)."""
    box.clear()
    for value, text in choices:
        box.addItem(text, value)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    return box
