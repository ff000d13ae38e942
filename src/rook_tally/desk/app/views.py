"""The views of a window in their order, and how those are made that the first picture needs not.

Each is loaded with its first use: the Strip alone takes as long as a bare window.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.bench.view import BenchView
    from rook_tally.desk.reports.view import ReportsView
    from rook_tally.desk.stations.view import StationsView
    from rook_tally.desk.strip.view import StripView
    from rook_tally.desk.wall.view import WallView
    from rook_tally.desk.watch.view import WatchView
    from rook_tally.desk.workings.view import WorkingsView

VIEWS = ["Ledger", "Strip", "Wall", "Workings", "Bench", "Watch", "Reports", "Stations"]
LEDGER, STRIP, WALL, WORKINGS, BENCH, WATCH, REPORTS, STATIONS = range(len(VIEWS))


def make_strip(window: DeskWindow) -> StripView:
    """Make the Strip of a window."""
    from rook_tally.desk.strip.view import StripView

    made = StripView(window.theme, window.state, window.client, window.undo)
    made.readings_wanted.connect(window.dialogs.show_readings)
    made.correction_wanted.connect(window.dialogs.correct)
    made.limits_wanted.connect(window.dialogs.set_limits)
    made.copy_wanted.connect(window.dialogs.copy_figures)
    made.csv_wanted.connect(window.dialogs.save_csv)
    made.picture_wanted.connect(window.dialogs.save_picture)
    made.told.connect(window.tell)
    window.recoloured.connect(made.inking.start)
    return made


def make_wall(window: DeskWindow) -> WallView:
    """Make the Wall of a window."""
    from rook_tally.desk.wall.view import WallView

    made = WallView(window.theme, window.state, window.client, window.arrangement.wall)
    made.series_opened.connect(window.open_in_strip)
    return made


def make_workings(window: DeskWindow) -> WorkingsView:
    """Make the Workings view of a window."""
    from rook_tally.desk.workings.view import WorkingsView

    made = WorkingsView(window.theme, window.state, window.client, window.drafts, window.undo)
    made.limits_wanted.connect(window.dialogs.set_limits)
    window.undo.moved.subscribe(made.take_step)
    return made


def make_bench(window: DeskWindow) -> BenchView:
    """Make the Bench of a window, with a reading process of its own: what it asks takes long."""
    from rook_tally.desk.bench.view import BenchView

    asking = window.another_client()
    made = BenchView(window.theme, window.state, window.client, asking)
    made.told.connect(window.tell)
    made.series_opened.connect(window.open_in_strip)
    made.span_wanted.connect(window.dialogs.write_span)
    window.undo.moved.subscribe(lambda _done: made.ask_again())
    return made


def make_reports(window: DeskWindow) -> ReportsView:
    """Make the Reports view of a window, with a reading process of its own as the Bench has."""
    from rook_tally.desk.reports.view import ReportsView

    made = ReportsView(window.theme, window.state, window.client, window.another_client())
    made.told.connect(window.tell)
    made.leaves_wanted.connect(window.dialogs.show_leaves)
    made.guidelines_wanted.connect(window.dialogs.show_guidelines)
    window.undo.moved.subscribe(lambda _done: made.ask_again())
    return made


def make_watch(window: DeskWindow) -> WatchView:
    """Make the Watch view of a window."""
    from rook_tally.desk.watch.view import WatchView

    made = WatchView(window.theme, window.state, window.client, window.drafts, window.undo)
    window.undo.moved.subscribe(made.take_step)
    return made


def make_stations(window: DeskWindow) -> StationsView:
    """Make the Stations view of a window."""
    from rook_tally.desk.stations.view import StationsView

    made = StationsView(window.theme, window.state, window.client)
    made.tasks.recorder = window.recorder
    made.tasks.registers_reader = window.registers_reader
    made.tasks.sample_reader = window.sample_reader
    made.limits_wanted.connect(window.dialogs.set_limits)
    made.readings_wanted.connect(window.dialogs.show_readings)
    made.series_opened.connect(window.open_in_strip)
    made.in_reach_wanted.connect(window.dialogs.show_in_reach)
    made.plan.task_wanted.connect(window.dialogs.show_task)
    made.plan.told.connect(window.tell)
    return made
