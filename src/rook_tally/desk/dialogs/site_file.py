"""A site file read: first what it would change, then for good."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from rook_tally.core.quantities.levels import Level
from rook_tally.core.site_file.content import SitePart
from rook_tally.core.site_file.ready_made import READY_MADE
from rook_tally.core.theme import Theme
from rook_tally.desk.data.file_names import FilePurpose
from rook_tally.desk.data.site_file_commands import PlanSite, ReadSite, SiteSource
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.copying import let_copy
from rook_tally.desk.parts.file_dialog import file_to_read
from rook_tally.desk.parts.fonts_and_colours import colour, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import SavingDialog
from rook_tally.desk.parts.widgets import list_style, tint
from rook_tally.store.site.change_history import ChangeLine, ChangeSort

_PARTS = (
    (None, "all of it"),
    (SitePart.PLACES, "places"),
    (SitePart.LIMITS, "limits"),
    (SitePart.WORKINGS, "workings"),
    (SitePart.CHANNELS, "channels"),
    (SitePart.WATCHES, "watches"),
    (SitePart.SHEETS, "sheets of the Wall"),
    (SitePart.GUIDELINES, "own guidelines"),
    (SitePart.REPORTS, "reports"),
    (SitePart.FORWARDS, "forwards"),
    (SitePart.PAGE, "pages"),
    (SitePart.KEYS, "keys"),
)
_SIGNS = {ChangeSort.ADDED: "+", ChangeSort.CHANGED: "·", ChangeSort.DELETED: "−"}


class SiteFileDialog(SavingDialog):
    """Asks for the file, lists what reading it would add, change and delete, and reads it."""

    def __init__(
        self, theme: Theme, clock: Callable[[], int], client: ClientScope, parent: QWidget
    ) -> None:
        super().__init__(theme, parent, main_words=tr("Read"))
        self._theme, self._clock, self._client = theme, clock, client
        self.finished.connect(client.close)
        self.setWindowTitle(tr("Read a site file"))
        self.resize(720, 520)
        self.ready_made, self.part = QComboBox(), QComboBox()
        self.ready_made.setAccessibleName(tr("ready-made site files"))
        self.ready_made.addItem(tr("a file of your own"), "")
        for name, words in READY_MADE.items():
            self.ready_made.addItem(f"{tr(name)}: {tr(words)}", name)
        self.file, choose = QLineEdit(), QPushButton(tr("Choose…"))
        self.file.setAccessibleName(tr("site file"))
        self.file.setPlaceholderText(tr("a file that `rook-tally site export` wrote, or yours"))
        choose.setObjectName("small")
        choose.setAutoDefault(False)
        self.part.setAccessibleName(tr("which part of it"))
        for part, words in _PARTS:
            self.part.addItem(tr(words), part)
        self.list = QListWidget()
        let_copy(self.list)
        self.list.setAccessibleName(tr("what would change"))
        self.list.setStyleSheet(list_style(theme))
        self.list.setFont(face(13))
        self.list.setWordWrap(True)
        self.told = Label(tr("Choose a file, and what reading it would change is listed here."))
        self.told.setWordWrap(True)
        tint(self.told, theme.dim)
        row = QHBoxLayout()
        row.addWidget(self.file, 1)
        row.addWidget(choose)
        form = QFormLayout(self)
        form.setContentsMargins(24, 16, 24, 16)
        form.addRow(tr("From"), self.ready_made)
        form.addRow(tr("File"), row)
        form.addRow(tr("Part"), self.part)
        form.addRow(self.told)
        form.addRow(self.list)
        form.addRow(self.problem)
        form.addRow(self.buttons)
        self.main.setEnabled(False)
        self.ready_made.activated.connect(self._on_ready_made)
        self.file.textEdited.connect(lambda _text: self._on_typed())
        self.file.editingFinished.connect(self.look)
        self.part.activated.connect(lambda _at: self.look())
        choose.clicked.connect(self._on_choose)
        self.buttons.accepted.connect(self._on_read)

    @property
    def source(self) -> SiteSource:
        """The file that is chosen."""
        name = self.ready_made.currentData() or self.file.text().strip()
        return SiteSource(name, self.part.currentData())

    def look(self) -> None:
        """List what reading it would change."""
        source = self.source
        if source.name:
            self.say("")
            self._client.write(
                PlanSite(source, self._clock()),
                lambda lines: self._show(source, lines),
                lambda why: self._cannot(source, why),
            )

    def _on_typed(self) -> None:
        self.ready_made.setCurrentIndex(0)
        self._clear()

    def _clear(self) -> None:
        self.list.clear()
        self.main.setEnabled(False)

    def _on_ready_made(self, _at: int) -> None:
        self._clear()
        self.file.clear()
        self.look()

    def _on_choose(self) -> None:
        dialog = file_to_read(
            self, FilePurpose.SITE, tr("Site file"), "TOML (*.toml)", at=self.file.text()
        )
        dialog.fileSelected.connect(self.choose)
        dialog.open()

    def choose(self, path: str) -> None:
        """Look at a file."""
        self.ready_made.setCurrentIndex(0)
        self.file.setText(path)
        self.look()

    def _show(self, source: SiteSource, lines: list[ChangeLine]) -> None:
        if source != self.source:
            return
        self._clear()
        for line in lines:
            item = QListWidgetItem(f"{_SIGNS[line.sort]}  {line.words}")
            if line.sort is ChangeSort.DELETED:
                item.setForeground(colour(self._theme.level(Level.HIGH)))
            self.list.addItem(item)
        counts = {sort: sum(one.sort is sort for one in lines) for sort in ChangeSort}
        self.told.setText(
            tr(
                "It would add {0}, change {1} and delete {2}. One step takes it back.",
                counts[ChangeSort.ADDED],
                counts[ChangeSort.CHANGED],
                counts[ChangeSort.DELETED],
            )
            if lines
            else tr("The site is what it says; nothing would change.")
        )
        self.main.setEnabled(bool(lines))

    def _cannot(self, source: SiteSource, why: str) -> None:
        if source == self.source:
            self._clear()
            self.say(why)

    def _on_read(self) -> None:
        self.begin_saving()
        self._client.write(ReadSite(self.source, self._clock()), self.saved, self.not_saved)
