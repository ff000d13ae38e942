"""What of the Wall to show."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class WallWish:
    """Which sheet to begin with, whether nothing but sheets is to be seen, and where."""

    sheet: str
    full_screen: bool
    screen: str
