"""The views of a window, one of them shown; each but the Ledger is made on first use."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QStackedWidget, QWidget

from rook_tally.desk.app.views import LEDGER, MADE_LATER, STRIP, WALL
from rook_tally.desk.ledger.view import LedgerView

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow


class ViewStack(QStackedWidget):
    """The Ledger, and places for the others until they are looked at."""

    def __init__(self, window: DeskWindow, ledger: LedgerView) -> None:
        super().__init__()
        self._window, self._ledger = window, ledger
        # By their place, once they were looked at.
        self._made: dict[int, Any] = {}
        self.addWidget(ledger)
        for _ in MADE_LATER:
            self.addWidget(QWidget())

    def made(self, at: int) -> Any:
        """A view, made on first use."""
        if at not in self._made:
            made = self._made[at] = MADE_LATER[at](self._window)
            to_come = self.widget(at)
            assert to_come is not None
            self.removeWidget(to_come)
            to_come.deleteLater()
            self.insertWidget(at, made)
        return self._made[at]

    def is_made(self, at: int) -> bool:
        """Whether a view was looked at already."""
        return at in self._made

    def those_made(self) -> Iterable[Any]:
        """The views that were looked at, without the Ledger."""
        return self._made.values()

    def show_view(self, at: int) -> None:
        """Turn to a view and give it the keyboard."""
        if at == STRIP:
            self.made(STRIP).show_something()
        # Made first: it takes the place that is turned to.
        focus: Any = self._ledger.table if at == LEDGER else self.made(at)
        if at == WALL:
            focus = focus.canvas
        elif at not in (LEDGER, STRIP):
            focus = focus.list
        self.setCurrentIndex(at)
        focus.setFocus()
