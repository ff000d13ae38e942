"""The form in which a report is described."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.reports.definitions import (
    USUAL_PARTS,
    Paper,
    Report,
    ReportForm,
    ReportPart,
    ReportStretch,
    checked_report,
)
from rook_tally.core.theme import Theme
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.tick_list import TickList
from rook_tally.desk.reports.texts import tr
from rook_tally.reports.build import TITLES
from rook_tally.store.site import Site

_STRETCHES = {
    ReportStretch.DAY: "a day",
    ReportStretch.WEEK: "a week",
    ReportStretch.MONTH: "a month",
    ReportStretch.QUARTER: "a quarter",
    ReportStretch.YEAR: "a year",
    ReportStretch.OWN: "days of its own",
}


class ReportDialog(SavingDialog):
    """Describes a report, or alters one. `take` gets it once it can be."""

    def __init__(
        self,
        theme: Theme,
        site: Site,
        channels: Sequence[str],
        begun: Report | None,
        take: Callable[[Report], None],
        parent: QWidget,
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Save"))
        self._begun, self._take = begun, take
        self.told_slug = "" if begun is None else begun.slug
        self.setWindowTitle(tr("New report") if begun is None else begun.name)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumWidth(640)
        told = begun or Report(slug="month", name=tr("The month"), at="06:00")
        self.name = QLineEdit("" if begun is None else told.name)
        self.name.setPlaceholderText(tr("such as The month"))
        self.stretch = QComboBox()
        for one, words in _STRETCHES.items():
            self.stretch.addItem(tr(words), one)
        self.stretch.setCurrentIndex(self.stretch.findData(told.stretch))
        self.begin = QLineEdit("" if told.begin is None else told.begin.isoformat())
        self.end = QLineEdit("" if told.end is None else told.end.isoformat())
        for edit in (self.begin, self.end):
            edit.setPlaceholderText("2026-08-12")
        self.places = TickList({one.name: one.name for one in site.places}, told.places)
        self.places.setToolTip(tr("None ticked means all of them"))
        self.parts = {part: QCheckBox(tr(TITLES[part])) for part in ReportPart}
        for part, box in self.parts.items():
            box.setChecked(part in (told.parts if begun is not None else USUAL_PARTS))
        self.at = QLineEdit(told.at if begun is not None else "06:00")
        self.at.setPlaceholderText(tr("empty: by hand only"))
        self.folder = QLineEdit(told.folder)
        self.folder.setPlaceholderText(tr("empty: into no folder"))
        self.choose = QPushButton(tr("Choose…"))
        self.choose.setObjectName("small")
        self.choose.clicked.connect(self._choose)
        self.mail = TickList({one: one for one in channels}, told.mail)
        self.forms = {form: QCheckBox(form.value.upper()) for form in ReportForm}
        for form, box in self.forms.items():
            box.setChecked(form in told.forms)
        self.paper = QComboBox()
        for paper, words in ((Paper.A4, "A4"), (Paper.LETTER, "Letter")):
            self.paper.addItem(words, paper)
        self.paper.setCurrentIndex(self.paper.findData(told.paper))
        self._lay_out(has_channels=bool(channels))
        self.stretch.currentIndexChanged.connect(self._on_stretch)
        self._on_stretch()
        self.buttons.accepted.connect(self._on_save)

    def _lay_out(self, *, has_channels: bool) -> None:
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        self._form = form
        parts = QWidget()
        grid = QGridLayout(parts)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(2)
        for number, box in enumerate(self.parts.values()):
            grid.addWidget(box, number // 3, number % 3)
        self._own = _beside(self.begin, self.end)
        rows: list[tuple[str, QWidget]] = [
            (tr("Name"), self.name),
            (tr("About"), self.stretch),
            (tr("First and last day"), self._own),
            (tr("Places"), self.places),
            (tr("Parts"), parts),
            (tr("Goes out at"), self.at),
            (tr("Folder"), _beside(self.folder, self.choose)),
            (tr("By mail to"), self.mail),
            (tr("As"), _beside(*self.forms.values(), self.paper)),
        ]
        for words, widget in rows:
            widget.setAccessibleName(words)
            form.addRow(words, widget)
        form.setRowVisible(self.mail, has_channels or bool(self.mail.count()))
        form.addRow("", self.problem)
        form.addRow(self.buttons)

    def _on_stretch(self) -> None:
        is_own = ReportStretch(self.stretch.currentData()) is ReportStretch.OWN
        self._form.setRowVisible(self._own, is_own)
        self.at.setEnabled(not is_own)

    def _choose(self) -> None:
        found = QFileDialog.getExistingDirectory(self, tr("Folder"), self.folder.text())
        if found:
            self.folder.setText(found)

    def _on_save(self) -> None:
        try:
            report = checked_report(self._told())
        except UsageError as error:
            self.say(error.what)
            return
        self.begin_saving()
        self.told_slug = report.slug
        self._take(report)

    def _told(self) -> Report:
        """What the form says; raises UsageError for a day that is none."""
        name = self.name.text().strip()
        # Qt keeps the text alone.
        stretch = ReportStretch(self.stretch.currentData())
        is_own = stretch is ReportStretch.OWN
        return Report(
            slug=slug_of(name) if self._begun is None else self._begun.slug,
            name=name,
            stretch=stretch,
            places=self.places.ticked,
            quantities=() if self._begun is None else self._begun.quantities,
            parts=tuple(part for part, box in self.parts.items() if box.isChecked()),
            begin=_day(self.begin.text()) if is_own else None,
            end=_day(self.end.text()) if is_own else None,
            at="" if is_own else self.at.text().strip(),
            folder=self.folder.text().strip(),
            mail=self.mail.ticked,
            forms=tuple(form for form, box in self.forms.items() if box.isChecked()),
            paper=Paper(self.paper.currentData()),
        )


def _beside(*widgets: QWidget) -> QWidget:
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    for one in widgets:
        row.addWidget(one)
    return made


def _day(text: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise UsageError(tr("{0} is no day such as 2026-08-12", text)) from None
