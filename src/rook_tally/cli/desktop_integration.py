"""A window in its desktop: the tray, another start, the demo, files to import."""

from __future__ import annotations

import gc
import locale
import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import (
    QLocale,
    QProcess,
    QProcessEnvironment,
    QSocketNotifier,
    QTimer,
    QTranslator,
)
from PySide6.QtWidgets import QApplication, QSystemTrayIcon

from rook_tally.cli.single_instance import SingleInstance
from rook_tally.core.i18n import COUNTS, Catalogue, speak
from rook_tally.core.moment_words import write_moments
from rook_tally.core.progress import Progress
from rook_tally.core.quantities.number_format import write_with
from rook_tally.core.site_settings import DecimalMark, SiteSettings
from rook_tally.desk import languages
from rook_tally.desk.ledger.onboarding import FirstStep
from rook_tally.store.base import Store

if TYPE_CHECKING:
    from pathlib import Path

    from rook_tally.core.door_settings import DoorSettings, ModbusSetting
    from rook_tally.core.in_reach import Reachable
    from rook_tally.core.quantities.kinds import Kind
    from rook_tally.core.quantities.modbus_map import RegisterTable
    from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.door_trial import DoorTrial
from rook_tally.desk.data.file_importer import ColumnLook, FileToImport, ImportAnswer

# Nothing of this is in the first picture, and none of it may take time from it.
_LATER_MS = 2_500


def speak_as_the_person_does(settings: SiteSettings) -> None:
    """Write figures, moments and words as the site's settings say, else as this person's locale
    does."""
    mark = {DecimalMark.POINT: ".", DecimalMark.COMMA: ","}.get(settings.decimals)
    if mark is None:
        mark = "," if QLocale.system().decimalPoint() == "," else "."
    write_with(mark)
    write_moments(settings.dates, settings.clocks)
    speak(catalogue_of(QLocale(settings.language) if settings.language else QLocale.system()))
    try:
        locale.setlocale(locale.LC_TIME, "")
    except locale.Error:
        # A locale that is named but not installed: days keep their English names.
        locale.setlocale(locale.LC_TIME, "C")


def catalogue_of(language: QLocale, folder: Path | None = None) -> Catalogue:
    """The translation of each text, in all its forms where it has a count; empty for a language
    without one."""
    where = Path(languages.__file__).parent if folder is None else folder
    translator = QTranslator()
    if not translator.load(language, "rook_tally", "_", str(where), ".qm"):
        return {}
    # Loaded late: most people read what is written.
    from xml.etree import ElementTree

    root = ElementTree.parse(Path(languages.__file__).parent / "rook_tally.ts").getroot()
    catalogue: dict[str, dict[str, str | tuple[str, ...]]] = {}
    for context in root.iter("context"):
        name = context.findtext("name", "")
        texts = catalogue.setdefault(name, {})
        for message in context.iter("message"):
            text = message.findtext("source", "")
            if message.get("numerus"):
                forms = [translator.translate(name, text, None, count) for count in range(COUNTS)]
                if all(forms):
                    texts[text] = tuple(one or text for one in forms)
            elif other := translator.translate(name, text):
                texts[text] = other
    return catalogue


def attend_to(window: DeskWindow, only: SingleInstance | None) -> None:
    """Do for a window what it cannot do itself."""
    window.importer = partial(_read_file, window.store)
    window.looker = _look_at_file
    window.trier = partial(_try_door, window.store)
    window.registers_reader = _read_registers
    window.address_finder = _answering_addresses
    window.sample_reader = _read_sample
    window.first_step.connect(partial(_begin, window))
    if only is not None:
        notifier = QSocketNotifier(only.fileno(), QSocketNotifier.Type.Read, window)
        notifier.activated.connect(lambda *_: come_forward(window) if only.is_asked() else None)
    later = QTimer(window, singleShot=True, interval=_LATER_MS)
    later.timeout.connect(partial(_settle_in, window))
    # Else what a window began that was closed before would have nobody to end it.
    window.closing.connect(later.stop)
    later.start()


def _look_at_file(file: Path, skip: int | None) -> tuple[ColumnLook, ...]:
    # Loaded when a file is chosen: no window needs it to begin with.
    from rook_tally.cli.import_file import look_at_file

    return look_at_file(file, skip)


def _try_door(store: Store, settings: DoorSettings) -> DoorTrial:
    from rook_tally.cli.door_trial import try_door

    return try_door(store, settings)


def _read_sample(kind: Kind, text: str) -> DoorTrial:
    from rook_tally.cli.kinds import read_sample

    return read_sample(kind, text)


def _answering_addresses() -> tuple[Reachable, ...]:
    from rook_tally.cli.discover import answering_addresses

    return answering_addresses()


def _read_registers(
    settings: ModbusSetting, table: RegisterTable, at: int, count: int
) -> tuple[int | bool, ...]:
    from rook_tally.cli.door_trial import read_registers

    return read_registers(settings, table, at, count)


def _read_file(
    store: Store, asked: FileToImport, *, dry_run: bool, progress: Progress
) -> ImportAnswer:
    from rook_tally.cli.import_file import import_for_desk

    return import_for_desk(store, asked, dry_run=dry_run, progress=progress)


def _settle_in(window: DeskWindow) -> None:
    """Begin what can wait until the first picture stands: the log, the tray, the worker process."""
    from rook_tally.cli.logs import log_to_file
    from rook_tally.cli.paths import desk_log_file

    # First of all, whatever fails below: from here on garbage is looked for again.
    gc.freeze()
    gc.enable()
    log_to_file(desk_log_file())
    window.client.work_apart()
    from rook_tally.desk.app.proposal_look import ProposalLook

    ProposalLook(window)
    # What has been loaded stays for good: looking through it again takes as long as three frames.
    gc.freeze()
    if QSystemTrayIcon.isSystemTrayAvailable():
        from rook_tally.desk.app.tray import Tray

        tray = Tray(window.theme, window.state, window)
        window.recoloured.connect(tray.recolour)
        tray.shown_wanted.connect(partial(come_forward, window))
        tray.alarms_wanted.connect(partial(_show_alarms, window))
        tray.end_wanted.connect(window.close)


def _show_alarms(window: DeskWindow) -> None:
    come_forward(window)
    window.dialogs.show_alarms()


def come_forward(window: DeskWindow) -> None:
    """Show a window over the others, however it was put away."""
    if window.isMinimized():
        window.showNormal()
    window.show()
    window.raise_()
    window.activateWindow()
    # Where the desktop lets no window take the keyboard, its entry at least calls for a look.
    QApplication.alert(window)


def _begin(window: DeskWindow, step: FirstStep) -> None:
    """Open the demo beside this window, in a store of its own."""
    if step is not FirstStep.DEMO:
        return
    # Detached: it goes on when this window is closed.
    process = QProcess()
    environment = QProcessEnvironment.systemEnvironment()
    environment.remove("ROOK_TALLY_STORE")
    process.setProcessEnvironment(environment)
    process.setProgram(sys.executable)
    process.setArguments(["-m", "rook_tally", "demo"])
    process.setStandardOutputFile(QProcess.nullDevice())
    process.startDetached()
    window.tell("The demo is being made; its own window opens in some seconds.")
