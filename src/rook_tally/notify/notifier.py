"""The interface of a channel to the outbox worker."""

from __future__ import annotations

from typing import Protocol

from rook_tally.core.alarms.channels import Channel, Notice
from rook_tally.core.errors import RookTallyError


class ActionError(RookTallyError):
    """Somebody could not be told, or not yet."""


class Notifier(Protocol):
    """Tells somebody by one sort of way."""

    async def tell(self, way: Channel, notice: Notice) -> str:
        """Deliver a notice; returns what came of it, in a few words.

        The same notice may come twice: its key tells.

        Raises
        ------
        ActionError
            When it was not delivered; it is tried again later.
        """
        ...

    async def close(self) -> None:
        """Give up what is held open."""
        ...
