"""The Reports view: the list, the pages of what is picked, and what stands beside them."""

from __future__ import annotations

import functools
from pathlib import Path

from PySide6.QtCore import QModelIndex, Qt, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QKeySequence, QResizeEvent, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.reports.definitions import Report, ReportForm
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.file_dialog import file_to_save
from rook_tally.desk.parts.fonts_and_colours import BOLD, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import PANEL_WIDTH, tint
from rook_tally.desk.reports.actions import ReportsAction
from rook_tally.desk.reports.commands import NoteWritten, RemoveReport, SaveReport
from rook_tally.desk.reports.dialog import ReportDialog
from rook_tally.desk.reports.model import ReportsModel
from rook_tally.desk.reports.page_view import PagesWidget
from rook_tally.desk.reports.parts import LIST_WIDTH, Contents, ReportList, ReportListModel
from rook_tally.desk.reports.queries import (
    BytesQuery,
    PagesQuery,
    ReportListing,
    ReportListingQuery,
    SameQuery,
    ShownReport,
    WriteQuery,
)
from rook_tally.desk.reports.texts import tr
from rook_tally.store.site.reports import WrittenReport

_SETTLE_MS = 400


class ReportsView(QWidget):
    """List, pages and side. `told` bears a line to be said.

    `asking` reads with a process of its own: nothing else waits for a year of readings.
    """

    told = Signal(str)
    leaves_wanted = Signal()
    guidelines_wanted = Signal()

    def __init__(
        self, theme: Theme, state: SiteState, client: StoreClient, asking: StoreClient
    ) -> None:
        super().__init__()
        self._theme, self._state = theme, state
        self._client, self._asking = client, asking
        self.model = ReportsModel(state)
        self.items = ReportListModel(self.model)
        self.list = ReportList(self.items, theme, self)
        let_copy(self.list, with_menu=False)
        self.new = QPushButton(tr("New…"))
        self.pages = PagesWidget(theme)
        self.said = Label()
        self.title, self.count, self.outlook = Label(), Label(), Label()
        self.earlier, self.later = QPushButton("‹"), QPushButton("›")
        self.run_now, self.parts = QPushButton(tr("Write it now")), QPushButton(tr("Parts…"))
        self.leaves = QPushButton(tr("What leaves this machine"))
        self.leaves.clicked.connect(self.leaves_wanted)
        self.guidelines = QPushButton(tr("Guidelines…"))
        self.guidelines.clicked.connect(self.guidelines_wanted)
        self.save_pdf, self.save_html = QPushButton(tr("Save as PDF")), QPushButton(tr("HTML"))
        self.contents = Contents(theme)
        self.contents.page_wanted.connect(self._to_page)
        self._dialog: ReportDialog | None = None
        self._report_moves = state.report_moves
        self._lay_out()
        self._connect()
        self._settled = QTimer(self, singleShot=True, interval=_SETTLE_MS)
        self._settled.timeout.connect(self.ask_again)
        self._refresh()

    def _connect(self) -> None:
        self.list.selectionModel().currentChanged.connect(self._on_picked)
        self.list.doubleClicked.connect(lambda _at: self.do(ReportsAction.EDIT))
        for button, action in (
            (self.new, ReportsAction.NEW),
            (self.run_now, ReportsAction.RUN),
            (self.parts, ReportsAction.EDIT),
            (self.save_pdf, ReportsAction.SAVE_PDF),
            (self.save_html, ReportsAction.SAVE_HTML),
            (self.earlier, ReportsAction.EARLIER),
            (self.later, ReportsAction.LATER),
        ):
            button.clicked.connect(functools.partial(self._on_button, action))
        self.model.changed.append(self._refresh)
        self._state.subscribe(self._on_state_changed)
        for action in ReportsAction:
            for keys in action.keys:
                shortcut = QShortcut(QKeySequence(keys), self)
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.activated.connect(functools.partial(self.do, action))

    def _on_button(self, action: ReportsAction, _checked: bool = False) -> None:
        self.do(action)

    def _lay_out(self) -> None:
        theme = self._theme
        self.new.setObjectName("link")
        self.new.setStyleSheet(
            f"QPushButton#link {{ border: none; background: transparent; color: {theme.sheen};"
            f" padding: 3px 6px; }} QPushButton#link:focus {{ text-decoration: underline; }}"
        )
        self.run_now.setObjectName("main")
        for link in (self.leaves, self.guidelines):
            link.setObjectName("link")
            link.setStyleSheet(self.new.styleSheet())
        head = QHBoxLayout()
        head.setContentsMargins(16, 10, 10, 2)
        heading = Label(tr("Reports"))
        heading.setFont(face(15, BOLD))
        head.addWidget(heading, 1)
        head.addWidget(self.new)
        foot = QHBoxLayout()
        foot.setContentsMargins(16, 10, 12, 14)
        foot.setSpacing(8)
        foot.addWidget(self.run_now)
        foot.addWidget(self.parts)
        foot.addStretch(1)
        left = QWidget()
        left.setObjectName("paper")
        left.setStyleSheet(f"QWidget#paper {{ background: {theme.paper}; }}")
        left.setFixedWidth(LIST_WIDTH)
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self.list, 1)
        column.addLayout(foot)
        self.paper = QScrollArea()
        self.paper.setWidgetResizable(True)
        self.paper.setFrameShape(QScrollArea.Shape.NoFrame)
        self.paper.setWidget(self.pages)
        self.paper.setAccessibleName(tr("pages"))
        self.paper.setStyleSheet(
            f"QScrollArea, QScrollArea > QWidget > QWidget {{ background: {theme.rail}; }}"
        )
        self.said.setFont(face(15))
        self.said.setWordWrap(True)
        self.said.setContentsMargins(40, 40, 40, 40)
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.addWidget(self.said)
        middle.addWidget(self.paper, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(left)
        whole.addLayout(middle, 1)
        whole.addWidget(self._side())

    def _side(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(PANEL_WIDTH)
        column = QVBoxLayout(side)
        column.setContentsMargins(18, 14, 16, 14)
        column.setSpacing(6)
        self.title.setFont(face(15, BOLD))
        self.title.setWordWrap(True)
        tint(self.count, self._theme.dim)
        steps = QHBoxLayout()
        steps.setSpacing(6)
        for button, words in (
            (self.earlier, tr("the stretch before")),
            (self.later, tr("the stretch after")),
        ):
            button.setObjectName("small")
            button.setAccessibleName(words)
            button.setToolTip(words)
            steps.addWidget(button)
        steps.addStretch(1)
        saves = QHBoxLayout()
        saves.setSpacing(8)
        saves.addWidget(self.save_pdf)
        saves.addWidget(self.save_html)
        saves.addStretch(1)
        self.outlook.setWordWrap(True)
        tint(self.outlook, self._theme.dim)
        column.addWidget(self.title)
        column.addWidget(self.count)
        column.addLayout(steps)
        column.addSpacing(6)
        column.addWidget(self.contents)
        column.addSpacing(10)
        column.addLayout(saves)
        column.addWidget(self.outlook)
        column.addWidget(self.leaves, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.guidelines, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        return side

    @property
    def is_up_to_date(self) -> bool:
        """True if nothing is being asked."""
        return self._asking.is_idle and not self.model.is_asked

    # What a person does

    def do(self, action: ReportsAction) -> None:
        """Carry an action out."""
        {
            ReportsAction.NEW: lambda: self._describe(None),
            ReportsAction.EDIT: self._edit,
            ReportsAction.REMOVE: self._remove,
            ReportsAction.RUN: self._run,
            ReportsAction.EARLIER: lambda: self.model.step(-1),
            ReportsAction.LATER: lambda: self.model.step(1),
            ReportsAction.SAVE_PDF: lambda: self._save(ReportForm.PDF),
            ReportsAction.SAVE_HTML: lambda: self._save(ReportForm.HTML),
            ReportsAction.COPY: self._copy,
        }[action]()

    def _describe(self, begun: Report | None) -> None:
        channels = () if self.model.listing is None else self.model.listing.channels

        def take(report: Report) -> None:
            self._client.write(
                SaveReport(report, "" if begun is None else begun.slug), saved, dialog.not_saved
            )

        def saved(result: object) -> None:
            dialog.saved(result)
            self.ask_listing(pick=dialog.told_slug)

        dialog = ReportDialog(self._theme, self._state.site, channels, begun, take, self)
        self._dialog = dialog
        dialog.open()

    def _edit(self) -> None:
        if self.model.picked is not None:
            self._describe(self.model.picked)

    def _remove(self) -> None:
        if self.model.picked is not None:
            self._client.write(
                RemoveReport(self.model.picked.slug),
                lambda _done: self.ask_listing(),
                self.told.emit,
            )

    def _run(self) -> None:
        question = self.model.question()
        if question is None:
            return
        folder = question.report.folder or QFileDialog.getExistingDirectory(
            self, tr("Into which folder?")
        )
        if not folder:
            return
        self.told.emit(tr("Writing it…"))
        self._asking.read(
            WriteQuery(question.report, question.period, folder, question.now_us),
            self._on_written,
            self.told.emit,
        )

    def _on_written(self, written: WrittenReport) -> None:
        self._client.write(NoteWritten(written), lambda _done: self.ask_listing(), self.told.emit)
        self.told.emit(tr("It is in {0}.", ", ".join(written.files)))

    def _save(self, form: ReportForm) -> None:
        question = self.model.question()
        if question is None:
            return
        name = f"{question.report.slug}-{question.period.name}.{form}"
        dialog = file_to_save(
            self, FilePurpose.REPORT, tr("Save the report"), name, f"*.{form}", is_new=True
        )
        dialog.fileSelected.connect(lambda path: self.save(Path(path), form))
        dialog.open()

    def save(self, path: Path, form: ReportForm) -> None:
        """Write what is shown into a file."""
        question = self.model.question()
        if question is None:
            return

        def put(content: bytes) -> None:
            try:
                path.write_bytes(content)
            except OSError as error:
                self.told.emit(tr("{0} cannot be written: {1}", str(path), error.strerror))
                return
            self.told.emit(tr("It is in {0}.", str(path)))

        self._asking.read(
            BytesQuery(question.report, question.period, form, question.now_us), put, self.told.emit
        )

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.model.words)
        self.told.emit(tr("The report is copied as text."))

    # What is asked

    def showEvent(self, event: QShowEvent) -> None:
        """Ask for everything."""
        super().showEvent(event)
        self.ask_again()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Pages are as wide as there is room."""
        super().resizeEvent(event)
        self.pages.fit(self.paper.viewport().width())

    def ask_again(self) -> None:
        """Ask for the list, and for the pages where none are shown."""
        if self.isVisible():
            self.ask_listing()

    def ask_listing(self, pick: str = "") -> None:
        """Ask for the list; then turn to a report where one is named."""

        def take(listing: ReportListing) -> None:
            self.model.take_listing(listing)
            if pick:
                self.model.pick(pick)
            self._ask_check()

        self._asking.read(ReportListingQuery(), take, self.told.emit, asker=pick)

    def _ask_pages(self) -> None:
        question = self.model.question()
        if question is None or not self.isVisible():
            return
        self.model.is_asked = True
        self._asking.read(
            question, functools.partial(self._on_pages, question), self.model.take_mistake
        )

    def _on_pages(self, question: PagesQuery, shown: ShownReport) -> None:
        self.model.take_pages(question, shown)
        self._ask_check()

    def _ask_check(self) -> None:
        """Have the list told what changed since, one by one, when nothing else is asked."""
        question = self.model.next_to_check()
        if question is None or self.model.is_asked or not self.isVisible():
            return
        self._asking.read(
            question, functools.partial(self._on_same, question), self.told.emit, asker=self.items
        )

    def _on_same(self, question: SameQuery, is_same: bool) -> None:
        self.model.take_same(question.written.id, is_same=is_same)
        self._ask_check()

    def _on_state_changed(self, changed: set[int] | None) -> None:
        is_told = self._state.report_moves != self._report_moves
        self._report_moves = self._state.report_moves
        if (changed is None or is_told) and self.isVisible():
            self._settled.start()

    # What is picked

    def _on_picked(self, current: QModelIndex, _previous: QModelIndex) -> None:
        if not current.isValid():
            return
        row = self.items.rows[current.row()]
        self.model.pick(
            row.slug, None if row.written is None else self.model.period_of(row.written)
        )

    def _refresh(self) -> None:
        model = self.model
        self.items.refresh()
        self._follow_picked()
        is_wanted = model.picked is not None and model.shown is None and not model.mistake
        if is_wanted and not model.is_asked:
            self._ask_pages()
        shown = model.shown
        has_report = model.picked is not None
        self.title.setText("" if model.period is None else model.period.title)
        self.count.setText(model.pages_words)
        self.outlook.setText(model.outlook)
        for button in (self.run_now, self.parts):
            button.setEnabled(has_report)
        for button in (self.save_pdf, self.save_html):
            button.setEnabled(shown is not None)
        for button in (self.earlier, self.later):
            button.setVisible(has_report)
        if shown is None:
            self.said.setText(self._waiting_words())
            self.paper.hide()
            self.said.show()
        else:
            self.said.hide()
            self.paper.show()
        pages = () if shown is None else shown.pages.pages
        if pages != self.pages.pages:
            self.pages.fit(self.paper.viewport().width())
            family = "" if shown is None else shown.pages.family
            self.pages.show_pages(pages, family, model.words)
            self.paper.verticalScrollBar().setValue(0)
        self.contents.show_parts(model.contents)

    def _follow_picked(self) -> None:
        """Mark the line of what is shown, however it came to be picked."""
        current = self.list.currentIndex()
        slug = None if self.model.picked is None else self.model.picked.slug
        slugs = [one.slug for one in self.items.rows]
        if slug not in slugs or (current.isValid() and slugs[current.row()] == slug):
            return
        selection = self.list.selectionModel()
        selection.blockSignals(True)
        self.list.setCurrentIndex(self.items.index(slugs.index(slug)))
        selection.blockSignals(False)
        self.list.viewport().update()

    def _waiting_words(self) -> str:
        model = self.model
        if model.mistake:
            return model.mistake
        if model.listing is None or model.picked is not None:
            return tr("Working it out…")
        return tr(
            "A report says in a few pages what a day, a month or a year was like: press New… to "
            "describe one. It is written by hand, or by itself once its stretch is over."
        )

    def _to_page(self, number: int) -> None:
        self.paper.verticalScrollBar().setValue(self.pages.top_of(number))
