"""Whether the collector's clock can be trusted: nothing is stamped by one that is not set, and
nothing irreversible is done soon after one jumped."""

from __future__ import annotations

from sqlalchemy.engine import Connection

from rook_tally.core.alarms.journal import Entry, JournalKind
from rook_tally.core.alarms.sentences import lasting_words
from rook_tally.core.timestamps import DAY_US, MINUTE_US, SECOND_US, rfc3339, time_us_from_text
from rook_tally.store.alarms.records import write_journal
from rook_tally.store.base.raw_sql import executed, executed_many, fetched

BUILT_US = time_us_from_text("2026-11-01T00:00:00Z")
"""No clock that is set shows an earlier moment than the program was made at."""
MOST_BEHIND_US = DAY_US
MOST_BEHIND_AT_START_US = 5 * MINUTE_US
QUIET_AFTER_JUMP_US = DAY_US
_JUMPED = "clock_jumped_us"
_META = (
    "INSERT INTO meta (key, value) VALUES (?, ?) "
    "ON CONFLICT (key) DO UPDATE SET value = excluded.value"
)


def newest_known_us(connection: Connection) -> int:
    """The latest moment at which some collector's clock is known to have been; 0 for none."""
    ((heard_us,),) = fetched(connection, "SELECT max(heard_us) FROM heard", ())
    rows = fetched(connection, "SELECT value FROM meta WHERE key = ?", ("listened_us",))
    return max(int(heard_us or 0), *(int(row[0]) for row in rows), 0)


def why_not_set(
    connection: Connection, *, now_us: int, most_behind_us: int = MOST_BEHIND_US
) -> str:
    """Why a clock that shows this moment cannot be set; empty when it may be. It may be so far
    behind the latest moment that is known: somebody may have set it back."""
    if now_us < BUILT_US:
        return f"it shows {_shown(now_us)}, before this program was made"
    newest_us = newest_known_us(connection)
    if now_us < newest_us - most_behind_us:
        return f"it shows {_shown(now_us)}, and the store was written to at {_shown(newest_us)}"
    return ""


def note_jump(connection: Connection, *, now_us: int, by_us: int) -> None:
    """A clock went `by_us` further than time did: journalled, and remembered for a day."""
    executed_many(connection, _META, [(_JUMPED, str(now_us))])
    way = "ahead" if by_us > 0 else "back"
    write_journal(
        connection,
        [
            Entry(
                now_us,
                JournalKind.CLOCK,
                "",
                "The collector's clock",
                words=f"jumped {way} by {lasting_words(abs(by_us))}",
            )
        ],
    )


def note_not_set(connection: Connection, why: str, *, now_us: int) -> None:
    """A collector works with a clock that is not set."""
    write_journal(
        connection,
        [
            Entry(
                now_us,
                JournalKind.CLOCK,
                "",
                "The collector's clock",
                words=f"is not set: {why}; readings without a time of their own are refused",
            )
        ],
    )


def may_remove(connection: Connection, *, now_us: int) -> bool:
    """True if what is old may be removed: the clock is set, and did not jump within a day."""
    if why_not_set(connection, now_us=now_us):
        return False
    rows = fetched(connection, "SELECT value FROM meta WHERE key = ?", (_JUMPED,))
    return not any(abs(now_us - int(row[0])) < QUIET_AFTER_JUMP_US for row in rows)


def forget_moments_ahead(connection: Connection, *, now_us: int) -> None:
    """Forget that stations were heard, or collectors worked, at moments that have not come: a clock
    was wrong then."""
    executed(connection, "UPDATE heard SET heard_us = ? WHERE heard_us > ?", (now_us, now_us))
    rows = fetched(connection, "SELECT value FROM meta WHERE key = ?", ("listened_us",))
    if any(int(row[0]) > now_us for row in rows):
        executed_many(connection, _META, [("listened_us", str(now_us))])


def _shown(time_us: int) -> str:
    return rfc3339(time_us // SECOND_US * SECOND_US)[:19]
