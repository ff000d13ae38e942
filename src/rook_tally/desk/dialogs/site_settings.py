"""The site's settings: what and where it is, how windows write, what is kept, who may come in."""

from __future__ import annotations

from zoneinfo import available_timezones

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QStackedWidget,
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
from rook_tally.desk.dialogs.site_keeping import KeepingPage
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
        self.name, self.zone = QLineEdit(), QLineEdit()
        self.name.setAccessibleName(tr("name of the site"))
        self.zone.setAccessibleName(tr("time zone"))
        completer = QCompleter(sorted(available_timezones()), self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.zone.setCompleter(completer)
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
        self.keeping = KeepingPage(theme)
        self.why = Label()
        self.about_quiet = Label(
            tr("Channels that have no quiet hours of their own tell only what is severe then.")
        )
        self.about_style = Label(tr("Of windows, at once; files and commands stay as they are."))
        for label, colour in (
            (self.about_style, theme.dim),
            (self.about_quiet, theme.dim),
            (self.why, theme.level(Level.HIGH)),
        ):
            label.setWordWrap(True)
            label.setFont(face(12))
            tint(label, colour)
        self.save, self.cancel = QPushButton(tr("Save")), QPushButton(tr("Cancel"))
        self.pages, self.page_names = QStackedWidget(), list[QPushButton]()
        self._lay_out()
        self.setEnabled(False)
        self.save.clicked.connect(self._on_save)
        self.cancel.clicked.connect(self.discard)
        client.read(SiteSettingsQuery(), self._show, self.why.setText)

    @property
    def is_touched(self) -> bool:
        """True if a setting is another than it was, on whichever page."""
        before = self._before
        if before is None:
            return False
        try:
            typed = self._typed()
        except UsageError:
            return True
        return typed != replace(before, copied=typed.copied, can_be_copied=typed.can_be_copied)

    def _lay_out(self) -> None:
        style = QHBoxLayout()
        for box in (self.decimals, self.dates, self.clocks):
            style.addWidget(box, 1)
        site, writing, access = QWidget(), QWidget(), QWidget()
        for page, rows in (
            (
                site,
                (
                    (tr("Name"), self.name),
                    (tr("Time zone"), self.zone),
                    (tr("Position"), self.position),
                    (tr("Height above the sea"), self.above_sea),
                    (tr("The week begins on"), self.week),
                    (tr("Quiet hours"), self.quiet),
                    ("", self.about_quiet),
                ),
            ),
            (
                writing,
                (
                    (tr("Language"), self.language),
                    (tr("Numbers, dates, clocks"), style),
                    ("", self.about_style),
                ),
            ),
            (
                access,
                (
                    (tr("An access key is needed by"), self.keys),
                    (tr("Passwords of mail and webhooks"), self.passwords),
                ),
            ),
        ):
            form = QFormLayout(page)
            form.setContentsMargins(0, 0, 0, 0)
            for words, part in rows:
                form.addRow(words, part)
        names = QHBoxLayout()
        names.setSpacing(18)
        for words, page in (
            (tr("Site"), site),
            (tr("How windows write"), writing),
            (tr("Copies and what is kept"), self.keeping),
            (tr("Who may come in"), access),
        ):
            self.pages.addWidget(page)
            button = QPushButton(words)
            button.setObjectName("page")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, page=page: self.pages.setCurrentWidget(page))
            self.page_names.append(button)
            names.addWidget(button)
        names.addStretch(1)
        self.page_names[0].setChecked(True)
        column = QVBoxLayout(self)
        column.setSpacing(14)
        column.addLayout(names)
        column.addWidget(self.pages)
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
        self.keeping.show_form(settings)
        self.keys.setCurrentIndex(self.keys.findData(settings.keys))
        self.passwords.setCurrentIndex(self.passwords.findData(settings.passwords))
        self.setEnabled(True)
        self.name.setFocus()
        self.name.selectAll()
        self.ask_about(self.save)

    def _on_save(self) -> None:
        if self._before is None or self._is_saving:
            return
        self.why.setText("")
        try:
            wanted = self._typed()
        except UsageError as error:
            self.why.setText(str(error))
            return
        self.save.setEnabled(False)
        self._is_saving = True
        self._client.write(
            SaveSiteSettings(wanted, self._before), self._on_saved, self._on_not_saved
        )

    def _typed(self) -> SiteForm:
        """Everything as it is typed.

        Raises
        ------
        UsageError
            When something cannot be read.
        """
        return SiteForm(
            self.name.text(),
            self.zone.text(),
            self.keys.currentData(),
            self.passwords.currentData(),
            self.keeping.copies(),
            self.keeping.strays(),
            self.keeping.thin_after_days(),
            settings=self._settings(),
        )

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
                times=self.keeping.times.currentData(),
            )
        )
