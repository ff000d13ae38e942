"""A window's own collector: a child process, started again whenever it ends by itself."""

from __future__ import annotations

import sys
import threading
import time
from typing import TYPE_CHECKING

from rook_tally.core.errors import RookTallyError
from rook_tally.store.base import Store

if TYPE_CHECKING:
    from rook_tally.cli.subprocesses import CollectorChild

HTTP, BROKER = "127.0.0.1:4711", "builtin:127.0.0.1:4712"
_LOOK_S = 1.0
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 1.0, 60.0
_STEADY_S = 60.0


class KeptCollector:
    """Runs a collector beside a window until told to end.

    Without one what was kept can still be looked at: the window says that nothing comes in.
    """

    def __init__(self, store: Store, *, http: str = HTTP, broker: str = BROKER) -> None:
        self._address, self._http, self._broker = store.address, http, broker
        self._ending = threading.Event()
        self._child: CollectorChild | None = None
        self._start()
        self._minder = threading.Thread(target=self._mind, name="collector", daemon=True)
        self._minder.start()

    @property
    def pid(self) -> int | None:
        """The collector's process; None while there is none."""
        child = self._child
        return None if child is None else child.process.pid

    def end(self) -> None:
        """Stop it, and wait until it has stopped."""
        self._ending.set()
        self._minder.join()
        if self._child is not None:
            self._child.ended()

    def _start(self) -> None:
        from rook_tally.cli.subprocesses import CollectorChild

        try:
            self._child = CollectorChild(self._address, http=self._http, broker=self._broker)
        except RookTallyError as error:
            self._child = None
            sys.stderr.write(f"rook-tally: {error}; the window is open all the same\n")

    def _mind(self) -> None:
        pause_s, begun_s = _FIRST_PAUSE_S, time.monotonic()
        while not self._ending.wait(_LOOK_S):
            child = self._child
            if child is not None and child.process.poll() is None:
                if time.monotonic() - begun_s > _STEADY_S:
                    pause_s = _FIRST_PAUSE_S
                continue
            if child is not None:
                code = child.process.returncode
                child.ended()
                sys.stderr.write(f"rook-tally: the collector ended ({code}); starting it again\n")
            if self._ending.wait(pause_s):
                return
            pause_s = min(2 * pause_s, _LONGEST_PAUSE_S)
            self._start()
            begun_s = time.monotonic()
