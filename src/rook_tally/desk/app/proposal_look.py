"""Looks now and then, without the Bench being open, whose correction is proposed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from rook_tally.core.timestamps import DAY_US

if TYPE_CHECKING:
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.store_client import StoreClient

_FIRST_MS = 20_000
_EVERY_MS = 6 * 3_600_000
_UNTIL_UP_MS = 200
_DAYS = 30


class ProposalLook(QObject):
    """Has the marks of proposed corrections on Ledger and Strip brought up to date: some time after
    the start and every few hours, in a process that ends with the answer."""

    def __init__(self, window: DeskWindow) -> None:
        super().__init__(window)
        self._window = window
        self._again = QTimer(self, singleShot=True, interval=_FIRST_MS)
        self._again.timeout.connect(self.look)
        self._again.start()
        self._has_ended = False
        window.closing.connect(self._end)

    def _end(self) -> None:
        """With the window: what it asked of ends too."""
        self._has_ended = True
        self._again.stop()

    def look(self) -> None:
        """Begin now."""
        self._again.start(_EVERY_MS)
        self._ask(self._window.another_client())

    def _ask(self, client: StoreClient) -> None:
        if self._has_ended:
            return
        if self._window.client.is_apart and not client.is_apart:
            # Until its process is up this one would do the work, and the window would feel it.
            QTimer.singleShot(_UNTIL_UP_MS, self, lambda: self._ask(client))
            return
        # Loaded late: no start waits for it.
        from rook_tally.desk.bench.queries import ProposalsQuery

        now_us = self._window.state.clock()

        def take(proposed: frozenset[int]) -> None:
            self._window.state.note_proposals(proposed)
            self._window.leave_client(client)

        def fail(why: str) -> None:
            self._window.leave_client(client)
            self._window.tell(why)

        client.read(ProposalsQuery(now_us - _DAYS * DAY_US, now_us + 1, now_us), take, fail)
