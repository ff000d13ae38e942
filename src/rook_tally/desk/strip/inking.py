"""When lanes are inked: a few milliseconds' worth at a time, so that no frame waits for all."""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import QObject, QTimer

from rook_tally.desk.strip.lane_plot import LanePlot

_BUDGET_S = 0.006


class Inking(QObject):
    """Inks the plots that are not as they should be, one after another between events."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.plots: Sequence[LanePlot] = ()
        self._timer = QTimer(self, interval=0)
        self._timer.timeout.connect(self._ink_some)

    def start(self) -> None:
        """Something may have to be inked."""
        if not self._timer.isActive() and any(not plot.is_inked for plot in self.plots):
            self._timer.start()

    def _ink_some(self) -> None:
        until = time.perf_counter() + _BUDGET_S
        for plot in self.plots:
            if not plot.is_inked:
                plot.ink()
                if time.perf_counter() > until:
                    return
        self._timer.stop()
