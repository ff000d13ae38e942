"""Measures how long each handler holds a window's thread up."""

from __future__ import annotations

import os
import threading
import time

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QApplication

_NS_PER_MS = 1e6


class WatchdogApplication(QApplication):
    """An application that measures every event that is not within another, ms.

    What is measured is the time that passed less the time the thread stood ready with no core free
    for it: that belongs to whoever else was busy on the machine, not to the handler.
    """

    def __init__(self, arguments: list[str]) -> None:
        super().__init__(arguments)
        # How long, ms, and by whom: the receiver's class and Qt's number of the event.
        self.took: list[tuple[float, str]] = []
        self._depth = 0
        # While a window opens or closes nobody waits for it to answer.
        self.is_paused = False
        self._waits = os.open(f"/proc/self/task/{threading.get_native_id()}/schedstat", os.O_RDONLY)

    def notify(self, receiver: QObject, event: QEvent) -> bool:
        """Hand an event on, and measure it."""
        self._depth += 1
        name, kind = type(receiver).__name__, event.type()
        began_ns, waited_ns = time.perf_counter_ns(), self._waited_ns()
        try:
            return super().notify(receiver, event)
        finally:
            self._depth -= 1
            if not self._depth and not self.is_paused:
                passed_ns = time.perf_counter_ns() - began_ns
                took_ms = (passed_ns - (self._waited_ns() - waited_ns)) / _NS_PER_MS
                self.took.append((took_ms, f"{name} {int(kind)}"))

    def _waited_ns(self) -> int:
        """How long the thread has stood ready without a core so far, ns; the second figure of the
        kernel's `schedstat`."""
        return int(os.pread(self._waits, 96, 0).split()[1])
