"""The machine's clock, which everybody is given or takes from here."""

from __future__ import annotations

import time


def now_us() -> int:
    """The moment now, µs UTC."""
    return time.time_ns() // 1_000
