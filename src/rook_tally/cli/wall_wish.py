"""Names the sheet that a window of the Wall begins with."""

from __future__ import annotations

import msgspec


class WallWish(msgspec.Struct, frozen=True):
    """Holds the sheet to begin with, whether the window shows sheets alone, and on which screen."""

    sheet: str
    full_screen: bool
    screen: str
