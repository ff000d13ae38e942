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

    def stop(self) -> None:
        """End it, and wait until it has ended; it can be started again."""

    def let_go(self) -> None:
        """Let it go on by itself when the window closes."""

    def set_open(self, is_open: bool) -> None:
        """Open its doors to the network, or to this machine only; it starts anew with them."""


class CollectorService(Protocol):
    """The collector as a service of this person's, begun at login. Called in a thread; takes
    seconds."""

    @property
    def is_installed(self) -> bool:
        """True if it is installed."""

    def install(self) -> str:
        """Install and start it; says in words how that went.

        Raises
        ------
        RookTallyError
            When it cannot be installed.
        """

    def remove(self) -> str:
        """Stop and remove it; says so in words."""
