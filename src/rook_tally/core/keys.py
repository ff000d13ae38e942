"""Whom an access key is wanted from."""

from __future__ import annotations

import enum


class KeysWanted(enum.Enum):
    """Who has to send an access key."""

    BY_DOOR = "by-door"
    """Everybody once the HTTP door is open to the network, else nobody on this machine."""
    FROM_ALL = "from-all"
    FROM_NETWORK = "from-network"
