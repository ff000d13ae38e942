"""Whom an access key is wanted from, and where passwords are kept."""

from __future__ import annotations

import enum


class KeysWanted(enum.Enum):
    """Who has to send an access key."""

    BY_DOOR = "by-door"
    """Everybody once the HTTP door is open to the network, else nobody on this machine."""
    FROM_ALL = "from-all"
    FROM_NETWORK = "from-network"


class PasswordsAt(enum.Enum):
    """Where passwords of mail servers and secrets of webhooks are kept."""

    DESKTOP = "desktop"
    """In the desktop's password store, where there is one."""
    IN_STORE = "store"
