"""What a message may be at most, whatever door it comes by; kept before memory is spent on it.

`docs/wire.md` has the same table for people.
"""

from __future__ import annotations

from collections.abc import Iterator

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import MINUTE_US, time_us_from_text
from rook_tally.intake.message import RejectedValue

MOST_AHEAD_US = 2 * MINUTE_US
"""A time further ahead of its arrival is not believed."""
EARLIEST_US = time_us_from_text("2015-01-01T00:00:00Z")
"""No more is one before there were such sensors."""
LARGEST_MESSAGE = 1024 * 1024
"""Bytes of a message's body, compressed or not."""
DEEPEST = 16
"""Levels of lists and objects within each other."""
MOST_VALUES = 200_000
"""Values of a message: nobody measures more at once."""
MOST_COLUMNS = 1_000
"""Columns of a table, and fields of one object."""
LONGEST_NAME = 200
"""Characters of the name of a field, a station, a place, a control."""
LONGEST_UNIT = 40
LONGEST_LINE = 16 * 1024
"""Bytes of one line, of a serial port or of `name=value` pairs."""
LONGEST_ADDRESS = 300
"""Characters kept of where a message came from."""
MOST_TOLD = 100
"""Refused values that are told of one by one; of the rest the number is told."""
MOST_CLAIMED = 20
"""Stations nobody took in that one message may speak for: each gets the message kept for it."""
MOST_GUESSED = 200
"""Fields of a station nobody took in whose meaning is guessed."""
MOST_WAITING = 2_000
"""Messages of a broker that wait to be taken in; it keeps the rest."""
MOST_WAITING_BYTES = 32 * 1024 * 1024
"""What these may hold together."""
MOST_CONNECTIONS = 400
"""Connections open at the HTTP door."""
BODY_WITHIN_S = 30.0
"""So long a sender may take for a message's body."""

_REPLACED = "\ufffd"


def name_fault(name: str) -> str:
    """Why a text cannot be a name; empty for one that can."""
    if len(name) > LONGEST_NAME:
        return f"a name of more than {LONGEST_NAME} characters"
    if not name.isprintable():
        return "a name with characters that cannot be shown"
    return ""


def shortened(text: str, longest: int = LONGEST_UNIT) -> str:
    """A text for a sentence: what cannot be shown replaced, its end cut off."""
    if len(text) > longest:
        text = text[: longest - 1] + "…"
    if text.isprintable():
        return text
    return "".join(one if one.isprintable() else _REPLACED for one in text)


def plain_text(text: str, longest: int) -> str:
    """A text as every database can keep it: no NUL, nothing that is no character, not too long.

    Line breaks and tabs stay.
    """
    if len(text) > longest:
        text = text[: longest - 1] + "…"
    if text.isprintable():
        return text
    return "".join(
        one if one in "\n\t" or one.isprintable() or one.isspace() else _REPLACED for one in text
    )


class RejectedValues:
    """Values that were refused: the first told one by one, of the rest how many there are."""

    def __init__(self) -> None:
        self._told: list[RejectedValue] = []
        self._more = 0

    def add(self, at: int, field: str, why: str) -> None:
        """Refuse a value."""
        if len(self._told) < MOST_TOLD:
            self._told.append(
                RejectedValue(at, shortened(field, LONGEST_NAME), shortened(why, 300))
            )
        else:
            self._more += 1

    def __iter__(self) -> Iterator[RejectedValue]:
        return iter(self.told())

    def __len__(self) -> int:
        return len(self._told) + self._more

    def told(self) -> tuple[RejectedValue, ...]:
        """The rejected values to tell the sender of."""
        if not self._more:
            return tuple(self._told)
        rest = RejectedValue(-1, "", f"and {self._more} more", count=self._more)
        return (*self._told, rest)


def check_count(count: int) -> None:
    """DecodeError when a message holds more values than one may."""
    if count > MOST_VALUES:
        raise DecodeError(
            f"the message holds more than {MOST_VALUES} values", remedy="send it in parts"
        )


def too_deep() -> DecodeError:
    """The error for a message nested too deeply."""
    return DecodeError(
        f"the message is nested more than {DEEPEST} levels deep",
        remedy="send values one or two levels deep",
    )
