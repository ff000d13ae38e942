"""How much of what has arrived may wait at once, so that a sender that is faster than the store
costs no memory without end."""

from __future__ import annotations

import threading


class Room:
    """Room for so many messages and bytes that wait.

    What arrives is counted in and out by two threads: the one that hears may wait for room, the one
    that takes in makes it.
    """

    def __init__(self, messages: int, size: int) -> None:
        self._messages, self._size = messages, size
        self._lock = threading.Lock()
        self._count = self._held = 0
        self._made = threading.Event()

    def __len__(self) -> int:
        return self._count

    @property
    def is_full(self) -> bool:
        """True if no further message should come in."""
        return self._count >= self._messages or self._held >= self._size

    def enter(self, size: int) -> None:
        """Count a message of so many bytes in; it is let in even where there is no room."""
        with self._lock:
            self._count += 1
            self._held += size

    def leave(self, size: int) -> None:
        """Count it out again; who waits goes on once half is free."""
        with self._lock:
            self._count -= 1
            self._held -= size
            if self._count * 2 <= self._messages and self._held * 2 <= self._size:
                self._made.set()

    def wait(self, seconds: float) -> bool:
        """Wait, if it is full, until half is free; False if it is full still."""
        with self._lock:
            if not self.is_full:
                return True
            self._made.clear()
        return self._made.wait(seconds) or not self.is_full

    def open(self) -> None:
        """Let everybody who waits go on."""
        self._made.set()
