"""Waiting for faults to last, and for what must come of them."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable


def wait_s(seconds: float) -> None:
    """Let a fault last."""
    threading.Event().wait(seconds)


def repeat_until(condition: Callable[[], object], within_s: float) -> bool:
    """Wait until a condition is true; False when it did not become so in time."""
    until_s = time.monotonic() + within_s
    while not condition():
        if time.monotonic() > until_s:
            return False
        wait_s(0.1)
    return True
