"""When lanes are inked: a few milliseconds' worth at a time, so that no frame waits for all."""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from rook_tally.desk.strip.lane_plot import LanePlot

# A lane a turn while a hand moves the window, as many as fit into a few milliseconds at rest.
_TURN_MS = 8
_BUDGET_S = 0.006
_AT_REST_MS = 60


class PaintScheduler(QObject):
    """Inks the plots that are not as they should be, one after another between events.

    A lane that is merely stretched by a zoom is inked once the hand rests, or something new was
    read, which comes first as a rule. `rested` is sent when the hand has come to rest.
    """

    rested = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.plots: Sequence[LanePlot] = ()
        self._rest = QTimer(self, singleShot=True, interval=_AT_REST_MS)
        self._rest.timeout.connect(self.start)
        self._rest.timeout.connect(self.rested)
        self._turn = QTimer(self, interval=_TURN_MS)
        self._turn.timeout.connect(self._ink_some)

    def moved(self) -> None:
        """The window has moved: a hand may be at work."""
        self._rest.start()

    @property
    def is_moving(self) -> bool:
        """True if a hand moved the window just now."""
        return self._rest.isActive()

    @property
    def _to_ink(self) -> list[LanePlot]:
        return [
            plot
            for plot in self.plots
            if not plot.is_inked and not (self.is_moving and plot.is_merely_stretched)
        ]

    def start(self) -> None:
        """Something may have to be inked."""
        if not self._turn.isActive() and self._to_ink:
            self._turn.start()

    def _ink_some(self) -> None:
        until = time.perf_counter() + (0.0 if self.is_moving else _BUDGET_S)
        for plot in self._to_ink:
            plot.ink()
            if time.perf_counter() > until:
                return
        if not self._to_ink:
            self._turn.stop()
