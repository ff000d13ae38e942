"""The commands of the window: for all of it, for time, and those of each view."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu

from rook_tally.desk.app.texts import tr
from rook_tally.desk.bench.actions import BenchAction
from rook_tally.desk.data.actions import Action, Section, key_words
from rook_tally.desk.data.time_window import PRESETS
from rook_tally.desk.ledger.actions import LedgerAction
from rook_tally.desk.reports.actions import ReportsAction
from rook_tally.desk.stations.actions import StationsAction
from rook_tally.desk.strip.actions import StripAction
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.watch.actions import WatchAction
from rook_tally.desk.workings.actions import WorkingsAction

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow

_PRESET_KEYS = ("Ctrl+1", "Ctrl+2", "Ctrl+3", "Ctrl+4", "Ctrl+5", "Ctrl+6")


def commands_of(window: DeskWindow) -> list[Action]:
    """Everything that can be done in a window. Nothing is made before it is called for."""
    return [*_everywhere(window), *_of_time(window), *_of_views(window)]


def offer_menu(window: DeskWindow, at: QPoint) -> None:
    """Offer what can be done in the view shown, and everywhere, with its keys; `at` is where on
    the screen."""
    shown = window.view_names[window.view].upper()
    menu = QMenu(window)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for section in (Section[shown], Section.TIME, Section.EVERYWHERE):
        part = menu if section.name == shown else menu.addMenu(tr(section.value))
        for one in window.commands:
            if one.section is section:
                entry = part.addAction(f"{tr(one.words)}\t{key_words(one.keys)}")
                entry.triggered.connect(lambda _checked=False, call=one.call: call())
    menu.popup(at)


def _everywhere(window: DeskWindow) -> Iterator[Action]:
    def command(words: str, keys: tuple[str, ...], call: Callable[[], object]) -> Action:
        return Action(Section.EVERYWHERE, words, keys, call)

    for at, name in enumerate(window.view_names):
        yield command(tr("{0} view", name), (f"Alt+{at + 1}",), partial(window.show_view, at))
    yield command(
        tr("Find a place, station, series, remark or command"),
        ("/", "Ctrl+K"),
        lambda: window.dialogs.find(),
    )
    yield command(
        tr("Alarms: acknowledge, shelve"), ("Ctrl+Shift+A",), lambda: window.dialogs.show_alarms()
    )
    yield command(tr("This sheet of keys"), ("?", "F1"), lambda: window.dialogs.show_keys())
    yield command(tr("Undo"), ("Ctrl+Z",), lambda: window.undo.undo())
    yield command(tr("Do again"), ("Ctrl+Shift+Z",), lambda: window.undo.redo())
    yield command(
        tr("Theme: the desktop's, light, night"), ("Ctrl+Shift+L",), window.theme_wanted.emit
    )
    yield command(
        tr("Site settings: name, time zone, daily copies, access keys"),
        ("Ctrl+,",),
        lambda: window.dialogs.show_site(),
    )
    yield command(
        tr("Store: how big, copies, check, compact, thin; the collector"),
        ("Ctrl+Shift+B",),
        lambda: window.dialogs.show_store(),
    )
    yield command(
        tr("Units of every quantity: SI, US, UK"),
        ("Ctrl+Shift+U",),
        lambda: window.dialogs.choose_units(),
    )
    yield command(
        tr("What was changed: when, by whom; take it back"),
        ("Ctrl+Shift+H",),
        lambda: window.dialogs.show_changes(),
    )
    yield command(
        tr("What leaves this machine: to whom, what of, when last; switch it off"),
        ("Ctrl+Shift+E",),
        lambda: window.dialogs.show_leaves(),
    )
    yield command(
        tr("In reach: who sends and is no station yet, ports, probes; every door"),
        ("Ctrl+Shift+I",),
        lambda: window.dialogs.show_in_reach(),
    )
    yield command(
        tr("Guidelines: those that come along, and own ones"),
        ("Ctrl+Shift+G",),
        lambda: window.dialogs.show_guidelines(),
    )
    yield command(
        tr("Keys of programs that read and of gateways that send"),
        ("Ctrl+Shift+K",),
        lambda: window.dialogs.show_access_keys(),
    )
    yield command(tr("Read a CSV file"), ("Ctrl+O",), lambda: window.dialogs.read_file())
    yield command(
        tr("Files that were read: take one back"), (), lambda: window.dialogs.show_imports()
    )
    yield command(
        tr("Read a site file, or a ready-made one"),
        ("Ctrl+Shift+O",),
        lambda: window.dialogs.read_site_file(),
    )
    yield command(
        tr("Save the site as a file"), ("Ctrl+Shift+S",), lambda: window.dialogs.save_site_file()
    )
    yield command(tr("Print what is shown"), ("Ctrl+Shift+P",), lambda: window.dialogs.print_view())
    yield command(
        tr("About: version, where the store is"), ("Shift+F1",), lambda: window.dialogs.show_about()
    )
    yield command(tr("Full screen"), ("F11",), window.turn_full_screen)
    yield command(tr("Close the window"), ("Ctrl+Q",), window.close)


def _of_time(window: DeskWindow) -> Iterator[Action]:
    def command(words: str, keys: tuple[str, ...], call: Callable[[], object]) -> Action:
        return Action(Section.TIME, words, keys, call)

    rail = window.rail
    yield Action(Section.TIME, tr("Back to now"), ("Space",), rail.model.go_live)
    yield command(tr("Go to a time you type"), ("G",), rail.ask_where_to)
    for keys, (words, span_us) in zip(_PRESET_KEYS, PRESETS, strict=True):
        yield command(tr("The last {0}", words), (keys,), partial(rail.model.show_last, span_us))
    yield command(tr("Everything"), ("Ctrl+0",), rail.model.show_everything)
    yield command(tr("To the time rail: arrows move the window"), ("Ctrl+T",), rail.track.setFocus)


def _of_views(window: DeskWindow) -> Iterator[Action]:
    names = list(window.view_names)

    def ledger(action: LedgerAction) -> None:
        window.show_view(names.index("Ledger"))
        window.ledger.do(action)

    def strip(action: StripAction) -> None:
        window.show_view(names.index("Strip"))
        window.strip.do(action)

    def wall(action: WallAction) -> None:
        window.show_view(names.index("Wall"))
        window.wall.do(action)

    def workings(action: WorkingsAction) -> None:
        window.show_view(names.index("Workings"))
        window.workings.do(action)

    def bench(action: BenchAction) -> None:
        window.show_view(names.index("Bench"))
        window.bench.do(action)

    def reports(action: ReportsAction) -> None:
        window.show_view(names.index("Reports"))
        window.reports.do(action)

    def watch(action: WatchAction) -> None:
        window.show_view(names.index("Watch"))
        window.watch.do(action)

    def stations(action: StationsAction) -> None:
        window.show_view(names.index("Stations"))
        window.stations.do(action)

    for one in LedgerAction:
        yield Action(Section.LEDGER, one.words, one.keys, partial(ledger, one))
    for other in StripAction:
        yield Action(Section.STRIP, other.words, other.keys, partial(strip, other))
    for fifth in WallAction:
        yield Action(Section.WALL, fifth.words, fifth.keys, partial(wall, fifth))
    for third in WorkingsAction:
        yield Action(Section.WORKINGS, third.words, third.keys, partial(workings, third))
    for seventh in BenchAction:
        yield Action(Section.BENCH, seventh.words, seventh.keys, partial(bench, seventh))
    for fourth in WatchAction:
        yield Action(Section.WATCH, fourth.words, fourth.keys, partial(watch, fourth))
    for eighth in ReportsAction:
        yield Action(Section.REPORTS, eighth.words, eighth.keys, partial(reports, eighth))
    for sixth in StationsAction:
        yield Action(Section.STATIONS, sixth.words, sixth.keys, partial(stations, sixth))
