"""Long work beside the window: how far it is, cancelled, and what came of it in words."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from rook_tally.core.errors import CancelledError, RookTallyError
from rook_tally.core.progress import Progress
from rook_tally.desk.parts.texts import tr


class TaskThread(QObject):
    """Runs one piece of work at a time in a thread. `advanced` tells the share done; `ended` what
    came of it, and whether it was done."""

    advanced = Signal(float)
    ended = Signal(str, bool)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._is_running = False
        self._cancelled = threading.Event()

    @property
    def is_running(self) -> bool:
        """True while something is under way."""
        return self._is_running

    def run(self, work: Callable[[Progress], str]) -> None:
        """Begin some work, unless other is under way."""
        if self.is_running:
            return
        self._cancelled.clear()
        self._is_running = True
        threading.Thread(target=self._work, args=(work,), daemon=True, name="task").start()

    def cancel(self) -> None:
        """Ask it to end at its next step."""
        self._cancelled.set()

    def _work(self, work: Callable[[Progress], str]) -> None:
        is_done = False
        try:
            words, is_done = work(self._advance), True
        except RookTallyError as error:
            words = str(error)
        except Exception as error:  # noqa: BLE001 - the thread's end must be told however it ends
            words = tr("a fault of ours: {0}", repr(error))
        # Before it is told: whoever hears of it may begin the next at once.
        self._is_running = False
        self.ended.emit(words, is_done)

    def _advance(self, share: float) -> None:
        if self._cancelled.is_set():
            raise CancelledError(tr("it was cancelled"), kept=tr("all is as it was"))
        self.advanced.emit(share)
