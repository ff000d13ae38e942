"""The window: head, notice line, views; and the bridge that brings news into Qt's thread."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtCore import QByteArray, QPoint, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QKeySequence, QPixmap, QResizeEvent, QShortcut
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QDialog,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from rook_tally.core.in_reach import Reachable
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.theme import LIGHT, Theme
from rook_tally.desk.app.action_list import commands_of
from rook_tally.desk.app.banners import NoticeBanner, PastBanner
from rook_tally.desk.app.file_drop import FileDrop
from rook_tally.desk.app.header_bar import HeaderBar
from rook_tally.desk.app.recolour import recolour
from rook_tally.desk.app.stylesheet import palette_of, style_sheet
from rook_tally.desk.app.texts import tr, tr_count
from rook_tally.desk.app.toast import Toast
from rook_tally.desk.app.ui_thread import UiThread
from rook_tally.desk.app.view_stack import ViewStack
from rook_tally.desk.app.views import LEDGER, STATIONS, STRIP, VIEWS, WALL, WATCH, WORKINGS
from rook_tally.desk.data.actions import Section, key_words
from rook_tally.desk.data.clock import Clock
from rook_tally.desk.data.door_trial import AddressFinder, DoorTrier, RegistersReader, SampleReader
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.file_importer import FileImporter, FileLooker
from rook_tally.desk.data.file_names import FILE_NAMES
from rook_tally.desk.data.recording import CollectorService, Recorder
from rook_tally.desk.data.settings import DeskSettings, ThemeChoice, WallSettings
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import StoreClient
from rook_tally.desk.data.store_feed import News, StoreFeed
from rook_tally.desk.data.undo import UndoHistory
from rook_tally.desk.ledger.onboarding import FirstStep
from rook_tally.desk.ledger.view import LedgerView
from rook_tally.desk.parts.asking_dialog import AskingDialog
from rook_tally.desk.parts.fonts_and_colours import face
from rook_tally.desk.rail.model import RailModel
from rook_tally.desk.rail.time_rail import TimeRail
from rook_tally.store.base import Store
from rook_tally.store.site import Series
from rook_tally.wall.site_snapshot import SiteSnapshot

if TYPE_CHECKING:
    from rook_tally.desk.app.dialogs import Dialogs
    from rook_tally.desk.bench.view import BenchView
    from rook_tally.desk.reports.view import ReportsView
    from rook_tally.desk.stations.view import StationsView
    from rook_tally.desk.strip.view import StripView
    from rook_tally.desk.wall.view import WallView
    from rook_tally.desk.watch.view import WatchView
    from rook_tally.desk.workings.view import WorkingsView

_TICK_MS = 1_000
_MOMENT_PAUSE_MS = 150


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
        self._told_of_drafts = False
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
        # How it was told to write; None where nobody makes another window.
        self.speaks_as: tuple[object, ...] | None = None
        self.leaving: QMessageBox | None = None
        self.store = store
        self.drafts = DraftFile() if drafts is None else drafts
        self._view_kept: int | None = None
        self._other_clients: list[StoreClient] = []
        # Lanes of the last time, for the Strip when it is looked at first.
        self.lanes_kept: list[list[Series]] = []
        self._lanes_kept: tuple[tuple[tuple[str, str], ...], ...] = ()
        # Its own: it becomes another while the window stands.
        self.theme = theme = theme.own()
        # Of the application: a widget below one with a style sheet of its own inherits no other.
        QApplication.setPalette(palette_of(theme))
        self.state = SiteState(clock)
        self._ui_thread = UiThread()
        self.client = StoreClient(store, deliver=self._ui_thread.post)
        self.feed = feed if feed is not None else StoreFeed(store, clock=clock)
        self.head = HeaderBar(theme, self.state, VIEWS)
        self.undo = UndoHistory(self.client, told=self.tell)
        self.client.on_trouble = self.tell
        self.ledger = LedgerView(theme, self.state, self.client, self.undo)
        self.wall_settings = WallSettings()
        self.rail = TimeRail(theme, RailModel(self.state))
        self.notice = NoticeBanner(theme)
        self.banner = PastBanner(theme, self.state, self.rail.model)
        self.teller = Toast(theme, self)
        self._views = ViewStack(self, self.ledger)
        self._lay_out()
        self._moment_timer = QTimer(self, singleShot=True, interval=_MOMENT_PAUSE_MS)
        self._moment_timer.timeout.connect(self._ask_moment)
        self._told_at_head = (False, 0, True)
        self._tick = QTimer(self, interval=_TICK_MS)
        self._tick.timeout.connect(self._on_tick)
        self._tick.start()
        self.state.subscribe(self._on_state_changed)
        if feed is None:
            self.feed.start()
        self.feed.deliver_to(self._deliver)

    def _lay_out(self) -> None:
        theme = self.theme
        self.banner.trial_left.connect(self._end_trial)
        self.banner.told.connect(self._ask_rail)
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
        self.head.menu_wanted.connect(self._offer_actions)
        self._views.menu_wanted.connect(self._offer_actions)
        self.ledger.readings_wanted.connect(lambda one: self.dialogs.show_readings(one))
        self.ledger.correction_wanted.connect(lambda one: self.dialogs.correct(one))
        self.ledger.places_wanted.connect(lambda one: self.dialogs.show_places(one))
        self.ledger.limits_wanted.connect(lambda one: self.dialogs.set_limits(one))
        self.ledger.pin_wanted.connect(lambda one: self.dialogs.write_pin(one))
        self.state.window_moved.append(self._on_window_moved)
        self.rail.model.changed.append(self._ask_rail)
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
        made = StoreClient(self.store, deliver=self._ui_thread.post)
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
        if screen:
            self.wall_settings = replace(self.wall_settings, screen=screen)
            if self._views.is_made(WALL):
                self.wall.settings = self.wall_settings
        self._view_kept = None
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

    def _offer_actions(self, at: QPoint) -> None:
        """Everything that can be done in the view shown, and everywhere, with its keys."""
        shown = VIEWS[self.view].upper()
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for section in (Section[shown], Section.TIME, Section.EVERYWHERE):
            part = menu if section.name == shown else menu.addMenu(tr(section.value))
            for one in self.commands:
                if one.section is section:
                    entry = part.addAction(f"{tr(one.words)}\t{key_words(one.keys)}")
                    entry.triggered.connect(lambda _checked=False, call=one.call: call())
        menu.popup(at)

    def show_view(self, at: int) -> None:
        """Turn to a view."""
        self._views.show_view(at)
        self.head.show_view(at)

    def open_in_strip(self, series: list[Series]) -> None:
        """Add series to the Strip and turn to it."""
        self.strip.add_series(series)
        self.show_view(STRIP)

    def settings(self, theme: ThemeChoice) -> DeskSettings:
        """The arrangement as it is now."""
        lanes = (
            ()
            if not self._views.is_made(STRIP)
            else tuple(
                tuple((one.station.key, one.field) for one in lane.series)
                for lane in self.strip.model.lanes
            )
        )
        return DeskSettings(
            theme,
            self._views.currentIndex(),
            self.state.window.span_us,
            lanes or self._lanes_kept,
            bytes(self.saveGeometry().data()).hex(),
            self.ledger.model.arrangement,
            self.wall.settings if self._views.is_made(WALL) else self.wall_settings,
            files=FILE_NAMES.chosen,
        )

    def arrange(self, settings: DeskSettings) -> None:
        """Arrange it as it was. Lanes and view follow once the site is known."""
        if settings.geometry:
            self.restoreGeometry(QByteArray.fromHex(settings.geometry.encode()))
        if settings.span_us:
            self.state.show_last(settings.span_us)
        self._lanes_kept = settings.lanes
        FILE_NAMES.keep(settings.files)
        self.ledger.model.arrange(settings.ledger)
        self.wall_settings = settings.wall
        self._view_kept = settings.view if 0 <= settings.view < len(VIEWS) else LEDGER
        if self.state.is_loaded:
            self._arrange_views()

    def _arrange_views(self) -> None:
        view, self._view_kept = self._view_kept, None
        if self._lanes_kept:
            by_name = {(one.station.key, one.field): one for one in self.state.site.series}
            lanes = [
                [by_name[name] for name in lane if name in by_name] for lane in self._lanes_kept
            ]
            self.lanes_kept = [lane for lane in lanes if lane]
        if view:
            self.show_view(view)

    def _on_window_moved(self) -> None:
        """Have the moment shown read, when it is a past one, and say soon which it is."""
        self._watch_space()
        if self._views.currentIndex() == STRIP:
            # The lanes are being panned: how the whole site stood then can wait for the hand.
            self._moment_timer.start()
        else:
            self._ask_moment()
        self.banner.tell_soon()

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

    def _deliver(self, news: News) -> None:
        self._ui_thread.post(partial(self.state.take, news))

    def _ask_moment(self) -> None:
        question = self.state.moment_question()
        if question is not None:
            self.client.read(question, self._on_moment)

    def _ask_rail(self) -> None:
        if self.state.is_loaded and self.rail.model.is_to_be_asked():
            self.client.read(self.rail.model.question(), self.rail.model.take)

    def _on_moment(self, moment: SiteSnapshot) -> None:
        self.state.take_moment(moment)
        self._ask_moment()

    def _on_state_changed(self, changed: set[int] | None) -> None:
        told = changed is None, self.state.alarm_moves, self.state.window.is_live
        if told == self._told_at_head:
            self.head.refresh_soon()
        else:
            # What rings, and another moment, are seen at once.
            self.head.refresh()
        self._told_at_head = (False, *told[1:])
        self.banner.tell_trial()
        if changed is None:
            self._ask_rail()
            if self._view_kept is not None and self.state.is_loaded:
                self._arrange_views()
            if self.state.is_loaded and not self._told_of_drafts:
                self._told_of_drafts = True
                self._tell_of_drafts()
        self._show_notice()
        self._ask_for_other_words()

    def change_theme(self, other: Theme) -> None:
        """Show everything in other colours; nothing else changes."""
        recolour(self.theme, other)
        self.recoloured.emit()

    def _tell_of_drafts(self) -> None:
        count = self.drafts.count
        if count:
            self.tell(
                tr_count(
                    count,
                    "A change that was not saved is kept; its row says so.",
                    "{0} changes that were not saved are kept; their rows say so.",
                )
            )

    def _on_tick(self) -> None:
        self.head.refresh()
        self.state.follow_now()
        self.ledger.model.tick()
        self._ask_rail()
        self.rail.refresh()
        self._show_notice()
        self._ask_for_other_words()

    def _ask_for_other_words(self) -> None:
        if self.speaks_as is None or not self.state.is_loaded:
            return
        settings = self.state.site.settings
        if settings.wording == self.speaks_as:
            return
        if not any(one.isVisible() for one in self.findChildren(QDialog)):
            # Asked for once.
            self.speaks_as = None
            self.other_words_wanted.emit(settings)

    def give_up_drafts(self) -> DraftFile:
        """Hand the unsaved drafts to the window that takes the place of this one."""
        given, self.drafts = self.drafts, DraftFile()
        return given

    def _show_notice(self) -> None:
        text = self.state.notice()
        if self.recorder is not None and self.state.is_loaded and not self.state.collectors:
            self.notice.say_with_link(text)
        else:
            self.notice.say_plainly(text)

    def _record(self) -> None:
        if self.recorder is not None:
            self.recorder.start()
            self.tell(tr("A collector is being started; readings are kept from now on."))

    def _ask_before_closing(self) -> None:
        """Closing ends the recording, unless the person lets it go on."""
        question = QMessageBox(
            QMessageBox.Icon.NoIcon,
            tr("Close the window"),
            tr(
                "Readings are recorded, and alarms ring, as long as this window is open. "
                "Shall that go on without it?"
            ),
            QMessageBox.StandardButton.Cancel,
            self,
        )
        question.setTextFormat(Qt.TextFormat.PlainText)
        go_on = question.addButton(tr("Keep recording"), QMessageBox.ButtonRole.AcceptRole)
        end = question.addButton(tr("Stop recording"), QMessageBox.ButtonRole.DestructiveRole)
        question.setDefaultButton(go_on)
        go_on.clicked.connect(lambda: self._leave(keeps_recording=True))
        end.clicked.connect(lambda: self._leave(keeps_recording=False))
        self.leaving = question
        question.open()

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
        form = next((one for one in self.findChildren(AskingDialog) if one.is_touched), None)
        if self.asks_before_closing and form is not None and form.isVisible():
            event.ignore()
            form.leave(lambda: self._close_form(form))
            return
        if self.asks_before_closing and self.recorder is not None and self.recorder.is_running:
            event.ignore()
            self._ask_before_closing()
            return
        self.closing.emit()
        self._tick.stop()
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
