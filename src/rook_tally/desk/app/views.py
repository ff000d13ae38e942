"""The views of a window in their order, and how those are made that the first picture needs not.

Each is loaded with its first use: the Strip alone takes as long as a bare window.
"""

from __future__ import annotations

import gc
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow

VIEWS = ["Ledger", "Strip", "Wall", "Workings", "Watch", "Stations"]
LEDGER, STRIP, WALL, WORKINGS, WATCH, STATIONS = range(len(VIEWS))


def _strip(window: DeskWindow) -> Any:
    from rook_tally.desk.strip.view import StripView

    made = StripView(window.theme, window.state, window.reader)
    made.readings_wanted.connect(window.dialogs.show_readings)
    made.correction_wanted.connect(window.dialogs.correct)
    made.copy_wanted.connect(window.dialogs.copy_figures)
    made.csv_wanted.connect(window.dialogs.save_csv)
    made.picture_wanted.connect(window.dialogs.save_picture)
    # All that was loaded stays: looking through it again takes as long as three frames.
    gc.freeze()
    return made


def _wall(window: DeskWindow) -> Any:
    from rook_tally.desk.wall.view import WallView

    made = WallView(window.theme, window.state, window.reader, window.wall_settings)
    made.series_opened.connect(window.open_in_strip)
    return made


def _workings(window: DeskWindow) -> Any:
    from rook_tally.desk.workings.view import WorkingsView

    return WorkingsView(window.theme, window.state, window.reader)


def _watch(window: DeskWindow) -> Any:
    from rook_tally.desk.watch.view import WatchView

    return WatchView(window.theme, window.state, window.reader)


def _stations(window: DeskWindow) -> Any:
    from rook_tally.desk.stations.view import StationsView

    return StationsView(window.theme, window.state, window.reader)


MADE_LATER: dict[int, Callable[[DeskWindow], Any]] = {
    STRIP: _strip,
    WALL: _wall,
    WORKINGS: _workings,
    WATCH: _watch,
    STATIONS: _stations,
}
