"""The dialogs of guidelines: the table of all, and the form of an own one."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.display_unit import DisplayUnit, base_shown
from rook_tally.core.quantities.guidelines import Guideline, Rule, checked_guideline
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import Theme
from rook_tally.desk.data.guideline_commands import (
    GuidelinesQuery,
    KnownGuidelines,
    RemoveGuideline,
    SaveGuideline,
)
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.list_menu import offer_buttons
from rook_tally.desk.parts.row_table import RowTable
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.site import Site

_HEADS = ("Quantity", "Name", "Mean", "Limit", "Days allowed", "Source")


class GuidelinesDialog(StoreDialog):
    """Lists every guideline; own ones are bold, made, changed and deleted here."""

    def __init__(
        self, theme: Theme, state: SiteState, client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(client, parent)
        self._theme, self._state = theme, state
        self.known = KnownGuidelines((), frozenset())
        self.setWindowTitle(tr("Guidelines"))
        self.resize(940, 520)
        self.table = RowTable(theme, [tr(one) for one in _HEADS], tr("guidelines"))
        hint = Label(
            tr("Reports, the Bench, limits and columns of the Wall are held against them.")
        )
        tint(hint, theme.dim)
        self.problem = Label()
        self.problem.setWordWrap(True)
        tint(self.problem, theme.level(Level.HIGH))
        self.new, self.alter = QPushButton(tr("New…")), QPushButton(tr("Change…"))
        self.remove, close = QPushButton(tr("Delete")), QPushButton(tr("Close"))
        foot = QHBoxLayout()
        for button in (self.new, self.alter, self.remove):
            foot.addWidget(button)
        foot.addStretch(1)
        foot.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        for part in (hint, self.table, self.problem):
            column.addWidget(part)
        column.addLayout(foot)
        self.table.itemSelectionChanged.connect(self._refresh)
        self.table.doubleClicked.connect(lambda _at: self._alter())
        offer_buttons(self.table, self.new, self.alter, remove=self.remove)
        self.new.clicked.connect(lambda: self._write(None))
        self.alter.clicked.connect(self._alter)
        self.remove.clicked.connect(self._on_remove)
        close.clicked.connect(self.close)
        self.read_again()

    def read_again(self) -> None:
        """Read what there is by now."""
        self._client.read(GuidelinesQuery(), self._show)

    @property
    def picked(self) -> Guideline | None:
        """The own one that is picked."""
        at = self.table.currentRow()
        found = self.known.all[at] if 0 <= at < len(self.known.all) else None
        return found if found is not None and found.slug in self.known.own else None

    def _show(self, known: KnownGuidelines) -> None:
        self.known = known
        own = {row for row, one in enumerate(known.all) if one.slug in known.own}
        self.table.fill([self._cells(one) for one in known.all], bold=own)
        self._refresh()

    def _cells(self, one: Guideline) -> tuple[str, ...]:
        shown = shown_as(self._state.site, one.quantity)
        limit = f"{shown.limit_text(one.limit)} {shown.symbol}".rstrip()
        if one.follows is not None:
            limit = tr("as {0}", " ".join(one.follows))
        name = tr(QUANTITIES[one.quantity].name)
        return name, one.name, tr(one.rule.words), limit, str(one.allowed or ""), one.source

    def _refresh(self) -> None:
        for button in (self.alter, self.remove):
            button.setEnabled(self.picked is not None)

    def _alter(self) -> None:
        if self.picked is not None:
            self._write(self.picked)

    def _write(self, begun: Guideline | None) -> None:
        dialog = GuidelineDialog(self._theme, self._state.site, begun, self._client, self)
        dialog.finished.connect(self.read_again)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _on_remove(self) -> None:
        if self.picked is not None:
            self.problem.setText("")
            command = RemoveGuideline(self.picked.slug)
            self._client.write(command, lambda _done: self.read_again(), self.problem.setText)


def shown_as(site: Site, quantity: str) -> DisplayUnit:
    """Return the unit in which this site shows a quantity; its base unit where nothing measures
    it."""
    told = next((one.shown for one in site.series if one.quantity.slug == quantity), None)
    return told or base_shown(QUANTITIES[quantity])


class GuidelineDialog(SavingDialog):
    """Describes an own guideline, or alters one."""

    def __init__(
        self,
        theme: Theme,
        site: Site,
        begun: Guideline | None,
        client: ClientScope,
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._begun, self._site, self._client = begun, site, client
        self.setWindowTitle(tr("New guideline") if begun is None else begun.name)
        self.setMinimumWidth(480)
        self.name, self.limit, self.source = QLineEdit(), QLineEdit(), QLineEdit()
        self.quantity, self.rule, self.follows = QComboBox(), QComboBox(), QComboBox()
        self.allowed = QSpinBox()
        self.allowed.setRange(0, 366)
        measured = dict.fromkeys(one.quantity.slug for one in site.series)
        for slug in dict.fromkeys((*measured, *QUANTITIES)):
            if slug in QUANTITIES:
                self.quantity.addItem(tr(QUANTITIES[slug].name), slug)
        for rule in Rule:
            self.rule.addItem(tr(rule.words), rule)
        self._form = QFormLayout(self)
        self._form.setContentsMargins(24, 16, 24, 16)
        for words, widget in (
            (tr("Name"), self.name),
            (tr("Quantity"), self.quantity),
            (tr("Which mean"), self.rule),
            (tr("Limit"), self.follows),
            ("", self.limit),
            (tr("Days allowed a year"), self.allowed),
            (tr("Source"), self.source),
        ):
            widget.setAccessibleName(words or tr("limit"))
            self._form.addRow(words, widget)
        self._form.addRow("", self.problem)
        self._form.addRow(self.buttons)
        if begun is not None:
            self.name.setText(begun.name)
            self.quantity.setCurrentIndex(self.quantity.findData(begun.quantity))
            self.rule.setCurrentIndex(list(Rule).index(begun.rule))
            self.allowed.setValue(begun.allowed)
            self.source.setText(begun.source)
            self.limit.setText(self._shown.limit_text(begun.limit))
        self._fill_series()
        if begun is not None and begun.follows is not None:
            self.follows.setCurrentIndex(max(0, self.follows.findData("\n".join(begun.follows))))
        self._refresh()
        self.quantity.currentIndexChanged.connect(lambda _at: self._fill_series())
        self.follows.currentIndexChanged.connect(lambda _at: self._refresh())
        self.buttons.accepted.connect(self._on_save)

    @property
    def _shown(self) -> DisplayUnit:
        return shown_as(self._site, str(self.quantity.currentData()))

    def _fill_series(self) -> None:
        """Fill the list of series that a guideline of the quantity can follow."""
        slug = str(self.quantity.currentData())
        self.follows.clear()
        self.follows.addItem(tr("a number"), "")
        for one in self._site.series:
            if one.quantity.slug == slug:
                words = tr("what {0} says", f"{one.station.place.name}, {one.station.key}")
                self.follows.addItem(words, f"{one.station.key}\n{one.field}")
        self.limit.setPlaceholderText(self._shown.symbol)
        self._refresh()

    def _refresh(self) -> None:
        self._form.setRowVisible(self.limit, not self.follows.currentData())

    def _on_save(self) -> None:
        try:
            told = checked_guideline(self._told())
        except UsageError as error:
            self.say(error.what)
            return
        self.begin_saving()
        self._client.write(SaveGuideline(told), self.saved, self.not_saved)

    def _told(self) -> Guideline:
        name = self.name.text().strip()
        station, _, field = str(self.follows.currentData() or "").partition("\n")
        limit = 0.0 if station else typed_number(self.limit.text())
        return Guideline(
            slug=slug_of(name) if self._begun is None else self._begun.slug,
            name=name,
            quantity=str(self.quantity.currentData()),
            # Qt keeps the text alone.
            rule=Rule(self.rule.currentData()),
            limit=0.0 if station else float(self._shown.unit.to_base(limit)),
            allowed=self.allowed.value(),
            source=self.source.text().strip(),
            station=station,
            field=field,
        )
