"""`rook-tally desk`."""

from __future__ import annotations

import gc
import importlib
import os
import sys
from typing import TYPE_CHECKING

from rook_tally.cli.kept_collector import KeptCollector
from rook_tally.cli.single_instance import SingleInstance
from rook_tally.cli.text_size import TextSize
from rook_tally.cli.wall_wish import WallWish
from rook_tally.core.errors import RookTallyError
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import collectors, sheet_called, sheets

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow


_KEEP_EVERY_MS = 10_000


def check_display() -> None:
    """RookTallyError when there is no screen: Qt would end the process without a word of use."""
    if os.environ.get("QT_QPA_PLATFORM") or sys.platform != "linux":
        return
    if not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise RookTallyError(
            "there is no screen here to open a window on",
            remedy="start it on a desktop, or use the commands that need none "
            "(collect, latest, export, demo --headless)",
        )


def run_desk(where: str, *, collect_too: bool, until_painted: bool = False) -> int:
    """Open the window on a store, with a collector as our child when none is heard."""
    check_display()
    # What is loaded until the first picture stands stays for good: looked through once, after it.
    gc.disable()
    store = open_store(where)
    child = None
    try:
        with SingleInstance(store.id) as only:
            if not only.is_first and not until_painted:
                only.ask_first()
                sys.stdout.write("rook-tally: its window is open already; it comes forward\n")
                return 0
            if collect_too and not store.is_read_only:
                child = KeptCollector(
                    store, is_open=_opens_doors(store), starts=not _is_collected(store)
                )
            code = show_desk(store, until_painted=until_painted, only=only, recorder=child)
    finally:
        if child is not None:
            child.end()
        store.close()
        gc.enable()
    if code == _RESTORES:
        _restore_and_open(where)
    return code


_RESTORES = 75
"""Exit code of a window that closes to have a copy of the store restored."""
_COPY, _NOT_RESTORED = "ROOK_TALLY_RESTORE", "ROOK_TALLY_NOT_RESTORED"


def _restore_and_open(where: str) -> None:
    """Put the copy that was chosen in the place of the store, and open the window again."""
    from pathlib import Path

    from rook_tally.clock import now_us
    from rook_tally.store.maintenance.copies import restore

    try:
        restore(Path(os.environ.pop(_COPY)), Path(where), now_us=now_us())
    except RookTallyError as error:
        os.environ[_NOT_RESTORED] = str(error)
    os.execv(sys.executable, [sys.executable, "-m", "rook_tally", "--store", where, "desk"])


def run_wall(where: str, sheet: str, *, full_screen: bool, screen: str) -> int:
    """Open the window at the Wall, or only show its sheets, beside a window that may be open."""
    check_display()
    # What is loaded until the first picture stands stays for good: looked through once, after it.
    gc.disable()
    store = open_store(where)
    child = None
    try:
        with store.read() as connection:
            # Told before anything opens, with the names there are.
            slug = sheet_called(connection, sheet).slug if sheet else ""
            if not sheets(connection):
                # On the whole screen there would be nothing, not even a way out.
                full_screen = False
                sys.stdout.write("rook-tally: no sheet hangs here yet; make the first one\n")
        if not store.is_read_only and not _is_collected(store):
            child = KeptCollector(store)
        return show_desk(store, wall=WallWish(slug, full_screen, screen))
    finally:
        if child is not None:
            child.end()
        store.close()
        gc.enable()


def _opens_doors(store: Store) -> bool:
    """True if a person opened the doors of this window's collector to the network."""
    from rook_tally.cli.paths import desk_settings_file
    from rook_tally.desk.data.settings import SettingsFile

    return SettingsFile(desk_settings_file()).of_store(store.id).opens_doors


def _is_collected(store: Store) -> bool:
    from rook_tally.clock import now_us

    with store.read() as connection:
        return bool(collectors(connection, now_us=now_us()))


def show_desk(
    store: Store,
    *,
    for_s: float | None = None,
    until_painted: bool = False,
    only: SingleInstance | None = None,
    wall: WallWish | None = None,
    recorder: KeptCollector | None = None,
) -> int:
    """Show the window until it is closed, or for some seconds; returns Qt's exit code."""
    from rook_tally.clock import now_us
    from rook_tally.desk.data.store_feed import StoreFeed

    # The store is read in the feed's thread while Qt is being loaded in this one.
    feed = StoreFeed(store, clock=now_us)
    feed.start()
    text_size = TextSize()
    _load_what_needs_no_qt()
    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from rook_tally.cli.desk_session import DeskSession
    from rook_tally.cli.signals import EndOnSignal

    text_size.follow()
    application = QApplication(sys.argv[:1])
    application.setApplicationName("rook-tally")
    application.setDesktopFileName("rook-tally")
    session = DeskSession(application, store, only=only, wall=wall, recorder=recorder)
    session.open(feed)
    EndOnSignal(session.end, application)
    if until_painted:
        _end_at_first_picture(session.window)
    session.show()
    if for_s is not None:
        QTimer.singleShot(round(for_s * 1000), session.end)
    if _NOT_RESTORED in os.environ:
        session.window.tell(os.environ.pop(_NOT_RESTORED))
    code = application.exec()
    if session.window.restores:
        os.environ[_COPY] = session.window.restores
        return _RESTORES
    return code


def _load_what_needs_no_qt() -> None:
    """The models, before Qt: PySide reads the source of every module that is loaded after it."""
    for name in (
        "ledger.series_summary",
        "ledger.remark_lines",
        "parts.antialias",
        "data.commands",
        "app.action_list",
        "data.file_importer",
        "rail.model",
        "data.settings",
    ):
        importlib.import_module(f"rook_tally.desk.{name}")


def _end_at_first_picture(window: DeskWindow) -> None:
    """Print a line once a cell of the Ledger and its day stand in the picture, then close."""
    from PySide6.QtCore import QTimer

    model = window.ledger.model

    def painted(row: int, column: int) -> None:
        if model.cell(row, column) is not None and window.state.ribbons:
            window.ledger.table.cells.on_painted = None
            sys.stdout.write("painted\n")
            sys.stdout.flush()
            QTimer.singleShot(0, window.close)

    window.ledger.table.cells.on_painted = painted
