"""The collector that a window has started itself: what can be done with it from the window."""

from __future__ import annotations

from typing import Protocol


class Recorder(Protocol):
    """A collector run by a window. It lives in the process that opened the window."""

    @property
    def is_running(self) -> bool:
        """True while our own collector runs."""

    @property
    def is_open(self) -> bool:
        """True if its doors are open to the network."""

    def start(self) -> None:
        """Begin to record."""

    def let_go(self) -> None:
        """Let it go on by itself when the window closes."""

    def set_open(self, is_open: bool) -> None:
        """Open its doors to the network, or to this machine only; it starts anew with them."""
