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

    def __init__(
        self,
        store: Store,
        *,
        http: str = HTTP,
        broker: str = BROKER,
        is_open: bool = False,
        starts: bool = True,
    ) -> None:
        self._address, self._http, self._broker = store.address, http, broker
        self._is_open = is_open
        self._ending = threading.Event()
        self._child: CollectorChild | None = None
        self._is_free = False
        self._minder: threading.Thread | None = None
        if starts:
            self._start()
            self._watch()

    @property
    def is_running(self) -> bool:
        """True while our own collector runs, or is being started again."""
        return self._minder is not None and not self._is_free

    @property
    def is_open(self) -> bool:
        """True if its doors are open to the network."""
        return self._is_open

    def start(self) -> None:
        """Begin to record; the window does not wait for it."""
        if self._minder is None:
            self._watch()

    def stop(self) -> None:
        """Stop it, and wait until it has stopped; it can be started again."""
        self._ending.set()
        if self._minder is not None:
            self._minder.join()
        if self._child is not None:
            self._child.ended()
        self._minder = self._child = None
        self._ending.clear()

    def let_go(self) -> None:
        """Let the collector go on by itself when this process ends."""
        self._is_free = True

    def set_open(self, is_open: bool) -> None:
        """Open the doors to the network, or to this machine only: the collector starts anew."""
        if is_open != self._is_open:
            self._is_open = is_open
            child = self._child
            if child is not None:
                # The minder starts another one as soon as it has ended.
                child.process.terminate()

    def _watch(self) -> None:
        self._minder = threading.Thread(target=self._mind, name="collector", daemon=True)
        self._minder.start()

    @property
    def pid(self) -> int | None:
        """The collector's process; None while there is none."""
        child = self._child
        return None if child is None else child.process.pid

    def end(self) -> None:
        """Mind it no longer; stop it, and wait until it has stopped, unless it was let go."""
        self._ending.set()
        if self._minder is not None:
            self._minder.join()
        if self._child is not None and not self._is_free:
            self._child.ended()

    def _start(self) -> None:
        from rook_tally.cli.subprocesses import CollectorChild

        try:
            http, broker = self._http, self._broker
            if self._is_open:
                http, broker = (one.replace("127.0.0.1", "0.0.0.0") for one in (http, broker))
            self._child = CollectorChild(self._address, http=http, broker=broker)
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
