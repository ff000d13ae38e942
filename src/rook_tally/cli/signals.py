"""Signals that ask the window to end."""

from __future__ import annotations

import contextlib
import signal
import socket
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QObject, QSocketNotifier


class EndOnSignal(QObject):
    """Calls `end` from the event loop after SIGTERM or SIGINT.

    The handler of a signal runs between any two steps of the main thread, which may hold a lock at
    that moment that closing a window waits for. So it only notes that the signal came. The system
    writes a byte for each signal, which wakes the event loop: nothing has to look by the clock.
    """

    def __init__(self, end: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._end = end
        self._is_asked = False
        self._told, tells = socket.socketpair()
        for one in (self._told, tells):
            one.setblocking(False)
        self._notifier = QSocketNotifier(self._told.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._look)
        signal.set_wakeup_fd(tells.fileno(), warn_on_full_buffer=False)
        self.destroyed.connect(partial(_leave, (self._told, tells)))
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._note)

    def _note(self, *_: object) -> None:
        self._is_asked = True

    def _look(self) -> None:
        with contextlib.suppress(BlockingIOError):
            self._told.recv(4096)
        if self._is_asked:
            self._is_asked = False
            self._end()


def _leave(pair: tuple[socket.socket, socket.socket]) -> None:
    # What has these numbers next is no business of signals.
    signal.set_wakeup_fd(-1)
    for one in pair:
        one.close()
