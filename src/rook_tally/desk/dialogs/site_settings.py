"""The site's settings: its name and time zone, who needs an access key, passwords, daily copies."""

from __future__ import annotations

from zoneinfo import available_timezones

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.i18n import tr
from rook_tally.core.quantities.levels import Level
from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_settings import (
    KEYS,
    PASSWORDS,
    SaveSiteSettings,
    SiteSettings,
    SiteSettingsQuery,
)
from rook_tally.desk.data.store_client import Reply
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint


class SiteDialog(QDialog):
    """Shows the settings once they are read. `wished` carries questions and changes."""

    asked = Signal(object)
    wished = Signal(object)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Site settings"))
        self.setMinimumWidth(680)
        self._before: SiteSettings | None = None
        self._under_way: SaveSiteSettings | None = None
        self.name, self.zone, self.folder = QLineEdit(), QLineEdit(), QLineEdit()
        self.name.setAccessibleName(tr("name of the site"))
        self.zone.setAccessibleName(tr("time zone"))
        completer = QCompleter(sorted(available_timezones()), self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.zone.setCompleter(completer)
        self.folder.setAccessibleName(tr("folder for daily copies"))
        self.folder.setPlaceholderText(tr("none are made"))
        self.choose = QPushButton(tr("Choose …"))
        self.choose.setObjectName("small")
        self.keys, self.passwords = QComboBox(), QComboBox()
        self.keys.setAccessibleName(tr("who needs an access key"))
        self.passwords.setAccessibleName(tr("where passwords are kept"))
        for key, words in KEYS:
            self.keys.addItem(tr(words), key)
        for place, words in PASSWORDS:
            self.passwords.addItem(tr(words), place)
        self.copied, self.why = Label(), Label()
        for label, colour in ((self.copied, theme.dim), (self.why, theme.level(Level.HIGH))):
            label.setWordWrap(True)
            label.setFont(face(12))
            tint(label, colour)
        self.save, self.cancel = QPushButton(tr("Save")), QPushButton(tr("Cancel"))
        self.save.setObjectName("main")
        self.save.setDefault(True)
        self._lay_out()
        self.setEnabled(False)
        self.choose.clicked.connect(self._on_choose)
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.reject)

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(self.choose)
        self.form = QFormLayout()
        self.form.addRow(tr("Name"), self.name)
        self.form.addRow(tr("Time zone"), self.zone)
        self.form.addRow(tr("Daily copies go to"), row)
        self.form.addRow("", self.copied)
        self.form.addRow(tr("An access key is needed by"), self.keys)
        self.form.addRow(tr("Passwords of mail and webhooks"), self.passwords)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.cancel)
        foot.addWidget(self.save)
        column = QVBoxLayout(self)
        column.addLayout(self.form)
        column.addWidget(self.why)
        column.addStretch(1)
        column.addLayout(foot)

    def begin(self) -> None:
        """Have the settings read."""
        self.asked.emit(SiteSettingsQuery())

    def take_reply(self, reply: Reply) -> None:
        """Take what was asked for here, and what came of saving."""
        if isinstance(reply.question, SiteSettingsQuery) and self._before is None:
            if reply.answer is None:
                self.why.setText(reply.error)
            else:
                self._show(reply.answer)
        elif self._under_way is not None and reply.question == self._under_way:
            self._under_way = None
            self.save.setEnabled(True)
            if reply.error:
                self.why.setText(reply.error)
            else:
                self.accept()

    def _show(self, settings: SiteSettings) -> None:
        self._before = settings
        self.name.setText(settings.name)
        self.zone.setText(settings.zone)
        self.folder.setText(settings.copies_into)
        self.folder.setEnabled(settings.can_be_copied)
        self.choose.setEnabled(settings.can_be_copied)
        if not settings.can_be_copied:
            self.folder.setPlaceholderText(tr("by the server's own tools"))
        self.copied.setText(settings.copied)
        self.form.setRowVisible(self.copied, bool(settings.copied))
        self.keys.setCurrentIndex(self.keys.findData(settings.keys))
        self.passwords.setCurrentIndex(self.passwords.findData(settings.passwords))
        self.setEnabled(True)
        self.name.setFocus()
        self.name.selectAll()

    def _on_choose(self) -> None:
        dialog = QFileDialog(self, tr("Folder for daily copies"), self.folder.text())
        dialog.setFileMode(QFileDialog.FileMode.Directory)
        dialog.fileSelected.connect(self.folder.setText)
        dialog.open()

    def _on_save(self) -> None:
        if self._before is None or self._under_way is not None:
            return
        self.why.setText("")
        self.save.setEnabled(False)
        self._under_way = SaveSiteSettings(
            SiteSettings(
                self.name.text(),
                self.zone.text(),
                self.keys.currentData(),
                self.passwords.currentData(),
                self.folder.text(),
            )
        )
        self.wished.emit(self._under_way)
