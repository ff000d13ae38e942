"""The bridge from other threads into Qt's."""

from __future__ import annotations

from collections.abc import Callable
from queue import SimpleQueue

from PySide6.QtCore import QObject, Qt, Signal


class UiThread(QObject):
    """Calls functions in the thread it was made in, in their order, whoever posts them."""

    _posted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._calls: SimpleQueue[Callable[[], None]] = SimpleQueue()
        self._posted.connect(self._call_next, Qt.ConnectionType.QueuedConnection)

    def post(self, call: Callable[[], None]) -> None:
        """Have a function called soon."""
        self._calls.put(call)
        self._posted.emit()

    def _call_next(self) -> None:
        self._calls.get_nowait()()
