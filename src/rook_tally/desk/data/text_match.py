"""Letters compared as people type them."""

from __future__ import annotations

import unicodedata


def folded(text: str) -> str:
    """Text without regard to case, and with signs as they are typed: `co2` finds `CO₂`."""
    return unicodedata.normalize("NFKC", text).casefold()
