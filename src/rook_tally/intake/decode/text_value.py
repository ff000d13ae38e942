"""Values as text: a number, a number with its unit, or a state."""

from __future__ import annotations

import re

from rook_tally.core.timestamps import time_us_from_epoch, time_us_from_text
from rook_tally.intake.decode.json_text import Json, kind_of, number_from

_STATE_WORDS = frozenset({"on", "off", "true", "false", "open", "closed", "yes", "no"})
_NUMBER_AND_UNIT = re.compile(
    r"([+\-−]?(?:\d{1,17}(?:\.\d{0,17})?|\.\d{1,17})(?:[eE][+-]?\d{1,3})?)\s*([^\d\s.,+\-−].{0,15})"
)


def value_and_unit(text: str) -> tuple[float | bool | str, str | None]:
    """The value of a text: a state word, a number, or a number and the unit written behind it.

    Raises
    ------
    ValueError
        Saying why it is none of these.
    """
    word = text.strip()
    if word.lower() in _STATE_WORDS:
        return word.lower(), None
    try:
        return number_from(word), None
    except ValueError:
        both = _NUMBER_AND_UNIT.fullmatch(word)
        if both is None:
            raise
    return number_from(both[1]), both[2].strip()


def sent_time(value: Json) -> tuple[int | None, str]:
    """A sender's time, RFC 3339 or epoch seconds, milliseconds or microseconds; None and why when
    it cannot be read."""
    if value is None:
        return None, ""
    try:
        if isinstance(value, str):
            try:
                return time_us_from_epoch(float(value)), ""
            except ValueError:
                return time_us_from_text(value), ""
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ValueError(f"time is {kind_of(value)}")
        return time_us_from_epoch(float(value)), ""
    except (ValueError, OverflowError) as error:
        return None, str(error)
