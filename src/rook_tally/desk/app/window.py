"""The window: head, notice line, views; and the bridge that brings news into Qt's thread."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QKeySequence, QPixmap, QResizeEvent, QShortcut
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.in_reach import Reachable
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.theme import LIGHT, Theme
from rook_tally.desk.app.action_list import commands_of, offer_menu
from rook_tally.desk.app.arrangement import WindowArrangement
from rook_tally.desk.app.banners import NoticeBanner, PastBanner
from rook_tally.desk.app.file_drop import FileDrop
from rook_tally.desk.app.header_bar import HeaderBar
from rook_tally.desk.app.recolour import recolour
from rook_tally.desk.app.refresh import WindowRefresh
from rook_tally.desk.app.stylesheet import palette_of, style_sheet
from rook_tally.desk.app.texts import tr
from rook_tally.desk.app.toast import Toast
from rook_tally.desk.app.ui_thread import UiThread
from rook_tally.desk.app.view_stack import ViewStack
from rook_tally.desk.app.views import LEDGER, STATIONS, STRIP, VIEWS, WALL, WATCH, WORKINGS
from rook_tally.desk.data.actions import Section
from rook_tally.desk.data.clock import Clock
from rook_tally.desk.data.door_trial import AddressFinder, DoorTrier, RegistersReader, SampleReader
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.file_importer import FileImporter, FileLooker
from rook_tally.desk.data.recording import CollectorService, Recorder
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.store_feed import StoreFeed
from rook_tally.desk.data.undo import UndoHistory
from rook_tally.desk.ledger.onboarding import FirstStep
from rook_tally.desk.ledger.view import LedgerView
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.rail.model import RailModel
from rook_tally.desk.rail.time_rail import TimeRail
from rook_tally.store.base import Store
from rook_tally.store.site import Series

if TYPE_CHECKING:
    from rook_tally.desk.app.dialogs import Dialogs
    from rook_tally.desk.bench.view import BenchView
    from rook_tally.desk.reports.view import ReportsView
    from rook_tally.desk.stations.view import StationsView
    from rook_tally.desk.strip.view import StripView
    from rook_tally.desk.wall.view import WallView
    from rook_tally.desk.watch.view import WatchView
    from rook_tally.desk.workings.view import WorkingsView


class DeskWindow(QMainWindow):
    """The desk on one store. `feed` may be running already, to save time at the start.

    `theme_wanted` is sent when another theme is to be chosen, `recoloured` once it is shown.
    `first_step` carries what a person chose in an empty store and only whoever made the window can
    do; `importer` reads files where one was given; `drafts` holds what was typed and not saved,
    also when the window was closed or killed. `other_words_wanted` carries the site's settings once
    they say that all is to be written otherwise, and no form is open.
    """

    theme_wanted = Signal()
    first_step = Signal(FirstStep)
    closing = Signal()
    recoloured = Signal()
    other_words_wanted = Signal(SiteSettings)

    def __init__(
        self,
        store: Store,
        *,
        clock: Clock,
        theme: Theme = LIGHT,
        feed: StoreFeed | None = None,
        drafts: DraftFile | None = None,
    ) -> None:
        # Before any part is made: each measures its words as it comes.
        QApplication.setFont(face(13))
        super().__init__()
        self.setWindowTitle(tr("Rook Tally"))
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.importer: FileImporter | None = None
        self.looker: FileLooker | None = None
        self.trier: DoorTrier | None = None
        self.address_finder: AddressFinder | None = None
        self.sample_reader: SampleReader | None = None
        self.registers_reader: RegistersReader | None = None
        self.recorder: Recorder | None = None
        self.service: Callable[[], CollectorService] | None = None
        # The copy that takes the place of the store once this window is closed.
        self.restores = ""
        self.asks_before_closing = True
        self._is_over = False
        # How it was told to write; None where nobody makes another window.
        self.speaks_as: tuple[object, ...] | None = None
        self.leaving: QMessageBox | None = None
        self.store = store
        self.drafts = DraftFile() if drafts is None else drafts
        self._other_clients: list[StoreClient] = []
        # Its own: it becomes another while the window stands.
        self.theme = theme = theme.own()
        # Of the application: a widget below one with a style sheet of its own inherits no other.
        QApplication.setPalette(palette_of(theme))
        self.state = SiteState(clock)
        self.ui_thread = UiThread()
        self.client = StoreClient(store, deliver=self.ui_thread.post)
        self.feed = feed if feed is not None else StoreFeed(store, clock=clock)
        self.head = HeaderBar(theme, self.state, VIEWS)
        self.undo = UndoHistory(self.client, told=self.tell)
        self.client.on_trouble = self.tell
        self.ledger = LedgerView(theme, self.state, self.client, self.undo)
        self.rail = TimeRail(theme, RailModel(self.state))
        self.notice = NoticeBanner(theme)
        self.banner = PastBanner(theme, self.state, self.rail.model)
        self.teller = Toast(theme, self)
        self._views = ViewStack(self, self.ledger)
        self.arrangement = WindowArrangement(self, self._views)
        self._refresh = WindowRefresh(self)
        self._lay_out()
        self._refresh.start()
        if feed is None:
            self.feed.start()
        self.feed.deliver_to(self._refresh.deliver)

    def _lay_out(self) -> None:
        theme = self.theme
        self.banner.trial_left.connect(self._end_trial)
        self.banner.told.connect(self.head.refresh)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.notice)
        column.addWidget(self.banner)
        column.addWidget(self._views, 1)
        column.addWidget(self.rail)
        self.setCentralWidget(whole)
        self.setPalette(palette_of(theme))
        self.setStyleSheet(style_sheet(theme))
        self.head.view_chosen.connect(self.show_view)
        self.ledger.series_opened.connect(self.open_in_strip)
        self.head.show_view(LEDGER)
        self.commands = commands_of(self)
        for command in self.commands:
            # Views look after their own keys: the same letter may mean another thing in each.
            if command.section in (Section.EVERYWHERE, Section.TIME):
                for keys in command.keys:
                    if keys != "Space":
                        self._shortcut(keys, command.call)
        # Only while the past is shown: else Space presses what has the focus, as everywhere.
        self._to_live = QShortcut(QKeySequence(Qt.Key.Key_Space), self)
        self._to_live.activated.connect(self.rail.model.go_live)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._watch_space)
        self._watch_space()
        self.rail.refused.connect(self.tell)
        self.notice.record_wanted.connect(self._record)
        self.ledger.told.connect(self.tell)
        self.head.alarms_wanted.connect(lambda: self.dialogs.show_alarms())
        self.head.site_wanted.connect(lambda: self.dialogs.show_site())
        self.ledger.first_step.connect(self._on_first_step)
        self.ledger.take_in_wanted.connect(self.take_in)
        self.ledger.name_wanted.connect(lambda: self.dialogs.show_site())
        self.head.menu_wanted.connect(partial(offer_menu, self))
        self._views.menu_wanted.connect(partial(offer_menu, self))
        self.ledger.readings_wanted.connect(lambda one: self.dialogs.show_readings(one))
        self.ledger.correction_wanted.connect(lambda one: self.dialogs.correct(one))
        self.ledger.places_wanted.connect(lambda one: self.dialogs.show_places(one))
        self.ledger.limits_wanted.connect(lambda one: self.dialogs.set_limits(one))
        self.ledger.pin_wanted.connect(lambda one: self.dialogs.write_pin(one))
        self.state.window_moved.append(self._watch_space)
        self.ledger.table.setFocus()
        FileDrop(
            self,
            read_readings=lambda file: self.dialogs.read_file(file),
            read_site=lambda file: self.dialogs.read_site_file(file),
            tell=self.tell,
        )

    def _shortcut(self, keys: str, call: Callable[[], object]) -> None:
        QShortcut(QKeySequence(keys), self).activated.connect(call)

    @property
    def strip(self) -> StripView:
        """The Strip view."""
        return self._views.strip

    @property
    def wall(self) -> WallView:
        """The Wall view."""
        return self._views.wall

    @property
    def workings(self) -> WorkingsView:
        """The Workings view."""
        return self._views.workings

    @property
    def bench(self) -> BenchView:
        """The Bench."""
        return self._views.bench

    def another_client(self) -> StoreClient:
        """A client beside the window's own, for what takes long: it ends with the window."""
        made = StoreClient(self.store, deliver=self.ui_thread.post)
        made.on_trouble = self.tell
        if self.client.is_apart:
            made.work_apart(is_patient=True)
        self._other_clients.append(made)
        return made

    def leave_client(self, client: StoreClient) -> None:
        """End a client that `another_client` made, before the window ends."""
        if client in self._other_clients:
            self._other_clients.remove(client)
            client.stop()

    @property
    def watch(self) -> WatchView:
        """The Watch view."""
        return self._views.watch

    @property
    def reports(self) -> ReportsView:
        """The Reports view."""
        return self._views.reports

    @property
    def stations(self) -> StationsView:
        """The Stations view."""
        return self._views.stations

    @cached_property
    def dialogs(self) -> Dialogs:
        """The opener of dialogs, loaded on first use."""
        from rook_tally.desk.app.dialogs import Dialogs

        return Dialogs(self)

    def tell(self, text: str) -> None:
        """Say in a passing line what was done."""
        if text:
            self.teller.tell(text, over=self.rail)

    @property
    def view_names(self) -> tuple[str, ...]:
        """The views there are."""
        return tuple(VIEWS)

    def turn_full_screen(self) -> None:
        """Fill the screen, or no longer; at the Wall its sheets do."""
        if self.view == WALL:
            self.wall.show_full()
            return
        self.showNormal() if self.isFullScreen() else self.showFullScreen()

    @property
    def view(self) -> int:
        """Which view is shown."""
        return self._views.currentIndex()

    def hang(self, slug: str, *, full_screen: bool, screen: str = "") -> None:
        """Turn to a sheet of the Wall, the first for none. On the whole screen it is all there is:
        this window goes with it."""
        self.arrangement.begin_with_wall(screen)
        if not full_screen:
            self.show_view(WALL)
            self.wall.begin_with(slug)
            return
        self.wall.begin_with(slug, is_full=True)
        self.wall.shown_full.connect(self.close)

    def show_watch(self, slug: str) -> None:
        """Turn to a watch."""
        self.show_view(WATCH)
        self.watch.model.pick(slug)

    def _on_first_step(self, step: FirstStep) -> None:
        if step is FirstStep.STATION:
            self.show_view(STATIONS)
            self.stations.tasks.add_station()
        elif step is FirstStep.FILE and self.importer is not None:
            self.dialogs.read_file()
        elif step is FirstStep.SITE:
            self.dialogs.read_site_file()
        else:
            self.first_step.emit(step)

    def describe_sensor(self, sensor: Reachable) -> None:
        """Begin a kind for a sensor that is heard by Bluetooth."""
        self.show_view(STATIONS)
        self.stations.tasks.describe_sensor(sensor)

    def take_in(self, key: str) -> None:
        """Let the person take a sender in, in the Stations view."""
        self.show_view(STATIONS)
        self.stations.tasks.take_in(key)

    def show_view(self, at: int) -> None:
        """Turn to a view."""
        self._views.show_view(at)
        self.head.show_view(at)

    def open_in_strip(self, series: list[Series]) -> None:
        """Add series to the Strip and turn to it."""
        self.strip.add_series(series)
        self.show_view(STRIP)

    def _watch_space(self, *_focus: object) -> None:
        """Space returns to now from the past, unless what has the focus is pressed by it."""
        presses = isinstance(QApplication.focusWidget(), QAbstractButton | QComboBox | QLineEdit)
        self._to_live.setEnabled(not self.state.window.is_live and not presses)

    def _end_trial(self) -> None:
        if self._views.is_made(WORKINGS):
            self.workings.model.score.end_trial()
        # What was tried out anywhere else.
        if self.state.trial:
            self.state.try_out({})

    def change_theme(self, other: Theme) -> None:
        """Show everything in other colours; nothing else changes."""
        recolour(self.theme, other)
        self.recoloured.emit()

    def give_up_drafts(self) -> DraftFile:
        """Hand the unsaved drafts to the window that takes the place of this one."""
        given, self.drafts = self.drafts, DraftFile()
        return given

    def _record(self) -> None:
        if self.recorder is not None:
            self.recorder.start()
            self.tell(tr("A collector is being started; readings are kept from now on."))

    def shown_picture(self) -> QPixmap:
        """The view that is shown, as it is drawn."""
        return self._views.grab()

    def restore_and_close(self, path: str) -> None:
        """Close the window; whoever opened it puts the copy in place and opens another."""
        self.restores = path
        self.asks_before_closing = False
        self.close()

    def _close_form(self, form: AskingDialog) -> None:
        form.discard()
        self.close()

    def _leave(self, *, keeps_recording: bool) -> None:
        if self.recorder is not None and keeps_recording:
            self.recorder.let_go()
        self.asks_before_closing = False
        self.close()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A passing line would stand in the wrong place."""
        super().resizeEvent(event)
        self.teller.hide()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Stop the threads before the window goes."""
        if self._is_over:
            # Closed before: by the person, and then by whoever opened it.
            super().closeEvent(event)
            return
        form = next((one for one in self.findChildren(AskingDialog) if one.is_touched), None)
        if self.asks_before_closing and form is not None and form.isVisible():
            event.ignore()
            form.leave(lambda: self._close_form(form))
            return
        if self.asks_before_closing and self.recorder is not None and self.recorder.is_running:
            event.ignore()
            # Loaded when it is asked: no first picture needs it.
            from rook_tally.desk.app.closing import ask_about_recording

            self.leaving = ask_about_recording(
                self,
                go_on=lambda: self._leave(keeps_recording=True),
                end=lambda: self._leave(keeps_recording=False),
            )
            return
        self._is_over = True
        self.closing.emit()
        self._refresh.stop()
        if self._views.is_made(WALL) and self.wall.showing is not None:
            self.wall.showing.close()
        application = QApplication.instance()
        if isinstance(application, QApplication):
            application.focusChanged.disconnect(self._watch_space)
        self.feed.stop()
        self.client.stop()
        for other in self._other_clients:
            other.stop()
        self.drafts.close()
        super().closeEvent(event)
