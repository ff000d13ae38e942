"""One run of the desk: its window, made anew when the site is to be written in other words."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtCore import QSocketNotifier, Qt, QTimer
from PySide6.QtWidgets import QApplication

from rook_tally.cli.desktop_integration import attend_to, speak_as_the_person_does
from rook_tally.cli.kept_collector import KeptCollector
from rook_tally.cli.paths import desk_settings_file, drafts_file
from rook_tally.cli.single_instance import SingleInstance
from rook_tally.cli.wall_wish import WallWish
from rook_tally.clock import now_us
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.theme import LIGHT, NIGHT, Theme
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.drafts import DraftFile
from rook_tally.desk.data.settings import SettingsFile, ThemeChoice
from rook_tally.desk.data.store_feed import StoreFeed
from rook_tally.store.base import Store
from rook_tally.store.site.site_reading import site_settings

if TYPE_CHECKING:
    from rook_tally.desk.data.recording import CollectorService

_KEEP_EVERY_MS = 10_000


class DeskSession:
    """The window on a store, its arrangement kept from one start to the next.

    When language, numbers, dates or clocks are set otherwise, here or by somebody else, another
    window takes the place of the one that is open: as it was arranged, with what was typed and not
    saved, and with the steps that can be undone.

    `only` hears of other starts, `wall` is what to show instead of everything, `recorder` the
    collector that goes with the window.
    """

    window: DeskWindow

    def __init__(
        self,
        application: QApplication,
        store: Store,
        *,
        only: SingleInstance | None = None,
        wall: WallWish | None = None,
        recorder: KeptCollector | None = None,
    ) -> None:
        self._application, self._store = application, store
        self._only, self._wall, self._recorder = only, wall, recorder
        self._file = SettingsFile(desk_settings_file())
        self._theme_chosen = self._file.of_store(store.id).theme
        # Not only at the end: a window that is killed comes back as it was.
        self._keeping = QTimer(application, interval=_KEEP_EVERY_MS)
        self._keeping.timeout.connect(self._keep_settings)
        application.styleHints().colorSchemeChanged.connect(self._follow_desktop)

    def open(self, feed: StoreFeed, drafts: DraftFile | None = None) -> None:
        """Make the window, not yet shown."""
        with self._store.read() as connection:
            settings = site_settings(connection)
        speak_as_the_person_does(settings)
        kept = self._file.of_store(self._store.id)
        self.window = window = DeskWindow(
            self._store,
            clock=now_us,
            theme=self._theme(),
            feed=feed,
            drafts=DraftFile(drafts_file(self._store.id)) if drafts is None else drafts,
        )
        window.speaks_as = settings.wording
        window.recorder = self._recorder
        if self._recorder is not None:
            window.service = partial(_service_of, self._store)
        window.arrangement.restore(kept)
        attend_to(window, self._only)
        window.theme_wanted.connect(self._choose_next_theme)
        window.closing.connect(self._keep_settings)
        window.other_words_wanted.connect(self._open_anew)
        self._keeping.start()

    def show(self) -> None:
        """Show it, or what of the Wall was asked for."""
        wall = self._wall
        if wall is None or not wall.full_screen:
            self.window.show()
        if wall is not None:
            self.window.hang(wall.sheet, full_screen=wall.full_screen, screen=wall.screen)

    def end(self) -> None:
        """Close it: nobody is there to be asked."""
        self.window.asks_before_closing = False
        self.window.close()
        # A window that is not shown ends nothing by being closed.
        QTimer.singleShot(0, self._application.quit)

    def _open_anew(self, _settings: SiteSettings) -> None:
        before = self.window
        # Of two that listen for another start Qt would hear one.
        for one in before.findChildren(QSocketNotifier):
            one.setEnabled(False)
        self._keep_settings()
        before.closing.disconnect(self._keep_settings)
        feed = StoreFeed(self._store, clock=now_us)
        feed.start()
        self.open(feed, before.give_up_drafts())
        self.window.undo.go_on_from(before.undo)
        self.window.state.show_window(before.state.window)
        self.show()
        before.asks_before_closing = False
        before.close()
        before.deleteLater()

    def _choose_next_theme(self) -> None:
        self._theme_chosen = self._theme_chosen.next
        self.window.change_theme(self._theme())

    def _follow_desktop(self, _scheme: Qt.ColorScheme) -> None:
        if self._theme_chosen is ThemeChoice.FOLLOW:
            self.window.change_theme(self._theme())

    def _theme(self) -> Theme:
        """The colours that were chosen, as the desktop is now."""
        is_dark = self._application.styleHints().colorScheme() is Qt.ColorScheme.Dark
        if self._theme_chosen is ThemeChoice.FOLLOW:
            return NIGHT if is_dark else LIGHT
        return NIGHT if self._theme_chosen is ThemeChoice.NIGHT else LIGHT

    def _keep_settings(self) -> None:
        made = self.window.arrangement.settings(self._theme_chosen)
        if self._wall is not None:
            # Beside a desk that may be open: only what is the Wall's is this window's to keep.
            made = replace(self._file.of_store(self._store.id), wall=made.wall)
        if self._recorder is not None:
            made = replace(made, opens_doors=self._recorder.is_open)
        self._file.keep_if_other(self._store.id, made)


def _service_of(store: Store) -> CollectorService:
    from rook_tally.cli.service import UserService

    return UserService(store.address)
