"""One window a store: a second start brings the first one's window forward, and ends."""

from __future__ import annotations

import contextlib
import hashlib
import os
import socket
from types import TracebackType
from typing import Self

_WAIT_S = 2.0
_ASK = b"show"
_LONGEST = 512


class SingleInstance:
    """Holds a store's window for this process, while one opens it.

    A name in the kernel's own space for local sockets and no file: it goes with the process,
    however that ends, and nothing stale is left in the way.
    """

    def __init__(self, store_id: str) -> None:
        told = hashlib.sha256(store_id.encode()).hexdigest()[:24]
        self._name = f"\0rook-tally-{os.getuid()}-{told}"
        self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self.is_first = self._is_bound()

    def _is_bound(self) -> bool:
        try:
            self._socket.bind(self._name)
        except OSError:
            return False
        self._socket.listen()
        self._socket.setblocking(False)
        return True

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._socket.close()

    def fileno(self) -> int:
        """The descriptor that becomes readable when another start asks for the window."""
        return self._socket.fileno()

    def is_asked(self) -> bool:
        """True if another start asks for the window; whoever it is, it is let go."""
        try:
            other, _ = self._socket.accept()
        except BlockingIOError:
            return False
        with other:
            other.settimeout(_WAIT_S)
            with contextlib.suppress(OSError):
                told = other.recv(_LONGEST)
                if told.startswith(_ASK):
                    # Under Wayland a window comes forward only by the word of who was clicked.
                    token = told[len(_ASK) :].decode("ascii", "ignore").strip()
                    if token:
                        os.environ["XDG_ACTIVATION_TOKEN"] = token
                    return True
        return False

    def ask_first(self) -> None:
        """Ask the process that holds the window to bring it forward."""
        with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX) as other:
            other.settimeout(_WAIT_S)
            other.connect(self._name)
            token = os.environ.get("XDG_ACTIVATION_TOKEN", "")
            other.sendall(_ASK + token.encode("ascii", "ignore")[: _LONGEST - len(_ASK)])
