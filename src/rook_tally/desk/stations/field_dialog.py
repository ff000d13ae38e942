"""What a field of a station means, what it is called and how it is shown."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.field_words import (
    FieldWords,
    settings_from,
    without_what_stays,
    words_of,
)
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.data.deletion import RemoveField
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.colour_choice import ColourChoice
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.stations.field_commands import SettleField
from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import Series


class FieldDialog(SavingDialog):
    """Settles one field. Numbers are in the unit shown."""

    def __init__(
        self, theme: Theme, client: StoreClient, series: Series, now_us: int, parent: QWidget
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._client = client.scope()
        self.finished.connect(self._client.close)
        self.series = series
        self.setWindowTitle(tr("{0} of {1}", series.field, series.station.key))
        self.setMinimumWidth(520)
        words, usual = words_of(series.settings, series.shown), series.quantity
        self.quantity, self.unit = QComboBox(), QComboBox()
        for one in sorted(QUANTITIES.values(), key=lambda one: one.name):
            self.quantity.addItem(tr(one.name), one.slug)
        self.quantity.setCurrentIndex(self.quantity.findData(usual.slug))
        self.quantity.currentIndexChanged.connect(lambda _: self._offer_units(""))
        self._offer_units(series.unit)
        self.title = QLineEdit(words.title)
        self.title.setPlaceholderText(QUANTITIES[usual.slug].name)
        self.believable = QLineEdit(words.believable)
        low, high = sorted(series.shown.value(one) for one in usual.believable)
        self.believable.setPlaceholderText(tr("as usual: {0:g} … {1:g}", low, high))
        self.accuracy = QLineEdit(words.accuracy)
        ordinary = usual.accuracy / abs(series.shown.unit.factor)
        self.accuracy.setPlaceholderText(tr("as usual: ±{0:.3g}", ordinary))
        self.decimals = QComboBox()
        self.colour = ColourChoice(theme, series.settings.colour)
        self.decimals.addItems([tr("as usual"), *(str(one) for one in range(5))])
        self.decimals.setCurrentIndex(max(0, self.decimals.findText(words.decimals or "-")))
        self.hidden = QCheckBox(tr("Not in the Ledger (it is kept and watched)"))
        self.left_out = QCheckBox(tr("Do not keep what comes from now on"))
        self.hidden.setChecked(series.settings.hidden)
        self.left_out.setChecked(series.settings.left_out)
        note = Label(
            tr(
                "Another quantity or unit holds for all its past: what the station sent is "
                "understood anew."
            )
        )
        note.setWordWrap(True)
        note.setFont(face(12))
        tint(note, theme.dim)
        self.remove = QPushButton(tr("Remove this field…"))
        self.remove.setObjectName("small")
        self.remove.clicked.connect(self._ask_removal)
        self._now_us = now_us
        self._lay_out(note)
        self.buttons.accepted.connect(self.save)

    def _lay_out(self, note: Label) -> None:
        symbol = self.series.shown.symbol or tr("no unit")
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        meaning = QHBoxLayout()
        meaning.addWidget(self.quantity, 1)
        meaning.addWidget(self.unit)
        form.addRow(tr("Measures"), meaning)
        form.addRow("", note)
        form.addRow(tr("Name"), self.title)
        form.addRow(tr("Believable, {0}", symbol), self.believable)
        form.addRow(tr("Accuracy ±, {0}", symbol), self.accuracy)
        form.addRow(tr("Decimals"), self.decimals)
        form.addRow(tr("Colour"), self.colour)
        form.addRow("", self.hidden)
        form.addRow("", self.left_out)
        form.addRow("", self.remove)
        form.addRow("", self.problem)
        form.addRow(self.buttons)
        for field, name in (
            (self.quantity, tr("quantity")),
            (self.unit, tr("unit in which it is sent")),
            (self.title, tr("name")),
            (self.believable, tr("believable range")),
            (self.accuracy, tr("accuracy")),
            (self.decimals, tr("decimals")),
            (self.colour, tr("colour")),
        ):
            field.setAccessibleName(name)

    def _offer_units(self, picked: str) -> None:
        self.unit.clear()
        for one in QUANTITIES[self.quantity.currentData()].units:
            self.unit.addItem(one.symbol or tr("no unit"), one.symbol)
        self.unit.setCurrentIndex(max(0, self.unit.findData(picked)))

    @property
    def wanted(self) -> SettleField:
        """The command; what is as it was is not in it.

        Raises
        ------
        UsageError
            When something typed cannot be.
        """
        series, before = self.series, words_of(self.series.settings, self.series.shown)
        typed = FieldWords(
            title=self.title.text(),
            believable=self.believable.text(),
            accuracy=self.accuracy.text(),
            decimals=self.decimals.currentText() if self.decimals.currentIndex() else "",
            colour=self.colour.currentText() if self.colour.currentIndex() else "",
            hidden=self.hidden.isChecked(),
            left_out=self.left_out.isChecked(),
        )
        changed = without_what_stays(typed, before)
        quantity, unit = str(self.quantity.currentData()), str(self.unit.currentData())
        return SettleField(
            series,
            settings_from(changed, series.settings, series.shown),
            None if quantity == series.quantity.slug else quantity,
            None if (quantity, unit) == (series.quantity.slug, series.unit) else unit,
        )

    def _ask_removal(self) -> None:
        """Ask whether it goes with all that was kept of it."""
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("Remove {0}", self.series.field),
            tr(
                "{0} goes with all its readings. Ctrl+Z, or for 30 days the command "
                "rook-tally field restore, brings it back. What the station still sends of it "
                "begins anew.",
                self.series.field,
            ),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        question.setTextFormat(Qt.TextFormat.PlainText)
        go_on = question.addButton(tr("Remove"), QMessageBox.ButtonRole.DestructiveRole)
        go_on.clicked.connect(self._remove)
        question.open()

    def _remove(self) -> None:
        self.begin_saving()
        wanted = RemoveField(self.series, self._now_us)
        self._client.write(wanted, self.saved, self.not_saved)

    def save(self) -> None:
        """Have what was changed written down."""
        try:
            wanted = self.wanted
        except UsageError as error:
            self.say(str(error))
            return
        self.begin_saving()
        self._client.write(wanted, self.saved, self.not_saved)
