"""Entries of the journal, in order."""

from __future__ import annotations

import enum

import msgspec

from rook_tally.core.quantities.levels import Level


class JournalKind(enum.Enum):
    """A kind of journal entry."""

    RANG = "rang"
    RANG_LATE = "rang late"
    CLEARED = "cleared"
    CLEARED_LATE = "cleared late"
    ACKNOWLEDGED = "acknowledged"
    SHELVED = "shelved"
    UNSHELVED = "unshelved"
    SUPPRESSED = "suppressed"
    UNSUPPRESSED = "unsuppressed"
    TOLD = "told"
    NOT_TOLD = "not told"
    ASKED = "asked"
    CONFIRMED = "confirmed"
    NOT_CONFIRMED = "not confirmed"
    OVERRIDDEN = "overridden"
    STOPPED = "stopped"
    MANY = "many at once"
    TRIAL = "trial"
    ENDED = "ended"
    CLOCK = "clock"
    DUTY = "duty"


class Entry(msgspec.Struct, frozen=True):
    """A line of the journal: what happened to which watch, where, how bad, and in words."""

    time_us: int
    sort: JournalKind
    watch: str
    name: str
    place: str = ""
    series_id: int | None = None
    level: Level = Level.SETTLED
    words: str = ""
    who: str = ""
    id: int = 0
