"""Saves how a window is arranged, and arranges the next one the same way."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import replace
from PySide6.QtCore import QByteArray

from rook_tally.desk.app.views import LEDGER, STRIP, VIEWS, WALL
from rook_tally.desk.data.file_names import FILE_NAMES
from rook_tally.desk.data.settings import DeskSettings, ThemeChoice, WallSettings
from rook_tally.store.site import Series

if TYPE_CHECKING:
    from rook_tally.desk.app.view_stack import ViewStack
    from rook_tally.desk.app.window import DeskWindow


class WindowArrangement:
    """The arrangement of a window. `lanes` are those of the last time, for the Strip when it is
    looked at first; `wall` how the Wall is shown, for when it is."""

    def __init__(self, window: DeskWindow, views: ViewStack) -> None:
        self._window, self._views = window, views
        self.lanes: list[list[Series]] = []
        self.wall = WallSettings()
        # To be turned to once the site is known, by station and field.
        self._view: int | None = None
        self._lanes_named: tuple[tuple[tuple[str, str], ...], ...] = ()

    def settings(self, theme: ThemeChoice) -> DeskSettings:
        """The arrangement as it is now."""
        window, views = self._window, self._views
        lanes = (
            ()
            if not views.is_made(STRIP)
            else tuple(
                tuple((one.station.key, one.field) for one in lane.series)
                for lane in window.strip.model.lanes
            )
        )
        return DeskSettings(
            theme,
            views.currentIndex(),
            window.state.window.span_us,
            lanes or self._lanes_named,
            bytes(window.saveGeometry().data()).hex(),
            window.ledger.model.arrangement,
            window.wall.settings if views.is_made(WALL) else self.wall,
            files=FILE_NAMES.chosen,
        )

    def restore(self, settings: DeskSettings) -> None:
        """Arrange the window as it was. Lanes and view follow once the site is known."""
        window = self._window
        if settings.geometry:
            window.restoreGeometry(QByteArray.fromHex(settings.geometry.encode()))
        if settings.span_us:
            window.state.show_last(settings.span_us)
        self._lanes_named = settings.lanes
        FILE_NAMES.keep(settings.files)
        window.ledger.model.arrange(settings.ledger)
        self.wall = settings.wall
        self._view = settings.view if 0 <= settings.view < len(VIEWS) else LEDGER
        self.settle()

    def settle(self) -> None:
        """Turn to the view of the last time, once, when the site is known."""
        if self._view is None or not self._window.state.is_loaded:
            return
        view, self._view = self._view, None
        if self._lanes_named:
            site = self._window.state.site
            by_name = {(one.station.key, one.field): one for one in site.series}
            lanes = [
                [by_name[name] for name in lane if name in by_name] for lane in self._lanes_named
            ]
            self.lanes = [lane for lane in lanes if lane]
        if view:
            self._window.show_view(view)

    def begin_with_wall(self, screen: str) -> None:
        """Show the Wall, not the view of the last time; on this screen if one is named."""
        self._view = None
        if screen:
            self.wall = replace(self.wall, screen=screen)
            if self._views.is_made(WALL):
                self._window.wall.settings = self.wall
