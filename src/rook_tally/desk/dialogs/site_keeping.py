"""The page of the site's settings about what is kept: daily copies, strays, old readings."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from rook_tally.core.quantities.number_input import number_text
from rook_tally.core.site_settings import TimeGrain
from rook_tally.core.theme import Theme
from rook_tally.desk.data.site_settings import SiteForm, typed_count
from rook_tally.desk.dialogs.texts import tr
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.store.maintenance.backup_schedule import BackupSchedule
from rook_tally.store.site import StrayBounds

_NUMBER_WIDTH = 64
_LEAST = 0.1


class KeepingPage(QWidget):
    """What is kept, for how long, and where copies of it go."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.folder, self.thinning = QLineEdit(), QLineEdit()
        self.folder.setAccessibleName(tr("folder for daily copies"))
        self.folder.setPlaceholderText(tr("none are made"))
        self.choose = QPushButton(tr("Choose…"))
        self.choose.setObjectName("small")
        self.hour = QComboBox()
        self.hour.setAccessibleName(tr("hour from which the daily copy is made"))
        for hour in range(24):
            self.hour.addItem(f"{hour:02d}:00", hour)
        self.daily, self.weekly, self.monthly = QLineEdit(), QLineEdit(), QLineEdit()
        self.stray_mb, self.stray_days = QLineEdit(), QLineEdit()
        for line, name in (
            (self.daily, tr("how many daily copies stay")),
            (self.weekly, tr("how many weekly copies stay")),
            (self.monthly, tr("how many monthly copies stay")),
            (self.stray_mb, tr("megabytes of strays that are kept")),
            (self.stray_days, tr("days that strays are kept")),
        ):
            line.setAccessibleName(name)
            line.setFixedWidth(_NUMBER_WIDTH)
        self.thinning.setAccessibleName(tr("days after which readings are thinned"))
        self.thinning.setPlaceholderText(tr("never: every reading is kept"))
        self.times = QComboBox()
        self.times.setAccessibleName(tr("how finely times of readings are kept"))
        for grain, words in (
            (TimeGrain.MICROSECOND, tr("to the microsecond, as they are told")),
            (TimeGrain.MILLISECOND, tr("to the millisecond, half the disk space")),
        ):
            self.times.addItem(words, grain)
        self.copied = Label()
        self._about_times = Label(
            tr(
                "Holds for what comes in from now on. Two readings of a sensor within one "
                "millisecond become one, the later."
            )
        )
        self._about = Label(
            tr("Thinned days keep the lowest and the highest of every five minutes.")
        )
        for label in (self.copied, self._about, self._about_times):
            label.setWordWrap(True)
            label.setFont(face(12))
            tint(label, theme.dim)
        self._lay_out()
        self.choose.clicked.connect(self._on_choose)

    def _lay_out(self) -> None:
        where = QHBoxLayout()
        where.addWidget(self.folder, 1)
        where.addWidget(self.choose)
        self.form = QFormLayout(self)
        self.form.setContentsMargins(0, 0, 0, 0)
        self.form.addRow(tr("Daily copies go to"), where)
        self.form.addRow("", self.copied)
        self.form.addRow(tr("They are made from"), self.hour)
        self.form.addRow(
            tr("Copies that stay"),
            _row(
                (self.daily, tr("days")), (self.weekly, tr("weeks")), (self.monthly, tr("months"))
            ),
        )
        self.form.addRow(
            tr("Strays that are kept"),
            _row((self.stray_mb, tr("MB")), (self.stray_days, tr("days, the oldest go first"))),
        )
        self.form.addRow(tr("Days until readings are thinned"), self.thinning)
        self.form.addRow("", self._about)
        self.form.addRow(tr("Times of readings are kept"), self.times)
        self.form.addRow("", self._about_times)

    def show_form(self, told: SiteForm) -> None:
        """Fill it with what is set."""
        copies = told.copies
        self.folder.setText(copies.folder)
        for part in (self.folder, self.choose, self.hour, self.daily, self.weekly, self.monthly):
            part.setEnabled(told.can_be_copied)
        if not told.can_be_copied:
            self.folder.setPlaceholderText(tr("by the server's own tools"))
        self.hour.setCurrentIndex(copies.from_hour)
        for line, number in (
            (self.daily, copies.daily),
            (self.weekly, copies.weekly),
            (self.monthly, copies.monthly),
            (self.stray_mb, told.strays.most_bytes / 1e6),
            (self.stray_days, told.strays.most_days),
        ):
            line.setText(number_text(number))
        days = told.thin_after_days
        self.thinning.setText("" if days is None else number_text(days))
        self.times.setCurrentIndex(self.times.findData(told.settings.times))
        self.copied.setText(told.copied)
        self.form.setRowVisible(self.copied, bool(told.copied))

    def copies(self) -> BackupSchedule:
        """The daily copies that are wanted.

        Raises
        ------
        UsageError
            When a number cannot be read.
        """
        if not self.folder.text().strip():
            return BackupSchedule("")
        daily, weekly, monthly = (
            round(typed_count(line.accessibleName(), line.text(), least=least))
            for line, least in ((self.daily, 1.0), (self.weekly, 0.0), (self.monthly, 0.0))
        )
        hour = int(self.hour.currentData())
        return BackupSchedule(self.folder.text(), daily, weekly, monthly, hour)

    def strays(self) -> StrayBounds:
        """How much of strays is to be kept.

        Raises
        ------
        UsageError
            When a number cannot be read.
        """
        most_mb, most_days = (
            typed_count(line.accessibleName(), line.text(), least=_LEAST)
            for line in (self.stray_mb, self.stray_days)
        )
        return StrayBounds(round(most_mb * 1e6), most_days)

    def thin_after_days(self) -> float | None:
        """After how many days readings are to be thinned; None for never.

        Raises
        ------
        UsageError
            When the number cannot be read.
        """
        text = self.thinning.text()
        if not text.strip():
            return None
        return typed_count(self.thinning.accessibleName(), text, least=1.0, most=100_000.0)

    def _on_choose(self) -> None:
        dialog = QFileDialog(self, tr("Folder for daily copies"), self.folder.text())
        dialog.setFileMode(QFileDialog.FileMode.Directory)
        dialog.fileSelected.connect(self.folder.setText)
        dialog.open()


def _row(*parts: tuple[QLineEdit, str]) -> QHBoxLayout:
    row = QHBoxLayout()
    for line, words in parts:
        row.addWidget(line)
        row.addWidget(Label(words))
        row.addSpacing(10)
    row.addStretch(1)
    return row
