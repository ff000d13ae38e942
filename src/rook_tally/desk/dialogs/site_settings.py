"""The site's settings: its name and time zone, who needs an access key, passwords, daily copies."""

from __future__ import annotations

from zoneinfo import available_timezones

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import number_text, typed_number
from rook_tally.core.site_settings import (
    SiteSettings,
    Weekday,
    checked_settings,
    position_from,
    position_words,
)
from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_settings import (
    KEYS,
    PASSWORDS,
    SaveSiteSettings,
    SiteForm,
    SiteSettingsQuery,
)
from rook_tally.desk.data.store_client import ClientScope
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.dialogs.site_styles import (
    clock_choices,
    date_choices,
    decimal_choices,
    language_choices,
)
from rook_tally.desk.dialogs.store_dialog import StoreDialog
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.saving_dialog import dialog_buttons
from rook_tally.desk.parts.widgets import tint


class SiteDialog(StoreDialog):
    """Shows the settings once they are read, and saves them."""

    def __init__(self, theme: Theme, client: ClientScope, parent: QWidget) -> None:
        super().__init__(client, parent)
        self.setWindowTitle(tr("Site settings"))
        self.setMinimumWidth(680)
        self._before: SiteForm | None = None
        self._is_saving = False
        self.name, self.zone, self.folder = QLineEdit(), QLineEdit(), QLineEdit()
        self.name.setAccessibleName(tr("name of the site"))
        self.zone.setAccessibleName(tr("time zone"))
        completer = QCompleter(sorted(available_timezones()), self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.zone.setCompleter(completer)
        self.folder.setAccessibleName(tr("folder for daily copies"))
        self.folder.setPlaceholderText(tr("none are made"))
        self.choose = QPushButton(tr("Choose…"))
        self.choose.setObjectName("small")
        self.position, self.above_sea, self.quiet = QLineEdit(), QLineEdit(), QLineEdit()
        self.position.setAccessibleName(tr("latitude and longitude"))
        self.position.setPlaceholderText(tr("latitude, longitude in degrees, such as 50.35, −4.14"))
        self.above_sea.setAccessibleName(tr("height above the sea"))
        self.above_sea.setPlaceholderText(tr("metres, such as 12"))
        self.quiet.setAccessibleName(tr("quiet hours"))
        self.quiet.setPlaceholderText(tr("none, or such as 22:00–06:00 or Mon–Fri 20:00–07:00"))
        self.week = QComboBox()
        self.week.setAccessibleName(tr("day with which the week begins"))
        for day in Weekday:
            self.week.addItem(tr(day.value.capitalize()), day)
        self.decimals, self.dates, self.clocks = QComboBox(), QComboBox(), QComboBox()
        self.language = QComboBox()
        for box, name, choices in (
            (self.decimals, tr("sign before decimals"), decimal_choices()),
            (self.dates, tr("how dates are written"), date_choices()),
            (self.clocks, tr("how clocks are read"), clock_choices()),
            (self.language, tr("language"), language_choices()),
        ):
            box.setAccessibleName(name)
            for value, words in choices:
                box.addItem(words, value)
        self.keys, self.passwords = QComboBox(), QComboBox()
        self.keys.setAccessibleName(tr("who needs an access key"))
        self.passwords.setAccessibleName(tr("where passwords are kept"))
        for key, words in KEYS:
            self.keys.addItem(tr(words), key)
        for place, words in PASSWORDS:
            self.passwords.addItem(tr(words), place)
        self.copied, self.why = Label(), Label()
        self.about_quiet = Label(
            tr("Channels that have no quiet hours of their own tell only what is severe then.")
        )
        self.about_style = Label(tr("Of windows, at once; files and commands stay as they are."))
        for label, colour in (
            (self.about_style, theme.dim),
            (self.copied, theme.dim),
            (self.about_quiet, theme.dim),
            (self.why, theme.level(Level.HIGH)),
        ):
            label.setWordWrap(True)
            label.setFont(face(12))
            tint(label, colour)
        self.save, self.cancel = QPushButton(tr("Save")), QPushButton(tr("Cancel"))
        self._lay_out()
        self.setEnabled(False)
        self.choose.clicked.connect(self._on_choose)
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.discard)
        client.read(SiteSettingsQuery(), self._show, self.why.setText)

    def _lay_out(self) -> None:
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(self.choose)
        self.form = QFormLayout()
        self.form.addRow(tr("Name"), self.name)
        self.form.addRow(tr("Time zone"), self.zone)
        self.form.addRow(tr("Position"), self.position)
        self.form.addRow(tr("Height above the sea"), self.above_sea)
        self.form.addRow(tr("The week begins on"), self.week)
        style = QHBoxLayout()
        for box in (self.decimals, self.dates, self.clocks):
            style.addWidget(box, 1)
        self.form.addRow(tr("Language"), self.language)
        self.form.addRow(tr("Numbers, dates, clocks"), style)
        self.form.addRow("", self.about_style)
        self.form.addRow(tr("Quiet hours"), self.quiet)
        self.form.addRow("", self.about_quiet)
        self.form.addRow(tr("Daily copies go to"), row)
        self.form.addRow("", self.copied)
        self.form.addRow(tr("An access key is needed by"), self.keys)
        self.form.addRow(tr("Passwords of mail and webhooks"), self.passwords)
        column = QVBoxLayout(self)
        column.addLayout(self.form)
        column.addWidget(self.why)
        column.addStretch(1)
        column.addWidget(dialog_buttons(self.save, self.cancel))

    def _on_saved(self, _done: UndoableResult) -> None:
        self.accept()

    def _on_not_saved(self, why: str) -> None:
        self._is_saving = False
        self.save.setEnabled(True)
        self.why.setText(why)

    def _show(self, settings: SiteForm) -> None:
        self._before = settings
        self.name.setText(settings.name)
        self.zone.setText(settings.zone)
        told = settings.settings
        self.position.setText(position_words(told))
        self.above_sea.setText("" if told.height_m is None else number_text(told.height_m))
        self.week.setCurrentIndex(told.week_begins.number)
        for box, value in (
            (self.decimals, told.decimals),
            (self.dates, told.dates),
            (self.clocks, told.clocks),
            (self.language, told.language),
        ):
            at = box.findData(value)
            if at < 0:
                box.addItem(str(value), value)
                at = box.count() - 1
            box.setCurrentIndex(at)
        self.quiet.setText("" if told.quiet is None else hours_words(told.quiet))
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
        self.ask_about(self.save)

    def _on_choose(self) -> None:
        dialog = QFileDialog(self, tr("Folder for daily copies"), self.folder.text())
        dialog.setFileMode(QFileDialog.FileMode.Directory)
        dialog.fileSelected.connect(self.folder.setText)
        dialog.open()

    def _on_save(self) -> None:
        if self._before is None or self._is_saving:
            return
        self.why.setText("")
        try:
            settings = self._settings()
        except UsageError as error:
            self.why.setText(str(error))
            return
        self.save.setEnabled(False)
        self._is_saving = True
        wanted = SaveSiteSettings(
            SiteForm(
                self.name.text(),
                self.zone.text(),
                self.keys.currentData(),
                self.passwords.currentData(),
                self.folder.text(),
                settings=settings,
            ),
            self._before,
        )
        self._client.write(wanted, self._on_saved, self._on_not_saved)

    def _settings(self) -> SiteSettings:
        """The position, height and quiet hours that are typed.

        Raises
        ------
        UsageError
            When one cannot be read.
        """
        position = position_from(self.position.text())
        height = self.above_sea.text().strip()
        return checked_settings(
            SiteSettings(
                latitude=None if position is None else position[0],
                longitude=None if position is None else position[1],
                height_m=typed_number(height) if height else None,
                quiet=hours_of(self.quiet.text()),
                week_begins=list(Weekday)[self.week.currentIndex()],
                decimals=self.decimals.currentData(),
                dates=self.dates.currentData(),
                clocks=self.clocks.currentData(),
                language=str(self.language.currentData()),
            )
        )
