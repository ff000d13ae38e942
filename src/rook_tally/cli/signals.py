"""Signals that ask the window to end."""

from __future__ import annotations

import signal
from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer

_LOOK_EVERY_MS = 200


class EndOnSignal(QObject):
    """Calls `end` from the event loop after SIGTERM or SIGINT.

    The handler of a signal runs between any two steps of the main thread, which may hold a lock at
    that moment that closing a window waits for. So it only notes that the signal came. The timer
    also gives Python the steps at which it looks for signals.
    """

    def __init__(self, end: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._end = end
        self._is_asked = False
        self._timer = QTimer(self, interval=_LOOK_EVERY_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._note)

    def _note(self, *_: object) -> None:
        self._is_asked = True

    def _look(self) -> None:
        if self._is_asked:
            self._is_asked = False
            self._end()
