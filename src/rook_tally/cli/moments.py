"""Moments as they are given to a command."""

from __future__ import annotations

from datetime import tzinfo

from rook_tally.core.errors import UsageError
from rook_tally.core.time_input import typed_time
from rook_tally.core.timestamps import time_us_from_text


def moment_us(text: str, *, now_us: int, zone: tzinfo) -> int:
    """A moment, µs, as RFC 3339 has it or as people type it: `yesterday 14:00`.

    Without an offset it is a time of `zone`, and means what it means in the window. What is written
    out as ISO 8601 has it may lie ahead.

    Raises
    ------
    UsageError
        When it is neither, or nothing at all.
    """
    if not text.strip():
        raise UsageError("a time is empty", remedy="such as 2026-08-12, yesterday 9:00, now")
    try:
        return typed_time(text, now_us=now_us, zone=zone).start_us
    except UsageError as refused:
        try:
            return time_us_from_text(text, zone)
        except ValueError:
            raise refused from None
