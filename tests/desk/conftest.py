"""A real window, drawn offscreen, that leaves no thread or widget behind."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator

import pytest
from pytestqt.qtbot import QtBot

from rook_tally.clock import now_us
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import Clock
from rook_tally.store.base import Store
from tests.processes import wait_until

OpenDesk = Callable[..., DeskWindow]


@pytest.fixture
def open_desk(qtbot: QtBot, store: Store) -> Iterator[OpenDesk]:
    """Opens windows on the store; they are closed, and their threads ended, after the test."""
    windows: list[DeskWindow] = []

    def opened(clock: Clock = now_us) -> DeskWindow:
        window = DeskWindow(store, clock=clock)
        windows.append(window)
        qtbot.addWidget(window)
        with qtbot.waitExposed(window):
            window.show()
        qtbot.waitUntil(lambda: window.state.is_loaded, timeout=20_000)
        return window

    yield opened
    for window in windows:
        window.asks_before_closing = False
        window.close()
    # A window does not wait for what it reads: its thread ends when that has come.
    wait_until(lambda: not {"feed", "store client"} & _names_of_threads())


def _names_of_threads() -> set[str]:
    return {thread.name for thread in threading.enumerate()}
