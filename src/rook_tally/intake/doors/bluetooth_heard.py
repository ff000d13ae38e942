"""What is heard by Bluetooth, without what it takes to hear it."""

from __future__ import annotations

import msgspec


class Heard(msgspec.Struct, frozen=True):
    """Something in radio range: the key it would go by as a station, its own name, how strongly it
    is heard, dBm, what it says in words, and bytes it advertises by what they are called."""

    key: str
    name: str
    rssi: int
    says: str
    data: dict[str, bytes]
